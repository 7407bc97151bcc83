//! `[build.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{Field, STRING, Template, formatted, named, scalar, template};
use super::format;
use super::shape::{Key, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::quantity::Quantity;
use crate::grammar::reference::References;

pub(crate) static SOURCE: Field<Arc<str>> = Field {
    key: Key {
        name: "source",
        default: "required",
        becomes: "–",
        description: "Folder that the image is built from.",
        example: "\"./forecast\"",
    },
    takes: STRING,
};
pub(crate) static RECIPE: Field<Arc<str>> = Field {
    key: Key {
        name: "recipe",
        default: "Containerfile",
        becomes: "–",
        description: "Path of the recipe in the folder; `none` if another tool makes the image.",
        example: "\"Containerfile\"",
    },
    takes: STRING,
};
pub(crate) static ARGS: Field<Template> = Field {
    key: Key {
        name: "args",
        default: "none",
        becomes: "tag of the image, if it is `content`",
        description: "Arguments of the recipe. `{build.NAME}` is the image of another build, which is then built first.",
        example: "{ BASE = \"{build.tools}\" }",
    },
    takes: named(NameKind::Variable, scalar(References::Known)),
};
pub(crate) static IGNORE: Field<Arc<str>> = Field {
    key: Key {
        name: "ignore",
        default: ".frachtignore, if it exists",
        becomes: "tag of the image, if it is `content`",
        description: "Path of the ignore file in the folder: it lists files that are not part of the build.",
        example: "\".gitignore\"",
    },
    takes: STRING,
};
pub(crate) static LARGEST: Field<Quantity> = Field {
    key: Key {
        name: "largest",
        default: "256Mi",
        becomes: "tag of the image, if it is `content`",
        description: "Largest file of the folder that is read.",
        example: "\"2Gi\"",
    },
    takes: formatted(&format::SIZE),
};
pub(crate) static TAG: Field<Template> = Field {
    key: Key {
        name: "tag",
        default: "content",
        becomes: "the tag of the image",
        description: "Tag of the image; `content` is a digest of the folder, the recipe, the arguments and the builds that it takes from, so that new content gets a new tag.",
        example: "\"{input.version}\"",
    },
    takes: template(&format::TAG),
};

/// `[build.NAME]`.
pub(crate) static BUILD_TABLE: TableShape = TableShape {
    what: "a build",
    short: None,
    one_of: &[],
    groups: &[&[&SOURCE, &RECIPE, &ARGS, &IGNORE, &LARGEST, &TAG, &ALLOW]],
};
