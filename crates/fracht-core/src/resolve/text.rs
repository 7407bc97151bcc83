//! Resolves the references in a text.

use std::fmt;
use std::sync::Arc;

use super::Symbols;
use crate::diag::reading::{BAD_VALUE, UNKNOWN_NAME};
use crate::diag::unknown::{Unknown, nearest};
use crate::diag::{Diagnostic, Rule, Sink};
use crate::grammar::quoted;
use crate::grammar::reference::{self, NotReference, Piece, RefKind, References, Written, single_braces};
use crate::grammar::word::Word;
use crate::model::{Part, Text};
use crate::origin::Origin;
use crate::source::{Sources, Span};

/// The data that references are resolved with.
#[derive(Clone, Copy)]
pub(crate) struct Context<'a> {
    /// The names of the stack.
    pub(crate) symbols: &'a Symbols,
    /// The texts of the files.
    pub(crate) sources: &'a Sources,
}

/// How a text treats braces that are no reference.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Braces {
    /// They are reported; literal ones are doubled.
    Meant,
    /// They stay as they are.
    Literal,
}

impl Context<'_> {
    /// Resolves the references in `written`, the value of a text at `origin`; messages call the text `place`. A
    /// reference that cannot be resolved is reported.
    pub(crate) fn text(
        self,
        written: &Arc<str>,
        origin: Origin,
        (references, place): (References, &dyn fmt::Display),
        sink: &mut Sink,
    ) -> Text {
        self.resolved((written, origin), Braces::Meant, (references, place), sink)
    }

    /// Resolves the references in a setting of a file of `KEY=value` lines. All other braces stay as they are, since
    /// such files have no way to write literal ones.
    pub(crate) fn setting(self, written: &Arc<str>, origin: Origin, sink: &mut Sink) -> Text {
        self.resolved((written, origin), Braces::Literal, (References::Known, &CONFIG), sink)
    }

    /// The same for the value of a secret, which may refer to other secrets.
    pub(crate) fn secret_setting(self, written: &Arc<str>, origin: Origin, sink: &mut Sink) -> Text {
        self.resolved((written, origin), Braces::Literal, (References::KnownAndSecrets, &SECRET), sink)
    }

    fn resolved(
        self,
        (written, origin): (&Arc<str>, Origin),
        braces: Braces,
        (references, place): (References, &dyn fmt::Display),
        sink: &mut Sink,
    ) -> Text {
        let Self { symbols, sources } = self;
        let Some(span) = origin.span().filter(|_| reference::has_braces(written)) else {
            return Text { parts: Box::new([Part::Plain(Arc::clone(written))]), origin };
        };
        let exact = quoted::offset(sources.text(span), written);
        let at = |range: std::ops::Range<usize>| match exact {
            Some(offset) => span.part(offset + range.start, offset + range.end),
            None => span,
        };
        let pieces = reference::pieces(written);
        let mut parts = Vec::with_capacity(pieces.len());
        for piece in pieces {
            match piece {
                Piece::Plain(plain) if braces == Braces::Literal => parts.push(Part::Plain(plain.into())),
                Piece::Plain(plain) => parts.push(Part::Plain(single_braces(plain).into())),
                Piece::Stray(index) if braces == Braces::Literal => {
                    parts.push(Part::Plain(written.get(index..=index).unwrap_or_default().into()));
                }
                Piece::Braces(inner, _) if braces == Braces::Literal && !is_meant(inner) => {
                    parts.push(Part::Plain(["{", inner, "}"].concat().into()));
                }
                Piece::Stray(index) => {
                    let brace = written.get(index..=index).unwrap_or("{");
                    let here = at(index..index + 1);
                    let double = format!("write `{}` for a literal `{brace}`", brace.repeat(2));
                    let problem = Diagnostic::new(&BAD_VALUE, format!("unmatched `{brace}`"))
                        .at(here, "a single brace starts or ends a reference");
                    sink.push(if exact.is_some() {
                        problem.fix(here, brace.repeat(2), double)
                    } else {
                        problem.help(double)
                    });
                }
                Piece::Braces(inner, range) => {
                    let counts_only = sink.is_full(&UNKNOWN_NAME);
                    let dollar = written.get(..range.start).is_some_and(|before| before.ends_with("${"));
                    // A quote that the text around it does not end at.
                    let quote = if sources.text(span).starts_with('\'') { '"' } else { '\'' };
                    let here = Here {
                        dollar,
                        quote,
                        span: at(range),
                        exact: exact.is_some(),
                        symbols,
                        references,
                        place,
                        counts_only,
                    };
                    parts.push(here.part(inner).unwrap_or_else(|problem| {
                        sink.push(*problem);
                        Part::Unresolved
                    }));
                }
            }
        }
        Text { parts: parts.into(), origin }
    }
}

