//! The lock of a stack, `fracht.lock`: what was chosen once, so that it stays.
//!
//! It is a TOML file beside the stack file, with a line for each choice, sorted, so that it merges well in version
//! control. Every command reads it; only `fracht ports --assign` and `fracht images --pin` write it.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::diag::reading::{BAD_VALUE, FILE_UNREADABLE, SYNTAX, UNKNOWN_KEY};
use crate::diag::{Diagnostic, Sink};
use crate::files::{Files, MOST_BYTES, reason};
use crate::grammar::{at, image};
use crate::model::Kept;
use crate::source::{Sources, Span, Syntax};
use crate::syntax;
use crate::tree::{Node, Value};

/// The table of port numbers.
const PORT: &str = "port";
/// The table of digests of images.
const IMAGE: &str = "image";
/// The numbers of a port that has them instead of others.
const AT: &str = "at";
/// What the stack sets for such a port.
const INSTEAD_OF: &str = "instead-of";

/// The start of every lock.
const HEADER: &str = "# What was chosen once, so that it stays: numbers by `fracht ports --assign`, digests of images by\n\
                      # `fracht images --pin`. Keep it in version control. To have one chosen anew, remove its line.\n";

/// What to do about a line that is not one of a lock.
const HELP: &str = "remove the line, then run `fracht ports --assign`";
/// What to do about a line with an image.
const HELP_FOR_IMAGE: &str = "remove the line, then run `fracht images --pin`";

/// What was chosen for a stack.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Lock {
    /// The port numbers of each target, sorted.
    ports: BTreeMap<Arc<str>, Vec<Kept>>,
    /// The digests of images, by their references.
    images: Pins,
}

/// Digests of images, by their references.
pub type Pins = BTreeMap<Arc<str>, Arc<str>>;

/// The path of the lock of a stack file: beside it, `fracht.lock` for `fracht.toml`. `None` for a stack file with the
/// name of a lock.
pub fn path_of(stack: &Path) -> Option<PathBuf> {
    let path = stack.with_extension("lock");
    (path != stack).then_some(path)
}

impl Lock {
    /// Reads the lock of a stack file. Without one, nothing was chosen.
    pub(crate) fn open(
        files: &dyn Files,
        (stack, shown): (&Path, &Path),
        sources: &mut Sources,
        sink: &mut Sink,
    ) -> Self {
        let Some((path, shown)) = path_of(stack).zip(path_of(shown)) else { return Self::default() };
        let shown = shown.display().to_string();
        let bytes = match files.read(&path, MOST_BYTES) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Self::default(),
            Err(error) => {
                sink.push(unreadable(&shown, &reason(&error)));
                return Self::default();
            }
        };
        let Ok(text) = String::from_utf8(bytes) else {
            sink.push(unreadable(&shown, "it is not UTF-8 text"));
            return Self::default();
        };
        let text = text.trim_start_matches('\u{feff}');
        let file = sources.add(&path, &shown, text.into(), Syntax::Stack);
        if let Some(conflict) = merge_conflict(text) {
            sink.push(
                Diagnostic::new(&SYNTAX, format!("`{shown}` has a merge conflict"))
                    .at(Span::new(file, conflict), "two versions are here")
                    .help("keep the lines of one version, then run `fracht ports --assign`"),
            );
            return Self::default();
        }
        Self::read(&syntax::parse(text, file, sink), sink)
    }

    fn read(tree: &Node, sink: &mut Sink) -> Self {
        let mut lock = Self::default();
        for (name, entry) in tree.table().into_iter().flatten() {
            if entry.has_broken_key() {
                continue;
            }
            if &**name == IMAGE {
                lock.images = pins(&entry.node, sink);
                continue;
            }
            if &**name != PORT {
                sink.push(unknown(name, entry.key_span));
                continue;
            }
            for (target, entry) in tables(&entry.node, sink) {
                let mut kept: Vec<Kept> = Vec::new();
                for (service, entry) in tables(entry, sink) {
                    for (port, node) in tables(entry, sink) {
                        kept.extend(one(service, port, node, sink));
                    }
                }
                lock.set(target, kept);
            }
        }
        lock
    }

    /// The port numbers of a target.
    pub fn ports(&self, target: &str) -> &[Kept] {
        self.ports.get(target).map_or(&[], Vec::as_slice)
    }

    /// The digests of images.
    pub fn images(&self) -> &Pins {
        &self.images
    }

    /// Sets the digests of images.
    pub fn set_images(&mut self, images: Pins) {
        self.images = images;
    }

    /// Sets the port numbers of a target.
    pub fn set(&mut self, target: &Arc<str>, mut kept: Vec<Kept>) {
        kept.sort_by(|a, b| a.key().cmp(&b.key()));
        if kept.is_empty() {
            self.ports.remove(target);
        } else {
            self.ports.insert(Arc::clone(target), kept);
        }
    }

    /// Keeps only the choices of some targets.
    pub fn retain(&mut self, is_target: impl Fn(&str) -> bool) {
        self.ports.retain(|target, _| is_target(target));
    }

    /// The text of the file.
    pub fn text(&self) -> String {
        let mut out = HEADER.to_owned();
        if !self.images.is_empty() {
            out.push_str(&format!("\n[{IMAGE}]\n"));
        }
        for (reference, digest) in &self.images {
            out.push_str(&format!("\"{reference}\" = \"{digest}\"\n"));
        }
        for (target, kept) in &self.ports {
            out.push_str(&format!("\n[{PORT}.{target}]\n"));
            for Kept { service, port, at, instead_of, .. } in kept {
                let numbers = match at.as_slice() {
                    [one] => one.to_string(),
                    several => format!("{several:?}"),
                };
                out.push_str(&match instead_of {
                    None => format!("{service}.{port} = {numbers}\n"),
                    Some(set) if set.bytes().all(|byte| byte.is_ascii_digit()) => {
                        format!("{service}.{port} = {{ {AT} = {numbers}, {INSTEAD_OF} = {set} }}\n")
                    }
                    Some(set) => {
                        format!("{service}.{port} = {{ {AT} = {numbers}, {INSTEAD_OF} = \"{set}\" }}\n")
                    }
                });
            }
        }
        out
    }
}

