//! Secrets: passwords, keys and certificates. A model never contains their values, only where to read them.

use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

use super::{KeyAddress, List, Part, SecretId};
use crate::grammar::make::Make;
use crate::origin::{Origin, Sourced};
use crate::source::Span;

/// A set of keys with secret values.
#[derive(Clone, Debug)]
pub struct Secret {
    /// Its name in the stack.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The name of an existing Secret, which is used instead of a generated one.
    pub present: Option<Sourced<Arc<str>>>,
    /// The keys.
    pub keys: Vec<SecretKey>,
    /// The addresses in its values: of very many only the first.
    pub addresses: Vec<KeyAddress>,
}

/// A key of a secret.
#[derive(Clone, Debug)]
pub struct SecretKey {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Where to read its value.
    pub source: SecretSource,
    /// The size of its file in bytes, if the file exists.
    pub size: Option<u64>,
    /// What its value looks like, if that is probably a mistake.
    pub form: Option<SecretForm>,
    /// How to make its value.
    pub make: Option<Make>,
    /// What the references in its value stand for.
    pub references: Vec<Replacement>,
    /// Where its value is written, if it is a line of a file.
    pub line: Option<Origin>,
    /// Whether the stack lists it, since not all lines of its file are secret.
    pub is_listed: bool,
}

/// A reference in the value of a secret.
#[derive(Clone, Debug)]
pub struct Replacement {
    /// The reference with its braces.
    pub written: Arc<str>,
    /// What it stands for: a known text, or a key of a secret.
    pub part: Part,
    /// Where it is written.
    pub span: Option<Span>,
}

impl SecretKey {
    /// The keys of secrets that its value contains.
    pub fn contained(&self) -> impl Iterator<Item = (SecretId, &Arc<str>, Option<Span>)> {
        self.references.iter().filter_map(|reference| match &reference.part {
            Part::Secret(id, key) => Some((*id, key, reference.span)),
            _ => None,
        })
    }

    /// A key of which only its source is known.
    pub(crate) fn new(name: Arc<str>, span: Span, source: SecretSource) -> Self {
        Self {
            name,
            span,
            source,
            size: None,
            form: None,
            make: None,
            references: Vec::new(),
            line: None,
            is_listed: false,
        }
    }
}

/// What the value of a secret looks like. Nothing else is known of its content.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SecretForm {
    /// Printable text in base64.
    Base64,
    /// Text with a byte-order mark.
    Marked,
}

/// Where to read the value of a secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SecretSource {
    /// An environment variable of the process that runs Fracht.
    Variable(Arc<str>),
    /// A file in the folder of the stack, as a resolved path.
    File(PathBuf),
    /// A line of the first of these files that has the key.
    Lines(Box<[PathBuf]>),
    /// It is made once, by hand, and is in the cluster alone.
    Made,
    /// It already exists in the cluster.
    Present,
}

/// All keys of secrets, by secret and name.
pub(crate) fn keys_by_name(secrets: &List<Secret>) -> HashMap<(SecretId, &str), &SecretKey> {
    let mut known = HashMap::new();
    for (id, secret) in secrets.entries() {
        known.extend(secret.keys.iter().map(|key| ((id, &*key.name), key)));
    }
    known
}

impl Secret {
    /// Whether a Secret is generated for it, which needs its values.
    pub fn is_generated(&self) -> bool {
        self.present.is_none() && !self.is_made()
    }

    /// Whether it is made once, by hand.
    pub fn is_made(&self) -> bool {
        self.keys.iter().any(|key| key.source == SecretSource::Made)
    }
}
