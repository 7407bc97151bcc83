//! The keys that every container has: those of services, tasks and helpers. One constant each: a table is a
//! list of them.

use std::sync::Arc;
use std::time::Duration;

use super::field::{
    ARGUMENT, Field, STRING, TEXT, Table, Template, formatted, list, name, named, reference, scalar, table,
    template, words,
};
use super::format;
use super::mount;
use super::shape::{Group, Key, Short, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::quantity::Bounds;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::grammar::user::User;
use crate::model::{Confine, Spell};

pub(crate) static IMAGE: Field<Template> = Field {
    key: Key {
        name: "image",
        default: "this or build is required",
        becomes: "the container's image",
        says: "The image to run.",
        example: "\"registry.example/tidedesk/gateway:2.1\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static BUILD: Field<Arc<str>> = Field {
    key: Key {
        name: "build",
        default: "this or image is required",
        becomes: "the container's image: the target's registry, the build's name and tag",
        says: "The build whose image to run, by name.",
        example: "\"forecast\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static PROGRAM: Field<Template> = Field {
    key: Key {
        name: "program",
        default: "from the image",
        becomes: "the container's command",
        says: "Program to run instead of the image's own.",
        example: "[\"/usr/bin/forecast\"]",
    },
    takes: list(TEXT),
};
pub(crate) static ARGS: Field<Template> = Field {
    key: Key {
        name: "args",
        default: "from the image",
        becomes: "the container's args",
        says: "Arguments of the program.",
        example: "[\"serve\", \"--region={config.model/REGION}\"]",
    },
    takes: list(TEXT),
};
pub(crate) static WORKDIR: Field<Arc<str>> = Field {
    key: Key {
        name: "workdir",
        default: "from the image",
        becomes: "the container's workingDir",
        says: "The folder to start in.",
        example: "\"/srv\"",
    },
    takes: name(NameKind::Folder),
};
pub(crate) static USER: Field<User> = Field {
    key: Key {
        name: "user",
        default: "from the image",
        becomes: "runAsUser, runAsGroup and runAsNonRoot; fsGroup where it needs a group to write or read what it mounts",
        says: "The user, and maybe group, to run as.",
        example: "\"10001:10001\"",
    },
    takes: formatted(&format::USER),
};
pub(crate) static CONFINE: Field<Confine> = Field {
    key: Key {
        name: "confine",
        default: "normal",
        becomes: "the container's securityContext",
        says: "How far the container is restricted. strict: the \"restricted\" profile; normal: no privilege escalation; off: no restrictions.",
        example: "\"strict\"",
    },
    takes: words(),
};
pub(crate) static USE: Field<Table> = Field {
    key: Key {
        name: "use",
        default: "none",
        becomes: "the container's envFrom, or env where names differ from keys",
        says: "Configs and secrets whose keys are variables; `env` wins over them, and later ones over earlier ones.",
        example: "[\"config.model\", { from = \"config.app\", prefix = \"APP_\", spell = \"upper\" }]",
    },
    takes: list(table(&USE_TABLE)),
};
pub(crate) static ENV: Field<Template> = Field {
    key: Key {
        name: "env",
        default: "none",
        becomes: "the container's env, keys of configs and secrets by reference",
        says: "Environment variables.",
        example: "{ LOG_LEVEL = \"info\" }",
    },
    takes: named(NameKind::Variable, scalar(References::All)),
};
pub(crate) static CPU: Field<Bounds> = Field {
    key: Key {
        name: "cpu",
        default: "what the cluster gives",
        becomes: "requests and limits of cpu",
        says: "CPU request and limit.",
        example: "\"100m..1\"",
    },
    takes: formatted(&format::CPU),
};
pub(crate) static MEMORY: Field<Bounds> = Field {
    key: Key {
        name: "memory",
        default: "what the cluster gives",
        becomes: "requests and limits of memory",
        says: "Memory request and limit.",
        example: "\"128Mi..256Mi\"",
    },
    takes: formatted(&format::MEMORY),
};
pub(crate) static BEFORE_STOP: Field<Table> = Field {
    key: Key {
        name: "before-stop",
        default: "nothing",
        becomes: "a preStop hook",
        says: "What happens before it is told to stop.",
        example: "{ wait = \"5s\" }",
    },
    takes: table(&BEFORE_STOP_TABLE),
};

pub(crate) static FROM: Field<Reference> = Field {
    key: Key {
        name: "from",
        default: "required",
        becomes: "the object that is referred to",
        says: "The config or secret.",
        example: "\"config.app\"",
    },
    takes: reference(&[RefKind::Config, RefKind::Secret]),
};
pub(crate) static PREFIX: Field<Arc<str>> = Field {
    key: Key {
        name: "prefix",
        default: "none",
        becomes: "the beginning of each variable's name",
        says: "What the name of each variable begins with.",
        example: "\"APP_\"",
    },
    takes: STRING,
};
pub(crate) static SPELL: Field<Spell> = Field {
    key: Key {
        name: "spell",
        default: "same",
        becomes: "the rest of each variable's name",
        says: "The key as it is, or in capitals with `_` for whatever a variable can't have.",
        example: "\"upper\"",
    },
    takes: words(),
};

/// The long form of an entry of `use`.
pub(crate) static USE_TABLE: TableShape = TableShape {
    what: "a use table",
    short: Some(Short::Key(&FROM)),
    one_of: &[],
    groups: &[&[&FROM, &PREFIX, &SPELL]],
};

pub(crate) static RUN: Field<Arc<str>> = Field {
    key: Key {
        name: "run",
        default: "one of run and wait is required",
        becomes: "a command in the container",
        says: "A program in the container that is run.",
        example: "[\"drain\", \"--all\"]",
    },
    takes: list(ARGUMENT),
};
pub(crate) static WAIT: Field<Duration> = Field {
    key: Key {
        name: "wait",
        default: "one of run and wait is required",
        becomes: "a sleep of whole seconds",
        says: "Time to wait, so that load balancers stop sending requests first.",
        example: "\"5s\"",
    },
    takes: formatted(&format::TIME),
};

/// `before-stop`.
pub(crate) static BEFORE_STOP_TABLE: TableShape = TableShape {
    what: "a before-stop table",
    short: None,
    one_of: &[&RUN, &WAIT],
    groups: &[&[&RUN, &WAIT]],
};

/// The keys of every container.
pub(super) static CONTAINER: Group = &[
    &IMAGE,
    &BUILD,
    &PROGRAM,
    &ARGS,
    &WORKDIR,
    &USER,
    &CONFINE,
    &USE,
    &ENV,
    &mount::MOUNT,
    &CPU,
    &MEMORY,
    &BEFORE_STOP,
];

/// The keys of which a container has one.
pub(crate) static IMAGE_OR_BUILD: Group = &[&IMAGE, &BUILD];