/// Where version control has marked two versions of some lines.
fn merge_conflict(text: &str) -> Option<std::ops::Range<usize>> {
    const MARK: &str = "<<<<<<<";
    let start = if text.starts_with(MARK) { 0 } else { text.find(&format!("\n{MARK}"))? + 1 };
    Some(start..start + MARK.len())
}

/// The tables in a table. Other values are reported.
fn tables<'t>(node: &'t Node, sink: &mut Sink) -> Vec<(&'t Arc<str>, &'t Node)> {
    let is_bare =
        |name: &str| name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-' || byte == b'_');
    let Some(entries) = node.table() else {
        if !matches!(node.value, Value::Tainted) {
            sink.push(bad("invalid line in the lock", node.span, "a table is missing here"));
        }
        return Vec::new();
    };
    let named = entries.iter().filter_map(|(name, entry)| {
        if entry.has_broken_key() {
            return None;
        }
        if !is_bare(name) {
            sink.push(bad("invalid name in the lock", entry.key_span, "not a name of the stack"));
            return None;
        }
        Some((name, &entry.node))
    });
    named.collect()
}

/// The digests of images. Invalid lines are reported.
fn pins(node: &Node, sink: &mut Sink) -> Pins {
    let mut pins = Pins::new();
    let Some(entries) = node.table() else {
        if !matches!(node.value, Value::Tainted) {
            sink.push(bad("invalid line in the lock", node.span, "a table is missing here"));
        }
        return pins;
    };
    for (reference, entry) in entries.iter().filter(|(_, entry)| !entry.has_broken_key()) {
        let invalid = |label: &str| {
            Diagnostic::new(&BAD_VALUE, format!("invalid image `{reference}` in the lock"))
                .at(entry.node.span, label)
                .help(HELP_FOR_IMAGE)
        };
        match (&entry.node.value, image::parse(reference)) {
            (Value::Tainted, _) => {}
            (_, Err(_)) => sink.push(invalid("its name is not a reference")),
            (Value::Text(digest), Ok(image)) if image.with_digest(digest).is_ok() => {
                pins.insert(Arc::clone(reference), Arc::clone(digest));
            }
            (_, Ok(_)) => sink.push(invalid("not a digest, such as sha256:…")),
        }
    }
    pins
}

/// The kept numbers of one port; `None` if they are invalid, which is reported.
fn one(service: &Arc<str>, port: &Arc<str>, node: &Node, sink: &mut Sink) -> Option<Kept> {
    let (numbers, instead) = match &node.value {
        Value::Table(fields) => {
            let known = [AT, INSTEAD_OF];
            if let Some((name, entry)) = fields.iter().find(|(name, _)| !known.contains(&&***name)) {
                sink.push(unknown(name, entry.key_span));
                return None;
            }
            (fields.get(AT).map_or(node, |entry| &entry.node), fields.get(INSTEAD_OF))
        }
        Value::Tainted => return None,
        _ => (node, None),
    };
    let instead_of = instead.and_then(|entry| match &entry.node.value {
        Value::Text(text) => at::parse(text).ok(),
        Value::Integer(number) => at::parse(&number.to_string()).ok(),
        _ => None,
    });
    let instead_of = instead_of.map(|set| set.to_string().into());
    if numbers.items().iter().any(|item| matches!(item.value, Value::Tainted)) {
        return None; // a syntax error, which has been reported
    }
    let number = |item: &Node| match item.value {
        Value::Integer(number) => u16::try_from(number).ok().filter(|number| *number > 0),
        _ => None,
    };
    let at: Option<Vec<u16>> = numbers.items().iter().map(number).collect();
    let Some(at) = at.filter(|at| !at.is_empty() && instead.is_some() == instead_of.is_some()) else {
        let message = format!("invalid numbers of `{service}.{port}` in the lock");
        sink.push(bad(message, node.span, "must be 1 to 65535"));
        return None;
    };
    if at.iter().collect::<BTreeSet<_>>().len() < at.len() {
        let message = format!("the lock has a number of `{service}.{port}` twice");
        sink.push(bad(message, node.span, "one number for each replica"));
        return None;
    }
    Some(Kept { service: Arc::clone(service), port: Arc::clone(port), at, instead_of, span: Some(node.span) })
}

fn bad(message: impl Into<String>, span: Span, label: &str) -> Diagnostic {
    Diagnostic::new(&BAD_VALUE, message).at(span, label).help(HELP)
}

fn unknown(name: &str, span: Span) -> Diagnostic {
    Diagnostic::new(&UNKNOWN_KEY, format!("unknown key `{name}` in the lock"))
        .at(span, "not known")
        .help(HELP)
}

fn unreadable(shown: &str, reason: &str) -> Diagnostic {
    Diagnostic::new(&FILE_UNREADABLE, format!("cannot read `{shown}`: {reason}"))
        .help("fix the file, or remove it and run `fracht ports --assign`")
}
