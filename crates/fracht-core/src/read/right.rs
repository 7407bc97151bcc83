//! `rights` of a service or a task: what it may ask of the cluster. A right that allows nothing is an error: the
//! cluster takes it in silence.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::suggest::{listing, nearest};
use crate::grammar::name::NameKind;
use crate::grammar::resource::{self, NAMELESS, Resource};
use crate::model::Right;
use crate::origin::At;
use crate::tree::{Entry, Value};

/// Reads every right.
pub(super) fn read_all(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Vec<Right> {
    let Some(node) = fields.node("rights") else { return Vec::new() };
    let Value::List(items) = &node.value else {
        reader.lose(node.span);
        return Vec::new();
    };
    let entries = items.iter().map(|item| Entry { key_span: item.span, node: item.clone() });
    entries.filter_map(|entry| read(reader, owner, &entry)).collect()
}

fn read(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Right> {
    let fields = Fields::of(entry, reader);
    let may = fields.plains(reader, "may").unwrap_or_default();
    let only = fields.plains(reader, "only").unwrap_or_default();
    if may.is_empty() {
        reader.missing(&format!("A right of {owner}"), entry.key_span, "may", "[\"get\"]");
    }
    let Some(on) = fields.plain(reader, "on") else {
        if fields.lacks("on") {
            reader.missing(&format!("A right of {owner}"), entry.key_span, "on", "\"pods\"");
        }
        return None;
    };
    let group = fields.plain(reader, "group");
    let right = Written { owner, on, group, may, only };
    let found = right.resource().and_then(|known| {
        if let Some((known, part)) = known {
            right.allows_something(known, part)?;
        }
        right.names()?;
        Ok(known.map_or("", |(known, _)| known.group))
    });
    let own = match found {
        Ok(group) => group,
        Err(problem) => {
            reader.tainted = true;
            reader.sink.push(*problem);
            return None;
        }
    };
    let plain = |texts: Vec<At<Arc<str>>>| texts.into_iter().map(|text| text.value).collect();
    Some(Right {
        group: right.group.map_or_else(|| own.into(), |group| group.value),
        on: right.on,
        may: plain(right.may),
        only: plain(right.only),
    })
}

/// A right as it is written.
struct Written<'o> {
    owner: &'o str,
    on: At<Arc<str>>,
    group: Option<At<Arc<str>>>,
    may: Vec<At<Arc<str>>>,
    only: Vec<At<Arc<str>>>,
}

type Found<T> = Result<T, Box<Diagnostic>>;

impl Written<'_> {
    /// The resource, and the part of it that is meant, if it is one that every cluster has; `None` for one of a group
    /// that it need not have.
    fn resource(&self) -> Found<Option<(&'static Resource, Option<&str>)>> {
        let on = &*self.on.value;
        let (name, part) = on.split_once('/').map_or((on, None), |(name, part)| (name, Some(part)));
        let word = |word: &str| {
            let right = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-' || c == '.';
            !word.is_empty() && word.starts_with(|c: char| c.is_ascii_lowercase()) && word.chars().all(right)
        };
        let wrong = |label: &str| {
            let message = format!("`{on}` is not a resource of the cluster");
            Diagnostic::new("bad-value", message).at(self.on.span(), label.to_owned())
        };
        if !word(name) || !part.is_none_or(word) {
            return Err(Box::new(wrong("not a plural in lowercase").help(
                "write it as the API does, for example `on = \"pods\"`, `\"configmaps\"`, `\"pods/log\"`",
            )));
        }
        let names = || resource::RESOURCES.iter().map(|known| known.name);
        let near = nearest(name, names());
        let Some(group) = &self.group else {
            if let Some(known) = resource::find(None, name) {
                return Ok(Some((known, self.part(known, part)?)));
            }
            if let Some(known) = part.and_then(|part| resource::find(Some(name), part)) {
                let help = format!("write `on = \"{}\"`, `group = \"{}\"`", known.name, known.group);
                return Err(Box::new(wrong("the group has a key of its own").help(help)));
            }
            let message = format!("the right of `{}` on `{on}` has no API group", self.owner);
            let problem = Diagnostic::new("missing-key", message)
                .at(self.on.span(), "not a built-in resource")
                .help("add `group = \"…\"`: what stands before the slash in the `apiVersion` of its objects");
            return Err(Box::new(match near {
                Some(near) => problem.help(format!("or did you mean `{near}`?")),
                None => problem,
            }));
        };
        if !resource::is_known_group(&group.value) {
            if NameKind::Object.check(&group.value).is_err() {
                let message = format!("`{}` is not an API group", group.value);
                return Err(Box::new(Diagnostic::new("bad-value", message).at(group.span(), "not a name with dots").help(
                    "write what stands before the slash in the `apiVersion` of its objects, without the version",
                )));
            }
            return Ok(None);
        }
        let Some(known) = resource::find(Some(&group.value), name) else {
            let message = format!("the API group `{}` has no resource `{name}`", group.value);
            let problem = Diagnostic::new("bad-value", message).at(self.on.span(), "not in that group");
            return Err(Box::new(match (resource::find(None, name), near) {
                (Some(known), _) if known.group.is_empty() => {
                    problem.help("remove `group`: it is a core resource")
                }
                (Some(known), _) => problem.help(format!("write `group = \"{}\"`", known.group)),
                (None, Some(near)) => problem.help(format!("did you mean `{near}`?")),
                (None, None) => problem.help("`kubectl api-resources` lists resources with their groups"),
            }));
        };
        Ok(Some((known, self.part(known, part)?)))
    }

    /// A part of a resource, which it must have.
    fn part<'p>(&self, known: &Resource, part: Option<&'p str>) -> Found<Option<&'p str>> {
        let Some(part) = part.filter(|part| !known.parts.iter().any(|(name, _)| name == part)) else {
            return Ok(part);
        };
        let message = format!("`{}` has no subresource `{part}`", known.name);
        let problem = Diagnostic::new("bad-value", message).at(self.on.span(), "no such subresource");
        Err(Box::new(if known.parts.is_empty() {
            problem.help(format!("write `on = \"{}\"`: it has no subresources", known.name))
        } else {
            problem.help(format!("use one of: {}", listing(known.parts.iter().map(|(name, _)| *name))))
        }))
    }

    /// Every verb must be one that a Role can allow there.
    fn allows_something(&self, known: &Resource, part: Option<&str>) -> Found<()> {
        let in_namespace = resource::verbs_in_namespace(known);
        let of_part = part.and_then(|part| known.parts.iter().find(|(name, _)| *name == part));
        let allowed = match of_part {
            Some((_, verbs)) if !in_namespace.is_empty() => verbs,
            _ => in_namespace,
        };
        let on = &self.on.value;
        if allowed.is_empty() {
            let message = format!("`{}` cannot be allowed `{on}`", self.owner);
            return Err(Box::new(
                Diagnostic::new("bad-value", message)
                    .at(self.on.span(), "belongs to no namespace")
                    .help("remove it: rights hold in the namespace of the stack only")
                    .help("or pass a ClusterRole and its binding through: `pass = [\"extra/*.yaml\"]`"),
            ));
        }
        let Some(verb) = self.may.iter().find(|verb| !allowed.contains(&&*verb.value)) else { return Ok(()) };
        let message = format!("`{on}` cannot be allowed `{}`", verb.value);
        Err(Box::new(
            Diagnostic::new("bad-value", message)
                .at(verb.span(), "the cluster never asks for that")
                .help(format!("use one of: {}", listing(allowed.iter().copied()))),
        ))
    }

    /// Names restrict only requests that name an object. What is asked of a part names its object always.
    fn names(&self) -> Found<()> {
        let Some(first) = self.only.first().filter(|_| !self.on.value.contains('/')) else { return Ok(()) };
        let Some(verb) = self.may.iter().find(|verb| NAMELESS.contains(&&*verb.value)) else { return Ok(()) };
        let message = format!("`only` cannot be used with `{}`", verb.value);
        Err(Box::new(
            Diagnostic::new("bad-value", message)
                .at(verb.span(), "such a request names no object")
                .also(first.span(), "so that this never matches")
                .help(format!(
                    "write a right of its own: `{{ on = \"{}\", may = [\"{}\"] }}`",
                    self.on.value, verb.value
                )),
        ))
    }
}
