//! `include`: merges the files of a stack into one tree.
//!
//! Each named table (`service.api`) must be in one file. The top-level lists `patch` and `pass` are joined.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::diag::reading::{DEFINED_TWICE, FILE_UNREADABLE};
use crate::diag::{Diagnostic, Sink};
use crate::files::glob::{self, Unmatched};
use crate::files::{Files, MOST_BYTES, PathProblem, confine, levels_above, outside, reason};
use crate::language::root::INCLUDE;
use crate::language::{AnyField, ROOT, Shape, recover, verify};
use crate::source::{Sources, Syntax};
use crate::syntax;
use crate::tree::{Entries, Entry, Node, Value};

/// Reads a stack from its files.
pub(crate) struct Gather<'a> {
    pub(crate) files: &'a dyn Files,
    /// The folder of the stack.
    pub(crate) root: &'a Path,
    /// The same folder, as messages show it.
    pub(crate) shown: &'a Path,
    pub(crate) sources: &'a mut Sources,
    pub(crate) sink: &'a mut Sink,
    pub(crate) seen: BTreeSet<PathBuf>,
    /// How many `include`s lead to the current file.
    pub(crate) depth: usize,
    /// Whether all files of the stack could be read.
    pub(crate) is_whole: bool,
}

/// The most files that a stack can include.
const MOST_INCLUDED: usize = 2_000;
/// The deepest chain of includes.
const DEEPEST: usize = 32;

impl Gather<'_> {
    /// The tree of a file, with all files that it includes.
    pub(crate) fn file(&mut self, path: &Path, shown: &str, text: &str) -> Node {
        self.seen.insert(self.files.canonical(path).unwrap_or_else(|_| path.to_owned()));
        let id = self.sources.add(path, shown, text.into(), Syntax::Stack);
        let mut tree = syntax::parse(text, id, self.sink);
        let is_recoverable = verify(&ROOT, &tree, self.sources, self.sink);
        self.sink.remove_explained();
        if is_recoverable {
            recover(&ROOT, &mut tree, self.sources, self.sink);
        }
        let items = match INCLUDE.node(&tree).map(|node| &node.value) {
            Some(Value::List(items)) => Arc::clone(items),
            _ => return tree,
        };
        let folder = path.parent().unwrap_or(self.root).to_owned();
        for item in items.iter() {
            for more in self.included(item, &folder) {
                if let (Value::Table(base), Value::Table(more)) = (&mut tree.value, more.value) {
                    self.join(Arc::make_mut(base), &more);
                }
            }
        }
        tree
    }

    /// The trees of the files that one item of `include` matches.
    fn included(&mut self, item: &Node, folder: &Path) -> Vec<Node> {
        let Some(pattern) = item.text() else { return Vec::new() };
        if levels_above(self.root, folder, pattern).is_some() {
            self.is_whole = false;
            self.sink.push(outside((self.root, self.shown), folder, pattern, Some(item.span)));
            return Vec::new();
        }
        let found = match glob::matching(self.files, folder, pattern) {
            Ok(found) if !found.is_empty() => found,
            other => {
                self.is_whole = false;
                let why = other.err().unwrap_or(Unmatched::None);
                self.sink.push(why.problem(pattern, Some(item.span)));
                return Vec::new();
            }
        };
        let mut trees = Vec::new();
        for name in found {
            let text = confine(self.files, self.root, folder, &name).and_then(|path| {
                let bytes = self
                    .files
                    .read(&path, MOST_BYTES)
                    .map_err(|error| PathProblem::Unreadable(reason(&error)))?;
                let text =
                    String::from_utf8(bytes).map_err(|_| PathProblem::Unreadable("not UTF-8 text".into()))?;
                Ok((path, text))
            });
            self.is_whole &= text.is_ok();
            match text {
                Ok((path, _)) if self.seen.contains(&path) => {}
                Ok(_) if self.seen.len() > MOST_INCLUDED || self.depth >= DEEPEST => {
                    let (message, label) = if self.depth >= DEEPEST {
                        (format!("files are included more than {DEEPEST} levels deep"), "one level too deep")
                    } else {
                        (format!("the stack includes more than {MOST_INCLUDED} files"), "too many files")
                    };
                    self.is_whole = false;
                    self.sink.push(
                        Diagnostic::new(&FILE_UNREADABLE, message)
                            .at(item.span, label)
                            .help("put what belongs together into one file"),
                    );
                    return trees;
                }
                Ok((path, text)) => {
                    let below = path.strip_prefix(self.root).unwrap_or(&path);
                    let shown = self.shown.join(below).display().to_string();
                    self.depth += 1;
                    trees.push(self.file(&path, &shown, text.trim_start_matches('\u{feff}')));
                    self.depth -= 1;
                }
                Err(PathProblem::Unreadable(reason)) => {
                    self.sink.push(
                        Diagnostic::new(&FILE_UNREADABLE, format!("cannot read `{name}`"))
                            .at(item.span, reason)
                            .help("fix the file, or remove it from `include`"),
                    );
                }
                Err(PathProblem::Absolute | PathProblem::Outside) => {
                    self.sink.push(outside((self.root, self.shown), folder, &name, Some(item.span)));
                }
            }
        }
        trees
    }

    /// Adds the tables of another file.
    fn join(&mut self, base: &mut Entries, more: &Entries) {
        for (name, entry) in more {
            let shape = ROOT.field(name).map(AnyField::shape);
            let Some(known) = base.get_mut(name) else {
                base.insert(Arc::clone(name), entry.clone());
                continue;
            };
            match (shape, &mut known.node.value, &entry.node.value) {
                (Some(Shape::Named(..)), Value::Table(base), Value::Table(more)) => {
                    let base = Arc::make_mut(base);
                    for (name, entry) in more.iter() {
                        match base.get(name) {
                            Some(first) => self.twice(name, first, entry),
                            None => _ = base.insert(Arc::clone(name), entry.clone()),
                        }
                    }
                }
                (Some(Shape::List(_)), Value::List(base), Value::List(more)) => {
                    *base = base.iter().chain(more.iter()).cloned().collect();
                }
                // A value of the wrong type has been reported. It stays, so that readers skip all of it.
                (Some(shape), known, _) if !shape.fits_type(known) => {}
                (Some(shape), _, value) if !shape.fits_type(value) => known.node = entry.node.clone(),
                _ => self.twice(name, known, entry),
            }
        }
    }

    fn twice(&mut self, name: &str, first: &Entry, second: &Entry) {
        self.sink.push(
            Diagnostic::new(&DEFINED_TWICE, format!("`{name}` is defined twice"))
                .at(second.key_span, "defined again here")
                .also(first.key_span, "first defined here")
                .help("keep one of them, or merge them into one table"),
        );
    }
}
