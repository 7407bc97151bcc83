//! Rules on secrets in plain text.

use super::Rule;
use super::written::{self, Kind};
use crate::cover;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, SecretForm};
use crate::source::Sources;

pub(super) static SECRET_IN_CLEAR: Rule = Rule {
    name: "secret-in-clear",
    summary: "A password, key or token is written in the stack file",
    why: "Everyone who can read the file, its history or the rendered objects can read the secret.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.DB_PASSWORD = \"gull-and-kelp\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
             [service.a]\nimage = \"a:1.0\"\nenv.DB_PASSWORD = \"{secret.db/password}\"\n",
    ..Rule::BASE
};

pub(super) fn secret_in_clear(model: &Model, sources: &Sources, sink: &mut Sink) {
    for text in written::all(model, sources) {
        if text.kind == Kind::Label && is_name_of_secret(model, &text.text) {
            continue;
        }
        for clear in cover::in_clear(text.name, &text.before, &text.text) {
            let place = text.place(clear.range);
            // Also what only its name tells is not shown.
            sink.hide(place);
            let help = match text.kind {
                Kind::File | Kind::Template | Kind::Key => {
                    "keep the whole text as a secret: `key.KEY = { file = \"PATH\" }` in `[secret.NAME]`, and mount that"
                }
                Kind::Label => {
                    "remove it; if it is the name of a Secret, define that one: `secret.NAME.present = \"…\"`"
                }
                Kind::Default => "remove the default, and set it from outside",
                Kind::Command => "let the program read it from a variable that refers to a secret",
                Kind::Line | Kind::PlainLine => {
                    "list the plain keys in `keys`, and take this one as a secret: `lines` and `keys` in `[secret.NAME]`"
                }
                Kind::Variable | Kind::Argument => {
                    "define it in `[secret.NAME]` as `key.KEY = { env = \"VARIABLE\" }` and refer to it: `{secret.NAME/KEY}`"
                }
            };
            let problem = Diagnostic::new(
                &SECRET_IN_CLEAR,
                format!("{} contains {} in plain text", text.words(), clear.what),
            )
            .at(place, "hidden here, but readable in the file")
            .help(help)
            .help("if this file was ever shared or committed, also change the secret");
            sink.push(text.owner.owns(problem));
        }
    }
}

/// Whether a text is the name that a secret of the stack has in the cluster, maybe after a namespace.
fn is_name_of_secret(model: &Model, text: &str) -> bool {
    let name = text.rsplit('/').next().unwrap_or_default();
    // One dash, or two if the name of the stack has one.
    let rest = name.strip_prefix(&*model.name.value).and_then(|rest| rest.strip_prefix('-'));
    let in_stack = rest.map(|rest| rest.strip_prefix('-').unwrap_or(rest));
    model.secrets.iter().any(|secret| match &secret.present {
        Some(present) => *present.value == *name,
        None => in_stack == Some(&*secret.name),
    })
}

pub(super) static SECRET_ENCODED_TWICE: Rule = Rule {
    name: "secret-encoded-twice",
    severity: Severity::Warning,
    summary: "A secret is encoded by hand, or begins with a byte-order mark",
    why: "Fracht encodes values for the cluster itself. The program would get the encoded text, or a mark that nobody sees.",
    fails: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { file = \"encoded.txt\" }\n\
            [service.a]\nimage = \"a:1.0\"\nenv.PW = \"{secret.db/password}\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { file = \"present.txt\" }\n\
             [service.a]\nimage = \"a:1.0\"\nenv.PW = \"{secret.db/password}\"\n",
    ..Rule::BASE
};

pub(super) fn secret_encoded_twice(model: &Model, sink: &mut Sink) {
    for secret in &model.secrets {
        for key in &secret.keys {
            let name = key.name.to_ascii_lowercase();
            let says = name.ends_with("base64") || name.ends_with("b64");
            let (what, label, help) = match key.form {
                // The name says that the program expects it so.
                Some(SecretForm::Base64) if !says => (
                    "is base64 text already",
                    "the file is encoded",
                    "put the plain value into the file, without a line break at its end",
                ),
                Some(SecretForm::Marked) => (
                    "begins with a byte-order mark",
                    "invisible at its start",
                    "save the file as UTF-8 without a mark",
                ),
                _ => continue,
            };
            let message = format!("`{}` of `secret.{}` {what}", key.name, secret.name);
            sink.push(
                Diagnostic::new(&SECRET_ENCODED_TWICE, message)
                    .at(key.span, label)
                    .help(help)
                    .help(
                        "or if the program expects it so, say why: `allow.secret-encoded-twice = \"REASON\"`",
                    )
                    .of(secret.span),
            );
        }
    }
}
