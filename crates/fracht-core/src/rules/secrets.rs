//! Secrets that are not kept as such.

use super::{Check, Rule, settings};
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

/// Words that a name ends with, or has in it, when its value is secret.
const SECRET_WORDS: [&str; 10] = [
    "PASSWORD",
    "PASSWD",
    "PASSPHRASE",
    "SECRET",
    "TOKEN",
    "CREDENTIAL",
    "CREDENTIALS",
    "PWD",
    "APIKEY",
    "PASS",
];
const SECRET_PAIRS: [&str; 6] =
    ["API_KEY", "PRIVATE_KEY", "SECRET_KEY", "ACCESS_KEY", "SIGNING_KEY", "ENCRYPTION_KEY"];

/// Whether a setting of this name holds a secret. The last word counts: a file, a path or a time of a
/// secret is none.
pub fn is_secret_name(name: &str) -> bool {
    let name = name.to_uppercase().replace(['-', '.'], "_");
    let last = name.rsplit('_').next().unwrap_or_default();
    SECRET_WORDS.contains(&last) || SECRET_PAIRS.iter().any(|pair| name.ends_with(pair))
}

/// Why a text is secret by itself, whatever its name is.
fn secret_text(text: &Text) -> Option<&'static str> {
    match text.parts.first() {
        Some(Part::Plain(first)) => secret_in(first),
        _ => None,
    }
}

/// What in a text is secret by its looks: a private key, a password in an address.
pub fn secret_in(first: &str) -> Option<&'static str> {
    if first.contains("-----BEGIN") && first.contains("PRIVATE KEY-----") {
        return Some("a private key");
    }
    let (_, rest) = first.split_once("://")?;
    let authority = rest.split(['/', '?', '#']).next().unwrap_or_default();
    let (login, _) = authority.rsplit_once('@')?;
    let (_, password) = login.split_once(':')?;
    // What the cluster puts in its place is none.
    (!password.is_empty() && !password.starts_with("$(")).then_some("a password in an address")
}

fn secret_in_clear(model: &Model, sink: &mut Sink) {
    for setting in settings::all(model) {
        let text = setting.text;
        let plain = text.is_plain() && !text.plain().is_empty();
        let named = plain && is_secret_name(setting.name) && !is_switch(&text.plain());
        let Some(what) = secret_text(text).or(named.then_some("a secret")) else { continue };
        if let Some(span) = setting.span() {
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

/// Values that say whether there is a secret rather than being one.
fn is_switch(text: &str) -> bool {
    ["true", "false", "yes", "no", "on", "off", "0", "1", "none"].contains(&text.to_lowercase().as_str())
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_secrets_are_told_from_names_about_secrets() {
        for name in ["DB_PASSWORD", "token", "api-key", "APP_SECRET", "STRIPE_PRIVATE_KEY", "db.pwd"] {
            assert!(is_secret_name(name), "{name}");
        }
        for name in ["DB_PASSWORD_FILE", "TOKEN_TTL", "KEY", "COMPASS", "SECRETARY", "PUBLIC_KEY", ""] {
            assert!(!is_secret_name(name), "{name}");
        }
    }
}
