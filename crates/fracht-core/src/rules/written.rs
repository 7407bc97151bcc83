//! The texts of a stack as they are written, each with its place: variables, arguments, commands, keys of configs,
//! mounted files, labels, notes and defaults.
//!
//! Rules on what a text says read these rather than resolved texts, so that they can tell the line of a longer text.

use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use crate::diag::Diagnostic;
use crate::grammar::quoted;
use crate::model::{BeforeStop, Container, Content, Model, Probe, Sidecar, Text, Workload};
use crate::origin::Sourced;
use crate::source::{FileId, Sources, Span, Syntax};

/// What a text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    /// The value of a variable.
    Variable,
    /// A word of the program or its arguments.
    Argument,
    /// A word of a command: a health check, or what runs before a stop.
    Command,
    /// A key of a config that is written in the stack file.
    Key,
    /// A key of a config from a file of `KEY=value` lines.
    Line,
    /// The same, where references are not replaced.
    PlainLine,
    /// The content of a file that a config takes.
    File,
    /// The same, where references are replaced.
    Template,
    /// A label or a note.
    Label,
    /// The default of an input.
    Default,
}

impl Kind {
    /// Whether it is a key from a file of `KEY=value` lines.
    pub(super) fn is_line(self) -> bool {
        matches!(self, Self::Line | Self::PlainLine)
    }

    /// Whether it is the content of a file.
    pub(super) fn is_file(self) -> bool {
        matches!(self, Self::File | Self::Template)
    }
}

/// What a text belongs to.
#[derive(Clone, Copy)]
pub(super) enum Owner<'m> {
    /// A container of a service or task; the sidecar if it is one.
    Container(&'m Workload, Option<&'m Sidecar>),
    /// A config or an input: its kind, name and place.
    Table(&'static str, &'m str, Span),
}

impl<'m> Owner<'m> {
    /// Every container with its owner.
    pub(super) fn containers(model: &'m Model) -> impl Iterator<Item = (Self, &'m Container)> {
        model.workloads.iter().flat_map(Self::of)
    }

    /// The containers of a workload with their owners.
    pub(super) fn of(workload: &'m Workload) -> impl Iterator<Item = (Self, &'m Container)> {
        let main = std::iter::once((Self::Container(workload, None), &workload.main));
        let sidecars = workload.sidecars.iter();
        main.chain(sidecars.map(move |one| (Self::Container(workload, Some(one)), &one.container)))
    }

    /// `service.api`, `service.api.beside.meter`, `config.model`.
    pub(super) fn reference(self) -> String {
        match self {
            Self::Container(workload, None) => workload.reference(),
            Self::Container(workload, Some(sidecar)) => {
                format!("{}.beside.{}", workload.reference(), sidecar.name)
            }
            Self::Table(kind, name, _) => format!("{kind}.{name}"),
        }
    }

    /// The service or task.
    pub(super) fn workload(self) -> Option<&'m Workload> {
        match self {
            Self::Container(workload, _) => Some(workload),
            Self::Table(..) => None,
        }
    }

    /// The place of its name.
    pub(super) fn span(self) -> Span {
        match self {
            Self::Container(workload, None) => workload.span,
            Self::Container(_, Some(sidecar)) => sidecar.span,
            Self::Table(_, _, span) => span,
        }
    }

    /// Whether some of its ports could not be read.
    pub(super) fn lacks_ports(self) -> bool {
        self.workload().is_some_and(|workload| workload.incomplete)
    }

    /// The problem as one of this table, which may allow it.
    pub(super) fn owns(self, problem: Diagnostic) -> Diagnostic {
        match self {
            Self::Container(workload, Some(sidecar)) => problem.of(sidecar.span).of(workload.span),
            owner => problem.of(owner.span()),
        }
    }
}

/// A text as it is written.
pub(super) struct Written<'m> {
    pub(super) owner: Owner<'m>,
    pub(super) kind: Kind,
    /// The name of the variable, key, label or input; empty for arguments and commands.
    pub(super) name: &'m str,
    /// The argument before it; empty if there is none.
    pub(super) before: Cow<'m, str>,
    /// The text, with its references in braces.
    pub(super) text: Cow<'m, str>,
    /// Where the whole text is.
    pub(super) span: Span,
    /// Where the text begins in the span; `None` if it is written with escapes.
    exact: Option<usize>,
}

impl Written<'_> {
    /// The place of some bytes of the text: of their line if that is known, else of the whole text.
    pub(super) fn place(&self, range: Range<usize>) -> Span {
        match self.exact {
            Some(offset) => self.span.part(offset + range.start, offset + range.end),
            None => self.span,
        }
    }

    /// Whether the place of some bytes is theirs alone, so that they can be replaced.
    pub(super) fn is_exact(&self) -> bool {
        self.exact.is_some()
    }

    /// `LOG_LEVEL` of `service.api`, in words.
    pub(super) fn words(&self) -> String {
        let owner = self.owner.reference();
        match self.kind {
            Kind::Argument => format!("an argument of `{owner}`"),
            Kind::Command => format!("a command of `{owner}`"),
            Kind::Default => format!("the default of `{owner}`"),
            Kind::Label => format!("the label or note `{}` of `{owner}`", self.name),
            Kind::Variable | Kind::Key | Kind::Line | Kind::PlainLine | Kind::File | Kind::Template => {
                format!("`{}` of `{owner}`", self.name)
            }
        }
    }

    /// Whether references are replaced in it.
    pub(super) fn takes_references(&self) -> bool {
        !matches!(self.kind, Kind::Command | Kind::PlainLine | Kind::File | Kind::Default)
    }
}

