//! `fracht draw`

use std::ffi::OsStr;
use std::io::IsTerminal as _;
use std::path::Path;

use fracht_core::escape::escaped_path;
use fracht_core::files::reason;
use fracht_picture::{By, Choice, Diagram, Layout, Piece, Theme, Tone, dot, mermaid, svg, terminal};

use crate::cli::{Arrangement, Draw, Drawn, PictureFormat, PlanChoice, STANDARD_OUTPUT, TargetChoice};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, OPEN, QUIET};
use crate::ui::{Ui, screen};
use crate::write;

/// With more services and tasks, a picture is a wall.
const MANY: usize = 60;

pub(crate) fn run(args: &Draw, ui: &mut Ui) -> Result<Outcome, Failure> {
    let format = format(args)?;
    let to_file = args.out.as_deref().filter(|path| path.as_os_str() != STANDARD_OUTPUT);
    if format == PictureFormat::Png && to_file.is_none() && std::io::stdout().is_terminal() {
        return Err(Failure::new(
            "a PNG cannot be shown in a terminal",
            "write it to a file: `--out NAME.png`",
        ));
    }
    let choice = PlanChoice {
        stack: args.stack.clone(),
        target: TargetChoice { target: args.target.target.clone() },
        ..PlanChoice::default()
    };
    let (_, verdict) = stack::planned(&choice, ui)?;
    let model = &verdict.facts.model;
    let choice = Choice {
        only: args.only.as_deref().map(|name| stack::workload(model, name)).transpose()?,
        configs: args.with.contains(&Drawn::Config),
        secrets: args.with.contains(&Drawn::Secret),
        by: match args.by {
            Arrangement::Network => By::Network,
            Arrangement::Wave => By::Wave,
        },
    };
    let diagram = Diagram::of(&verdict.facts, &choice);
    if format == PictureFormat::Txt && to_file.is_none() {
        ui.result(&boxes(&diagram, screen::width(), screen::is_unicode()))?;
    } else {
        let content = content(&diagram, format, args, ui)?;
        match to_file {
            None => ui.raw_result(|out| out.write_all(&content))?,
            Some(path) => save(path, &content, &diagram, ui)?,
        }
    }
    if choice.only.is_none() && model.workloads.len() > MANY {
        ui.note(&format!(
            "{} services and tasks are many for one picture; `--only NAME` draws one with what it is linked to",
            model.workloads.len()
        ));
    }
    Ok(Outcome::problems_if(verdict.report.has_errors()))
}

/// The format: the chosen one, else that of the ending of the file.
fn format(args: &Draw) -> Result<PictureFormat, Failure> {
    if let Some(format) = args.format {
        return Ok(format);
    }
    let Some(path) = args.out.as_deref().filter(|path| path.as_os_str() != STANDARD_OUTPUT) else {
        return Ok(PictureFormat::Txt);
    };
    let ending = path.extension().and_then(OsStr::to_str).unwrap_or_default().to_ascii_lowercase();
    match ending.as_str() {
        "svg" => Ok(PictureFormat::Svg),
        "png" => Ok(PictureFormat::Png),
        "dot" => Ok(PictureFormat::Dot),
        "mmd" => Ok(PictureFormat::Mmd),
        "txt" => Ok(PictureFormat::Txt),
        _ => Err(Failure::new(
            format!("the ending of `{}` is not that of a picture", escaped_path(path)),
            "use .svg, .png, .dot, .mmd or .txt, or say which with `--format`",
        )),
    }
}

