//! The keys that every container has: those of services, tasks and helpers. One constant each: a table is a
//! list of them.

use super::shape::{BYTE_BOUNDS, BYTES, CPU_BOUNDS, IMAGE, Key, MODE, Shape, TIME, TableShape, USER};
use crate::grammar::name::NameKind;

pub(super) const IMAGE_KEY: Key = Key {
    name: "image",
    shape: Shape::TextOf(&IMAGE),
    default: "this or build is required",
    becomes: "the container's image",
    says: "The image to run.",
    example: "\"registry.example/tidedesk/gateway:2.1\"",
};
pub(super) const BUILD_KEY: Key = Key {
    name: "build",
    shape: Shape::Name(NameKind::Label),
    default: "this or image is required",
    becomes: "the container's image: the target's registry, the build's name and tag",
    says: "The build whose image to run, by name.",
    example: "\"forecast\"",
};
pub(super) const PROGRAM: Key = Key {
    name: "program",
    shape: Shape::List(&Shape::Text),
    default: "the image's own",
    becomes: "the container's command",
    says: "What is run in place of the image's program.",
    example: "[\"/usr/bin/forecast\"]",
};
pub(super) const ARGS: Key = Key {
    name: "args",
    shape: Shape::List(&Shape::Text),
    default: "the image's own",
    becomes: "the container's args",
    says: "What the program is started with.",
    example: "[\"serve\", \"--region={config.model/REGION}\"]",
};
pub(super) const WORKDIR: Key = Key {
    name: "workdir",
    shape: Shape::Name(NameKind::Folder),
    default: "the image's own",
    becomes: "the container's workingDir",
    says: "The folder to start in.",
    example: "\"/srv\"",
};
pub(super) const RUN_AS: Key = Key {
    name: "user",
    shape: Shape::Small(&USER),
    default: "the image's own",
    becomes: "runAsUser, runAsGroup and runAsNonRoot; fsGroup where it needs a group to write or read what it mounts",
    says: "The user, and maybe group, to run as.",
    example: "\"10001:10001\"",
};
pub(super) const CONFINE: Key = Key {
    name: "confine",
    shape: Shape::Word(&["strict", "normal", "off"]),
    default: "normal",
    becomes: "the container's securityContext",
    says: "What it may do on its node: as good as nothing, what ordinary images need, all that the cluster allows.",
    example: "\"strict\"",
};
pub(super) const USE_KEY: Key = Key {
    name: "use",
    shape: Shape::List(&Shape::ShortOr(&Shape::Reference(&["config", "secret"]), &USE)),
    default: "none",
    becomes: "the container's envFrom, or env where names differ from keys",
    says: "Configs and secrets whose keys are variables; `env` wins over them, and later ones over earlier ones.",
    example: "[\"config.model\", { from = \"config.app\", prefix = \"APP_\", spell = \"upper\" }]",
};
pub(super) const ENV: Key = Key {
    name: "env",
    shape: Shape::Map(NameKind::Variable, &Shape::Setting),
    default: "none",
    becomes: "the container's env, keys of configs and secrets by reference",
    says: "Environment variables.",
    example: "{ LOG_LEVEL = \"info\" }",
};
pub(super) const MOUNT_KEY: Key = Key {
    name: "mount",
    shape: Shape::Map(
        NameKind::Path,
        &Shape::ShortOr(&Shape::Reference(&["volume", "config", "secret"]), &MOUNT),
    ),
    default: "none",
    becomes: "the pod's volumes and the container's volumeMounts",
    says: "What is mounted at which path.",
    example: "{ \"/var/lib/data\" = \"volume.tides\" }",
};
pub(super) const CPU: Key = Key {
    name: "cpu",
    shape: Shape::Small(&CPU_BOUNDS),
    default: "what the cluster gives",
    becomes: "requests and limits of cpu",
    says: "Processor set aside and allowed.",
    example: "\"100m..1\"",
};
pub(super) const MEMORY: Key = Key {
    name: "memory",
    shape: Shape::Small(&BYTE_BOUNDS),
    default: "what the cluster gives",
    becomes: "requests and limits of memory",
    says: "Memory set aside and allowed.",
    example: "\"128Mi..256Mi\"",
};
pub(super) const BEFORE_STOP_KEY: Key = Key {
    name: "before-stop",
    shape: Shape::Table(&BEFORE_STOP),
    default: "nothing",
    becomes: "a preStop hook",
    says: "What happens before it is told to stop.",
    example: "{ wait = \"5s\" }",
};

