//! `fracht trace`

use fracht_core::check::{Project, Verdict};
use fracht_core::cover::may_be_secret;
use fracht_core::escape::escaped;
use fracht_core::grammar::path;
use fracht_core::trace::{Leaf, Step, Trace as Found};
use serde::Serialize;
use unicode_width::UnicodeWidthStr as _;

use crate::cli::{Format, Trace};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, QUIET, WIDTH};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, json};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct TraceDocument<'a> {
    stack: &'a str,
    target: &'a str,
    path: &'a str,
    /// The default, in words; null if the key is set.
    default: Option<&'a str>,
    /// The value that was set for an input, which overrides its default.
    given: Option<InputValue<'a>>,
    /// The port numbers that the lock keeps there.
    lock: Vec<Locked<'a>>,
    values: Vec<Traced<'a>>,
}

/// The numbers that the lock keeps for a port, in place of what the stack sets or leaves open.
#[derive(Serialize)]
struct Locked<'a> {
    service: &'a str,
    port: &'a str,
    at: &'a [u16],
    place: Option<json::Place>,
}

#[derive(Serialize)]
struct InputValue<'a> {
    by: &'static str,
    value: &'a str,
}

#[derive(Serialize)]
struct Traced<'a> {
    path: &'a str,
    means: Option<&'a str>,
    layers: Vec<LayerValue<'a>>,
}

#[derive(Serialize)]
struct LayerValue<'a> {
    layer: String,
    value: &'a str,
    line: &'a str,
    place: json::Place,
}

pub(crate) fn run(args: &Trace, ui: &mut Ui) -> Result<Outcome, Failure> {
    let keys = path::parse(&args.path).map_err(|reason| {
        let message = format!("invalid path `{}`: {reason}", args.path);
        Failure::new(message, "for example `fracht trace service.api.replicas`")
    })?;
    let mut project = stack::open(&args.stack)?;
    let target = stack::target(&project, args.target.name())?;
    let verdict = stack::verdict(&mut project, &target)?;
    ui.errors(&verdict.report, project.sources());
    let found = project.trace(&verdict, &keys);
    let given = match keys.as_slice() {
        [kind, input, ..] if kind == "input" => {
            project.input_value(input).map(|(source, value)| InputValue {
                by: source.words(),
                value: if may_be_secret(input, value) { "(hidden)" } else { value },
            })
        }
        _ => None,
    };
    let (leaves, default) = match &found {
        Found::Nothing { reached, near } => return Err(nothing(&args.path, reached, near.as_deref())),
        Found::Written(leaves) => (leaves.as_slice(), None),
        Found::Default(default) => (&[][..], Some(*default)),
    };
    let lock = locked(&verdict, &project, &keys);
    if args.format == Format::Json {
        let values = leaves.iter().map(|leaf| traced(&project, leaf)).collect();
        let stack = &verdict.facts.model.name.value;
        let path = &args.path;
        ui.json(&TraceDocument { stack, target: &target, path, default, given, lock, values })?;
    } else {
        let mut out = format!("{BOLD}{}, target {}{BOLD:#}\n\n", escaped(&args.path), escaped(&target));
        if let Some(InputValue { by, value }) = &given {
            out.push_str(&format!("{value}  {QUIET}set by {by}, overrides the default{QUIET:#}\n"));
        }
        match default {
            Some(_) if given.is_some() => {}
            Some(default) => out.push_str(&format!("Not set. Default: {default}\n")),
            None => out.push_str(&text(&project, &args.path, leaves)),
        }
        for Locked { service, port, at, place } in &lock {
            let numbers = at.iter().map(u16::to_string).collect::<Vec<_>>().join(", ");
            let place = place.as_ref().map(json::Place::location).unwrap_or_default();
            out.push_str(&format!(
                "\nKept in the lock: {service}/{port} at {numbers}  {QUIET}{place}{QUIET:#}\n"
            ));
        }
        ui.result(&out)?;
    }
    Ok(Outcome::problems_if(verdict.report.has_errors()))
}

