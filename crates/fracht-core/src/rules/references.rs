//! Rules on references that are not written as references, or are written where none is replaced.

use std::ops::Range;

use super::Rule;
use super::braces::Names;
use super::written::{self, Kind, Written};
use crate::cover::{line_end, name_words};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::reference::{self, RefKind};
use crate::grammar::word::Word as _;
use crate::model::Model;
use crate::source::Sources;

pub(super) static REFERENCE_MISSING: Rule = Rule {
    name: "reference-missing",
    severity: Severity::Warning,
    summary: "The name or port of a service in plain text",
    why: "Plain text is not checked: if the service or its port changes, this setting is wrong and nothing says so.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
            [service.a]\nimage = \"a:1.0\"\nenv.DB = \"sql://db:5432/tides\"\n",
    passes: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
             [service.a]\nimage = \"a:1.0\"\nenv.DB = \"sql://{service.db/sql}/tides\"\n",
    ..Rule::BASE
};

/// Last words of names of settings whose value is a host.
const HOST_WORDS: &[&str] = &[
    "HOST", "HOSTS", "HOSTNAME", "ADDR", "ADDRESS", "SERVER", "SERVERS", "ENDPOINT", "UPSTREAM", "PEER",
    "PEERS", "BROKER", "BROKERS", "NODES", "URL", "URI",
];

/// Whether a name is one of a setting whose value is a host.
pub(super) fn names_host(setting: &str) -> bool {
    name_words(setting).last().is_some_and(|last| HOST_WORDS.contains(&last.as_str()))
}

/// Something that should be a reference.
struct Plain {
    range: Range<usize>,
    /// The reference in its place, if it is known.
    instead: Option<String>,
    label: String,
}

const UNCHECKED: &str = "plain text, which is not checked";

impl Plain {
    /// A number that is none of the ports of a service; one of them may be what could not be read.
    fn no_port(range: Range<usize>, names: &Names<'_>, (kind, name): (&str, &str), number: u16) -> Self {
        let lacks_ports = kind == "service" && names.services.get(name).is_some_and(|one| one.incomplete);
        let label =
            if lacks_ports { UNCHECKED.into() } else { format!("`{kind}.{name}` has no port {number}") };
        Self { range, instead: None, label }
    }
}

/// Splits a text into words of addresses, each with its place: behind `://`, behind `@`, between commas and blanks.
fn addresses(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let ends = |c: char| {
        c.is_whitespace() || matches!(c, ',' | ';' | '/' | '@' | '=' | '"' | '\'' | '?' | '&' | '(' | ')')
    };
    let mut from = 0;
    text.split_inclusive(ends).map(move |piece| {
        let at = from;
        from += piece.len();
        (at, piece.trim_end_matches(ends))
    })
}