/// Whether a text between the braces of a settings file is meant as a reference: its kind is one of ours, or almost.
pub(crate) fn is_meant(inner: &str) -> bool {
    let list = reference::list(inner).map(|(list, _)| list).or_else(|| reference::unquoted_list(inner));
    match reference::parse(list.unwrap_or(inner)) {
        Ok(written) => IN_TEXTS.contains(&written.kind),
        Err(NotReference::Kind(kind)) => nearest(kind, IN_TEXTS.into_iter().map(Word::word)).is_some(),
        Err(NotReference::Form) => false,
    }
}

/// The place of a reference.
pub(super) struct Here<'a> {
    /// Set if a `$` is before the braces.
    dollar: bool,
    /// The quote that can be used in the text.
    quote: char,
    span: Span,
    exact: bool,
    pub(super) symbols: &'a Symbols,
    pub(super) references: References,
    /// The name of the text in messages.
    pub(super) place: &'a dyn fmt::Display,
    /// Set if so many unknown names have been reported that another one is only counted.
    counts_only: bool,
}

pub(super) type Resolved = Result<Part, Box<Diagnostic>>;

/// The name of the text of a config in messages.
pub(crate) const CONFIG: &str = "a config";

/// What messages call the value of a secret.
const SECRET: &str = "a secret";

/// The kinds of references in texts.
const IN_TEXTS: [RefKind; 11] = [
    RefKind::Service,
    RefKind::Outside,
    RefKind::Port,
    RefKind::Replica,
    RefKind::Config,
    RefKind::Secret,
    RefKind::Input,
    RefKind::Build,
    RefKind::Pod,
    RefKind::Stack,
    RefKind::Target,
];

