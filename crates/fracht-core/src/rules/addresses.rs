//! The rule on addresses of the local machine.

use std::collections::BTreeMap;
use std::ops::Range;

use super::Rule;
use super::references::names_host;
use super::written::{self, Kind, Owner, Written};
use crate::cover::{flag_name, is_comment, line_before, line_end, name_words};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{ConfigId, Container, Model, Mounted, Port, UseSource, Workload};
use crate::source::Sources;

pub(super) static LOCALHOST_ADDRESS: Rule = Rule {
    name: "localhost-address",
    severity: Severity::Warning,
    summary: "A setting points to localhost",
    why: "Inside a container, localhost is the container itself: nothing else is there.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
            [service.a]\nimage = \"a:1.0\"\nenv.DB_HOST = \"localhost:5432\"\n",
    passes: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
             [service.a]\nimage = \"a:1.0\"\nenv.DB_HOST = \"{service.db/sql}\"\n",
    ..Rule::BASE
};

/// A name or address of the local machine in a text.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Local {
    /// Its bytes, with the port.
    range: Range<usize>,
    /// The name alone.
    host: String,
    /// The port after it.
    port: Option<u16>,
    /// Set for `0.0.0.0` and `[::]`, which most programs take as "all addresses".
    any: bool,
}

/// The parts of an address.
fn is_word(c: char) -> bool {
    c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_')
}

/// The name of the local machine at the start of a text: its length, and whether it means all addresses.
fn local_at(text: &str) -> Option<(usize, bool)> {
    let bracketed = ["[::1]", "[::]"].into_iter().find(|name| text.starts_with(name));
    if let Some(name) = bracketed {
        return Some((name.len(), name == "[::]"));
    }
    let end = text.find(|c| !is_word(c)).unwrap_or(text.len());
    let word = text.get(..end)?.trim_end_matches('.');
    let small = word.to_ascii_lowercase();
    let name = ["localhost", "localhost.localdomain", "ip6-localhost"].contains(&small.as_str())
        || small.ends_with(".localhost");
    let address = word.strip_prefix("127.").is_some_and(|rest| {
        rest.split('.').count() == 3 && rest.split('.').all(|part| part.parse::<u8>().is_ok())
    });
    (name || address || word == "0.0.0.0").then_some((word.len(), word == "0.0.0.0"))
}

/// Every name of the local machine in a text.
fn locals(text: &str) -> Vec<Local> {
    let mut found: Vec<Local> = Vec::new();
    if text == "::1" {
        return vec![Local { range: 0..3, host: "::1".into(), port: None, any: false }];
    }
    // The first letters of all names: most texts have none of these in such a place.
    for (start, c) in
        text.char_indices().filter(|(_, c)| matches!(c, 'l' | 'L' | '1' | '0' | '[' | 'i' | 'I'))
    {
        let (before, rest) = (text.get(..start).unwrap_or_default(), text.get(start..).unwrap_or_default());
        // Within a word, or within a bracketed address, another name is meant.
        if before.ends_with(is_word) || c != '[' && before.ends_with([':', '[']) && before.ends_with("::") {
            continue;
        }
        // In the path of an address it is no host.
        if before.ends_with('/') && !before.ends_with("//") && line_before(text, start).contains("://") {
            continue;
        }
        let Some((length, any)) = local_at(rest) else { continue };
        let after = rest.get(length..).unwrap_or_default();
        // `127.0.0.1/32` is a block of addresses; `localhost/` is the path of an address only behind a scheme.
        let block = after
            .strip_prefix('/')
            .is_some_and(|bits| bits.starts_with(|c: char| c.is_ascii_digit()) && !before.ends_with("//"));
        if block {
            continue;
        }
        let digits: String =
            after.strip_prefix(':').unwrap_or_default().chars().take_while(char::is_ascii_digit).collect();
        let port = digits.parse().ok();
        let end = start + length + if port.is_some() { digits.len() + 1 } else { 0 };
        let host = rest.get(..length).unwrap_or_default().to_owned();
        found.push(Local { range: start..end, host, port, any });
    }
    found
}

/// Words of names of settings whose addresses are not called: those to listen on, and lists of what is allowed, or not
/// sent through a proxy.
const NOT_CALLED: &[&str] = &[
    "LISTEN",
    "LISTENER",
    "LISTENERS",
    "BIND",
    "BINDING",
    "ALLOW",
    "ALLOWED",
    "ALLOWLIST",
    "CORS",
    "ORIGIN",
    "ORIGINS",
    "TRUSTED",
    "TRUST",
    "PROXIES",
    "WHITELIST",
    "EXCLUDE",
    "EXCLUDED",
    "IGNORE",
    "BYPASS",
    "GRANT",
    "GRANTS",
    "HOSTNAME",
    "SERVERNAME",
];

fn is_not_called(name: &str) -> bool {
    let words = name_words(name);
    let has = |word: &str| words.iter().any(|own| own == word);
    has("NO") && has("PROXY")
        || has("NOPROXY")
        || has("SERVER") && has("NAME")
        || has("NON") && has("PROXY")
        || (has("REDIRECT") || has("CALLBACK")) && (has("URIS") || has("URLS"))
        || words.iter().any(|word| NOT_CALLED.contains(&word.as_str()) || word.ends_with("LISTEN"))
}