/// The long form of an entry of `use`.
pub(super) static USE: TableShape = TableShape {
    what: "a table of a use",
    short_for: &["from"],
    one_of: &[],
    keys: &[
        Key {
            name: "from",
            shape: Shape::Reference(&["config", "secret"]),
            default: "required",
            becomes: "the object that is referred to",
            says: "The config or secret.",
            example: "\"config.app\"",
        },
        Key {
            name: "prefix",
            shape: Shape::Plain,
            default: "none",
            becomes: "the beginning of each variable's name",
            says: "What the name of each variable begins with.",
            example: "\"APP_\"",
        },
        Key {
            name: "spell",
            shape: Shape::Word(&["same", "upper"]),
            default: "same",
            becomes: "the rest of each variable's name",
            says: "The key as it is, or in capitals with `_` for whatever a variable can't have.",
            example: "\"upper\"",
        },
    ],
};

/// `before-stop`.
pub(super) static BEFORE_STOP: TableShape = TableShape {
    what: "a table of what happens before a stop",
    short_for: &[],
    one_of: &["run", "wait"],
    keys: &[
        Key {
            name: "run",
            shape: Shape::List(&Shape::Plain),
            default: "one of run and wait is required",
            becomes: "a command in the container",
            says: "A program in the container that is run.",
            example: "[\"drain\", \"--all\"]",
        },
        Key {
            name: "wait",
            shape: Shape::Small(&TIME),
            default: "one of run and wait is required",
            becomes: "a sleep of whole seconds",
            says: "Time that passes, in which those in front of it learn that it goes.",
            example: "\"5s\"",
        },
    ],
};

/// The long form of a mount.
pub(super) static MOUNT: TableShape = TableShape {
    what: "a table of a mount",
    short_for: &["from"],
    one_of: &["from", "scratch", "folder"],
    keys: &[
        Key {
            name: "from",
            shape: Shape::Reference(&["volume", "config", "secret"]),
            default: "one of from, scratch and folder is required",
            becomes: "a volume of the pod: a claim, a config, a secret",
            says: "The volume, config or secret, or a key of one of these two.",
            example: "\"config.model/stations.csv\"",
        },
        Key {
            name: "scratch",
            shape: Shape::Small(&BYTES),
            default: "one of from, scratch and folder is required",
            becomes: "an emptyDir with a size limit",
            says: "An empty folder of at most this size, gone with the pod; each container has one of its own.",
            example: "\"64Mi\"",
        },
        Key {
            name: "shared",
            shape: Shape::Name(NameKind::Label),
            default: "none: the container's own",
            becomes: "one emptyDir for the containers that say the same name",
            says: "A name under which containers of one pod share a scratch folder.",
            example: "\"spool\"",
        },
        Key {
            name: "folder",
            shape: Shape::Plain,
            default: "one of from, scratch and folder is required",
            becomes: "nothing: an error in a cluster",
            says: "A folder of the stack's own folder, on a machine only: source code while it is written.",
            example: "\"./src\"",
        },
        Key {
            name: "part",
            shape: Shape::Plain,
            default: "the whole",
            becomes: "subPath",
            says: "A folder in the volume that is mounted in place of the whole, by its path there.",
            example: "\"tables/2026\"",
        },
        Key {
            name: "mode",
            shape: Shape::Small(&MODE),
            default: "0644",
            becomes: "defaultMode",
            says: "The permission bits of the files of a config or a secret.",
            example: "\"0440\"",
        },
        Key {
            name: "read-only",
            shape: Shape::Boolean,
            default: "false; always true for configs, secrets and volumes of many readers",
            becomes: "readOnly",
            says: "Whether it can't be written to.",
            example: "true",
        },
    ],
};
