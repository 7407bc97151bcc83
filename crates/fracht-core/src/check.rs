//! Opens a stack file and checks it for a target: runs the stages in their order.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::cover::Cover;
use crate::diag::reading::{ALLOW_UNUSED, DROP_MISSES, UNKNOWN_NAME, UNUSED};
use crate::diag::{Diagnostic, Report, Sink};
use crate::files::{Files, MOST_BYTES, reason, upwards};
use crate::include::Gather;
use crate::input::{InputSource, InputValues};
use crate::language::root::TARGET;
use crate::language::stack;
use crate::layer::{Layered, Targets, stamp_layers};
use crate::levels::Levels;
use crate::lock::Lock;
use crate::model::Text;
use crate::origin::{Layer, Sourced};
use crate::plan::facts::Facts;
use crate::read::{self, Cache, Reading};
use crate::resolve::Symbols;
use crate::rules;
use crate::source::{Adopted, Sources};
use crate::trace::{Trace, Traced};
use crate::tree::Node;

/// A stack file that has been read, before it is checked for a target.
pub struct Project<'f> {
    files: &'f dyn Files,
    root: PathBuf,
    folder_shown: PathBuf,
    tree: Node,
    targets: Targets,
    sources: Sources,
    cache: Cache,
    inputs: InputValues,
    lock: Lock,
    found: Sink,
    /// Whether all files of the stack could be read.
    is_whole: bool,
}

/// Why a stack file cannot be opened: a problem of the file itself, not of what it says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OpenError {
    /// The operating system refuses, with its reason.
    Unreadable(String),
    /// The file is not UTF-8: the line, from 1, with the first byte that is not.
    NotText(usize),
    /// The file has more than [`MOST_BYTES`] bytes.
    TooLarge,
    /// The file is empty.
    Empty,
}

impl std::error::Error for OpenError {}

impl std::fmt::Display for OpenError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Unreadable(reason) => f.write_str(reason),
            Self::NotText(line) => {
                write!(f, "line {line} is not UTF-8 text; save it as UTF-8")
            }
            Self::TooLarge => {
                write!(f, "more than {MOST_BYTES} bytes; is it a stack file?")
            }
            Self::Empty => f.write_str("the file is empty; start with `[stack]` and `name = \"my-stack\"`"),
        }
    }
}

/// The result of a check for one target.
pub struct Verdict {
    /// The model and what follows from it. While the report has errors, they may be shown, but no objects are
    /// generated from them.
    pub facts: Facts,
    /// The problems that were found.
    pub report: Report,
    layered: Layered,
    symbols: Symbols,
    levels: Levels,
}

/// A stack without errors: the only form that back ends accept. [`Verdict::checked`] creates it.
#[derive(Clone, Copy)]
pub struct Checked<'f> {
    facts: &'f Facts,
}

impl<'f> Checked<'f> {
    /// The facts of the stack.
    pub fn facts(self) -> &'f Facts {
        self.facts
    }
}

impl Verdict {
    /// The report, with the problems that a back end found added to it.
    pub fn report_with(&self, found: Vec<Diagnostic>) -> Report {
        let mut report = self.report.clone();
        report.add(found, |rule| self.levels.severity(rule));
        report
    }

    /// The stack for a back end; `None` if the report has errors, or something in the stack could not be read.
    pub fn checked(&self) -> Option<Checked<'_>> {
        let is_whole = !self.report.has_errors() && !self.facts.model.incomplete;
        is_whole.then_some(Checked { facts: &self.facts })
    }
}

impl<'f> Project<'f> {
    /// Reads the stack file at `path` and checks its shapes. Messages call it `shown`.
    ///
    /// # Errors
    /// [`OpenError`] if there is no text to check.
    pub fn open(files: &'f dyn Files, path: &Path, shown: &Path) -> Result<Self, OpenError> {
        Self::open_within(files, path.parent().unwrap_or(Path::new("")), path, shown)
    }

    /// The same for a stack that may name files in the folder `root`, which is the folder of the stack file or one
    /// above it.
    ///
    /// # Errors
    /// [`OpenError`] if there is no text to check.
    pub fn open_within(
        files: &'f dyn Files,
        root: &Path,
        path: &Path,
        shown: &Path,
    ) -> Result<Self, OpenError> {
        let bytes = files.read(path, MOST_BYTES).map_err(|error| match error.kind() {
            std::io::ErrorKind::FileTooLarge => OpenError::TooLarge,
            _ => OpenError::Unreadable(reason(&error)),
        })?;
        let text = String::from_utf8(bytes).map_err(|error| {
            let good = error.utf8_error().valid_up_to();
            let lines = error.as_bytes().iter().take(good).filter(|byte| **byte == b'\n');
            OpenError::NotText(lines.count() + 1)
        })?;
        let text = text.trim_start_matches('\u{feff}');
        if text.trim().is_empty() {
            return Err(OpenError::Empty);
        }
        let mut sources = Sources::default();
        let mut sink = Sink::default();
        let root = root.to_owned();
        let above = path.parent().and_then(|folder| folder.strip_prefix(&root).ok());
        let above = above.map_or(0, |below| below.components().count());
        let folder_shown = upwards(shown.parent().unwrap_or(Path::new("")), above);
        let mut gather = Gather {
            files,
            root: &root,
            shown: &folder_shown,
            sources: &mut sources,
            sink: &mut sink,
            seen: BTreeSet::new(),
            depth: 0,
            is_whole: true,
        };
        let mut tree = gather.file(path, &shown.display().to_string(), text);
        let is_whole = gather.is_whole;
        let lock = Lock::open(files, (path, shown), &mut sources, &mut sink);
        stamp_layers(&mut tree);
        let targets = Targets::of(&tree);
        Ok(Self {
            files,
            root,
            folder_shown,
            tree,
            targets,
            sources,
            cache: Cache::default(),
            inputs: InputValues::default(),
            lock,
            found: sink,
            is_whole,
        })
    }

