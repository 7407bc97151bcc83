//! Reads the merged tree into the model: one file per kind of table.
//!
//! The check of shapes has reported invalid values in every layer. A reader skips them and notes each, so that none is
//! dropped silently.

mod build;
mod config;
mod container;
mod extra;
mod fields;
mod file;
mod health;
mod input;
mod label;
mod lines;
mod misspelt;
mod mount;
mod network;
mod outside;
mod port;
mod reference;
mod right;
mod secret;
mod sidecar;
mod stack;
mod store;
mod target;
mod used;
mod volume;
mod workload;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::diag::reading::{BAD_NAME, BAD_VALUE};
use crate::diag::{Diagnostic, Sink};
use crate::files::Files;
use crate::grammar::image::Image;
use crate::grammar::pattern::Pattern;
use crate::input::InputValues;
use crate::language::target::ON;
use crate::language::{AnyField, Field, Key, Table, stack as stack_keys};
use crate::layer::{Layered, Targets, layered};
use crate::lock::Pins;
use crate::model::{Kept, List, Model, Unread};
use crate::origin::Sourced;
use crate::resolve::Symbols;
use crate::source::{Sources, Span};
use crate::tree::{Entry, Node, Value};

use self::used::UsedBuilds;

/// What was found out for one target, and is the same for the others. Problems are found again.
#[derive(Debug, Default)]
pub(crate) struct Cache {
    /// The contents, by resolved path.
    bytes: BTreeMap<PathBuf, Arc<[u8]>>,
    /// The resolved paths, by the folder that a path is written in and the path.
    paths: BTreeMap<(PathBuf, Arc<str>), PathBuf>,
    /// The files that patterns match, by the folder that a pattern is written in and the pattern.
    matches: BTreeMap<(PathBuf, Arc<str>), Vec<Arc<str>>>,
    /// The regular expressions of inputs, by their texts.
    patterns: BTreeMap<Arc<str>, Arc<Pattern>>,
}

/// The state that all readers share.
pub(crate) struct Reader<'a> {
    pub(crate) files: &'a dyn Files,
    /// The folder of the stack. No file outside it is read.
    pub(crate) root: &'a Path,
    /// The same folder, as messages show it.
    folder_shown: &'a Path,
    pub(crate) cache: &'a mut Cache,
    sources: Texts<'a>,
    pub(crate) sink: &'a mut Sink,
    // Borrowed when several readers run at once.
    symbols: Cow<'a, Symbols>,
    /// The digests of images that the lock keeps.
    pins: &'a Pins,
    /// The keys of each config that are settings, for `use`.
    settings: Cow<'a, [Vec<Arc<str>>]>,
    /// The builds that the target uses; `None` for all, if every input has a value.
    used_builds: Option<UsedBuilds>,
    /// Set if something in the current element could not be read.
    tainted: bool,
    /// Set if something in any element could not be read: nothing may be generated from such a model.
    has_unread: bool,
}

/// The texts of the files: one reader adds files, parallel readers only look them up.
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

/// The input of [`model`].
pub(crate) struct Input<'a> {
    pub(crate) tree: &'a Node,
    pub(crate) targets: &'a Targets,
    pub(crate) target: &'a str,
    pub(crate) files: &'a dyn Files,
    pub(crate) root: &'a Path,
    pub(crate) folder_shown: &'a Path,
    pub(crate) inputs: &'a InputValues,
    /// The port numbers that the lock keeps for the target.
    pub(crate) kept: &'a [Kept],
    /// The digests of images that the lock keeps.
    pub(crate) pins: &'a Pins,
    /// Whether all files of the stack could be read.
    pub(crate) is_whole: bool,
}

/// The result of [`model`].
pub(crate) struct Reading {
    pub(crate) model: Model,
    pub(crate) layered: Layered,
    pub(crate) symbols: Symbols,
    /// False if it could not be read where the target runs, on which most rules depend.
    pub(crate) knows_target: bool,
}

