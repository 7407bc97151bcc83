//! Text with references in it, all of them resolved.

use std::sync::Arc;

use super::{ConfigId, OutsideId, PortIndex, SecretId, WorkloadId};
use crate::origin::Origin;

/// A text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Text {
    /// The parts, in order.
    pub parts: Vec<Part>,
    /// Where the whole is written.
    pub origin: Origin,
}

/// A part of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Plain text, as it was written.
    Plain(Arc<str>),
    /// What a reference to a name, a number or a plain setting stands for.
    Known {
        /// The text in its place.
        text: Arc<str>,
        /// What it is the address of.
        address: Option<Address>,
    },
    /// A key of a config.
    Config(ConfigId, Arc<str>),
    /// A key of a secret; its value is not known here.
    Secret(SecretId, Arc<str>),
    /// Something of the pod, known at run time only.
    Pod(PodField),
    /// A reference that could not be resolved, and was reported. A checked model has none.
    Unresolved,
}

/// What a text has the address of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Address {
    /// A service, and the port if it names one.
    Service(WorkloadId, Option<PortIndex>),
    /// Something outside.
    Outside(OutsideId),
}

/// What a container can be told of its pod.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum PodField {
    /// Its name.
    Name,
    /// Its namespace.
    Namespace,
    /// Its address.
    Ip,
    /// The node that it runs on.
    Node,
    /// One of its labels.
    Label(Arc<str>),
}

impl PodField {
    /// What follows `pod.` in a reference to it, a space in place of the slash.
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
    /// The text without what is only known elsewhere: secrets and fields of the pod leave nothing.
    pub fn plain(&self) -> String {
        match self.parts.as_slice() {
            [Part::Plain(text)] => text.to_string(),
            parts => parts.iter().filter_map(Part::known).collect(),
        }
    }

    /// Whether everything in it has a meaning; what has none has been reported.
    pub fn is_resolved(&self) -> bool {
        !self.parts.contains(&Part::Unresolved)
    }

    /// Whether it is plain text, with no reference at all.
    pub fn is_plain(&self) -> bool {
        self.parts.iter().all(|part| matches!(part, Part::Plain(_)))
    }
}

impl Part {
    /// The text of a part that is known here.
    pub fn known(&self) -> Option<&str> {
        match self {
            Self::Plain(text) | Self::Known { text, .. } => Some(text),
            Self::Config(..) | Self::Secret(..) | Self::Pod(_) | Self::Unresolved => None,
        }
    }
}
