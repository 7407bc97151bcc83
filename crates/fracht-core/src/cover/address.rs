//! Finds passwords, tokens and keys in addresses.

use std::ops::Range;

use super::Certainty::{Likely, Sure};
use super::Hit;
use super::word::{at, is_random, is_reference, is_token, split_words};

/// `user:password@` and `scheme://token@`.
pub(super) fn logins(text: &str, hits: &mut Vec<Hit>) {
    for (start, word) in split_words(text) {
        let Some(sign) = word.rfind('@') else { continue };
        let (left, right) = (at(word, 0..sign), at(word, sign + 1..word.len()));
        let scheme = left.rfind("://");
        let from = scheme.map_or(0, |scheme| scheme + 3);
        let login = at(left, from..left.len());
        // The scheme may be the end of a longer word, such as `mirror=https://…`.
        let Some(colon) = colon_of(login) else {
            if scheme.is_some() && is_token(login) {
                let range = start + from..start + sign;
                hits.push(Hit { range, what: "a token in an address", certainty: Likely, in_prose: true });
            }
            continue;
        };
        let (user, password) = (at(login, 0..colon), at(login, colon + 1..login.len()));
        if password.is_empty() || is_reference(password) {
            continue;
        }
        let digest = right.split_once(':').is_some_and(|(name, hex)| {
            name.starts_with("sha") && hex.len() >= 32 && hex.bytes().take(32).all(|b| b.is_ascii_hexdigit())
        });
        let no_login =
            digest && scheme.is_none() || ["mailto", "sip", "sips", "xmpp", "acct"].contains(&user);
        // A port, and an `@` further on in the path.
        let port = scheme.is_some()
            && password.split(['/', '?', '#']).next().is_some_and(|port| {
                port.len() < password.len() && !port.is_empty() && port.bytes().all(|b| b.is_ascii_digit())
            });
        if no_login || port {
            continue;
        }
        let plain_authority = scheme.is_some() && !login.contains(['?', '#']) && !password.contains('/');
        let source_name = ["tcp(", "unix(", "udp("].iter().any(|form| right.starts_with(form));
        let certainty = if plain_authority || source_name { Sure } else { Likely };
        // Some addresses have a token instead of a user name.
        let first = if user.len() >= 16 && is_token(user) { 0 } else { colon + 1 };
        let range = start + from + first..start + sign;
        hits.push(Hit { range, what: "a password in an address", certainty, in_prose: true });
    }
}

/// What a key in the path of an address looks like.
pub(super) const KEY_IN_PATH: &str = "a key in an address";

/// Keys in the paths of addresses, such as those of webhooks.
pub(super) fn paths(text: &str, hits: &mut Vec<Hit>) {
    if !text.contains("://") {
        return;
    }
    for (start, word) in split_words(text) {
        let Some((scheme, rest)) = word.split_once("://") else { continue };
        let mut at = start + scheme.len() + 3;
        for (index, part) in rest.split(['/', '-', '_', '.', '?', '#', '&', ',', ';']).enumerate() {
            let plain = part.bytes().all(|b| b.is_ascii_alphanumeric());
            let mixed =
                part.bytes().any(|b| b.is_ascii_lowercase()) && part.bytes().any(|b| b.is_ascii_uppercase());
            if index > 0 && plain && mixed && is_random(part) {
                let range = at..at + part.len();
                hits.push(Hit { range, what: KEY_IN_PATH, certainty: Likely, in_prose: true });
            }
            at += part.len() + 1;
        }
    }
}

/// The first colon of a login that is not part of a reference.
fn colon_of(login: &str) -> Option<usize> {
    let mut depth = 0_usize;
    login.char_indices().find_map(|(index, c)| {
        match c {
            '{' | '(' => depth += 1,
            '}' | ')' => depth = depth.saturating_sub(1),
            _ => {}
        }
        (c == ':' && depth == 0).then_some(index)
    })
}

/// The bytes of the password in `user:password`; `None` for two numbers, which are a user ID and a group ID.
pub(super) fn password_of(login: &str) -> Option<Range<usize>> {
    let colon = colon_of(login)?;
    let (user, password) = (at(login, 0..colon), at(login, colon + 1..login.len()));
    let number = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
    let none = password.is_empty() || is_reference(password) || number(user) && number(password);
    (!none).then_some(colon + 1..login.len())
}