/// The bytes of a picture.
fn content(diagram: &Diagram, format: PictureFormat, args: &Draw, ui: &mut Ui) -> Result<Vec<u8>, Failure> {
    let theme = match args.theme {
        crate::cli::Theme::Light => Theme::Light,
        crate::cli::Theme::Dark => Theme::Dark,
    };
    Ok(match format {
        PictureFormat::Svg => svg(diagram, &Layout::of(diagram), theme).into_bytes(),
        PictureFormat::Png => return png(diagram, theme, ui),
        PictureFormat::Dot => dot(diagram).into_bytes(),
        PictureFormat::Mmd => mermaid(diagram).into_bytes(),
        PictureFormat::Txt => {
            let lines = terminal(diagram, crate::ui::style::WIDTH, true);
            let lines = lines.iter().map(|line| {
                line.iter().map(|(text, _)| text.as_str()).collect::<String>().trim_end().to_owned() + "\n"
            });
            lines.collect::<String>().into_bytes()
        }
    })
}

#[cfg(feature = "png")]
fn png(diagram: &Diagram, theme: Theme, ui: &mut Ui) -> Result<Vec<u8>, Failure> {
    let png = fracht_picture::png(diagram, &Layout::of(diagram), theme).map_err(|reason| {
        Failure::new(
            format!("cannot draw the picture as PNG: {reason}"),
            "draw it as SVG, or a part of it with `--only`",
        )
    })?;
    if !png.missing.is_empty() {
        let all: String = png.missing.iter().take(12).collect();
        ui.note(&format!("the font has no {all}: `?` is drawn instead; an SVG has these characters"));
    }
    if png.is_reduced {
        ui.note("the picture is large, so that it has fewer pixels than usual; an SVG has any size");
    }
    Ok(png.bytes)
}

#[cfg(not(feature = "png"))]
fn png(_: &Diagram, _: Theme, _: &mut Ui) -> Result<Vec<u8>, Failure> {
    Err(Failure::new("this program was built without PNG", "draw it as SVG: `--out NAME.svg`"))
}

fn save(path: &Path, content: &[u8], diagram: &Diagram, ui: &mut Ui) -> Result<(), Failure> {
    let shown = escaped_path(path);
    write::file(path, content).map_err(|error| {
        let message = format!("cannot write `{shown}`: {}", reason(&error));
        Failure::new(message, "choose another file with `--out`")
    })?;
    ui.result(&format!("Drew {shown}: {}\n", counts(diagram)))?;
    for note in &diagram.notes {
        ui.note(note);
    }
    Ok(())
}

/// `7 services, 2 tasks, 3 networks`.
fn counts(diagram: &Diagram) -> String {
    use fracht_picture::diagram::NodeKind;
    let kinds = [
        (NodeKind::WayIn, "way in", "ways in"),
        (NodeKind::Service, "service", "services"),
        (NodeKind::Task, "task", "tasks"),
        (NodeKind::Volume, "shared volume", "shared volumes"),
        (NodeKind::Outside, "external service", "external services"),
    ];
    let kinds = kinds
        .into_iter()
        .map(|(kind, one, many)| (diagram.nodes.iter().filter(|node| node.kind == kind).count(), one, many));
    let named = diagram.groups.iter().filter(|group| !group.is_default).count();
    let all = kinds.chain([(named, "network", "networks"), (diagram.links.len(), "link", "links")]);
    let words = all
        .filter(|(count, ..)| *count > 0)
        .map(|(count, one, many)| format!("{count} {}", if count == 1 { one } else { many }));
    let words = words.collect::<Vec<_>>().join(", ");
    if words.is_empty() { "the stack has no services and no tasks".to_owned() } else { words }
}

/// The boxes for a terminal.
fn boxes(diagram: &Diagram, width: usize, is_unicode: bool) -> String {
    let mut out = String::new();
    for line in terminal(diagram, width, is_unicode) {
        let line: String = line.iter().map(styled).collect();
        out.push_str(line.trim_end());
        out.push('\n');
    }
    out
}

fn styled((text, tone): &Piece) -> String {
    match tone {
        Tone::Plain => text.clone(),
        Tone::Strong => format!("{BOLD}{text}{BOLD:#}"),
        Tone::Quiet => format!("{QUIET}{text}{QUIET:#}"),
        Tone::Open => format!("{OPEN}{text}{OPEN:#}"),
    }
}
