//! What the texts of a stack are on a machine: references to secrets and to the container itself get their values.

use std::fmt;

use fracht_core::model::{Content, Model, Part, PodField, SecretId, Text, Workload};

/// The values of secrets.
pub trait Secrets {
    /// The value of a key; `None` if it is not known.
    fn value(&self, secret: SecretId, key: &str) -> Option<Vec<u8>>;

    /// Whether the values are known at all.
    fn are_known(&self) -> bool {
        true
    }
}

/// Secrets of which nothing is known: each is its reference, in braces.
pub struct Hidden<'m>(pub &'m Model);

impl Secrets for Hidden<'_> {
    fn value(&self, secret: SecretId, key: &str) -> Option<Vec<u8>> {
        Some(format!("{{secret.{}/{key}}}", self.0.secrets[secret].name).into_bytes())
    }

    fn are_known(&self) -> bool {
        false
    }
}

impl fmt::Debug for dyn Secrets + '_ {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("secrets")
    }
}

/// What stands for the address of a container in its texts until it has one. No text of a stack contains it: it is a
/// noncharacter (Unicode, section 23.7).
pub(crate) const ADDRESS: &str = "\u{fdef}";

/// A container, in which texts get their values.
#[derive(Clone, Copy)]
pub(crate) struct Inside<'m> {
    pub(crate) model: &'m Model,
    pub(crate) workload: &'m Workload,
    /// The name of the replica: that of its host.
    pub(crate) host: &'m str,
    /// The name of the machine.
    pub(crate) machine: &'m str,
    pub(crate) secrets: &'m dyn Secrets,
}

impl Inside<'_> {
    /// A text as it will be. A part that is not UTF-8 or not known is left out, which has been reported before.
    pub(crate) fn text(&self, text: &Text) -> String {
        text.parts.iter().map(|part| self.part(part)).collect()
    }

    /// The value of a part.
    pub(crate) fn part(&self, part: &Part) -> String {
        let Self { model, secrets, .. } = self;
        match part {
            Part::Plain(text) | Part::Known { text, .. } => text.to_string(),
            Part::Config(id, key) => {
                let key = model.configs[*id].keys.get(key);
                key.and_then(|key| key.content.as_text()).unwrap_or_default()
            }
            Part::Secret(id, key) => {
                let value = secrets.value(*id, key).unwrap_or_default();
                String::from_utf8(value).unwrap_or_default()
            }
            Part::Pod(field) => self.field(field),
            Part::Unresolved => String::new(),
        }
    }

    /// The content of a key of a config.
    pub(crate) fn content(&self, content: &Content) -> Vec<u8> {
        match content {
            Content::Text(text) => self.text(text).into_bytes(),
            Content::File { bytes, .. } => bytes.to_vec(),
            Content::Present => Vec::new(),
        }
    }

    /// What a pod is in a cluster is a replica here.
    fn field(&self, field: &PodField) -> String {
        let Self { model, workload, .. } = self;
        match field {
            PodField::Name => self.host.to_owned(),
            PodField::Namespace => model.target.namespace.value.to_string(),
            PodField::Ip => ADDRESS.to_owned(),
            PodField::Node => self.machine.to_owned(),
            PodField::Label(key) => {
                if let Some((_, text)) = workload.labels.iter().find(|(name, _)| name == key) {
                    return self.text(text);
                }
                let recommended = key.strip_prefix("app.kubernetes.io/");
                match recommended {
                    Some("name") => workload.name.to_string(),
                    Some("part-of") => model.name.value.to_string(),
                    Some("managed-by") => "fracht".to_owned(),
                    Some("component") => {
                        workload.role.as_ref().map_or_else(String::new, |role| role.value.to_string())
                    }
                    Some("version") => workload.main.image.value.tag().unwrap_or_default().to_owned(),
                    _ => String::new(),
                }
            }
        }
    }
}