    /// Whether all files of the stack could be read. If not, one of them may have what is not found.
    pub fn is_whole(&self) -> bool {
        self.is_whole
    }

    /// The targets of the stack.
    pub fn targets(&self) -> &Targets {
        &self.targets
    }

    /// Sets the inputs. Call it before [`Self::check`].
    pub fn set_inputs(&mut self, inputs: InputValues) {
        self.inputs = inputs;
    }

    /// The value that was set for an input, and its source.
    pub fn input_value(&self, input: &str) -> Option<(InputSource, &str)> {
        self.inputs.get(input).map(|(source, value)| (source, &**value))
    }

    /// The names of the inputs, in the order of the file: those of the stack, then those that only targets have.
    pub fn inputs(&self) -> impl Iterator<Item = &str> {
        let targets = TARGET.node(&self.tree).and_then(Node::table).into_iter().flatten();
        let nodes = std::iter::once(&self.tree).chain(targets.map(|(_, target)| &target.node));
        let mut known = BTreeSet::new();
        let inputs = nodes.filter_map(|node| stack::INPUT.node(node)?.table()).flatten();
        inputs.map(|(name, _)| &**name).filter(move |name| known.insert(*name))
    }

    /// The tables that the author named, such as `service.api`, in the order of the file.
    pub fn tables(&self) -> impl Iterator<Item = String> {
        let kinds = self.tree.table().into_iter().flatten();
        let tables = kinds.filter_map(|(kind, entry)| Some((kind, entry.node.table()?)));
        // These either are merged into other tables, or have a command of their own.
        let tables = tables.filter(|(kind, _)| !matches!(&***kind, "stack" | "target" | "pattern" | "rules"));
        tables.flat_map(|(kind, names)| names.keys().map(move |name| format!("{kind}.{name}")))
    }

    /// The files that were read.
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// Adds the files of another stack to those that were read, so that messages can show places in both.
    pub fn adopt(&mut self, other: &Project<'_>) -> Adopted {
        self.sources.adopt(&other.sources)
    }

    /// The files that the stack is read from.
    pub fn files(&self) -> &'f dyn Files {
        self.files
    }

    /// What was chosen for the stack once.
    pub fn lock(&self) -> &Lock {
        &self.lock
    }

    /// The folder of the stack file.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// Reads and checks the stack for one target; `None` if it has no target of this name.
    pub fn check(&mut self, target: &str) -> Option<Verdict> {
        let mut sink = self.found.clone();
        let input = read::Input {
            tree: &self.tree,
            targets: &self.targets,
            target,
            files: self.files,
            root: &self.root,
            folder_shown: &self.folder_shown,
            inputs: &self.inputs,
            kept: self.lock.ports(target),
            pins: self.lock.images(),
            is_whole: self.is_whole,
        };
        let Reading { model, layered, symbols, knows_target } =
            read::model(&input, &mut self.cache, &mut self.sources, &mut sink)?;
        let facts = Facts::of(model);
        if knows_target {
            rules::run(&facts, &self.sources, &mut sink);
        }
        layered.added.explain(facts.model.incomplete, &mut sink);
        sink.remove_guessed();
        let levels = Levels::of(&layered.tree, &mut sink);
        let target = layered.target.as_ref().zip(facts.model.target.name_span);
        levels.allow(&layered.tree, target, &mut sink);
        if !self.is_whole {
            // What is missing here may be in the file that could not be read.
            for rule in [&UNKNOWN_NAME, &DROP_MISSES, &UNUSED, &ALLOW_UNUSED] {
                sink.retain_of(rule, |_| false);
            }
        }
        let report = Report::new(sink, layered.layers.clone(), |rule| levels.severity(rule));
        Some(Verdict { facts, report, layered, symbols, levels })
    }

    /// The layers that set the value at a path, for the target of a verdict on this stack.
    pub fn trace(&self, verdict: &Verdict, path: &[String]) -> Trace {
        self.traced(verdict).trace(path)
    }

    /// A text of the model of a verdict on this stack as it will be, with secrets and what only the cluster knows in
    /// braces.
    pub fn shown(&self, verdict: &Verdict, text: &Text) -> String {
        self.traced(verdict).text(text)
    }

    /// A word of a command of such a model, with stars in place of secrets.
    pub fn shown_word(&self, verdict: &Verdict, word: &Sourced<Arc<str>>) -> String {
        self.traced(verdict).value(word.span(), || word.value.to_string())
    }

    fn traced<'t>(&'t self, verdict: &'t Verdict) -> Traced<'t> {
        Traced {
            tree: &verdict.layered.tree,
            target: verdict.layered.target.as_ref(),
            symbols: &verdict.symbols,
            model: &verdict.facts.model,
            sources: &self.sources,
            cover: Cover::new(&verdict.report, &self.sources),
        }
    }

    /// The name of a layer: `stack`, `pattern.small`, `target.prod`.
    pub fn layer_words(&self, layer: Layer) -> String {
        let named = |kind: &str, index: u16| {
            let table = self.tree.at(&[kind]).and_then(Node::table);
            let name = table.and_then(|table| table.get_index(usize::from(index)));
            format!("{kind}.{}", name.map_or("?", |(name, _)| name))
        };
        match layer {
            Layer::Stack => "stack".into(),
            Layer::Pattern(index) => named("pattern", index),
            Layer::Target(index) => named("target", index),
        }
    }
}
