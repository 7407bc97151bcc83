//! Rules on secrets in plain text.

use std::borrow::Cow;

use super::{Rule, settings};
use crate::cover::{self, Certainty, is_secret_name, is_switch};
use crate::diag::{Diagnostic, Sink};
use crate::model::{Model, Part, Text, joined};

pub(super) static SECRET_IN_CLEAR: Rule = Rule {
    name: "secret-in-clear",
    summary: "A password, key or token is written in the stack file",
    why: "Everyone who can read the file, its history or the rendered objects can read the secret.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nenv.DB_PASSWORD = \"gull-and-kelp\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
             [service.a]\nimage = \"a:1\"\nenv.DB_PASSWORD = \"{secret.db/password}\"\n",
    ..Rule::BASE
};

/// What makes a text look secret, whatever its name is.
fn secret_text(text: &Text) -> Option<&'static str> {
    // Values that are filled in later are references.
    fn part(part: &Part) -> &str {
        match part {
            Part::Plain(text) => text,
            _ => "{value}",
        }
    }
    let whole = match &*text.parts {
        [one] => Cow::Borrowed(part(one)),
        parts => Cow::Owned(joined(parts.iter().map(part))),
    };
    cover::hits(&whole).iter().find(|hit| hit.certainty == Certainty::Sure).map(|hit| hit.what)
}

pub(super) fn secret_in_clear(model: &Model, sink: &mut Sink) {
    for setting in settings::all(model) {
        let text = setting.text;
        let named = text.is_plain() && is_secret_name(setting.name) && {
            let plain = text.plain_text();
            !plain.is_empty() && !is_switch(&plain)
        };
        let Some(what) = secret_text(text).or(named.then_some("a secret")) else { continue };
        // A part that looks secret is hidden anyway; the rest of the value shows where it is.
        if let Some(span) = setting.span().filter(|_| named) {
            sink.hide(span);
        }
        sink.push(
            Diagnostic::new(&SECRET_IN_CLEAR, format!("{} contains {what} in plain text", setting.words()))
                .at(setting.span(), "hidden here, but readable in the file")
                .help("define it in `[secret.NAME]` as `key.KEY = { env = \"VARIABLE\" }` and refer to it: `{secret.NAME/KEY}`")
                .help("if this file was ever shared or committed, also change the secret"),
        );
    }
}