fn plain_address(text: &Written<'_>, names: &Names<'_>) -> Option<Plain> {
    let whole = &*text.text;
    let own = text.owner.workload();
    let is_own = |name: &str| own.is_some_and(|own| *own.name == *name);
    let flag = text.before.trim_start_matches('-');
    if let Some(plain) = number_behind(whole, names) {
        return Some(plain);
    }
    let has_scheme = whole.contains("://");
    for (at, word) in addresses(whole) {
        let (name, number) = match word.split_once(':') {
            Some((name, number)) => match number.parse::<u16>() {
                Ok(number) => (name, Some(number)),
                Err(_) => continue,
            },
            None => (word, None),
        };
        // The name of a service in the DNS of a cluster: `api.tidedesk.svc.cluster.local`.
        let in_cluster = name.split_once('.').filter(|(_, rest)| rest.split('.').any(|label| label == "svc"));
        let name = in_cluster.map_or(name, |(service, _)| service);
        if name.is_empty() || is_own(name) {
            continue;
        }
        let before = whole.get(..at)?;
        let called = before.ends_with("://") || before.ends_with('@') && has_scheme;
        let ports = names.services.get(name).map(|service| {
            service
                .ports()
                .iter()
                .map(|port| (port.as_number(), port.number.value, &*port.name))
                .collect::<Vec<_>>()
        });
        let (kind, ports) = match (ports, names.outsides.get(name)) {
            (Some(ports), _) => ("service", ports),
            (None, Some(outside)) => (
                "outside",
                outside
                    .ports
                    .iter()
                    .map(|port| (port.number.value, port.number.value, &*port.name))
                    .collect(),
            ),
            _ => continue,
        };
        let listed = names_host(text.name) || names_host(flag);
        match number {
            Some(number) if called || listed || before.is_empty() => {
                let range = at..at + word.len();
                let exact = ports.iter().find(|(inside, own, _)| *inside == number || *own == number);
                let Some((_, _, port)) = exact else {
                    return Some(Plain::no_port(range, names, (kind, name), number));
                };
                let instead = Some(format!("{{{kind}.{name}/{port}}}"));
                return Some(Plain { range, instead, label: UNCHECKED.into() });
            }
            None if called || listed && (before.is_empty() || before.ends_with([',', ' '])) => {
                let instead = Some(format!("{{{kind}.{name}}}"));
                return Some(Plain { range: at..at + word.len(), instead, label: UNCHECKED.into() });
            }
            _ => {}
        }
    }
    number_alone(text, names)
}

/// A number behind a reference: `{service.db}:5432`, or twice, `{service.db/sql}:5432`.
fn number_behind(whole: &str, names: &Names<'_>) -> Option<Plain> {
    for (open, _) in whole.match_indices('{') {
        let inner = whole.get(open + 1..)?;
        let Some(close) = inner.find('}') else { continue };
        let Ok(written) = reference::parse(inner.get(..close)?) else { continue };
        let kind = written.kind;
        if !matches!(kind, RefKind::Service | RefKind::Outside) {
            continue;
        }
        let end = open + close + 2;
        let Some(rest) = whole.get(end..)?.strip_prefix(':') else { continue };
        let digits = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let port_reference =
            rest.strip_prefix("{port.").and_then(|rest| rest.find('}')).map(|close| close + 7);
        let length = if digits > 0 { digits } else { port_reference? };
        let range = open..end + 1 + length;
        if written.part.is_some() {
            let instead = Some(whole.get(open..end)?.to_owned());
            return Some(Plain { range, instead, label: "the reference has the port already".into() });
        }
        let Some(number) = rest.get(..digits).and_then(|digits| digits.parse::<u16>().ok()) else { continue };
        let name = written.name;
        let ports: Vec<(u16, &str)> = match kind {
            RefKind::Service => {
                names.services.get(name)?.ports().iter().map(|port| (port.as_number(), &*port.name)).collect()
            }
            _ => {
                names.outsides.get(name)?.ports.iter().map(|port| (port.number.value, &*port.name)).collect()
            }
        };
        let kind = kind.word();
        let Some((_, port)) = ports.iter().find(|(own, _)| *own == number) else {
            return Some(Plain::no_port(range, names, (kind, name), number));
        };
        let instead = Some(format!("{{{kind}.{name}/{port}}}"));
        return Some(Plain { range, instead, label: UNCHECKED.into() });
    }
    None
}

/// `DB_PORT = "5432"` where `db` has that port.
fn number_alone(text: &Written<'_>, names: &Names<'_>) -> Option<Plain> {
    let number: u16 = text.text.parse().ok()?;
    let words = name_words(text.name);
    let (last, before) = words.split_last()?;
    if last != "PORT" || before.is_empty() {
        return None;
    }
    let name = before.join("-").to_lowercase();
    if text.owner.workload().is_some_and(|own| *own.name == *name) {
        return None;
    }
    let port = names.services.get(name.as_str()).map(|service| {
        service.ports().iter().find(|port| port.as_number() == number || port.number.value == number)
    })?;
    let range = 0..text.text.len();
    let Some(port) = port else { return Some(Plain::no_port(range, names, ("service", &name), number)) };
    Some(Plain { range, instead: Some(format!("{{port.{name}/{}}}", port.name)), label: UNCHECKED.into() })
}

