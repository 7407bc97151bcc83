//! References, `kind.name` or `kind.name/part`, and text with references in braces.
//!
//! ```text
//! text      = { plain | "{{" | "}}" | "{" reference "}" }
//! reference = kind "." name [ "/" part ]
//! list      = reference " join " separator          a list of all replicas; the separator is in quotes
//! ```

use std::borrow::Cow;
use std::error::Error;
use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use super::word::Word;

/// The kinds of references: to tables of a stack, and to fields of the pod, the stack and the target.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum RefKind {
    /// A service.
    Service,
    /// A task.
    Task,
    /// A volume.
    Volume,
    /// A config, or one of its keys.
    Config,
    /// A secret, or one of its keys.
    Secret,
    /// A network.
    Network,
    /// An external service.
    Outside,
    /// A replica of a service, or all of them.
    Replica,
    /// The number of a port.
    Port,
    /// An input.
    Input,
    /// A build.
    Build,
    /// A pattern.
    Pattern,
    /// A field of the pod.
    Pod,
    /// A field of the stack.
    Stack,
    /// A target, or in braces a field of the current one.
    Target,
}

/// The kinds of references that a text may contain.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum References {
    /// All kinds: the text is for a program.
    All,
    /// Only values that are known when objects are generated: no keys of configs and secrets, no fields of the pod.
    Known,
    /// The same, and keys of secrets: the text is itself kept in a secret.
    KnownAndSecrets,
}

impl Word for RefKind {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("service", Self::Service),
        ("task", Self::Task),
        ("volume", Self::Volume),
        ("config", Self::Config),
        ("secret", Self::Secret),
        ("network", Self::Network),
        ("outside", Self::Outside),
        ("replica", Self::Replica),
        ("port", Self::Port),
        ("input", Self::Input),
        ("build", Self::Build),
        ("pattern", Self::Pattern),
        ("pod", Self::Pod),
        ("stack", Self::Stack),
        ("target", Self::Target),
    ];
}

/// A reference as written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Written<'a> {
    /// The kind.
    pub(crate) kind: RefKind,
    /// The name after the dot.
    pub(crate) name: &'a str,
    /// The part after the slash.
    pub(crate) part: Option<&'a str>,
}

/// Why a text is not a reference.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum NotReference<'a> {
    /// It does not have the form.
    Form,
    /// It has the form, with a kind that does not exist.
    Kind(&'a str),
}

impl fmt::Display for NotReference<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Form => f.write_str("not a reference"),
            Self::Kind(kind) => write!(f, "`{kind}` is not a kind of reference"),
        }
    }
}

impl Error for NotReference<'_> {}

/// A reference that stands alone as the value of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reference {
    /// The kind.
    pub kind: RefKind,
    /// The name after the dot.
    pub name: Arc<str>,
    /// The part after the slash.
    pub part: Option<Arc<str>>,
}

impl Reference {
    /// Reads a reference to one of some kinds; `None` for any other text.
    pub(crate) fn to(text: &str, kinds: &[RefKind]) -> Option<Self> {
        let written = parse(text).ok().filter(|written| kinds.contains(&written.kind))?;
        Some(Self { kind: written.kind, name: written.name.into(), part: written.part.map(Arc::from) })
    }
}

