//! Secrets that are not kept as such.

use super::{Check, Rule, settings};
use crate::cover::{self, Certainty, is_secret_name, is_switch};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, Part, Text};

pub(super) static SECRET_IN_CLEAR: Rule = Rule {
    name: "secret-in-clear",
    severity: Severity::Error,
    summary: "A password, key or token written in the stack.",
    why: "Whoever reads the file, its history or the objects made of it has the secret.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nenv.DB_PASSWORD = \"gull-and-kelp\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
             [service.a]\nimage = \"a:1\"\nenv.DB_PASSWORD = \"{secret.db/password}\"\n",
    fixed: false,
    check: Check::Model(secret_in_clear),
};

/// Why a text is secret by itself, whatever its name is.
fn secret_text(text: &Text) -> Option<&'static str> {
    // What is put in later is a reference, wherever its value comes from.
    let part = |part: &Part| match part {
        Part::Plain(text) => text.to_string(),
        _ => "{value}".to_owned(),
    };
    let whole: String = text.parts.iter().map(part).collect();
    cover::hits(&whole).iter().find(|hit| hit.certainty == Certainty::Sure).map(|hit| hit.what)
}

fn secret_in_clear(model: &Model, sink: &mut Sink) {
    for setting in settings::all(model) {
        let text = setting.text;
        let plain = text.is_plain() && !text.plain().is_empty();
        let named = plain && is_secret_name(setting.name) && !is_switch(&text.plain());
        let Some(what) = secret_text(text).or(named.then_some("a secret")) else { continue };
        // What looks secret by itself is covered by its looks, and the rest of the value tells where it is.
        if let Some(span) = setting.span().filter(|_| named) {
            sink.hide(span);
        }
        sink.push(
            Diagnostic::new("secret-in-clear", format!("{} holds {what} in clear.", setting.words()))
                .at(setting.span(), "hidden here, but not in the file")
                .help("Keep it in a secret, [secret.NAME] with key.KEY = { env = \"VARIABLE\" }, and write {secret.NAME/KEY}.")
                .help("If this file was ever shared, change the secret: it is no longer one."),
        );
    }
}

pub(super) static SECRET_IN_CONFIG: Rule = Rule {
    name: "secret-in-config",
    severity: Severity::Error,
    summary: "A config that refers to a secret.",
    why: "Configs are kept and shown in clear; the secret would be one no more.",
    fails: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
            [config.c]\nkey.url = \"sql://tide:{secret.db/password}@db\"\n\
            [service.a]\nimage = \"a:1\"\nenv.PW = \"{secret.db/password}\"\nmount.\"/c\" = \"config.c\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
             [service.a]\nimage = \"a:1\"\nenv.URL = \"sql://tide:{secret.db/password}@db\"\n",
    fixed: true,
    check: Check::Reading,
};
