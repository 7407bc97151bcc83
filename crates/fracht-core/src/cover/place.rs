//! What of the value at a path of a stack file is covered, by the keys under which it stands.

use super::names::may_be_secret_name;
use super::word::is_random;
use crate::grammar::name::NameKind;
use crate::grammar::nearest::nearest;
use crate::language::target::TARGET_TABLE;
use crate::language::{ROOT, Shape};

/// What a value is covered as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Treatment {
    /// The whole value.
    Whole,
    /// The whole value, unless it is well-formed text of this kind: it says where the value of a secret is.
    Unless(ValueKind),
    /// What is secret by its looks; with `named`, the whole value if it looks made by a program.
    Looks { named: bool },
}

/// What says where the value of a secret is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ValueKind {
    Variable,
    Path,
    Object,
    Key,
}

impl ValueKind {
    pub(super) fn is_well_formed(self, text: &str) -> bool {
        match self {
            // A cluster takes dashes and dots as well; in a secret it is rather the secret that has them.
            Self::Variable => {
                let word = |c: char| c.is_ascii_alphanumeric() || c == '_';
                !text.is_empty() && text.chars().all(word) && !text.starts_with(|c: char| c.is_ascii_digit())
            }
            Self::Object => NameKind::Object.check(text).is_ok(),
            Self::Key => NameKind::Key.check(text).is_ok(),
            Self::Path => {
                let word = |c: char| c.is_alphanumeric() || "_-./+@".contains(c);
                !text.is_empty() && text.chars().all(word) && !is_random(text)
            }
        }
    }
}

/// The longest path that is kept; no path of the language is as long.
const LONGEST: usize = 32;

/// Whether a key of the stack file is that of secrets, or is meant to be.
pub(super) fn is_secrets(name: &str) -> bool {
    let known = || ROOT.names();
    let small = name.to_lowercase();
    small == "secret"
        || !known().any(|key| key == name)
            && (may_be_secret_name(name) || nearest(&small, known()) == Some("secret"))
}

/// Whether it is a name that makes a value secret, and not a table of secrets.
pub(super) fn by_name(path: &[String]) -> bool {
    let path = below_target(path);
    path.first().is_none_or(|first| !is_secrets(first))
}

/// A path and the keys below it; the middle of one that is too long is left out.
pub(super) fn below(path: &[String], keys: Vec<String>) -> Vec<String> {
    let mut path: Vec<String> = path.iter().cloned().chain(keys).collect();
    if path.len() > LONGEST {
        path.drain(LONGEST / 2..path.len() - LONGEST / 2);
    }
    path
}

/// The path without the target that it is under.
fn below_target(path: &[String]) -> &[String] {
    match path {
        [first, _, rest @ ..] if first == "target" => rest,
        _ => path,
    }
}

/// What of the value at a path is covered.
pub(super) fn treatment(path: &[String]) -> Treatment {
    let in_target = path.first().is_some_and(|first| first == "target") && path.len() > 1;
    let path = below_target(path);
    let Some(first) = path.first() else { return Treatment::Looks { named: false } };
    if is_secrets(first) {
        let below: Vec<&str> = path.iter().skip(1).map(String::as_str).collect();
        return match below.as_slice() {
            [_, "key", _, "env"] => Treatment::Unless(ValueKind::Variable),
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
        // Items of lists have no keys.
        while let Some(Shape::List(of) | Shape::OneOrList(of)) = shape {
            shape = Some(*of);
        }
        let below = shape.and_then(|shape| shape.below(name));
        let in_map = shape.is_some_and(|shape| shape.is_named());
        let table = below.filter(|_| in_map).and_then(|below| below.table());
        // A key that may be a string or a table: what follows tells which it is.
        let is_table = table.is_some_and(|table| {
            table.short.is_none() || names.peek().is_some_and(|next| table.field(next).is_some())
        });
        let by_name = if in_map { !is_table } else { below.is_none() };
        if by_name && may_be_secret_name(name) {
            return Treatment::Whole;
        }
        named = if in_map { !is_table } else { named };
        shape = below;
    }
    Treatment::Looks { named }
}
