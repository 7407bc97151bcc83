//! The table of names: which settings contain secrets.
//!
//! A name is split into words at `_`, `-`, `.` and where a capital letter follows a lowercase one. The last word tells
//! what the value is: the file, path or lifetime of a secret is not secret.

use super::Certainty::{self, Likely, Sure};

/// Last words of names of secrets, alone or with the word before.
const WORDS: &[(&str, Certainty)] = &[
    ("PASSWORD", Sure),
    ("PASSWD", Sure),
    ("PASSPHRASE", Sure),
    ("PASSCODE", Sure),
    ("PASS", Sure),
    ("PWD", Sure),
    ("PW", Likely),
    ("SECRET", Sure),
    ("TOKEN", Sure),
    ("CREDENTIAL", Sure),
    ("CREDENTIALS", Sure),
    ("CRED", Likely),
    ("CREDS", Likely),
    ("APIKEY", Sure),
    ("PRIVATEKEY", Sure),
    ("SECRETKEY", Sure),
    ("ACCESSKEY", Sure),
    ("SIGNINGKEY", Sure),
    ("ENCRYPTIONKEY", Sure),
    ("MASTERKEY", Sure),
    ("KEY", Likely),
    ("SALT", Likely),
    ("PEPPER", Likely),
    ("NONCE", Likely),
    ("JWT", Likely),
    ("AUTH", Likely),
    ("AUTHORIZATION", Likely),
    ("COOKIE", Likely),
    ("PIN", Likely),
    ("OTP", Likely),
    ("SEED", Likely),
    ("SIG", Likely),
    ("SIGNATURE", Likely),
];

/// Endings of a last word: `PGPASSWORD`, `DBPASS`, `clientsecret`.
const ENDS: &[(&str, Certainty)] = &[
    ("PASSWORD", Sure),
    ("PASSWD", Sure),
    ("PASSPHRASE", Sure),
    ("APIKEY", Sure),
    ("PRIVATEKEY", Sure),
    ("SECRETKEY", Sure),
    ("MASTERKEY", Sure),
    ("SECRET", Likely),
    ("TOKEN", Likely),
    ("PASS", Likely),
    ("PWD", Likely),
    ("PW", Likely),
    ("KEY", Likely),
];

/// Words with such an ending that are not secret.
const HARMLESS_WORDS: &[&str] = &[
    "COMPASS",
    "BYPASS",
    "OVERPASS",
    "UNDERPASS",
    "TRESPASS",
    "MONKEY",
    "TURKEY",
    "HOCKEY",
    "WHISKEY",
    "DONKEY",
    "JOCKEY",
    "HOTKEY",
    "PUBKEY",
    "PUBLICKEY",
];

/// Last words of names that are about a secret, such as its length.
const ABOUT: &[&str] = &[
    "FILE",
    "PATH",
    "DIR",
    "FOLDER",
    "URL",
    "URI",
    "HOST",
    "PORT",
    "NAME",
    "ID",
    "TTL",
    "SECONDS",
    "SECS",
    "MINUTES",
    "HOURS",
    "DAYS",
    "MS",
    "EXPIRY",
    "EXPIRES",
    "EXPIRATION",
    "LIFETIME",
    "AGE",
    "TIMEOUT",
    "LENGTH",
    "LEN",
    "SIZE",
    "MIN",
    "MAX",
    "COUNT",
    "LIMIT",
    "POLICY",
    "TYPE",
    "ALG",
    "ALGORITHM",
    "ROUNDS",
    "COST",
    "ENABLED",
    "DISABLED",
    "REQUIRED",
    "HEADER",
    "FIELD",
    "REF",
    "PREFIX",
    "ISSUER",
    "AUDIENCE",
    "ENDPOINT",
    "REALM",
    "LABEL",
    "MODE",
    "FORMAT",
    "ROTATION",
    "RESET",
    "STORE",
    "PROVIDER",
    "INTERVAL",
    "VERSION",
    "SERVER",
    "SERVICE",
    "SCOPE",
    "DOMAIN",
    "METHOD",
    "DRIVER",
    "BACKEND",
    "USER",
    "USERNAME",
    "HASHER",
    "ENCODER",
    "ENCODING",
    "GENERATOR",
    "VALIDATOR",
    "VALIDATORS",
    "VALIDATION",
    "STRENGTH",
    "COMPLEXITY",
    "STRATEGY",
    "ALGO",
    "CURVE",
    "HINT",
    "PROMPT",
    "PARAM",
    "PARAMETER",
    "QUERY",
    "COLUMN",
    "TABLE",
    "TEMPLATE",
    "MANAGER",
    "BUCKET",
    "CACHE",
    "HISTORY",
    "WINDOW",
    "LEEWAY",
    "GRACE",
    "SOURCE",
];

