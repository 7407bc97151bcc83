//! A container: what runs in a pod. A service or a task has one of its own, and maybe helpers beside it.

use std::sync::Arc;
use std::time::Duration;

use super::{ConfigId, Health, Mount, SecretId, Text};
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
    /// What is run instead of the image's own program.
    pub program: Option<Vec<Text>>,
    /// The arguments; `None` leaves the image's own.
    pub args: Option<Vec<Text>>,
    /// The folder to start in.
    pub workdir: Option<Sourced<Arc<str>>>,
    /// The user to run as.
    pub user: Option<Sourced<User>>,
    /// What it may do on its node.
    pub confine: Sourced<Confine>,
    /// Configs and secrets whose keys are variables; later ones win over earlier ones.
    pub uses: Vec<Use>,
    /// The environment variables, in the order of the file; they win over those of `uses`.
    pub env: Vec<Variable>,
    /// What is mounted where.
    pub mounts: Vec<Mount>,
    /// How to see that it works.
    pub health: Option<Health>,
    /// What happens before it is told to stop.
    pub before_stop: Option<Sourced<BeforeStop>>,
    /// Processor.
    pub cpu: Option<Sourced<Bounds>>,
    /// Memory.
    pub memory: Option<Sourced<Bounds>>,
}

/// A container beside that of a service, in the same pod.
#[derive(Clone, Debug)]
pub struct Helper {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The container.
    pub container: Container,
}

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

/// A config or a secret whose keys are variables.
#[derive(Clone, Debug)]
pub struct Use {
    /// Which.
    pub source: UseSource,
    /// What the name of each variable begins with.
    pub prefix: Arc<str>,
    /// How the keys are spelt as variables.
    pub spell: Spell,
    /// Where it is written.
    pub span: Span,
}

/// What variables can be made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UseSource {
    /// The settings of a config; its files are none.
    Config(ConfigId),
    /// All keys of a secret.
    Secret(SecretId),
}

/// How a key is spelt as a variable.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Spell {
    /// As it is.
    #[default]
    Same,
    /// In capitals, with `_` for whatever a variable can't have: `feed.poll-every` is `FEED_POLL_EVERY`.
    Upper,
}

impl Word for Spell {
    const WORDS: &'static [(&'static str, Self)] = &[("same", Self::Same), ("upper", Self::Upper)];
}

impl Use {
    /// The name of the variable that a key becomes.
    pub fn variable(&self, key: &str) -> String {
        let upper = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
        match self.spell {
            Spell::Same => format!("{}{key}", self.prefix),
            Spell::Upper => self.prefix.chars().chain(key.chars().map(upper)).collect(),
        }
    }
}

/// What a container may do on its node.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Confine {
    /// No more than the cluster's "restricted" pod security standard allows, and a file system to read only.
    Strict,
    /// What no ordinary image misses is taken away.
    #[default]
    Normal,
    /// What the cluster allows.
    Off,
}

impl Word for Confine {
    const WORDS: &'static [(&'static str, Self)] =
        &[("strict", Self::Strict), ("normal", Self::Normal), ("off", Self::Off)];
}

/// What happens before a container is told to stop.
#[derive(Clone, Debug)]
pub enum BeforeStop {
    /// A program in it is run.
    Run(Vec<Arc<str>>),
    /// Time passes, in which those in front of it learn that it goes.
    Wait(Duration),
}

impl Container {
    /// Every text in it, with the variable where it is one's value.
    pub fn texts(&self) -> impl Iterator<Item = (Option<&Variable>, &Text)> {
        let lists = self.program.iter().chain(&self.args).flatten();
        lists.map(|text| (None, text)).chain(self.env.iter().map(|var| (Some(var), &var.value)))
    }
}
