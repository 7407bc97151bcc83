//! The rule on references that are not in braces.

use std::collections::BTreeMap;
use std::ops::Range;

use super::Rule;
use super::written::{self, Kind, Owner};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::reference::{self, RefKind};
use crate::grammar::word::Word as _;
use crate::model::replica::Which;
use crate::model::{Model, Outside, Workload};
use crate::source::Sources;

pub(super) static BRACES_MISSING: Rule = Rule {
    name: "braces-missing",
    severity: Severity::Warning,
    summary: "A reference without its braces",
    why: "Without braces it is plain text: the program gets the name of the setting, not its value.",
    fails: "[stack]\nname = \"s\"\n[secret.mail]\nkey.user = { env = \"MAIL_USER\" }\n\
            [service.a]\nimage = \"a:1.0\"\nenv.USER = \"secret.mail/user\"\nenv.LOGIN = \"{secret.mail/user}\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.mail]\nkey.user = { env = \"MAIL_USER\" }\n\
             [service.a]\nimage = \"a:1.0\"\nenv.USER = \"{secret.mail/user}\"\n",
    ..Rule::BASE
};

/// What the stack has, by name.
pub(super) struct Names<'m> {
    pub(super) services: BTreeMap<&'m str, &'m Workload>,
    pub(super) outsides: BTreeMap<&'m str, &'m Outside>,
    pub(super) others: BTreeMap<(RefKind, &'m str), Vec<&'m str>>,
}

impl<'m> Names<'m> {
    pub(super) fn of(model: &'m Model) -> Self {
        let services = model.workloads.iter().filter(|workload| workload.service().is_some());
        let configs = model.configs.iter().map(|config| {
            ((RefKind::Config, &*config.name), config.keys.iter().map(|key| &*key.name).collect::<Vec<_>>())
        });
        let secrets = model.secrets.iter().map(|secret| {
            ((RefKind::Secret, &*secret.name), secret.keys.iter().map(|key| &*key.name).collect::<Vec<_>>())
        });
        let inputs = model.inputs.iter().map(|input| ((RefKind::Input, &*input.name), Vec::new()));
        let builds = model.builds.iter().map(|build| ((RefKind::Build, &*build.name), Vec::new()));
        Self {
            services: services.map(|workload| (&*workload.name, workload)).collect(),
            outsides: model.outsides.iter().map(|outside| (&*outside.name, outside)).collect(),
            others: configs.chain(secrets).chain(inputs).chain(builds).collect(),
        }
    }

    /// Whether a text is a reference to something that the stack has.
    pub(super) fn is_reference(&self, text: &str) -> bool {
        let Ok(written) = reference::parse(text) else { return false };
        let has_port = |name: &str, part: Option<&str>| {
            let service = self
                .services
                .get(name)
                .map(|one| part.is_none_or(|part| one.ports().iter().any(|port| *port.name == *part)));
            let outside = self
                .outsides
                .get(name)
                .map(|one| part.is_none_or(|part| one.ports.iter().any(|port| *port.name == *part)));
            service.or(outside).unwrap_or(false)
        };
        match written.kind {
            RefKind::Service => {
                self.services.contains_key(written.name) && has_port(written.name, written.part)
            }
            RefKind::Outside => {
                self.outsides.contains_key(written.name) && has_port(written.name, written.part)
            }
            RefKind::Port => written.part.is_some() && has_port(written.name, written.part),
            kind @ (RefKind::Input | RefKind::Build) => {
                written.part.is_none() && self.others.contains_key(&(kind, written.name))
            }
            RefKind::Replica => written.name.rsplit_once('.').is_some_and(|(name, which)| {
                Which::parse(which).is_some()
                    && self.services.contains_key(name)
                    && has_port(name, written.part)
            }),
            kind @ (RefKind::Config | RefKind::Secret) => self
                .others
                .get(&(kind, written.name))
                .is_some_and(|keys| written.part.is_some_and(|part| keys.contains(&part))),
            RefKind::Pod => {
                matches!((written.name, written.part), ("name" | "namespace" | "ip" | "node", None))
            }
            _ => false,
        }
    }
}