/// What the lock keeps at a path: of one port, or of all ports of a service.
fn locked<'a>(verdict: &'a Verdict, project: &Project<'_>, keys: &[String]) -> Vec<Locked<'a>> {
    let model = &verdict.facts.model;
    let [kind, service, rest @ ..] = keys else { return Vec::new() };
    let is_here = |port: &str| match rest {
        [] => true,
        [key] => key == "port",
        [key, own] => key == "port" && own == port,
        [key, own, value, ..] => key == "port" && own == port && value == "at",
    };
    let entries = verdict.facts.ports.entries.iter().filter(|entry| entry.kept && kind == "service");
    let locked = entries.filter_map(|entry| {
        let (workload, port) = (&model.workloads[entry.service], entry.port(model)?);
        let line = model.kept.iter().find(|kept| kept.key() == (&*workload.name, &*port.name))?;
        (*workload.name == **service && is_here(&port.name)).then(|| Locked {
            service: &workload.name,
            port: &port.name,
            at: &entry.at,
            place: line.span.map(|span| json::place(span, project.sources())),
        })
    });
    locked.collect()
}

fn nothing(path: &str, reached: &str, near: Option<&str>) -> Failure {
    let help = match (near, reached) {
        (Some(near), _) => format!("did you mean `{near}`?"),
        (None, "") => "a path starts with a table, for example `service.api`".to_owned(),
        (None, reached) => format!("`fracht trace {reached}` lists all its values"),
    };
    Failure::new(format!("`{path}` not found in the stack"), help)
}

fn text(project: &Project<'_>, path: &str, leaves: &[Leaf]) -> String {
    let mut out = String::new();
    let place = |step: &Step| Cell::styled(project.sources().location(step.span), QUIET);
    let steps = || leaves.iter().flat_map(|leaf| &leaf.steps);
    // Values and lines share the width that the other columns leave.
    let from = steps().map(|step| project.layer_words(step.layer).width()).max().unwrap_or(0);
    let written = steps().map(|step| project.sources().location(step.span).width()).max().unwrap_or(0);
    let room = WIDTH.saturating_sub(from.max(4) + written.max(10) + 6);
    if let [leaf] = leaves {
        let values = leaf.steps.iter().map(|step| step.value.width()).max().unwrap_or(0).max(5);
        let most = values.min(room / 2);
        let mut table = Table::new(["value", "layer", "location", "source line"]);
        for (index, step) in leaf.steps.iter().enumerate() {
            let value = short(&step.value, most);
            let value = if index == 0 { Cell::styled(value, BOLD) } else { Cell::styled(value, QUIET) };
            let line = Cell::styled(short(&step.line, room - most), QUIET);
            table.row([value, project.layer_words(step.layer).into(), place(step), line]);
        }
        out.push_str(&table.show());
        if let Some(means) = &leaf.means {
            out.push_str(&format!("\nResolves to: {means}\n"));
        }
        return out;
    }
    let at = |leaf: &Leaf| -> String {
        let rest = leaf.path.strip_prefix(path).map(|rest| rest.trim_start_matches('.'));
        rest.unwrap_or(&leaf.path).to_owned()
    };
    let paths = leaves.iter().map(|leaf| at(leaf).width()).max().unwrap_or(0);
    let most = room.saturating_sub(paths).max(12);
    let mut table = Table::new(["key", "value", "layer", "location"]);
    for leaf in leaves {
        let Some(step) = leaf.steps.first() else { continue };
        table.row([
            at(leaf).into(),
            short(&step.value, most).into(),
            project.layer_words(step.layer).into(),
            place(step),
        ]);
    }
    out.push_str(&table.show());
    if leaves.is_empty() {
        out.push_str("This table is empty.\n");
    }
    out
}

/// The text, cut to fit its column.
fn short(text: &str, most: usize) -> String {
    if text.width() <= most {
        return text.to_owned();
    }
    text.chars().take(most.saturating_sub(1)).chain(['…']).collect()
}

fn traced<'a>(project: &Project<'_>, leaf: &'a Leaf) -> Traced<'a> {
    let given = |step: &'a Step| LayerValue {
        layer: project.layer_words(step.layer),
        value: &step.value,
        line: &step.line,
        place: json::place(step.span, project.sources()),
    };
    Traced { path: &leaf.path, means: leaf.means.as_deref(), layers: leaf.steps.iter().map(given).collect() }
}