/// The word that a value is set to, by its line before it: the key in a file, the option of a command line.
fn key_before(line: &str) -> &str {
    let line = line.rsplit([';', '{']).next().unwrap_or_default();
    let line = line.rsplit("--").next().unwrap_or(line);
    let name = line.trim_start().trim_start_matches(['-', '"', '\'']);
    let end = name.find(|c: char| !(c.is_ascii_alphanumeric() || "_-.".contains(c))).unwrap_or(name.len());
    name.get(..end).unwrap_or_default()
}

/// The first port with each number, and the services by name.
struct Ports<'m> {
    by_number: BTreeMap<u16, (&'m Workload, &'m Port)>,
    by_name: BTreeMap<String, &'m Workload>,
    /// The services and tasks that take each config.
    takers: BTreeMap<&'m str, Vec<&'m Workload>>,
}

impl<'m> Ports<'m> {
    fn of(model: &'m Model) -> Self {
        let mut by_number = BTreeMap::new();
        for workload in &model.workloads {
            for port in workload.ports() {
                by_number.entry(port.number.value).or_insert((workload, port));
            }
        }
        let services = model.workloads.iter().filter(|workload| workload.service().is_some());
        let by_name =
            services.map(|workload| (workload.name.replace('-', "_").to_uppercase(), workload)).collect();
        let mut takers: BTreeMap<&str, Vec<&Workload>> = BTreeMap::new();
        for workload in &model.workloads {
            for id in workload.containers().flat_map(configs) {
                takers.entry(&model.configs[id].name).or_default().push(workload);
            }
        }
        Self { by_number, by_name, takers }
    }

    /// The services and tasks that get a text.
    fn owners(&self, owner: Owner<'m>) -> Vec<&'m Workload> {
        match owner {
            Owner::Container(workload, _) => vec![workload],
            Owner::Table("config", name, _) => self.takers.get(name).cloned().unwrap_or_default(),
            Owner::Table(..) => Vec::new(),
        }
    }

    /// The service whose name a setting starts with, as in `DB_HOST`.
    fn named(&self, setting: &str) -> Option<&'m Workload> {
        let small = setting.to_uppercase().replace(['-', '.'], "_");
        let rest = ["_HOST", "_ADDR", "_ADDRESS", "_URL", "_SERVER", "_HOSTNAME", "_URI", "_DSN"];
        let name = rest.into_iter().find_map(|end| small.strip_suffix(end))?;
        self.by_name.get(name).copied()
    }
}

/// The configs that a container mounts or uses.
fn configs(container: &Container) -> impl Iterator<Item = ConfigId> {
    let mounted = container.mounts.iter().filter_map(|mount| match mount.what {
        Mounted::Config(id, _) => Some(id),
        _ => None,
    });
    let used = container.uses.iter().filter_map(|used| match used.source {
        UseSource::Config(id) => Some(id),
        UseSource::Secret(_) => None,
    });
    mounted.chain(used)
}

pub(super) fn localhost_address(model: &Model, sources: &Sources, sink: &mut Sink) {
    let mut ports = None;
    for text in written::all(model, sources) {
        if text.kind == Kind::Label {
            continue;
        }
        let found = locals(&text.text);
        if found.is_empty() {
            continue;
        }
        let ports = ports.get_or_insert_with(|| Ports::of(model));
        let has_lines = text.text.contains('\n');
        // Of several on one line, the first one.
        let mut next_line = 0;
        for local in &found {
            let start = local.range.start;
            if start >= next_line && is_wrong(&text, has_lines, local, ports) {
                sink.push(problem(&text, local, ports));
                next_line = line_end(&text.text, start);
            }
        }
    }
}

/// Whether a name stands in a sentence: behind a word, in a setting that is not one of hosts.
fn is_prose(text: &Written<'_>, line: &str) -> bool {
    let is_setting =
        matches!(text.kind, Kind::Variable | Kind::Key | Kind::Line | Kind::PlainLine | Kind::Default);
    let word = line.strip_suffix(' ').and_then(|line| line.rsplit(' ').next());
    let is_word = word.is_some_and(|word| word.len() > 1 && word.chars().all(char::is_alphabetic));
    is_setting && is_word && !names_host(text.name)
}

