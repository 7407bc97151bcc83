//! `fracht new`

mod folder;
mod text;

use std::path::Path;

use fracht_core::cover::may_be_secret;
use fracht_core::diag::listing;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;
use fracht_core::grammar::image::{self, Image};
use fracht_core::grammar::lines::{self, Setting};
use fracht_core::grammar::name::NameKind;
use fracht_core::model::Store;

use crate::cli::{New, STANDARD_OUTPUT};
use crate::disk;
use crate::failure::{Failure, Outcome};
use crate::ui::style::WIDTH;
use crate::ui::{Ui, counted};
use crate::write;

/// The file that lists what is not part of a build.
const IGNORE_FILE: &str = ".frachtignore";

/// What a new stack runs.
enum Runs {
    Image(Image),
    /// A folder, from that of the stack file, with the path of its recipe.
    Build {
        source: String,
        recipe: String,
    },
    /// A stand-in, in whose place the author writes an image.
    Nothing,
}

/// The parts of a new stack file.
struct Plan {
    name: String,
    runs: Runs,
    ports: Vec<(String, u16)>,
    plain: Vec<Setting>,
    secret: Vec<Setting>,
}

pub(crate) fn run(args: &New, ui: &mut Ui) -> Result<Outcome, Failure> {
    let plan = plan(args)?;
    let text = plan.text();
    let path = &args.out;
    if path == Path::new(STANDARD_OUTPUT) {
        return ui.raw_result(|out| out.write_all(text.as_bytes())).map(|()| Outcome::Fine);
    }
    let shown = escaped_path(path);
    let mut files: Vec<(&Path, &[u8])> = vec![(path, text.as_bytes())];
    // A stack file in the folder of a build is not part of its content.
    let ignored = path.with_file_name(IGNORE_FILE);
    let name = path.file_name().unwrap_or_default().to_string_lossy() + "\n";
    if matches!(&plan.runs, Runs::Build { source, .. } if source == ".") && !ignored.exists() {
        files.push((&ignored, name.as_bytes()));
    }
    // An existing file is never overwritten.
    write::new_files(Path::new(""), &files).map_err(|(_, error)| {
        let message = match error.kind() {
            std::io::ErrorKind::AlreadyExists => {
                return Failure::new(
                    format!("`{shown}` already exists"),
                    "nothing was written; choose another file with `--out FILE`",
                );
            }
            _ => format!("cannot write `{shown}`: {}", reason(&error)),
        };
        Failure::new(message, "choose another file with `--out FILE`")
    })?;
    ui.result(&format!("Created {shown}\n{}", plan.summary()))?;
    ui.note(&format!("next: run `fracht check --stack {shown}`"));
    Ok(Outcome::Fine)
}

fn plan(args: &New) -> Result<Plan, Failure> {
    let (runs, found) = match &args.from {
        None => (Runs::Nothing, Vec::new()),
        Some(from) if is_folder(from) => folder::build(Path::new(from), &args.out)?,
        Some(text) => {
            let image = image::parse(text).map_err(|reason| {
                let message = format!("invalid image `{text}`: {reason}");
                Failure::new(message, "for example `fracht new registry.example/harbour/feedstore:1.0`")
            })?;
            (Runs::Image(image), Vec::new())
        }
    };
    let of_source = match &runs {
        Runs::Image(image) => image.repository().rsplit('/').next().map(str::to_owned),
        Runs::Build { .. } => args.from.as_deref().and_then(folder::name),
        Runs::Nothing => None,
    };
    let name = args.name.clone().or(of_source).unwrap_or_else(|| "app".to_owned());
    if let Err(problem) = NameKind::Label.check(&name) {
        let help = match problem.instead {
            Some(instead) => format!("write `--name {instead}`"),
            None => problem.reason.to_owned(),
        };
        return Err(Failure::new(format!("invalid name `{name}`: {}", problem.label), help));
    }
    let ports = args.port.iter().map(|text| port(text)).collect::<Result<Vec<_>, _>>()?;
    for (index, (name, number)) in ports.iter().enumerate() {
        let earlier = ports.get(..index).unwrap_or_default();
        if earlier.iter().any(|(other, same)| other == name || same == number) {
            let message = format!("port `{name}={number}` is set twice");
            return Err(Failure::new(
                message,
                "give each port its own name and number, for example `--port metrics=9102`",
            ));
        }
    }
    let mut plan = Plan {
        name,
        runs,
        ports: if ports.is_empty() { found } else { ports },
        plain: Vec::new(),
        secret: Vec::new(),
    };
    if let Some(path) = &args.lines {
        let shown = escaped_path(path);
        let text = disk::argument(path).map_err(|error| {
            let message = format!("cannot read `{shown}`: {}", reason(&error));
            Failure::new(message, "`--lines` must be a file of KEY=value lines")
        })?;
        sort(&text, &shown, &mut plan)?;
    }
    Ok(plan)
}