/// Words before `KEY` for keys that are not secret.
const OPEN_KEYS: &[&str] = &["PUBLIC", "PRIMARY", "FOREIGN", "SORT", "PARTITION", "CACHE", "ROUTING", "HOT"];

/// Words before `KEY` for keys that are always secret, and last words of settings that are, whatever their value is.
const SECRET_KEYS: &[&str] = &[
    "APP",
    "APPLICATION",
    "AUTH",
    "AES",
    "ACCOUNT",
    "COOKIE",
    "CRYPT",
    "CRYPTO",
    "DEPLOY",
    "HMAC",
    "JWT",
    "LICENSE",
    "LICENCE",
    "SESSION",
    "SHARED",
    "SIGN",
    "SIGNING",
    "STORAGE",
    "WEBHOOK",
    "DATA",
    "ENC",
    "CSRF",
];
const SECRET_WORDS: &[&str] = &["PW", "SALT", "PEPPER", "CREDS", "CRED"];

/// Last words that tell the form of a value, or which of several it is.
const FORMS: &[&str] =
    &["B64", "BASE64", "HEX", "ENC", "OLD", "NEW", "PREVIOUS", "CURRENT", "DEFAULT", "BASE"];

/// Removes the words at the end that tell the form of a value: `PASSWORD_2` and `PASSWORD_B64` are as secret as
/// `PASSWORD`.
fn drop_forms(words: &mut Vec<String>) {
    let is_form = |word: &String| FORMS.contains(&word.as_str()) || word.bytes().all(|b| b.is_ascii_digit());
    while words.len() > 1 && words.last().is_some_and(is_form) {
        words.pop();
    }
}

/// Whether a name that is likely that of a secret is one of a known secret key, such as `SESSION_KEY`.
pub(super) fn is_known_key(name: &str) -> bool {
    let mut words = words(name);
    drop_forms(&mut words);
    let Some((last, before)) = words.split_last() else { return false };
    let before = before.last().map_or("", String::as_str);
    let known = |end: &str| ENDS.iter().any(|(known, _)| *known == end && end != "KEY");
    SECRET_WORDS.contains(&last.as_str())
        || last == "KEY" && SECRET_KEYS.contains(&before)
        || ENDS.iter().any(|(end, _)| known(end) && last.len() > end.len() && last.ends_with(end))
        || last.strip_suffix("KEY").is_some_and(|before| SECRET_KEYS.contains(&before))
}

/// How likely a setting with this name contains a secret; `None` if it is not likely.
pub(super) fn certainty(name: &str) -> Option<Certainty> {
    if !has_trace(name) {
        return None;
    }
    let mut words = words(name);
    drop_forms(&mut words);
    let last = words.last()?.trim_end_matches(|c: char| c.is_ascii_digit());
    let before = words.len().checked_sub(2).and_then(|index| words.get(index)).map_or("", String::as_str);
    let is_public = last.ends_with("KEY") && words.iter().any(|word| word == "PUBLIC");
    if HARMLESS_WORDS.contains(&last) || is_public || last.ends_with("KEY") && OPEN_KEYS.contains(&before) {
        return None;
    }
    let of = |word: &str| WORDS.iter().find(|(known, _)| *known == word).map(|(_, certainty)| *certainty);
    let pair = format!("{before}{last}");
    // `MAX_TOKENS` counts them.
    let counted = ["MAX", "MIN", "NUM"].contains(&before);
    let single = last.strip_suffix('S').filter(|_| !counted).and_then(of).map(|_| Likely);
    let end = || ENDS.iter().find(|(end, _)| last.ends_with(end)).map(|(_, certainty)| *certainty);
    let own = [of(&pair), of(last), single, end()].into_iter().flatten().max();
    if own.is_some() {
        return own;
    }
    // `SECRET_KEY_BASE`, `PASSWORD_OLD`: the last word is unknown, so an earlier one decides.
    let about = ABOUT.contains(&last);
    let any = words.iter().any(|word| of(word) == Some(Sure));
    (any && !about).then_some(Likely)
}

/// The shortest parts of all names of secrets, in capitals.
const TRACES: &[&str] = &[
    "PASS", "PW", "SECRET", "TOKEN", "CRED", "KEY", "SALT", "PEPPER", "NONCE", "JWT", "AUTH", "COOKIE",
    "PIN", "OTP", "SEED", "SIG",
];

