//! Passwords, keys and certificates. A model never holds the value of one, only where it is to be read.

use std::path::PathBuf;
use std::sync::Arc;

use crate::origin::Sourced;
use crate::source::Span;

/// A set of keys with secret values.
#[derive(Clone, Debug)]
pub struct Secret {
    /// Its name in the stack.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The name of the secret in the cluster, if it is there already and not made here.
    pub present: Option<Sourced<Arc<str>>>,
    /// The keys.
    pub keys: Vec<SecretKey>,
}

/// A key of a secret.
#[derive(Clone, Debug)]
pub struct SecretKey {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Where its value is to be read.
    pub source: SecretSource,
    /// How many bytes its file has, if it is there.
    pub size: Option<u64>,
}

/// Where the value of a secret is to be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SecretSource {
    /// An environment variable of whoever runs the tool.
    Variable(Arc<str>),
    /// A file; the path is resolved and confined.
    File(PathBuf),
    /// It is in the cluster already.
    Present,
}

impl Secret {
    /// Whether a Secret is generated for it, so that its values are needed.
    pub fn is_generated(&self) -> bool {
        self.present.is_none()
    }
}