/// Whether an argument names a folder, not an image.
fn is_folder(text: &str) -> bool {
    text == "." || text.starts_with(['/', '.']) || Path::new(text).is_dir()
}

fn port(text: &str) -> Result<(String, u16), Failure> {
    let (name, number) = text.split_once('=').unwrap_or(("http", text));
    let right = NameKind::Port.check(name).is_ok();
    match number.parse::<u16>().ok().filter(|number| right && *number > 0) {
        Some(number) => Ok((name.to_owned(), number)),
        None => {
            let message = format!("invalid port `{text}`: write NAME=NUMBER, or a number from 1 to 65535");
            Err(Failure::new(message, "for example `--port http=8080`"))
        }
    }
}

/// Separates plain settings from likely secrets.
fn sort(text: &str, shown: &str, plan: &mut Plan) -> Result<(), Failure> {
    let line = |at: usize| text.get(..at).unwrap_or_default().matches('\n').count() + 1;
    let (settings, broken) = lines::parse(text.trim_start_matches('\u{feff}'));
    if let Some(first) = broken.first() {
        let message = format!("invalid line `{shown}:{}`: {}", line(first.at.start), first.reason);
        return Err(Failure::new(message, "write KEY=value"));
    }
    for setting in settings {
        if let Err(problem) = NameKind::Key.check(&setting.key) {
            let message =
                format!("invalid key in `{shown}:{}`: {}", line(setting.key_at.start), problem.label);
            return Err(Failure::new(message, problem.reason));
        }
        let twice = |known: &Setting| known.key == setting.key;
        if plan.plain.iter().any(twice) || plan.secret.iter().any(twice) {
            let message =
                format!("`{}` is set twice, again in `{shown}:{}`", setting.key, line(setting.key_at.start));
            return Err(Failure::new(message, "keep one of them"));
        }
        if may_be_secret(&setting.key, &setting.value) {
            plan.secret.push(setting);
        } else {
            plan.plain.push(setting);
        }
    }
    Ok(())
}

/// A key as the name of a variable.
fn variable(key: &str) -> String {
    let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
    let name: String = key.chars().map(word).collect();
    if name.starts_with(|c: char| c.is_ascii_digit()) { format!("_{name}") } else { name }
}

impl Plan {
    /// A summary of the file, one line per table.
    fn summary(&self) -> String {
        let name = &self.name;
        let mut out = String::new();
        if let Runs::Build { source, recipe } = &self.runs {
            out.push_str(&format!("  build.{name}: {recipe} in {source}\n"));
        }
        out.push_str(&format!("  service.{name}\n"));
        if let Runs::Image(image) = &self.runs
            && let Some(store) = Store::of_image(image)
        {
            out.push_str(&format!("    known as {}: with its port, health check and sizes\n", store.name));
            if !store.data.is_empty() {
                out.push_str("  volume.data\n");
            }
        }
        if !self.plain.is_empty() {
            out.push_str(&format!("  config.{name}: {}\n", counted(self.plain.len(), "setting")));
        }
        if !self.secret.is_empty() {
            let keys = listing(self.secret.iter().map(|setting| setting.key.as_str()));
            let text = format!(
                "secret.{name}: {keys} (look like secrets: read from the environment, values not written)"
            );
            let options = textwrap::Options::new(WIDTH).initial_indent("  ").subsequent_indent("    ");
            out.push_str(&textwrap::fill(&text, options));
            out.push('\n');
        }
        out
    }

    /// How the service uses a table with some keys.
    fn used<'k>(&self, kind: &str, keys: impl Iterator<Item = &'k str>) -> Option<String> {
        let plain = |key: &str| key.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        let is_variable = |key: &&str| plain(key) && NameKind::Variable.check(key).is_ok();
        let keys: Vec<&str> = keys.collect();
        let name = &self.name;
        match (keys.is_empty(), keys.iter().all(is_variable)) {
            (true, _) => None,
            (false, true) => Some(format!("\"{kind}.{name}\"")),
            (false, false) => Some(format!("{{ from = \"{kind}.{name}\", spell = \"upper\" }}")),
        }
    }
}
