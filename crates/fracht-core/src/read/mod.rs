//! From the merged tree to the model: one file per kind of table.
//!
//! Shapes have been checked before, over every layer at once; a reader passes over what does not fit,
//! and notes it so that nothing is dropped in silence.

mod build;
mod config;
mod container;
mod extra;
mod fields;
mod health;
mod input;
mod mount;
mod network;
mod outside;
mod port;
mod right;
mod secret;
mod stack;
mod target;
mod volume;
mod workload;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::cover::escaped;
use crate::diag::suggest::Unknown;
use crate::diag::{Diagnostic, Sink};
use crate::files::glob::{self, Unmatched};
use crate::files::{Files, MOST_BYTES, PathProblem, confine, reason};
use crate::grammar::image::Image;
use crate::grammar::reference;
use crate::input::Given;
use crate::layer::{Layered, Targets, layered};
use crate::model::{List, Model, SecretId};
use crate::origin::At;
use crate::resolve::Symbols;
use crate::source::{Sources, Span};
use crate::tree::{Entry, Node};

/// The files that were read for a stack, by their resolved paths, with their text if they were asked
/// for it.
pub(crate) type FileCache = BTreeMap<PathBuf, Arc<[u8]>>;

/// What every reader works with.
pub(crate) struct Reader<'a> {
    pub(crate) files: &'a dyn Files,
    /// The folder of the stack: nothing outside it is read.
    pub(crate) root: &'a Path,
    /// The same folder as messages call it.
    folder_shown: &'a Path,
    pub(crate) cache: &'a mut FileCache,
    sources: Texts<'a>,
    pub(crate) sink: &'a mut Sink,
    // Lent to others where several read at once.
    symbols: Cow<'a, Symbols>,
    /// The images of the builds, by name.
    builds: Cow<'a, BTreeMap<Arc<str>, Image>>,
    /// The keys of each config that are settings, for those who use them as variables.
    settings: Cow<'a, [Vec<Arc<str>>]>,
    /// Something of the element that is being read could not be read.
    tainted: bool,
}

/// The texts of the files: one reader adds to them, others only look.
enum Texts<'a> {
    Growing(&'a mut Sources),
    Whole(&'a Sources),
}

impl Deref for Texts<'_> {
    type Target = Sources;

    fn deref(&self) -> &Sources {
        match self {
            Self::Growing(sources) => sources,
            Self::Whole(sources) => sources,
        }
    }
}

/// What [`model`] reads from.
pub(crate) struct Input<'a> {
    pub(crate) tree: &'a Node,
    pub(crate) targets: &'a Targets,
    pub(crate) target: &'a str,
    pub(crate) files: &'a dyn Files,
    pub(crate) root: &'a Path,
    pub(crate) folder_shown: &'a Path,
    pub(crate) given: &'a Given,
}

/// What reading gives.
pub(crate) struct Reading {
    pub(crate) model: Model,
    pub(crate) layered: Layered,
    pub(crate) symbols: Symbols,
}

