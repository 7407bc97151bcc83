//! Reads `rights` of a service or a task: its permissions in the cluster's API. A permission that allows nothing is an
//! error, since the cluster would accept it silently.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, MISSING_KEY};
use crate::diag::unknown::{listing, nearest};
use crate::grammar::name::NameKind;
use crate::grammar::resource::{self, NAMELESS, Resource};
use crate::language::workload::{GROUP, MAY, ON, ONLY, RIGHT_TABLE, RIGHTS};
use crate::model::Right;
use crate::origin::Sourced;
use crate::tree::Entry;

/// Reads every permission.
pub(super) fn read_all(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Box<[Right]> {
    let entries = fields.tables(reader, &RIGHTS);
    entries.iter().filter_map(|entry| read(reader, owner, entry)).flatten().collect()
}

/// The permissions of one table: one for each resource.
fn read(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Vec<Right>> {
    let fields = Fields::of(entry, &RIGHT_TABLE, reader);
    let what = format!("a permission of `{owner}`");
    let verbs = fields.list(reader, &MAY);
    for field in [&MAY, &ON] {
        if let Some(node) = fields.node(field).filter(|node| node.items().is_empty()) {
            reader.empty(&what, node, field);
        }
    }
    fields.require(reader, &what, &MAY);
    fields.require(reader, &what, &ON);
    let only = fields.list(reader, &ONLY).unwrap_or_default();
    let group = fields.get(reader, &GROUP);
    let on = fields.list(reader, &ON)?;
    if group.is_none() && fields.node(&GROUP).is_some() {
        return None;
    }
    let verbs = verbs?;
    let plain = |texts: &[Sourced<Arc<str>>]| texts.iter().map(|text| Arc::clone(&text.value)).collect();
    let mut rights = Vec::new();
    for on in on {
        let right = WrittenRight { owner, on: &on, group: group.as_ref(), may: &verbs, only: &only };
        match right.own_group() {
            Ok(own) => {
                let group = group.as_ref().map_or_else(|| own.into(), |group| Arc::clone(&group.value));
                rights.push(Right { on, group, may: plain(&verbs), only: plain(&only) });
            }
            Err(problem) => {
                let is_of_verbs = problem.primary.as_ref().map(|label| label.span) != on.span();
                reader.taint();
                reader.sink.push(*problem);
                // A verb is told once, not again for the next resource.
                if is_of_verbs {
                    break;
                }
            }
        }
    }
    Some(rights)
}

/// A permission as written, for one resource.
struct WrittenRight<'o> {
    owner: &'o str,
    on: &'o Sourced<Arc<str>>,
    group: Option<&'o Sourced<Arc<str>>>,
    may: &'o [Sourced<Arc<str>>],
    only: &'o [Sourced<Arc<str>>],
}

type Found<T> = Result<T, Box<Diagnostic>>;

/// What to do about a resource that is not built in.
const ADD_GROUP: &str =
    "add `group = \"…\"`: what stands before the slash in the `apiVersion` of its objects";

impl WrittenRight<'_> {
    /// The group of its resource, if that is built in, else an empty text.
    fn own_group(&self) -> Found<&'static str> {
        let known = self.resource()?;
        if let Some((known, part)) = known {
            self.allows_something(known, part)?;
        }
        self.names()?;
        Ok(known.map_or("", |(known, _)| known.group))
    }

    /// The resource and its part, if every cluster has it; `None` for a resource of another API group.
    fn resource(&self) -> Found<Option<(&'static Resource, Option<&str>)>> {
        let on = &*self.on.value;
        let (name, part) = on.split_once('/').map_or((on, None), |(name, part)| (name, Some(part)));
        let word = |word: &str| {
            let right = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-' || c == '.';
            !word.is_empty() && word.starts_with(|c: char| c.is_ascii_lowercase()) && word.chars().all(right)
        };
        let wrong = |label: &str| {
            let message = format!("`{on}` is not a resource of the cluster");
            Diagnostic::new(&BAD_VALUE, message).at(self.on.span(), label.to_owned())
        };
        if !word(name) || !part.is_none_or(word) {
            return Err(Box::new(wrong("not a plural in lowercase").help(
                "write it as the API does, for example `on = \"pods\"`, `\"configmaps\"`, `\"pods/log\"`",
            )));
        }
        let names = || resource::RESOURCES.iter().map(|known| known.name);
        let near = || nearest(name, names());
        let Some(group) = &self.group else {
            if let Some(known) = resource::find(None, name) {
                return Ok(Some((known, self.part(known, part)?)));
            }
            if let Some(known) = part.and_then(|part| resource::find(Some(name), part)) {
                let help = format!("write `on = \"{}\"`, `group = \"{}\"`", known.name, known.group);
                return Err(Box::new(wrong("the group has a key of its own").help(help)));
            }
            if let (Some(near), Some(span)) = (near(), self.on.span()) {
                let part = part.map_or_else(String::new, |part| format!("/{part}"));
                return Err(Box::new(
                    wrong("not a built-in resource")
                        .fix(span, format!("\"{near}{part}\""), format!("did you mean `{near}`?"))
                        .help(format!("or {ADD_GROUP}")),
                ));
            }
            let message = format!("the right of `{}` on `{on}` has no API group", self.owner);
            return Err(Box::new(
                Diagnostic::new(&MISSING_KEY, message)
                    .at(self.on.span(), "not a built-in resource")
                    .help(ADD_GROUP),
            ));
        };
        if !resource::is_known_group(&group.value) {
            return match unknown_group(name, group) {
                Some(problem) => Err(Box::new(problem)),
                None => Ok(None),
            };
        }
        let Some(known) = resource::find(Some(&group.value), name) else {
            let message = format!("the API group `{}` has no resource `{name}`", group.value);
            let problem = Diagnostic::new(&BAD_VALUE, message).at(self.on.span(), "not in that group");
            return Err(Box::new(match (resource::find(None, name), near()) {
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

    /// Checks that a resource has a part.
    fn part<'p>(&self, known: &Resource, part: Option<&'p str>) -> Found<Option<&'p str>> {
        let Some(part) = part.filter(|part| !known.parts.iter().any(|(name, _)| name == part)) else {
            return Ok(part);
        };
        let message = format!("`{}` has no subresource `{part}`", known.name);
        let problem = Diagnostic::new(&BAD_VALUE, message).at(self.on.span(), "no such subresource");
        let near = nearest(part, known.parts.iter().map(|(name, _)| *name));
        Err(Box::new(match (near, self.on.span()) {
            (Some(near), Some(span)) => {
                problem.fix(span, format!("\"{}/{near}\"", known.name), format!("did you mean `{near}`?"))
            }
            _ if known.parts.is_empty() => {
                problem.help(format!("write `on = \"{}\"`: it has no subresources", known.name))
            }
            _ => problem.help(format!("use one of: {}", listing(known.parts.iter().map(|(name, _)| *name)))),
        }))
    }

    /// Checks that a Role can allow every verb there.
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
                Diagnostic::new(&BAD_VALUE, message)
                    .at(self.on.span(), "belongs to no namespace")
                    .help("remove it: rights hold in the namespace of the stack only")
                    .help("or pass a ClusterRole and its binding through: `pass = [\"extra/*.yaml\"]`"),
            ));
        }
        let Some(verb) = self.may.iter().find(|verb| !allowed.contains(&&*verb.value)) else { return Ok(()) };
        let message = format!("`{on}` cannot be allowed `{}`", verb.value);
        let problem = Diagnostic::new(&BAD_VALUE, message).at(verb.span(), "the cluster never asks for that");
        let near = nearest(&verb.value, allowed.iter().copied());
        Err(Box::new(match (near, verb.span()) {
            (Some(near), Some(span)) => {
                problem.fix(span, format!("\"{near}\""), format!("did you mean `{near}`?"))
            }
            _ => problem.help(format!("use one of: {}", listing(allowed.iter().copied()))),
        }))
    }

    /// Checks that the verbs can be limited to names. Requests for a part always name an object.
    fn names(&self) -> Found<()> {
        let Some(first) = self.only.first().filter(|_| !self.on.value.contains('/')) else { return Ok(()) };
        let Some(verb) = self.may.iter().find(|verb| NAMELESS.contains(&&*verb.value)) else { return Ok(()) };
        let message = format!("`only` cannot be used with `{}`", verb.value);
        Err(Box::new(
            Diagnostic::new(&BAD_VALUE, message)
                .at(verb.span(), "such a request names no object")
                .also(first.span(), "so that this never matches")
                .help(format!(
                    "write a right of its own: `{{ on = \"{}\", may = [\"{}\"] }}`",
                    self.on.value, verb.value
                )),
        ))
    }
}

/// What is wrong with a group that is not built in, if it is hardly one of a custom resource: these have a dot, as
/// the API requires, and another name than the own group of a built-in resource.
fn unknown_group(name: &str, group: &Sourced<Arc<str>>) -> Option<Diagnostic> {
    let own = resource::find(None, name).map(|known| known.group);
    let is_name = NameKind::Object.check(&group.value).is_ok();
    let near_own = own.filter(|own| nearest(&group.value, [*own]).is_some());
    if is_name && group.value.contains('.') && near_own.is_none() {
        return None;
    }
    let label = if is_name { "no such group" } else { "not a name with dots" };
    let problem =
        Diagnostic::new(&BAD_VALUE, format!("`{}` is not an API group", group.value)).at(group.span(), label);
    let groups = resource::RESOURCES.iter().map(|known| known.group);
    let near = own.or_else(|| nearest(&group.value, groups));
    Some(match (near, group.span()) {
        (Some(""), _) => problem.help("remove `group`: it is a core resource"),
        (Some(near), Some(span)) => {
            problem.fix(span, format!("\"{near}\""), format!("did you mean `{near}`?"))
        }
        _ => problem.help(
            "write what stands before the slash in the `apiVersion` of its objects, without the version",
        ),
    })
}