/// A piece of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Piece<'a> {
    /// Plain text, with doubled braces still doubled.
    Plain(&'a str),
    /// The text between braces, with its bytes; the braces are left out.
    Braces(&'a str, Range<usize>),
    /// An unmatched brace, at this byte.
    Stray(usize),
}

/// Reads a reference.
///
/// # Errors
/// [`NotReference`] if the form or the kind is wrong.
pub(crate) fn parse(text: &str) -> Result<Written<'_>, NotReference<'_>> {
    // Where the first dot is, and behind it the first slash.
    let (mut dot, mut slash) = (None, None);
    for (at, byte) in text.bytes().enumerate() {
        match byte {
            b'.' => dot = dot.or(Some(at)),
            b'/' if dot.is_some() => slash = slash.or(Some(at)),
            byte if byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_') => {}
            _ => return Err(NotReference::Form),
        }
    }
    let dot = dot.ok_or(NotReference::Form)?;
    let between = |from: usize, to: usize| text.get(from..to).filter(|text| !text.is_empty());
    let kind = between(0, dot).ok_or(NotReference::Form)?;
    let name = between(dot + 1, slash.unwrap_or(text.len())).ok_or(NotReference::Form)?;
    let part = slash.map(|slash| between(slash + 1, text.len()).ok_or(NotReference::Form)).transpose()?;
    let kind = RefKind::of(kind).ok_or(NotReference::Kind(kind))?;
    Ok(Written { kind, name, part })
}

/// The reference and the separator of a list, `replica.db.all/sql join ";"`. In the separator, `\n` and `\t` stand for
/// a line break and a tab, for files that have no such escapes of their own.
pub(crate) fn list(text: &str) -> Option<(&str, String)> {
    let (head, rest) = text.split_once(' ')?;
    let quoted = rest.trim_start().strip_prefix("join")?.trim();
    let quote = quoted.chars().next().filter(|quote| matches!(quote, '"' | '\''))?;
    let separator = quoted.strip_prefix(quote)?.strip_suffix(quote)?;
    (!separator.contains(quote)).then(|| (head, separator.replace("\\n", "\n").replace("\\t", "\t")))
}

/// The reference of a list whose separator is not in quotes, or has one quote only.
pub(crate) fn unquoted_list(text: &str) -> Option<&str> {
    let (head, rest) = text.split_once(' ')?;
    let is_list = rest.trim_start().starts_with("join") && parse(head).is_ok();
    (is_list && list(text).is_none()).then_some(head)
}

/// Whether a text may contain references.
pub(crate) fn has_braces(text: &str) -> bool {
    text.bytes().any(|byte| matches!(byte, b'{' | b'}'))
}

/// Splits a text into its pieces.
pub(crate) fn pieces(text: &str) -> Vec<Piece<'_>> {
    let mut pieces = Vec::new();
    let bytes = text.as_bytes();
    let (mut at, mut plain) = (0, 0);
    let flush = |pieces: &mut Vec<_>, from: usize, to: usize| {
        pieces.extend(text.get(from..to).filter(|text| !text.is_empty()).map(Piece::Plain));
    };
    let brace_from = |from: usize| {
        let offset = bytes.get(from..)?.iter().position(|byte| matches!(byte, b'{' | b'}'));
        offset.map(|offset| from + offset)
    };
    while let Some(brace) = brace_from(at) {
        if bytes.get(brace) == bytes.get(brace + 1) {
            at = brace + 2;
            continue;
        }
        flush(&mut pieces, plain, brace);
        let close = brace_from(brace + 1)
            .filter(|close| bytes.get(brace) == Some(&b'{') && bytes.get(*close) == Some(&b'}'));
        if let Some(close) = close {
            pieces.push(Piece::Braces(text.get(brace + 1..close).unwrap_or_default(), brace + 1..close));
            at = close + 1;
        } else {
            pieces.push(Piece::Stray(brace));
            at = brace + 1;
        }
        plain = at;
    }
    flush(&mut pieces, plain, text.len());
    pieces
}

/// Plain text with doubled braces replaced by single ones.
pub(crate) fn single_braces(plain: &str) -> Cow<'_, str> {
    if has_braces(plain) {
        Cow::Owned(plain.replace("{{", "{").replace("}}", "}"))
    } else {
        Cow::Borrowed(plain)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn references_have_a_kind_a_name_and_an_optional_part() {
        let written = parse("config.model/stations.csv").unwrap();
        assert_eq!(written, Written { kind: RefKind::Config, name: "model", part: Some("stations.csv") });
        assert_eq!(parse("service.db").unwrap().part, None);
        assert_eq!(parse("pod.label/app.kubernetes.io/name").unwrap().name, "label");
        for text in ["", "db", "service.", ".db", "a b.c", "service.db/", "\"a\": 1"] {
            assert_eq!(parse(text), Err(NotReference::Form), "{text}");
        }
        assert_eq!(parse("harbour.db"), Err(NotReference::Kind("harbour")));
        assert_eq!(Reference::to("volume.a", &[RefKind::Config]), None);
        let sql = Some(("replica.db.all/sql", "\n; ".to_owned()));
        assert_eq!(list("replica.db.all/sql join '\\n; '"), sql);
        for text in
            ["replica.db.all", "replica.db.all join", "a.b join \"", "a.b join \"x\"y\"", "a.b jon \"x\""]
        {
            assert_eq!(list(text), None, "{text}");
        }
    }

    #[test]
    fn braces_are_doubled_paired_or_stray() {
        use Piece::{Braces, Plain, Stray};
        assert_eq!(pieces("a{b.c}d"), [Plain("a"), Braces("b.c", 2..5), Plain("d")]);
        assert_eq!(pieces("{{a}}"), [Plain("{{a}}")]);
        assert_eq!(pieces("{{{a.b}}}"), [Plain("{{"), Braces("a.b", 3..6), Plain("}}")]);
        assert_eq!(pieces("a}b"), [Plain("a"), Stray(1), Plain("b")]);
        assert_eq!(pieces("{a{b}"), [Stray(0), Plain("a"), Braces("b", 3..4)]);
        assert_eq!(single_braces("{{a}}"), "{a}");
    }

    proptest! {
        #[test]
        fn doubled_braces_round_trip(text in "[a-z{}$ü]{0,20}") {
            let doubled = text.replace('{', "{{").replace('}', "}}");
            let plain: String = pieces(&doubled).iter().map(|piece| match piece {
                Piece::Plain(plain) => single_braces(plain).into_owned(),
                other => panic!("{other:?}"),
            }).collect();
            prop_assert_eq!(plain, text);
        }
    }
}