/// Whether something else than the container itself is meant.
fn is_wrong<'m>(text: &Written<'m>, has_lines: bool, local: &Local, ports: &Ports<'m>) -> bool {
    let whole = &*text.text;
    let before = whole.get(..local.range.start).unwrap_or_default();
    let line = line_before(whole, local.range.start);
    if has_lines && is_comment(line) {
        return false;
    }
    // `'tide'@'localhost'` is a login of the database itself.
    if before.ends_with("@'") || before.ends_with("@\"") || before.ends_with("@`") {
        return false;
    }
    let after = whole.get(local.range.end..).unwrap_or_default();
    // `http://localhost:*` is what is allowed.
    if after.starts_with(":*") || local.port.is_none() && !has_lines && is_prose(text, line) {
        return false;
    }
    let key = key_before(line);
    let flag = flag_name(&text.before).unwrap_or_default();
    if [text.name, key, flag].into_iter().any(is_not_called) {
        return false;
    }
    let other = local.port.and_then(|port| ports.by_number.get(&port)).map(|(other, _)| *other);
    let owners = ports.owners(text.owner);
    let is_own = |other: &Workload| owners.iter().any(|own| std::ptr::eq(*own, other));
    let of_pod =
        |number: u16| owners.iter().any(|own| own.ports().iter().any(|port| port.number.value == number));
    if local.port.is_some_and(of_pod) || other.is_some_and(is_own) {
        return false; // the container itself, or another one of its pod
    }
    if text.owner.lacks_ports() {
        return other.is_some(); // any other number may be that of a port that could not be read
    }
    if text.kind == Kind::Command {
        return other.is_some(); // a check calls its own container
    }
    if local.any {
        // Most programs listen on it: only a scheme, or a port of another service, says that it is called.
        return before.ends_with("://") || other.is_some() || ports.named(text.name).is_some();
    }
    let has_helpers = owners.iter().any(|own| !own.sidecars.is_empty());
    // A helper may listen there.
    !has_helpers || other.is_some() || ports.named(text.name).is_some()
}

fn problem(text: &Written<'_>, local: &Local, ports: &Ports<'_>) -> Diagnostic {
    let host = &local.host;
    let place = text.place(local.range.clone());
    let problem = Diagnostic::new(&LOCALHOST_ADDRESS, format!("{} points to `{host}`", text.words()))
        .at(place, format!("in a container, {host} is the container itself"));
    let problem = text.owner.owns(problem);
    let owner = local.port.and_then(|port| ports.by_number.get(&port).copied());
    let reference = match (owner, ports.named(text.name)) {
        (Some((workload, port)), _) => Some(format!("{{service.{}/{}}}", workload.name, port.name)),
        (None, Some(workload)) if local.port.is_none() => Some(format!("{{service.{}}}", workload.name)),
        _ => None,
    };
    let problem = match (&reference, owner) {
        (Some(reference), Some((workload, port))) if !text.takes_references() => problem.help(format!(
            "port {} belongs to `service.{}`, which is `{}:{}` inside the stack",
            port.number.value,
            workload.name,
            workload.name,
            port.as_number(),
        )).help(elsewhere(text, reference)),
        (Some(reference), _) if text.takes_references() && text.is_exact() => {
            problem.fix(place, reference.clone(), format!("write `{reference}`"))
        }
        (Some(reference), _) if text.takes_references() => problem.help(format!("write `{reference}` instead")),
        (Some(reference), _) => problem.help(elsewhere(text, reference)),
        (None, _) if text.takes_references() => problem.help(
            "to reach another service, write `{service.NAME/PORT}`; for one outside of the stack, `{outside.NAME/PORT}`",
        ),
        (None, _) => problem.help("write the name of the service that it should reach"),
    };
    match text.owner {
        Owner::Container(workload, _) if !workload.sidecars.is_empty() && reference.is_none() => {
            problem.help("or if another container of this pod listens there, define its port")
        }
        _ => problem,
    }
}

/// What to do in a text in which references are not replaced.
fn elsewhere(text: &Written<'_>, reference: &str) -> String {
    match text.kind {
        Kind::PlainLine => format!(
            "references are not replaced in this file: move the line to the stack, `key.{} = \"{reference}\"`",
            text.name
        ),
        Kind::Default => format!("remove the default, and write `{reference}` where the input is used"),
        Kind::File => format!("write `{reference}`, and set `references = true` beside the file"),
        _ => format!("references are not replaced here: pass it as a variable, `env.NAME = \"{reference}\"`"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn local_names_are_found_in_all_their_forms() {
        let one = |text: &str| locals(text).first().map(|local| (local.host.clone(), local.port));
        for (text, host, port) in [
            ("http://localhost:8080/x", "localhost", Some(8080)),
            ("LOCALHOST", "LOCALHOST", None),
            ("localhost.localdomain:1", "localhost.localdomain", Some(1)),
            ("127.0.0.1", "127.0.0.1", None),
            ("127.0.1.1:53", "127.0.1.1", Some(53)),
            ("tcp://[::1]:1", "[::1]", Some(1)),
            ("a=b,localhost", "localhost", None),
            ("::1", "::1", None),
            ("http://0.0.0.0:80", "0.0.0.0", Some(80)),
        ] {
            assert_eq!(one(text), Some((host.to_owned(), port)), "{text}");
        }
        assert_eq!(locals("http://localhost:1,http://127.0.0.1:2").len(), 2);
        for text in
            ["localhosting.example", "my-localhost", "1127.0.0.1", "", "127.0.0.1/32", "127.0.0", "10.0.0.1"]
        {
            assert_eq!(locals(text), [], "{text}");
        }
    }
}
