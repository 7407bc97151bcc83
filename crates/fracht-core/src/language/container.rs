//! The keys that every container has: those of services, tasks and sidecars.

use std::sync::Arc;
use std::time::Duration;

use super::allow::ALLOW;
use super::field::{
    ARGUMENT, Field, TEXT, Table, Template, formatted, list, name, named, one_or_list, reference, scalar,
    table, template, words,
};
use super::format;
use super::mount;
use super::shape::{Group, Key, Short, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::quantity::Bounds;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::grammar::user::User;
use crate::model::{Confine, Fetch, Spell};

pub(crate) static IMAGE: Field<Template> = Field {
    key: Key {
        name: "image",
        default: "required: `image` or `build`",
        becomes: "the container's image",
        description: "Image to run.",
        example: "\"registry.example/tidedesk/gateway:2.1\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static BUILD: Field<Arc<str>> = Field {
    key: Key {
        name: "build",
        default: "required: `image` or `build`",
        becomes: "the container's image: the target's registry, the build's name and tag",
        description: "Name of the build whose image to run.",
        example: "\"forecast\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static FETCH: Field<Fetch> = Field {
    key: Key {
        name: "fetch",
        default: "missing; with the tag `latest` always",
        becomes: "imagePullPolicy",
        description: "When the image is fetched from its registry: `always` at each start, if it is `missing`, or `never`.",
        example: "\"always\"",
    },
    takes: words(),
};
pub(crate) static PROGRAM: Field<Template> = Field {
    key: Key {
        name: "program",
        default: "from the image",
        becomes: "the container's command",
        description: "Program to run instead of the image's own.",
        example: "[\"/usr/bin/forecast\"]",
    },
    takes: list(TEXT),
};
pub(crate) static ARGS: Field<Template> = Field {
    key: Key {
        name: "args",
        default: "from the image",
        becomes: "the container's args",
        description: "Arguments of the program.",
        example: "[\"serve\", \"--region={config.model/REGION}\"]",
    },
    takes: list(TEXT),
};
pub(crate) static WORKDIR: Field<Arc<str>> = Field {
    key: Key {
        name: "workdir",
        default: "from the image",
        becomes: "the container's workingDir",
        description: "Working folder.",
        example: "\"/srv\"",
    },
    takes: name(NameKind::Folder),
};
pub(crate) static USER: Field<User> = Field {
    key: Key {
        name: "user",
        default: "from the image",
        becomes: "runAsUser, runAsGroup, runAsNonRoot; fsGroup if a mount needs a group",
        description: "User to run as, and optionally group.",
        example: "\"10001:10001\"",
    },
    takes: formatted(&format::USER),
};
pub(crate) static CONFINE: Field<Confine> = Field {
    key: Key {
        name: "confine",
        default: "normal",
        becomes: "the container's securityContext",
        description: "How far the container is restricted. strict: the \"restricted\" profile; normal: no privilege escalation; off: no restrictions.",
        example: "\"strict\"",
    },
    takes: words(),
};
pub(crate) static USE: Field<Table> = Field {
    key: Key {
        name: "use",
        default: "none",
        becomes: "the container's envFrom, or env where names differ from keys",
        description: "Configs and secrets whose keys become variables; `env` overrides them, later ones override earlier ones.",
        example: "[\"config.model\", { from = \"config.app\", prefix = \"APP_\", spell = \"upper\" }]",
    },
    takes: one_or_list(table(&USE_TABLE)),
};
pub(crate) static ENV: Field<Template> = Field {
    key: Key {
        name: "env",
        default: "none",
        becomes: "the container's env, keys of configs and secrets by reference",
        description: "Environment variables.",
        example: "{ LOG_LEVEL = \"info\" }",
    },
    takes: named(NameKind::Variable, scalar(References::All)),
};
pub(crate) static CPU: Field<Bounds> = Field {
    key: Key {
        name: "cpu",
        default: "cluster default",
        becomes: "requests and limits of cpu",
        description: "CPU request and limit.",
        example: "\"100m..1\"",
    },
    takes: formatted(&format::CPU),
};
pub(crate) static MEMORY: Field<Bounds> = Field {
    key: Key {
        name: "memory",
        default: "cluster default",
        becomes: "requests and limits of memory",
        description: "Memory request and limit.",
        example: "\"128Mi..256Mi\"",
    },
    takes: formatted(&format::MEMORY),
};
pub(crate) static BEFORE_STOP: Field<Table> = Field {
    key: Key {
        name: "before-stop",
        default: "none",
        becomes: "a preStop hook",
        description: "Program to run, or time to wait, before it is stopped.",
        example: "{ wait = \"5s\" }",
    },
    takes: table(&BEFORE_STOP_TABLE),
};

pub(crate) static FROM: Field<Reference> = Field {
    key: Key {
        name: "from",
        default: "required",
        becomes: "the object that is referred to",
        description: "Config or secret.",
        example: "\"config.app\"",
    },
    takes: reference(&[RefKind::Config, RefKind::Secret]),
};
pub(crate) static PREFIX: Field<Arc<str>> = Field {
    key: Key {
        name: "prefix",
        default: "none",
        becomes: "prefix of variable names",
        description: "Prefix of each variable name.",
        example: "\"APP_\"",
    },
    takes: formatted(&format::PREFIX),
};
pub(crate) static SPELL: Field<Spell> = Field {
    key: Key {
        name: "spell",
        default: "same",
        becomes: "rest of variable names",
        description: "Keys as they are, or in capitals with `_` for characters that are not allowed.",
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
        default: "required: `run` or `wait`",
        becomes: "a command in the container",
        description: "Program to run in the container.",
        example: "[\"drain\", \"--all\"]",
    },
    takes: list(ARGUMENT),
};
pub(crate) static WAIT: Field<Duration> = Field {
    key: Key {
        name: "wait",
        default: "required: `run` or `wait`",
        becomes: "a sleep of whole seconds",
        description: "Time to wait, so that load balancers stop sending requests first.",
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
    &FETCH,
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
    &ALLOW,
];

/// The keys of which a container has one.
pub(crate) static IMAGE_OR_BUILD: Group = &[&IMAGE, &BUILD];