/// Every text of a model as it is written.
pub(super) fn all<'m>(model: &'m Model, sources: &'m Sources) -> impl Iterator<Item = Written<'m>> {
    let containers =
        Owner::containers(model).flat_map(move |(owner, container)| of_container(owner, container, sources));
    let labels = model.workloads.iter().flat_map(move |workload| {
        let owner = Owner::Container(workload, None);
        let of_ports = workload.ports().iter().flat_map(|port| &port.notes);
        let both = workload.labels.iter().chain(&workload.notes).chain(of_ports);
        both.filter_map(move |(name, text)| of_text(owner, Kind::Label, name, text, sources))
    });
    let of_web = model.target.web.notes.iter().filter_map(move |(name, text)| {
        let target = Owner::Table("target", &model.target.name, model.target.name_span?);
        of_text(target, Kind::Label, name, text, sources)
    });
    let keys = model.configs.iter().flat_map(move |config| {
        let owner = Owner::Table("config", &config.name, config.span);
        config.keys.iter().filter_map(move |key| match &key.content {
            Content::Text(text) => {
                let file = text.origin.span()?.file;
                let kind = match sources.file(file)?.syntax() {
                    Syntax::Lines | Syntax::SecretLines if key.takes_references => Kind::Line,
                    Syntax::Lines | Syntax::SecretLines => Kind::PlainLine,
                    Syntax::Stack => Kind::Key,
                    // A secret that a config takes as well.
                    Syntax::Secret => return None,
                    Syntax::Objects | Syntax::Other => {
                        return of_file(owner, Kind::Template, &key.name, file, sources);
                    }
                };
                of_text(owner, kind, &key.name, text, sources)
            }
            Content::File { file, .. } => of_file(owner, Kind::File, &key.name, (*file)?, sources),
            Content::Present => None,
        })
    });
    let defaults = model.inputs.iter().filter_map(move |input| {
        let default = input.default.as_ref()?;
        let owner = Owner::Table("input", &input.name, input.span);
        let span = default.span()?;
        let exact = quoted::offset(sources.text(span), &default.value);
        let (text, before) = (Cow::Borrowed(&*default.value), Cow::Borrowed(""));
        Some(Written { owner, kind: Kind::Default, name: &input.name, before, text, span, exact })
    });
    containers.chain(labels).chain(of_web).chain(keys).chain(defaults)
}

/// The commands that run in a container beside its program: its health check, and what runs before a stop.
pub(super) fn commands(container: &Container) -> impl Iterator<Item = &[Sourced<Arc<str>>]> {
    let probe = container.health.as_ref().and_then(|health| match &health.probe {
        Probe::Run { command } => Some(command.as_ref()),
        _ => None,
    });
    let before = container.before_stop.as_ref().and_then(|before| match &before.value {
        BeforeStop::Run(command) => Some(command.as_ref()),
        BeforeStop::Wait(_) => None,
    });
    [probe, before].into_iter().flatten()
}

fn of_container<'m>(
    owner: Owner<'m>,
    container: &'m Container,
    sources: &'m Sources,
) -> impl Iterator<Item = Written<'m>> {
    let variables = container.env.iter();
    let variables = variables
        .filter_map(move |variable| of_text(owner, Kind::Variable, &variable.name, &variable.value, sources));
    let lists = container.program.iter().chain(&container.args);
    let arguments = lists.flat_map(move |list| {
        list.iter().enumerate().filter_map(move |(index, text)| {
            let before = index.checked_sub(1).and_then(|index| list.get(index));
            let argument = of_text(owner, Kind::Argument, "", text, sources)?;
            Some(Written { before: before.map(Text::plain_text).unwrap_or_default(), ..argument })
        })
    });
    let commands = commands(container).flat_map(move |command| {
        command.iter().enumerate().filter_map(move |(index, word)| {
            let before = index.checked_sub(1).and_then(|index| command.get(index));
            let span = word.span()?;
            Some(Written {
                owner,
                kind: Kind::Command,
                name: "",
                before: Cow::Borrowed(before.map_or("", |before| &*before.value)),
                text: Cow::Borrowed(&*word.value),
                span,
                exact: quoted::offset(sources.text(span), &word.value),
            })
        })
    });
    variables.chain(arguments).chain(commands)
}

/// A text as it is written. Between its quotes it is the source itself, unless it has escapes.
fn of_text<'m>(
    owner: Owner<'m>,
    kind: Kind,
    name: &'m str,
    text: &'m Text,
    sources: &'m Sources,
) -> Option<Written<'m>> {
    let span = text.origin.span()?;
    let raw = sources.text(span);
    let before = Cow::Borrowed("");
    let quotes = quoted::inner(raw);
    let inner = raw.get(quotes.clone()).filter(|inner| !inner.contains('\\') || raw.starts_with('\''));
    Some(match inner {
        Some(inner) => {
            Written { owner, kind, name, before, text: Cow::Borrowed(inner), span, exact: Some(quotes.start) }
        }
        // What cannot be resolved has been reported.
        None if !text.is_resolved() => return None,
        None => Written { owner, kind, name, before, text: text.plain_text(), span, exact: None },
    })
}

fn of_file<'m>(
    owner: Owner<'m>,
    kind: Kind,
    name: &'m str,
    file: FileId,
    sources: &'m Sources,
) -> Option<Written<'m>> {
    let text = &*sources.file(file)?.text;
    let span = Span::new(file, 0..text.len());
    let before = Cow::Borrowed("");
    Some(Written { owner, kind, name, before, text: Cow::Borrowed(text), span, exact: Some(0) })
}
