//! Text whose references are resolved.

use std::borrow::Cow;
use std::sync::Arc;

use super::{ConfigId, OutsideId, PortIndex, SecretId, WorkloadId};
use crate::origin::Origin;

/// A text, as a sequence of parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Text {
    /// The parts, in order.
    pub parts: Box<[Part]>,
    /// Where the text is written.
    pub origin: Origin,
}

/// A part of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Plain text.
    Plain(Arc<str>),
    /// The value of a reference to a name, a number or a plain setting.
    Known {
        /// The value.
        text: Arc<str>,
        /// The service whose address it is, if it is one.
        address: Option<Address>,
    },
    /// A key of a config.
    Config(ConfigId, Arc<str>),
    /// A key of a secret, whose value is not known.
    Secret(SecretId, Arc<str>),
    /// A field of the pod, which is known only at run time.
    Pod(PodField),
    /// A reference that could not be resolved, which has been reported. A checked model has none.
    Unresolved,
}

/// The service or external service whose address a text contains.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Address {
    /// A service, with the port if the reference names one.
    Service(WorkloadId, Option<PortIndex>),
    /// An external service, with the index of the port if the reference names one.
    Outside(OutsideId, Option<usize>),
}

/// A field of the pod that a text can refer to.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum PodField {
    /// Its name.
    Name,
    /// Its namespace.
    Namespace,
    /// Its IP address.
    Ip,
    /// The node that it runs on.
    Node,
    /// One of its labels.
    Label(Arc<str>),
}

impl PodField {
    /// What follows `pod.` in a reference, with a space instead of the slash.
    pub fn words(&self) -> String {
        match self {
            Self::Name => "name".into(),
            Self::Namespace => "namespace".into(),
            Self::Ip => "ip".into(),
            Self::Node => "node".into(),
            Self::Label(key) => format!("label {key}"),
        }
    }
}

impl Text {
    /// The known parts of the text. Secrets and fields of the pod are left out.
    pub fn plain(&self) -> String {
        match &*self.parts {
            [Part::Plain(text)] => text.to_string(),
            parts => joined(parts.iter().filter_map(Part::known)),
        }
    }

    /// The same as [`Self::plain`], without a copy if the text has one part.
    pub fn plain_text(&self) -> Cow<'_, str> {
        match &*self.parts {
            [part] => Cow::Borrowed(part.known().unwrap_or_default()),
            _ => Cow::Owned(self.plain()),
        }
    }

    /// The same as [`Self::plain`], shared if the text has one part.
    pub(crate) fn plain_shared(&self) -> Arc<str> {
        match &*self.parts {
            [Part::Plain(text) | Part::Known { text, .. }] => Arc::clone(text),
            _ => self.plain().into(),
        }
    }

    /// Whether every reference in it could be resolved.
    pub fn is_resolved(&self) -> bool {
        !self.parts.contains(&Part::Unresolved)
    }

    /// Whether it has no references.
    pub fn is_plain(&self) -> bool {
        self.parts.iter().all(|part| matches!(part, Part::Plain(_)))
    }
}

/// Texts in a row. `collect` would make space several times.
pub(crate) fn joined<'a>(texts: impl Iterator<Item = &'a str> + Clone) -> String {
    let mut all = String::with_capacity(texts.clone().map(str::len).sum());
    all.extend(texts);
    all
}

impl Part {
    /// The text of a part, if it is known.
    pub fn known(&self) -> Option<&str> {
        match self {
            Self::Plain(text) | Self::Known { text, .. } => Some(text),
            Self::Config(..) | Self::Secret(..) | Self::Pod(_) | Self::Unresolved => None,
        }
    }

    /// The service or external service whose address a part is, if it is one.
    pub fn address(&self) -> Option<Address> {
        match self {
            Self::Known { address, .. } => *address,
            _ => None,
        }
    }
}