/// Reads the stack as one target sees it; `None` if there is no such target.
pub(crate) fn model(
    input: &Input<'_>,
    cache: &mut FileCache,
    sources: &mut Sources,
    sink: &mut Sink,
) -> Option<Reading> {
    let (target_name, chain) = input.targets.chain(input.target, sink)?;
    let layered = layered(input.tree, &chain, sink);
    let root = &layered.tree;
    let mut reader = Reader {
        files: input.files,
        root: input.root,
        folder_shown: input.folder_shown,
        cache,
        sources: Texts::Growing(sources),
        sink,
        symbols: Cow::default(),
        builds: Cow::default(),
        settings: Cow::default(),
        tainted: false,
    };
    let (name, title) = stack::read(&mut reader, root);
    let mut target = target::read(&mut reader, target_name, layered.target.as_ref(), &name);
    reader.symbols = Cow::Owned(Symbols::collect(root, target::facts(&name, &target)));
    let inputs = input::read_all(&mut reader, root, input.given).into_iter().collect();
    reader.symbols.to_mut().inputs = inputs;
    target::read_references(&mut reader, &mut target, layered.target.as_ref());
    let outsides: List<_> = reader.each(root, "outside", outside::read);
    reader.symbols.to_mut().outsides =
        outsides.iter().map(|one| outside::symbol(one, target.on.value)).collect();
    let builds: List<_> = reader.each(root, "build", build::read);
    let images = builds.iter().map(|build| (Arc::clone(&build.name), build.image.clone()));
    reader.builds = Cow::Owned(images.collect());
    let configs: List<_> = reader.each(root, "config", config::read);
    for config in &configs {
        let keys = config.keys.iter().map(|key| Arc::clone(&key.name)).collect();
        reader.symbols.to_mut().set_config_keys(&config.name, keys);
    }
    reader.settings = configs.iter().map(container::settings).collect();
    let workloads = reader.symbols.names("workload").into_iter().map(Arc::from);
    let host_names = workloads.chain(outsides.iter().map(|outside| Arc::clone(&outside.name))).collect();
    let model = Model {
        host_names,
        name,
        title,
        target,
        builds,
        volumes: reader.each(root, "volume", volume::read),
        secrets: reader.each(root, "secret", secret::read),
        networks: reader.each(root, "network", network::read),
        workloads: workload::read_all(&mut reader, root),
        patches: extra::patches(&mut reader, root),
        passed: extra::passed(&mut reader, root),
        configs,
        outsides,
    };
    reader.sink.report_lost();
    let symbols = reader.symbols.into_owned();
    Some(Reading { model, layered, symbols })
}

/// What one of several readers reads into.
struct Own {
    cache: FileCache,
    sink: Sink,
}