/// Whether a name has a part of the name of a secret, also across its words. Most names have none, and need no closer
/// look.
fn has_trace(name: &str) -> bool {
    let bytes = name.as_bytes();
    // Other letters may become capitals that are not theirs alone.
    !name.is_ascii()
        || bytes.iter().enumerate().any(|(from, first)| {
            // Words are joined, as in `API_KEY` and `PASS-WORD`.
            let letters = || bytes.iter().skip(from).filter(|byte| byte.is_ascii_alphanumeric());
            first.is_ascii_alphabetic()
                && TRACES.iter().any(|trace| {
                    trace.as_bytes().first() == Some(&first.to_ascii_uppercase())
                        && letters().take(trace.len()).map(u8::to_ascii_uppercase).eq(trace.bytes())
                })
        })
}

/// The words of a name, in capitals.
pub(crate) fn words(name: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut small_before = false;
    for c in name.chars() {
        let begins = !c.is_alphanumeric() || small_before && c.is_uppercase();
        if begins {
            words.push(String::new());
        }
        if let Some(word) = words.last_mut().filter(|_| c.is_alphanumeric()) {
            word.extend(c.to_uppercase());
        }
        small_before = c.is_lowercase();
    }
    words.retain(|word| !word.is_empty());
    words
}

/// Whether a setting with this name contains a secret.
pub fn is_secret_name(name: &str) -> bool {
    certainty(name) == Some(Sure)
}

/// Whether a setting with this name may contain a secret. Doubtful cases count.
pub fn may_be_secret_name(name: &str) -> bool {
    certainty(name).is_some()
}

/// Whether a setting with this name contains a digest or a version.
pub(super) fn is_digest_name(name: &str) -> bool {
    let known = [
        "BUILD", "COMMIT", "SHA", "SHA1", "SHA256", "REVISION", "REV", "DIGEST", "CHECKSUM", "HASH", "ETAG",
        "MD5",
    ];
    words(name).last().is_some_and(|last| known.contains(&last.as_str()))
}

/// The name in an option, such as `--db-password`; `None` for any other text.
pub fn flag_name(argument: &str) -> Option<&str> {
    let name = argument.strip_prefix("--").or_else(|| argument.strip_prefix('-'))?;
    let word = |c: char| c.is_ascii_alphanumeric() || "-_.".contains(c);
    (name.len() > 1 && name.chars().all(word)).then_some(name)
}

/// Whether many programs take `user:password` after this option.
pub fn is_login_flag(argument: &str) -> bool {
    ["-u", "--user", "--login", "--basic-auth", "--auth"].contains(&argument)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_secrets_are_found_and_names_about_secrets_are_not() {
        for name in [
            "DB_PASSWORD",
            "token",
            "api-key",
            "APP_SECRET",
            "PAYMENT_PRIVATE_KEY",
            "db.pwd",
            "PGPASSWORD",
            "MASTER_KEY",
            "PRIVATEKEY",
            "dbPassword",
            "apiKey",
            "PASSWORD_2",
            "PASSWORD2",
            "SMTP_PASS",
            "CREDENTIALS",
            "app.datasource.password",
            "secret_access_key",
            "DB_PASSWD",
            "SECRET_KEY_BASE",
            "PASSWORD_OLD",
            "TOKEN_B64",
        ] {
            assert!(is_secret_name(name), "{name}");
        }
        for name in [
            "JWT",
            "DB_CREDS",
            "APP_NONCE",
            "DB_PW",
            "MAIL_PW",
            "AUTHORIZATION",
            "PASSWORD_SALT",
            "PEPPER",
            "SESSION_KEY",
            "DBPASS",
            "TOKENS",
            "clientsecret",
            "KEY",
            "ADMIN_PIN",
            "COOKIE",
            "sig",
        ] {
            assert!(may_be_secret_name(name) && !is_secret_name(name), "{name}");
        }
        for name in [
            "DB_PASSWORD_FILE",
            "TOKEN_TTL",
            "COMPASS",
            "SECRETARY",
            "PUBLIC_KEY",
            "",
            "_",
            "42",
            "LOG_LEVEL",
            "PASSWORD_MIN_LENGTH",
            "MONKEY",
            "TOKEN_URL",
            "SORT_KEY",
            "BYPASS",
            "KEYBOARD",
            "SECRET_NAME",
            "STATIONS",
            "TIDE_MODEL",
            "DATABASE_URL",
            "BASSIN",
            "COOKIE_DOMAIN",
            "AUTHOR",
            "MAX_TOKENS",
            "password-policy",
        ] {
            assert!(!may_be_secret_name(name), "{name}");
        }
    }

    /// Every name of a secret has a trace.
    #[test]
    fn every_word_has_a_trace() {
        for (word, _) in WORDS.iter().chain(ENDS) {
            assert!(TRACES.iter().any(|trace| word.contains(trace)), "{word}");
            assert!(has_trace(word) && has_trace(&format!("MY_{}", word.to_lowercase())), "{word}");
        }
        assert!(!has_trace("LOG_LEVEL") && !has_trace("REGION"));
    }
}