/// Reads the stack for one target; `None` if it has no target of this name.
pub(crate) fn model(
    input: &Input<'_>,
    cache: &mut Cache,
    sources: &mut Sources,
    sink: &mut Sink,
) -> Option<Reading> {
    let chain = input.targets.chain(input.target, sink)?;
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
        pins: input.pins,
        settings: Cow::default(),
        used_builds: None,
        tainted: false,
        has_unread: false,
    };
    let (name, title) = stack::read(&mut reader, root, input.is_whole);
    let mut target = target::read(&mut reader, chain.name, layered.target.as_ref(), &name);
    reader.symbols = Cow::Owned(Symbols::collect(root, target::facts(&name, &target)));
    let inputs = input::read_all(&mut reader, (root, layered.target.as_ref()), input.inputs);
    reader.symbols.to_mut().inputs =
        inputs.iter().map(|input| (Arc::clone(&input.name), input.value.clone())).collect();
    target::read_earlier(&mut target, input.targets, &name.value);
    let outsides: List<_> = reader.each(root, &stack_keys::OUTSIDE, outside::read);
    reader.symbols.to_mut().outsides =
        outsides.iter().map(|one| outside::symbol(one, target.on.value)).collect();
    let builds = build::read_all(&mut reader, root);
    // Before what refers to their keys, and before the configs: of a file that both take, all values are hidden.
    let secrets = secret::read_all(&mut reader, root);
    target::read_references(&mut reader, &mut target, layered.target.as_ref());
    // First, since of a file that a config takes as well, the values of a Secret are hidden.
    let passed = extra::passed(&mut reader, root);
    let listed = secret::listed_lines(&secrets);
    let configs: List<_> = reader
        .each(root, &stack_keys::CONFIG, |reader, name, entry| config::read(reader, name, entry, &listed));
    for config in &configs {
        let keys = config.keys.iter().map(|key| Arc::clone(&key.name)).collect();
        reader.symbols.to_mut().set_config_keys(&config.name, keys);
    }
    reader.settings = configs.iter().map(container::settings).collect();
    let workloads = reader.symbols.workload_names().map(Arc::from);
    let host_names = workloads.chain(outsides.iter().map(|outside| Arc::clone(&outside.name))).collect();
    let model = Model {
        incomplete: false,
        host_names,
        name,
        title,
        target,
        inputs,
        builds,
        volumes: reader.each(root, &stack_keys::VOLUME, volume::read),
        secrets,
        networks: reader.each(root, &stack_keys::NETWORK, network::read),
        stores: reader.each(root, &stack_keys::STORE, store::read),
        answering: BTreeMap::new(),
        workloads: workload::read_all(&mut reader, root),
        patches: extra::patches(&mut reader, root),
        passed,
        changes: layered.added.changes.clone(),
        kept: input.kept.to_vec(),
        configs,
        outsides,
    };
    let is_tainted = model.workloads.iter().any(|workload| workload.tainted);
    let incomplete = reader.sink.has_unread() || reader.has_unread || is_tainted;
    input::report_unused(&mut reader, root, layered.target.as_ref());
    input::report_unused_sources(&mut reader, input.tree, root, &layered.patterns);
    reader.sink.report_lost();
    if incomplete && !reader.sink.has_unread() {
        // No message explains it: a mistake of a reader. What was made up must not become objects.
        let problem = Diagnostic::new(&BAD_VALUE, "something in the stack could not be read");
        reader.sink.push(
            problem
                .at(model.name.span(), "in a table of this stack")
                .help("remove the newest lines, and add them one by one"),
        );
    }
    let model = Model { incomplete, answering: workload::answering(&model.workloads), ..model };
    let symbols = reader.symbols.into_owned();
    let own = layered.target.as_ref();
    let says_where = |own: &Node| ON.node(own).is_some() || !chain.is_broken;
    let knows_target = own.map_or(input.is_whole, |own| {
        own.table().is_some() && says_where(own) && target::kind(own).is_some()
    });
    Some(Reading { model, layered, symbols, knows_target })
}

