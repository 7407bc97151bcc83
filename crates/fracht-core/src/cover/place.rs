//! Decides by the path of a value in a stack file whether it is hidden.

use super::names::{may_be_secret_name, words};
use super::word::is_random;
use crate::grammar::make;
use crate::grammar::name::NameKind;
use crate::grammar::nearest::nearest;
use crate::language::port::PASSWORD;
use crate::language::target::TARGET_TABLE;
use crate::language::{ROOT, Shape};

/// Which part of a value is hidden.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Treatment {
    /// The whole value.
    Whole,
    /// The whole value, unless it is valid text of this kind, which only tells where the secret is.
    Unless(ValueKind),
    /// The parts that look secret; if `named`, the whole value if it looks random.
    Looks { named: bool },
}

/// The kinds of text that tell where a secret is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ValueKind {
    Variable,
    Path,
    Object,
    Key,
    Make,
    Switch,
}

impl ValueKind {
    pub(super) fn is_well_formed(self, text: &str) -> bool {
        match self {
            // Names with dashes and dots are valid in a cluster, but here they are more likely the secret itself.
            Self::Variable => {
                let word = |c: char| c.is_ascii_alphanumeric() || c == '_';
                !text.is_empty() && text.chars().all(word) && !text.starts_with(|c: char| c.is_ascii_digit())
            }
            Self::Object => NameKind::Object.check(text).is_ok(),
            Self::Switch => ["true", "false"].contains(&text),
            Self::Make => make::parse(text).is_ok(),
            Self::Key => NameKind::Key.check(text).is_ok(),
            Self::Path => {
                let word = |c: char| c.is_alphanumeric() || "_-./+@".contains(c);
                !text.is_empty() && text.chars().all(word) && !is_random(text)
            }
        }
    }
}

/// The longest path that is kept. No path of the language is longer.
const LONGEST: usize = 32;

/// Whether a top-level key is `secret`, possibly misspelled.
pub(super) fn is_secrets(name: &str) -> bool {
    let known = || ROOT.names();
    let small = name.to_lowercase();
    small == "secret"
        || !known().any(|key| key == name)
            && (may_be_secret_name(name) || nearest(&small, known()) == Some("secret"))
}

/// Whether the name of a setting makes its value secret, not a table of secrets.
pub(super) fn by_name(path: &[String]) -> bool {
    let path = below_target(path);
    path.first().is_none_or(|first| !is_secrets(first))
}

/// Whether a name ends with a misspelt word for a secret: `pasword`.
fn is_misspelt_secret(name: &str) -> bool {
    let last = words(name).pop().unwrap_or_default();
    last.len() > 4 && nearest(&last, ["PASSWORD", "SECRET"]).is_some()
}

/// A path extended by keys. If it gets too long, its middle is left out.
pub(super) fn below(path: &[String], keys: Vec<String>) -> Vec<String> {
    let mut path: Vec<String> = path.iter().cloned().chain(keys).collect();
    if path.len() > LONGEST {
        path.drain(LONGEST / 2..path.len() - LONGEST / 2);
    }
    path
}

/// The path without `target.NAME` at its start.
fn below_target(path: &[String]) -> &[String] {
    match path {
        [first, _, rest @ ..] if first == "target" => rest,
        _ => path,
    }
}

/// Which part of the value at a path is hidden.
pub(super) fn treatment(path: &[String]) -> Treatment {
    let in_target = path.first().is_some_and(|first| first == "target") && path.len() > 1;
    let path = below_target(path);
    let Some(first) = path.first() else { return Treatment::Looks { named: false } };
    if is_secrets(first) {
        let below: Vec<&str> = path.iter().skip(1).map(String::as_str).collect();
        return match below.as_slice() {
            [_, "key", _, "env"] => Treatment::Unless(ValueKind::Variable),
            [_, "key", _, "references"] | [_, "references"] => Treatment::Unless(ValueKind::Switch),
            [_, "key", _, "make"] => Treatment::Unless(ValueKind::Make),
            [_, "key", _, "file"] | [_, "lines"] | [_, "lines", ""] => Treatment::Unless(ValueKind::Path),
            [_, "present"] => Treatment::Unless(ValueKind::Object),
            [_, "keys", ""] => Treatment::Unless(ValueKind::Key),
            _ => Treatment::Whole,
        };
    }
    if first == "input" {
        let named = path.get(1).is_some_and(|name| may_be_secret_name(name));
        let about = path.get(2).is_some_and(|key| ["pattern", "help"].contains(&key.as_str()));
        return if named && !about { Treatment::Whole } else { Treatment::Looks { named: false } };
    }
    let mut shape = Some(Shape::Table(if in_target { &TARGET_TABLE } else { &ROOT }));
    let mut names = path.iter().peekable();
    let mut named = false;
    while let Some(name) = names.next() {
        // The items of a list have no keys of their own.
        while let Some(Shape::List(of) | Shape::OneOrList(of)) = shape {
            shape = Some(*of);
        }
        let below = shape.and_then(|shape| shape.below(name));
        let in_map = shape.is_some_and(|shape| shape.is_named());
        let table = below.filter(|_| in_map).and_then(|below| below.table());
        // The key takes a string or a table: the rest of the path tells which.
        let is_table = table.is_some_and(|table| {
            table.short.is_none() || names.peek().is_some_and(|next| table.field(next).is_some())
        });
        // The password of a login is the key of a secret; a person may write the password itself.
        let by_name = if in_map { !is_table } else { below.is_none() || name == PASSWORD.name() };
        if by_name && (may_be_secret_name(name) || is_misspelt_secret(name)) {
            return Treatment::Whole;
        }
        named = if in_map { !is_table } else { named };
        shape = below;
    }
    Treatment::Looks { named }
}