impl Here<'_> {
    /// Resolves the text between braces.
    fn part(&self, inner: &str) -> Resolved {
        if let Some((list, separator)) = reference::list(inner) {
            return match reference::parse(list) {
                Ok(written) if written.kind == RefKind::Replica => self.replica(written, Some(&separator)),
                _ => {
                    let help = "for example `{replica.NAME.all/PORT join \", \"}`";
                    self.refuse(&BAD_VALUE, "only replicas can be joined".into(), ("one value", help))
                }
            };
        }
        match reference::parse(inner) {
            Ok(written) => self.resolve(written),
            Err(NotReference::Kind(kind)) => Err(self.unknown_kind(kind)),
            Err(NotReference::Form) => Err(Box::new(self.malformed(inner))),
        }
    }

    /// The problem of a text between braces that is no reference.
    fn malformed(&self, inner: &str) -> Diagnostic {
        if let Some(head) = reference::unquoted_list(inner) {
            return Diagnostic::new(&BAD_VALUE, "a list without its separator")
                .at(self.span, "what joins it is not in quotes")
                .help(format!("put it in quotes: `{{{head} join {0};{0}}}`", self.quote));
        }
        if let Some(repaired) = self.repaired(inner) {
            let title = format!("write `{{{repaired}}}`");
            let problem = Diagnostic::new(&BAD_VALUE, "invalid reference")
                .at(self.span, "not `kind.name` or `kind.name/part`");
            return if self.exact { problem.fix(self.span, repaired, title) } else { problem.help(title) };
        }
        if self.dollar {
            return Diagnostic::new(&BAD_VALUE, "`${…}` is not a reference")
                .at(self.span, "not `kind.name` or `kind.name/part`")
                .help("refer to an input, `{input.NAME}`, or to another value, without the `$`")
                .help("or for a literal text, double the braces: `${{NAME}}`");
        }
        Diagnostic::new(&BAD_VALUE, "invalid reference")
            .at(self.span, "not `kind.name` or `kind.name/part`")
            .help("write a reference, for example `{service.NAME/PORT}` or `{input.NAME}`")
            .help("or for literal braces, double them: `{{` and `}}`")
    }

    /// The reference that a text may be meant as, if the stack has it: without blanks, with other signs between its
    /// parts, or of the kind that has this name.
    fn repaired(&self, inner: &str) -> Option<String> {
        let bare: String = inner.chars().filter(|c| !c.is_whitespace()).collect();
        let bare = bare.trim_matches(['.', '/', ':']);
        let slashed = bare.replace(':', "/");
        let small = bare.to_lowercase().replace('_', "-");
        let with_dot = |sign: char| bare.split_once(sign).map(|(kind, rest)| format!("{kind}.{rest}"));
        let parted = bare.rsplit_once('.').map(|(name, part)| format!("{name}/{part}"));
        let kinds = IN_TEXTS.into_iter();
        let kinds =
            kinds.flat_map(|kind| [bare, small.as_str()].map(|name| format!("{}.{name}", kind.word())));
        let forms = [Some(bare.to_owned()), Some(slashed), with_dot(':'), with_dot('/'), parted];
        let mut candidates = forms.into_iter().flatten().chain(kinds);
        candidates.find(|candidate| {
            candidate != inner
                && reference::parse(candidate).is_ok_and(
                    |written| matches!(self.resolve_exactly(written), Ok(part) if part != Part::Unresolved),
                )
        })
    }

    fn resolve(&self, written: Written<'_>) -> Resolved {
        self.resolve_exactly(written).map_err(|problem| {
            // `service.broker.queue` for `service.broker/queue`.
            let dotted = written.part.is_none() && written.name.contains('.');
            let whole = || format!("{}.{}", written.kind.word(), written.name);
            match dotted.then(|| self.repaired(&whole())).flatten() {
                Some(_) => Box::new(self.malformed(&whole())),
                None => problem,
            }
        })
    }

    /// The result for a name that is not found: a problem, unless its kind could not be read at all.
    pub(super) fn not_found(&self, written: Written<'_>) -> Resolved {
        let kinds: &[RefKind] = match &written.kind {
            RefKind::Port => &[RefKind::Service, RefKind::Outside],
            RefKind::Replica => &[RefKind::Service],
            kind => std::slice::from_ref(kind),
        };
        if kinds.iter().any(|kind| self.symbols.is_unread(*kind)) {
            return Ok(Part::Unresolved);
        }
        Err(self.unknown_name(written))
    }

    pub(super) fn unknown_kind(&self, kind: &str) -> Box<Diagnostic> {
        self.unknown((None, "kind of reference"), kind, 0, || IN_TEXTS.into_iter().map(Word::word))
    }

    /// The problem of an unknown name, which begins `from` bytes into the reference: `what` of an owner.
    pub(super) fn unknown<'n, I>(
        &self,
        (owner, what): (Option<&str>, &str),
        name: &str,
        from: usize,
        names: impl FnOnce() -> I,
    ) -> Box<Diagnostic>
    where
        I: IntoIterator<Item = &'n str, IntoIter: Clone>,
    {
        let span = if self.exact { self.span.part(from, from + name.len()) } else { self.span };
        Box::new(if self.counts_only {
            Diagnostic::new(&UNKNOWN_NAME, "").at(span, "")
        } else {
            Unknown { what, owner, name, span, exact: self.exact }.among(names())
        })
    }

    fn unknown_name(&self, written: Written<'_>) -> Box<Diagnostic> {
        let is_service = matches!(written.kind, RefKind::Port | RefKind::Replica);
        let kind = if is_service { RefKind::Service } else { written.kind };
        let from = written.kind.word().len() + 1;
        self.unknown((None, kind.word()), written.name, from, || self.symbols.names(kind))
    }

    /// The problem of a port or a key that does not exist, or is not named.
    pub(super) fn unknown_part<'n, I>(
        &self,
        written: Written<'_>,
        what: &str,
        parts: impl FnOnce() -> I,
    ) -> Box<Diagnostic>
    where
        I: IntoIterator<Item = &'n Arc<str>, IntoIter: Clone>,
    {
        let Written { kind, name, part } = written;
        // `port.NAME/PORT` can refer to a service or an external service.
        let owner = match kind {
            RefKind::Port if self.symbols.outside(name).is_some() => RefKind::Outside,
            RefKind::Port | RefKind::Replica => RefKind::Service,
            kind => kind,
        };
        let kind = kind.word();
        let Some(part) = part else {
            let first = parts().into_iter().next().map_or("NAME", |first| &**first);
            return Box::new(
                Diagnostic::new(&BAD_VALUE, format!("`{kind}.{name}` needs a {what}"))
                    .at(self.span, format!("`/{}` is missing", what.to_uppercase()))
                    .help(format!("for example `{{{kind}.{name}/{first}}}`")),
            );
        };
        let owner = format!("{}.{name}", owner.word());
        let from = kind.len() + name.len() + 2;
        self.unknown((Some(&owner), what), part, from, || parts().into_iter().map(|name| &**name))
    }

    pub(super) fn refuse(
        &self,
        rule: &'static Rule,
        message: String,
        (label, help): (&str, &str),
    ) -> Resolved {
        Err(Box::new(Diagnostic::new(rule, message).at(self.span, label).help(help)))
    }
}