impl Reader<'_> {
    /// A reader that knows what this one knows, and reports into `own`.
    fn beside<'b>(&'b self, own: &'b mut Own) -> Reader<'b> {
        Reader {
            files: self.files,
            root: self.root,
            folder_shown: self.folder_shown,
            cache: &mut own.cache,
            sources: Texts::Whole(&self.sources),
            sink: &mut own.sink,
            symbols: Cow::Borrowed(&self.symbols),
            builds: Cow::Borrowed(&self.builds),
            settings: Cow::Borrowed(&self.settings),
            tainted: false,
        }
    }

    /// Reads each table of a kind.
    fn each<T, C: FromIterator<T>>(
        &mut self,
        root: &Node,
        kind: &str,
        read: impl Fn(&mut Self, &Arc<str>, &Entry) -> T,
    ) -> C {
        let tables = root.at(&[kind]).and_then(Node::table).into_iter().flatten();
        tables.map(|(name, entry)| read(self, name, entry)).collect()
    }

    /// Notes that a value could not be read; the check of shapes says why.
    fn lose(&mut self, span: Span) {
        self.tainted = true;
        self.sink.lost(span);
    }

    /// Reports a required key that is not there. `owner` is such as `service.api`.
    fn missing(&mut self, owner: &str, span: Span, key: &str, example: &str) {
        self.tainted = true;
        self.sink.push(
            Diagnostic::new("missing-key", format!("{owner} has no `{key}`."))
                .at(span, format!("`{key}` is missing"))
                .help(format!("Add it, for example: {key} = {example}")),
        );
    }

    /// Reports the name that every container has for itself: nothing else is ever found by it.
    fn no_local_name(&mut self, name: &str, span: Span) {
        if name != "localhost" {
            return;
        }
        self.tainted = true;
        self.sink.push(
            Diagnostic::new("bad-name", "nothing is ever found by the name `localhost`")
                .at(span, "each container's name for itself")
                .help("name it after what it does"),
        );
    }

    /// Reads a file that the stack names; what goes wrong is reported.
    fn file(&mut self, written: &At<Arc<str>>) -> Option<(PathBuf, Arc<[u8]>)> {
        let path = self.path(written)?;
        if let Some(bytes) = self.cache.get(&path) {
            return Some((path, Arc::clone(bytes)));
        }
        match self.files.read(&path, MOST_BYTES) {
            Ok(bytes) => {
                let bytes: Arc<[u8]> = bytes.into();
                self.cache.insert(path.clone(), Arc::clone(&bytes));
                Some((path, bytes))
            }
            Err(error) => {
                self.path_problem(written, &PathProblem::Unreadable(reason(&error)));
                None
            }
        }
    }

    /// The resolved path of a file that the stack names; what goes wrong is reported.
    fn path(&mut self, written: &At<Arc<str>>) -> Option<PathBuf> {
        let from = self.folder(written);
        match confine(self.files, self.root, &from, &written.value) {
            Ok(path) => Some(path),
            Err(problem) => {
                self.path_problem(written, &problem);
                None
            }
        }
    }

    /// The path of a file that holds a secret. Where the stack is only checked it need not be there.
    fn secret_path(&mut self, written: &At<Arc<str>>) -> Option<PathBuf> {
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

    /// A secret that a reference names and that must have some keys; what goes wrong is reported.
    fn secret_with(&mut self, node: &Node, needed: &[&str]) -> Option<At<SecretId>> {
        let written = node.text().and_then(|text| reference::parse(text).ok()).filter(|w| w.kind == "secret");
        let Some(written) = written else {
            self.lose(node.span);
            return None;
        };
        let Some((id, keys)) = self.symbols.secret(written.name) else {
            let unknown = Unknown { what: "secret", name: written.name, span: node.span, exact: false };
            unknown.report(|| self.symbols.names("secret"), self.sink);
            self.tainted = true;
            return None;
        };
        let whole = !self.symbols.is_incomplete("secret", written.name);
        let missing = needed.iter().filter(|_| whole).find(|key| !keys.contains(**key));
        if let Some(key) = missing {
            self.tainted = true;
            self.sink.push(
                Diagnostic::new("unknown-name", format!("secret.{} has no key `{key}`.", written.name))
                    .at(node.span, "it has to have one for this")
                    .help(format!("Add it: key.\"{key}\" = {{ file = \"…\" }}, or list it in `keys`.")),
            );
        }
        Some(At { value: id, origin: node.origin() })
    }

    /// The files that a path or a pattern names, resolved, each with its path from the file that says it.
    /// None at all is reported.
    fn files(&mut self, written: &At<Arc<str>>) -> Vec<At<Arc<str>>> {
        let from = self.folder(written);
        let found = match glob::matching(self.files, &from, &written.value) {
            Ok(found) if !found.is_empty() => found,
            other => {
                self.tainted = true;
                let why = other.err().unwrap_or(Unmatched::None);
                self.sink.push(why.problem(&written.value, written.span()));
                return Vec::new();
            }
        };
        found.into_iter().map(|name| At { value: name.into(), origin: written.origin }).collect()
    }

    /// A path as messages call it: that of the file which says it, and from there on.
    fn shown(&self, written: &At<Arc<str>>) -> String {
        let from = self.folder(written);
        let below = from.strip_prefix(self.root).unwrap_or(Path::new(""));
        escaped(&self.folder_shown.join(below).join(&*written.value).display().to_string()).into_owned()
    }

    /// The folder of the file that a path is written in.
    fn folder(&self, written: &At<Arc<str>>) -> PathBuf {
        let file = written.span().and_then(|span| self.sources.file(span.file));
        file.and_then(|file| file.path.parent()).unwrap_or(self.root).to_owned()
    }

    fn path_problem(&mut self, written: &At<Arc<str>>, problem: &PathProblem) {
        self.tainted = true;
        let path = &written.value;
        let (rule, message, help) = match problem {
            PathProblem::Absolute => (
                "path-outside",
                format!("The path `{path}` is absolute."),
                "Write it relative to the folder of this file; the stack reads nothing outside its folder.",
            ),
            PathProblem::Outside => (
                "path-outside",
                format!("The path `{path}` leads out of the folder of the stack."),
                "Move the file into the folder: a stack reads nothing outside of it, not by a link either.",
            ),
            PathProblem::Unreadable(reason) => (
                "file-unreadable",
                format!("The file `{path}` can't be read: {reason}."),
                "Paths are relative to the folder of the file that says them.",
            ),
        };
        self.sink.push(Diagnostic::new(rule, message).at(written.span(), "").help(help));
    }
}
