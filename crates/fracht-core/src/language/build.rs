//! `[build.NAME]`.

use super::shape::{BYTES, Key, Shape, TAG, TableShape};

/// `[build.NAME]`.
pub(super) static BUILD: TableShape = TableShape {
    what: "a build",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "source",
            shape: Shape::Plain,
            default: "required",
            becomes: "nothing: whoever builds the image reads it",
            says: "The folder that the image is made from.",
            example: "\"./forecast\"",
        },
        Key {
            name: "recipe",
            shape: Shape::Plain,
            default: "Containerfile",
            becomes: "nothing: whoever builds the image reads it",
            says: "The recipe, by its path in the folder.",
            example: "\"Containerfile\"",
        },
        Key {
            name: "ignore",
            shape: Shape::Plain,
            default: ".frachtignore, if it is there",
            becomes: "nothing: it counts for the tag `content`",
            says: "The file, by its path in the folder, that says which files are no part of the build.",
            example: "\".gitignore\"",
        },
        Key {
            name: "largest",
            shape: Shape::Small(&BYTES),
            default: "256Mi",
            becomes: "nothing: it counts for the tag `content`",
            says: "The size up to which a file of the folder is read.",
            example: "\"2Gi\"",
        },
        Key {
            name: "tag",
            shape: Shape::TextOf(&TAG),
            default: "content",
            becomes: "the tag of the image",
            says: "The image's tag; `content` is a digest of the folder, so that new content is a new tag.",
            example: "\"{input.version}\"",
        },
    ],
};
