//! `[build.NAME]`.

use std::sync::Arc;

use super::field::{Field, STRING, Template, formatted, template};
use super::format;
use super::shape::{Key, TableShape};
use crate::grammar::quantity::Quantity;

pub(crate) static SOURCE: Field<Arc<str>> = Field {
    key: Key {
        name: "source",
        default: "required",
        becomes: "not rendered: used when the image is built",
        says: "The folder that the image is made from.",
        example: "\"./forecast\"",
    },
    takes: STRING,
};
pub(crate) static RECIPE: Field<Arc<str>> = Field {
    key: Key {
        name: "recipe",
        default: "Containerfile",
        becomes: "not rendered: used when the image is built",
        says: "The recipe, by its path in the folder.",
        example: "\"Containerfile\"",
    },
    takes: STRING,
};
pub(crate) static IGNORE: Field<Arc<str>> = Field {
    key: Key {
        name: "ignore",
        default: ".frachtignore, if it is there",
        becomes: "nothing: it counts for the tag `content`",
        says: "The file, by its path in the folder, that says which files are no part of the build.",
        example: "\".gitignore\"",
    },
    takes: STRING,
};
pub(crate) static LARGEST: Field<Quantity> = Field {
    key: Key {
        name: "largest",
        default: "256Mi",
        becomes: "nothing: it counts for the tag `content`",
        says: "The size up to which a file of the folder is read.",
        example: "\"2Gi\"",
    },
    takes: formatted(&format::SIZE),
};
pub(crate) static TAG: Field<Template> = Field {
    key: Key {
        name: "tag",
        default: "content",
        becomes: "the tag of the image",
        says: "The image's tag; `content` is a digest of the folder, so that new content is a new tag.",
        example: "\"{input.version}\"",
    },
    takes: template(&format::TAG),
};

/// `[build.NAME]`.
pub(crate) static BUILD_TABLE: TableShape = TableShape {
    what: "a build",
    short: None,
    one_of: &[],
    groups: &[&[&SOURCE, &RECIPE, &IGNORE, &LARGEST, &TAG]],
};
