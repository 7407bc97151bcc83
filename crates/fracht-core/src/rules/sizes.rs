//! Rules on the sizes of configs and secrets.

use super::Rule;
use crate::diag::{Diagnostic, Sink};
use crate::model::Model;

pub(super) static CONFIG_TOO_LARGE: Rule = Rule {
    name: "config-too-large",
    summary: "A config is larger than 1 MiB",
    why: "Kubernetes does not store a larger ConfigMap.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"large.bin\" }\n\
            [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
             [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
    ..Rule::BASE
};

pub(super) fn config_too_large(model: &Model, sink: &mut Sink) {
    for config in &model.configs {
        let size: usize = config.keys.iter().map(|key| key.content.size()).sum();
        let largest = config.keys.iter().max_by_key(|key| key.content.size());
        let Some(largest) = largest.filter(|_| size > MOST_OF_SECRET) else { continue };
        let message = format!("`config.{}` is too large: {size} bytes", config.name);
        sink.push(
            Diagnostic::new(&CONFIG_TOO_LARGE, message)
                .at(config.span, "at most 1048576 bytes")
                .also(largest.span, format!("{} bytes of them", largest.content.size()))
                .help("put large files into the image or on a volume, or split the config"),
        );
    }
}

pub(super) static SECRET_TOO_LARGE: Rule = Rule {
    name: "secret-too-large",
    summary: "A secret is larger than 1 MiB",
    why: "A cluster keeps no larger Secret.",
    fails: "[stack]\nname = \"s\"\n[secret.c]\nkey.a = { file = \"large.bin\" }\n\
            [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"secret.c\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.c]\nkey.a = { file = \"present.txt\" }\n\
             [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"secret.c\"\n",
    always_error: true,
    ..Rule::BASE
};

/// The most bytes of all values of a config or of a secret (`MaxSecretSize`, core/v1).
pub const MOST_OF_SECRET: usize = 1 << 20;

pub(super) fn secret_too_large(model: &Model, sink: &mut Sink) {
    for secret in &model.secrets {
        let size: u64 = secret.keys.iter().filter_map(|key| key.size).sum();
        let largest = secret.keys.iter().max_by_key(|key| key.size);
        let Some(largest) = largest.filter(|_| size > MOST_OF_SECRET as u64) else { continue };
        let message = format!("`secret.{}` has {size} bytes, more than a cluster keeps", secret.name);
        sink.push(
            Diagnostic::new(&SECRET_TOO_LARGE, message)
                .at(largest.span, "at most 1048576 bytes in a secret")
                .help("split the secret, or bring large files with a volume"),
        );
    }
}