/// The results of one of several parallel readers.
struct Own {
    cache: Cache,
    sink: Sink,
}

impl Reader<'_> {
    /// A parallel reader with the state of this one, which reports into `own`.
    fn beside<'b>(&'b self, own: &'b mut Own) -> Reader<'b> {
        Reader {
            files: self.files,
            root: self.root,
            folder_shown: self.folder_shown,
            cache: &mut own.cache,
            sources: Texts::Whole(&self.sources),
            sink: &mut own.sink,
            symbols: Cow::Borrowed(&self.symbols),
            pins: self.pins,
            settings: Cow::Borrowed(&self.settings),
            used_builds: None,
            tainted: false,
            has_unread: false,
        }
    }

    /// An image with the digest that the lock keeps for it, unless the stack sets one itself.
    fn pinned(&self, image: Image) -> Image {
        let kept = self.pins.get(&**image.text()).filter(|_| image.digest().is_none());
        kept.and_then(|digest| image.with_digest(digest).ok()).unwrap_or(image)
    }

    /// Notes that something in the current element could not be read. It has been reported, or will be.
    fn taint(&mut self) {
        self.tainted = true;
        self.has_unread = true;
    }

    /// A value in place of one that could not be read. The only way to have such a value is to taint the model, from which
    /// no objects are generated.
    fn stand_in<T>(&mut self, value: T) -> Sourced<T> {
        self.taint();
        Sourced::defaulted(value)
    }

    /// Reads a key, and adds it to `unread` if something in it could not be read.
    fn noting<T>(
        &mut self,
        unread: &mut Unread,
        field: &'static dyn AnyField,
        read: impl FnOnce(&mut Self) -> T,
    ) -> T {
        let before = std::mem::replace(&mut self.tainted, false);
        let value = read(self);
        if self.tainted {
            unread.add(field.key().name);
        }
        self.tainted |= before;
        value
    }

    /// Reads each table of a kind.
    fn each<T, C: FromIterator<T>>(
        &mut self,
        root: &Node,
        field: &Field<Table>,
        read: impl Fn(&mut Self, &Arc<str>, &Entry) -> T,
    ) -> C {
        let tables = field.node(root).and_then(Node::table).into_iter().flatten();
        tables.map(|(name, entry)| read(self, name, entry)).collect()
    }

    /// Notes that a value was skipped. The check of shapes reports it; a syntax error has been reported before.
    fn lose(&mut self, node: &Node) {
        self.taint();
        if !matches!(node.value, Value::Tainted) {
            self.sink.lost(node.span);
        }
    }

    /// Reports a list that must not be empty; `owner` is such as `service.api`.
    fn empty(&mut self, owner: &str, node: &Node, field: &dyn AnyField) {
        self.taint();
        let Key { name, example, .. } = field.key();
        self.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`{name}` is empty in {}", quoted(owner)))
                .at(node.span, "nothing in it")
                .help(format!("write what it is for, for example `{name} = {example}`")),
        );
    }

    /// Reports a web path that does not start with a slash.
    fn absolute(&mut self, path: &Sourced<Arc<str>>, field: &Field<Arc<str>>) {
        if path.value.starts_with('/') {
            return;
        }
        self.taint();
        let key = field.name();
        self.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("invalid `{key}`: `{}`", path.value))
                .at(path.span(), "does not start with /")
                .help(format!("write `{key} = \"/{}\"`", path.value)),
        );
    }

    /// Reports the name `localhost`: in every container, it means the container itself.
    fn no_local_name(&mut self, name: &str, span: Span) {
        if name != "localhost" {
            return;
        }
        self.taint();
        self.sink.push(
            Diagnostic::new(&BAD_NAME, "nothing can be found by the name `localhost`")
                .at(span, "each container's name for itself")
                .help("name it after what it does"),
        );
    }
}

/// An owner in messages: a reference in backticks, other words unchanged.
fn quoted(owner: &str) -> String {
    if owner.contains(' ') { owner.into() } else { format!("`{owner}`") }
}