/// Where a kind of reference starts that has a dot behind it.
fn kind_before(text: &str, dot: usize) -> Option<usize> {
    let before = text.get(..dot)?;
    let (word, _) = RefKind::WORDS.iter().find(|(word, _)| before.ends_with(word))?;
    Some(dot - word.len())
}

/// The references in a text that are not in braces: `kind.name/part`.
fn bare_references<'t>(text: &'t str, names: &Names<'_>) -> Option<Range<usize>> {
    let part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.' | '/');
    for at in text.match_indices('.').filter_map(|(dot, _)| kind_before(text, dot)) {
        let before: &'t str = text.get(..at)?;
        let rest = text.get(at..)?;
        let in_braces = before.rfind('{') > before.rfind('}');
        if in_braces || before.ends_with(|c: char| part(c) && c != '/') {
            continue;
        }
        let end = rest.find(|c| !part(c)).unwrap_or(rest.len());
        if rest.get(end..)?.starts_with('}') {
            continue; // one brace is there
        }
        let mut candidate = rest.get(..end)?.trim_end_matches(['.', '/']);
        // In an address the path follows: the longest reference counts.
        loop {
            let named = candidate.contains('/')
                || before.is_empty() && candidate.len() == text.len()
                || before.ends_with("//");
            if named && names.is_reference(candidate) {
                return Some(at..at + candidate.len());
            }
            match candidate.rsplit_once('/') {
                Some((shorter, _)) => candidate = shorter,
                None => break,
            }
        }
    }
    None
}

pub(super) fn braces_missing(model: &Model, sources: &Sources, sink: &mut Sink) {
    bare_inputs(model, sources, sink);
    let mut names = None;
    for text in written::all(model, sources) {
        if !text.takes_references() || text.text.len() > 4096 || !text.text.contains('.') {
            continue;
        }
        let names = names.get_or_insert_with(|| Names::of(model));
        let Some(range) = bare_references(&text.text, names) else { continue };
        let found = text.text.get(range.clone()).unwrap_or_default();
        // Only what such a text takes: a config takes no secret.
        if text.kind != Kind::Variable && text.kind != Kind::Argument && found.starts_with("secret.") {
            continue;
        }
        let place = text.place(range.clone());
        let problem =
            Diagnostic::new(&BRACES_MISSING, format!("{} has a reference without braces", text.words()))
                .at(place, "plain text");
        let problem = if text.is_exact() {
            problem.fix(place, format!("{{{found}}}"), format!("write `{{{found}}}`"))
        } else {
            problem.help(format!("write `{{{found}}}`"))
        };
        sink.push(text.owner.owns(problem));
    }
}

/// The inputs that tags and images name without braces.
fn bare_inputs(model: &Model, sources: &Sources, sink: &mut Sink) {
    if model.inputs.is_empty() {
        return;
    }
    let images = Owner::containers(model).filter_map(|(owner, container)| {
        Some((format!("the image of `{}`", owner.reference()), container.image.span()?, owner.span()))
    });
    let tags = model.builds.iter().filter_map(|build| {
        let tag = build.tag.as_ref()?;
        Some((format!("the tag of `build.{}`", build.name), tag.origin.span()?, build.span))
    });
    for (what, span, table) in images.chain(tags) {
        let text = sources.text(span);
        for (at, _) in text.match_indices("input.") {
            let is_name = |c: char| c.is_ascii_alphanumeric() || c == '-';
            let before = text.get(..at).and_then(|before| before.chars().next_back());
            let rest = text.get(at + "input.".len()..).unwrap_or_default();
            let name = rest.split(|c| !is_name(c)).next().unwrap_or_default();
            // With one brace, the other one is missing.
            let is_braced =
                before == Some('{') || rest.get(name.len()..).is_some_and(|rest| rest.starts_with('}'));
            let is_input = model.inputs.iter().any(|input| *input.name == *name);
            if is_braced || before.is_some_and(is_name) || !is_input {
                continue;
            }
            let place = span.part(at, at + "input.".len() + name.len());
            let written = format!("{{input.{name}}}");
            sink.push(
                Diagnostic::new(&BRACES_MISSING, format!("{what} has a reference without braces"))
                    .at(place, "plain text")
                    .fix(place, written.clone(), format!("write `{written}`"))
                    .of(table),
            );
            break;
        }
    }
}
