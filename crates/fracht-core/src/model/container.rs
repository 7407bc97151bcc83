//! Containers: the main container of a service or task, and its sidecars.

use std::sync::Arc;
use std::time::Duration;

use super::{BuildId, ConfigId, Health, Id, Mount, SecretId, Text};
use crate::grammar::image::Image;
use crate::grammar::quantity::Bounds;
use crate::grammar::user::User;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A container.
#[derive(Clone, Debug)]
pub struct Container {
    /// The image.
    pub image: Sourced<Image>,
    /// The build that makes the image.
    pub build: Option<BuildId>,
    /// When the image is fetched; `None` for the default of what runs it.
    pub fetch: Option<Sourced<Fetch>>,
    /// The program to run instead of the image's own.
    pub program: Option<Box<[Text]>>,
    /// The arguments of the program; `None` for those of the image.
    pub args: Option<Box<[Text]>>,
    /// The folder in which the program starts.
    pub workdir: Option<Sourced<Arc<str>>>,
    /// The user to run as.
    pub user: Option<Sourced<User>>,
    /// How far it is restricted on its node.
    pub confine: Sourced<Confine>,
    /// Configs and secrets whose keys become variables. Later ones override earlier ones.
    pub uses: Box<[Use]>,
    /// The environment variables, in the order of the file. They override those of `uses`.
    pub env: Box<[Variable]>,
    /// The mounts.
    pub mounts: Box<[Mount]>,
    /// The health check.
    pub health: Option<Health>,
    /// What happens before it is stopped.
    pub before_stop: Option<Sourced<BeforeStop>>,
    /// CPU request and limit.
    pub cpu: Option<Sourced<Bounds>>,
    /// Memory request and limit.
    pub memory: Option<Sourced<Bounds>>,
}

/// When an image is fetched from its registry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fetch {
    /// At each start.
    Always,
    /// If it is not there.
    Missing,
    /// Never: it has to be there.
    Never,
}

impl Word for Fetch {
    const WORDS: &'static [(&'static str, Self)] =
        &[("always", Self::Always), ("missing", Self::Missing), ("never", Self::Never)];
}

/// A container that runs beside the main one, in the same pod.
#[derive(Clone, Debug)]
pub struct Sidecar {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The container.
    pub container: Container,
    /// Whether it runs once, to its end, before what follows in the pod starts.
    pub once: bool,
}

/// A sidecar of a workload by its position.
pub type SidecarIndex = Id<Sidecar>;

/// An environment variable.
#[derive(Clone, Debug)]
pub struct Variable {
    /// Its name.
    pub name: Arc<str>,
    /// Where the name is written.
    pub name_span: Span,
    /// Its value.
    pub value: Text,
}

/// A config or a secret whose keys become variables.
#[derive(Clone, Debug)]
pub struct Use {
    /// The config or secret.
    pub source: UseSource,
    /// The prefix of every variable.
    pub prefix: Arc<str>,
    /// How keys become names of variables.
    pub spell: Spell,
    /// Where it is written.
    pub span: Span,
}

/// A source of variables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UseSource {
    /// The settings of a config, without its files.
    Config(ConfigId),
    /// All keys of a secret.
    Secret(SecretId),
}

/// How a key becomes the name of a variable.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Spell {
    /// Unchanged.
    #[default]
    Same,
    /// In capitals, with `_` for every other character: `feed.poll-every` becomes `FEED_POLL_EVERY`.
    Upper,
}

impl Word for Spell {
    const WORDS: &'static [(&'static str, Self)] = &[("same", Self::Same), ("upper", Self::Upper)];
}

impl Use {
    /// The name of the variable for a key.
    pub fn variable(&self, key: &str) -> String {
        let upper = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
        match self.spell {
            Spell::Same => format!("{}{key}", self.prefix),
            Spell::Upper => self.prefix.chars().chain(key.chars().map(upper)).collect(),
        }
    }
}

/// How far a container is restricted on its node.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Confine {
    /// The "restricted" level of the pod security standards, with a read-only file system.
    Strict,
    /// Rights that ordinary images do not need are removed.
    #[default]
    Normal,
    /// No restrictions but those of the cluster.
    Off,
}

impl Word for Confine {
    const WORDS: &'static [(&'static str, Self)] =
        &[("strict", Self::Strict), ("normal", Self::Normal), ("off", Self::Off)];
}

/// What happens before a container is stopped.
#[derive(Clone, Debug)]
pub enum BeforeStop {
    /// A program runs in the container.
    Run(Vec<Sourced<Arc<str>>>),
    /// A pause, so that load balancers stop sending requests.
    Wait(Duration),
}

impl Container {
    /// Every text in it, with the variable if it is the value of one.
    pub fn texts(&self) -> impl Iterator<Item = (Option<&Variable>, &Text)> {
        let lists = self.program.iter().chain(&self.args).flatten();
        lists.map(|text| (None, text)).chain(self.env.iter().map(|var| (Some(var), &var.value)))
    }
}
