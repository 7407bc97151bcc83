//! Files that a stack names: their paths, their bytes, and their texts with places.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::{Reader, Texts};
use crate::diag::Diagnostic;
use crate::diag::reading::{FILE_UNREADABLE, PATH_OUTSIDE};
use crate::escape::escaped_path;
use crate::files::glob::{self, Unmatched};
use crate::files::{MOST_BYTES, PathProblem, confine, levels_above, outside, reason};
use crate::origin::Sourced;
use crate::source::{FileId, Span, Syntax};

impl Reader<'_> {
    /// Adds a file that was read to those with places, if it is text.
    pub(super) fn source(
        &mut self,
        path: &Path,
        bytes: &[u8],
        written: &Sourced<Arc<str>>,
    ) -> Option<FileId> {
        let text = std::str::from_utf8(bytes).ok().filter(|text| !text.contains('\0'))?;
        let shown = self.shown(written);
        self.add(path, &shown, text.into(), Syntax::Other)
    }

    /// Adds a text to the files with places.
    pub(super) fn add(&mut self, path: &Path, shown: &str, text: Arc<str>, syntax: Syntax) -> Option<FileId> {
        let Texts::Growing(sources) = &mut self.sources else { return None };
        Some(sources.add(path, shown, text, syntax))
    }

    /// Notes a part of a file with secrets that is none.
    pub(super) fn publish(&mut self, part: Span) {
        if let Texts::Growing(sources) = &mut self.sources {
            sources.publish(part);
        }
    }

    /// Reads a file that the stack names. Errors are reported.
    pub(super) fn file(&mut self, written: &Sourced<Arc<str>>) -> Option<(PathBuf, Arc<[u8]>)> {
        let path = self.path(written)?;
        if let Some(bytes) = self.cache.bytes.get(&path) {
            return Some((path, Arc::clone(bytes)));
        }
        match self.files.read(&path, MOST_BYTES) {
            Ok(bytes) => {
                let bytes: Arc<[u8]> = bytes.into();
                self.cache.bytes.insert(path.clone(), Arc::clone(&bytes));
                Some((path, bytes))
            }
            Err(error) => {
                self.path_problem(written, &PathProblem::Unreadable(reason(&error)));
                None
            }
        }
    }

    /// The resolved path of a file that the stack names. Errors are reported.
    pub(super) fn path(&mut self, written: &Sourced<Arc<str>>) -> Option<PathBuf> {
        let key = (self.folder(written), Arc::clone(&written.value));
        if let Some(path) = self.cache.paths.get(&key) {
            return Some(path.clone());
        }
        match confine(self.files, self.root, &key.0, &key.1) {
            Ok(path) => {
                self.cache.paths.insert(key, path.clone());
                Some(path)
            }
            Err(problem) => {
                self.path_problem(written, &problem);
                None
            }
        }
    }

    /// The path of a file that contains a secret. The file need not exist to check the stack.
    pub(super) fn secret_path(&mut self, written: &Sourced<Arc<str>>) -> Option<PathBuf> {
        let from = self.folder(written);
        match confine(self.files, self.root, &from, &written.value) {
            Ok(path) => Some(path),
            Err(PathProblem::Unreadable(_)) => Some(from.join(&*written.value)),
            Err(problem) => {
                self.path_problem(written, &problem);
                None
            }
        }
    }

    /// The files that a path or a pattern matches, each with its path from the file that contains it. If no file
    /// matches, it is reported.
    pub(super) fn files(&mut self, written: &Sourced<Arc<str>>) -> Vec<Sourced<Arc<str>>> {
        let key = (self.folder(written), Arc::clone(&written.value));
        if levels_above(self.root, &key.0, &key.1).is_some() {
            self.path_problem(written, &PathProblem::Outside);
            return Vec::new();
        }
        let found = match self.cache.matches.get(&key) {
            Some(found) => found,
            None => match glob::matching(self.files, &key.0, &key.1) {
                Ok(found) if !found.is_empty() => {
                    let found = found.into_iter().map(Arc::from).collect();
                    self.cache.matches.entry(key).or_insert(found)
                }
                other => {
                    self.taint();
                    let why = other.err().unwrap_or(Unmatched::None);
                    self.sink.push(why.problem(&written.value, written.span()));
                    return Vec::new();
                }
            },
        };
        found.iter().map(|name| Sourced { value: Arc::clone(name), origin: written.origin }).collect()
    }

    /// A path as messages show it: from the folder of the stack file.
    pub(super) fn shown(&self, written: &Sourced<Arc<str>>) -> String {
        let from = self.folder(written);
        let below = from.strip_prefix(self.root).unwrap_or(Path::new(""));
        escaped_path(&self.folder_shown.join(below).join(&*written.value))
    }

    /// The folder of the file that a path is written in.
    fn folder(&self, written: &Sourced<Arc<str>>) -> PathBuf {
        let file = written.span().and_then(|span| self.sources.file(span.file));
        file.and_then(|file| file.path.parent()).unwrap_or(self.root).to_owned()
    }

    fn path_problem(&mut self, written: &Sourced<Arc<str>>, problem: &PathProblem) {
        self.taint();
        let path = &written.value;
        let (rule, message, label, help) = match problem {
            PathProblem::Absolute => (
                &PATH_OUTSIDE,
                format!("`{path}` is an absolute path"),
                "must be relative",
                "write it relative to the folder of this file".to_owned(),
            ),
            PathProblem::Outside => {
                let from = self.folder(written);
                let folder = (self.root, self.folder_shown);
                self.sink.push(outside(folder, &from, path, written.span()));
                return;
            }
            PathProblem::Unreadable(reason) => (
                &FILE_UNREADABLE,
                format!("cannot read `{path}`"),
                reason.as_str(),
                format!("create it, or correct the path: looked for `{}`", self.shown(written)),
            ),
        };
        self.sink.push(Diagnostic::new(rule, message).at(written.span(), label).help(help));
    }
}