pub(super) fn reference_missing(model: &Model, sources: &Sources, sink: &mut Sink) {
    let mut names = None;
    for text in written::all(model, sources) {
        let fits = text.takes_references() && text.kind != Kind::Label && !text.text.contains('\n');
        if !fits {
            continue;
        }
        let names = names.get_or_insert_with(|| Names::of(model));
        let Some(Plain { range, instead, label }) = plain_address(&text, names) else { continue };
        let place = text.place(range);
        let what = if instead.is_some() || label == UNCHECKED {
            "has an address in plain text"
        } else {
            "has a port that does not exist"
        };
        let problem =
            Diagnostic::new(&REFERENCE_MISSING, format!("{} {what}", text.words())).at(place, label);
        let problem = match instead {
            Some(instead) if text.is_exact() => {
                let title = format!("write `{instead}`");
                problem.fix(place, instead, title)
            }
            Some(instead) => problem.help(format!("write `{instead}`")),
            None => problem.help("refer to one of its ports: `{service.NAME/PORT}`"),
        };
        sink.push(text.owner.owns(problem));
    }
}

pub(super) static REFERENCE_IGNORED: Rule = Rule {
    name: "reference-ignored",
    severity: Severity::Warning,
    summary: "A reference in a text in which references are not replaced",
    why: "The program gets the braces and the name, not the value.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
            [service.a]\nimage = \"a:1.0\"\nport.http = 80\nhealth = { run = [\"check\", \"{service.db/sql}\"] }\n",
    passes: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n\
             [service.a]\nimage = \"a:1.0\"\nport.http = 80\nhealth = { run = [\"check\"] }\nenv.DB = \"{service.db/sql}\"\n",
    ..Rule::BASE
};

pub(super) fn reference_ignored(model: &Model, sources: &Sources, sink: &mut Sink) {
    let mut names = None;
    for text in written::all(model, sources) {
        let fits = matches!(text.kind, Kind::PlainLine | Kind::File | Kind::Command | Kind::Default);
        if !fits || !text.text.contains('{') {
            continue;
        }
        let names = names.get_or_insert_with(|| Names::of(model));
        let whole = &*text.text;
        let mut next_line = 0;
        for (open, _) in whole.match_indices('{') {
            let Some(inner) = whole.get(open + 1..).filter(|_| open >= next_line) else { continue };
            let Some(close) = inner.find(['}', '{', '\n']) else { continue };
            let Some(written) = inner.get(..close).filter(|inner| names.is_reference(inner)) else {
                continue;
            };
            next_line = line_end(whole, open);
            let place = text.place(open..open + close + 2);
            let help = match text.kind {
                Kind::PlainLine => format!(
                    "remove the line, and set it in the stack: `key.{} = \"{}\"` in `[{}]`",
                    text.name,
                    text.text,
                    text.owner.reference()
                ),
                Kind::Default => "remove the default, and refer to it where the input is used".to_owned(),
                Kind::Command => {
                    format!(
                        "set a variable, `env.NAME = \"{{{written}}}\"`, and let a shell read it: `[\"sh\", \"-c\", \"… $NAME\"]`"
                    )
                }
                _ => format!(
                    "replace references in it: `key.\"{}\" = {{ file = \"PATH\", references = true }}` in `[{}]`",
                    text.name,
                    text.owner.reference()
                ),
            };
            let problem = Diagnostic::new(
                &REFERENCE_IGNORED,
                format!("{} has a reference that nothing replaces", text.words()),
            )
            .at(place, "stays as it is")
            .help(help);
            sink.push(text.owner.owns(problem));
        }
    }
}
