//! `fracht new`

use std::path::Path;

use fracht_core::cover::may_be_secret;
use fracht_core::diag::listing;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;
use fracht_core::grammar::image;
use fracht_core::grammar::lines::{self, Setting};
use fracht_core::grammar::name::NameKind;

use crate::cli::New;
use crate::disk;
use crate::failure::{Failure, Outcome};
use crate::ui::style::WIDTH;
use crate::ui::{Ui, counted};
use crate::write;

/// The parts of a new stack file.
struct Plan {
    name: String,
    image: Option<String>,
    ports: Vec<(String, u16)>,
    plain: Vec<Setting>,
    secret: Vec<Setting>,
}

pub(crate) fn run(args: &New, ui: &mut Ui) -> Result<Outcome, Failure> {
    let plan = plan(args)?;
    let text = plan.text();
    let path = &args.out;
    let shown = escaped_path(path);
    // An existing file is never overwritten.
    write::new_files(Path::new(""), &[(path, text.as_bytes())]).map_err(|(_, error)| {
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
    let image = match &args.image {
        None => None,
        Some(text) => Some(image::parse(text).map_err(|reason| {
            let message = format!("invalid image `{text}`: {reason}");
            Failure::new(message, "for example `--image registry.example/harbour/feedstore:1.0`")
        })?),
    };
    let of_image = image.as_ref().and_then(|image| image.repository().rsplit('/').next()).map(str::to_owned);
    let name = args.name.clone().or(of_image).unwrap_or_else(|| "app".to_owned());
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
        image: image.map(|image| image.to_string()),
        ports,
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

/// Text as a TOML string, with braces escaped so that nothing is a reference.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            '{' => out.push_str("{{"),
            '}' => out.push_str("}}"),
            c if c.is_control() => out.push_str(&format!("\\u{:04X}", u32::from(c))),
            c => out.push(c),
        }
    }
    out + "\""
}

/// A TOML key, in quotes if it needs them.
fn toml_key(key: &str) -> String {
    let bare = key.chars().all(|c| c.is_ascii_alphanumeric() || "-_".contains(c));
    if bare { key.to_owned() } else { format!("\"{key}\"") }
}

impl Plan {
    /// A summary of the file, one line per table.
    fn summary(&self) -> String {
        let name = &self.name;
        let mut out = format!("  service.{name}\n");
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

    /// Whether all keys are valid names of variables.
    fn are_variables(settings: &[Setting]) -> bool {
        let plain = |key: &str| key.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        settings.iter().all(|setting| plain(&setting.key) && NameKind::Variable.check(&setting.key).is_ok())
    }

    /// How the service uses a table of settings.
    fn used(&self, kind: &str, settings: &[Setting]) -> Option<String> {
        let name = &self.name;
        match (settings.is_empty(), Self::are_variables(settings)) {
            (true, _) => None,
            (false, true) => Some(format!("\"{kind}.{name}\"")),
            (false, false) => Some(format!("{{ from = \"{kind}.{name}\", spell = \"upper\" }}")),
        }
    }

    fn text(&self) -> String {
        let name = &self.name;
        let mut out = format!(
            "# Check this file with `fracht check`, render it to Kubernetes objects with `fracht render`.\n\n\
             [stack]\nname = \"{name}\"\n\n[service.{name}]\n"
        );
        match &self.image {
            Some(image) => out.push_str(&format!("image = \"{image}\"\n")),
            None => out
                .push_str(&format!("image = \"registry.example/{name}:0.1.0\"  # replace with your image\n")),
        }
        for (index, (port, number)) in self.ports.iter().enumerate() {
            out.push_str(&format!("port.{port} = {number}\n"));
            if index == 0 {
                out.push_str(&format!(
                    "# Reachable only inside the stack. To open it on the nodes, on a load balancer or on the web:\n\
                     # port.{port} = {{ number = {number}, reach = \"node\" }}  # or \"balancer\" or \"web\"\n"
                ));
            }
        }
        match self.ports.first() {
            Some((port, _)) => out.push_str(&format!(
                "health = {{ tcp = \"{port}\", boot = \"30s\" }}  # better, if it has one: {{ http = \"/healthz\" }}\n"
            )),
            None => out.push_str("# port.http = 8080\n# health = { tcp = \"http\", boot = \"30s\" }\n"),
        }
        out.push_str("memory = \"64Mi..256Mi\"  # request..limit: measure, then adjust\n");
        let uses: Vec<String> = [self.used("config", &self.plain), self.used("secret", &self.secret)]
            .into_iter()
            .flatten()
            .collect();
        if !uses.is_empty() {
            out.push_str(&format!("use = [{}]\n", uses.join(", ")));
        }
        if !self.plain.is_empty() {
            out.push_str(&format!("\n[config.{name}]\n"));
            for setting in &self.plain {
                out.push_str(&format!("key.{} = {}\n", toml_key(&setting.key), quoted(&setting.value)));
            }
        }
        if !self.secret.is_empty() {
            out.push_str(&format!(
                "\n# These look like secrets. `fracht render --secrets` reads their values from the environment;\n\
                 # they are not written to this file.\n[secret.{name}]\n"
            ));
            for setting in &self.secret {
                out.push_str(&format!(
                    "key.{} = {{ env = \"{}\" }}\n",
                    toml_key(&setting.key),
                    variable(&setting.key)
                ));
            }
        }
        out
    }
}
