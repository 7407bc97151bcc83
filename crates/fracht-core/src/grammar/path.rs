//! Paths to a value of a stack, in the syntax of dotted TOML keys: `service.api.env.LOG_LEVEL`,
//! `service.api.mount."/tmp"`.

use super::invalid::Invalid;
use std::fmt::Write as _;

/// Reads a path.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Vec<String>, Invalid> {
    let shape = || "not keys with dots between them".to_owned();
    let mut keys = Vec::new();
    let mut rest = text.trim();
    loop {
        let after = if let Some(quote @ ('"' | '\'')) = rest.chars().next() {
            let inside = rest.get(1..).unwrap_or_default();
            let (key, after) = inside.split_once(quote).ok_or("unclosed quote")?;
            keys.push(key.to_owned());
            after
        } else {
            let end = rest.find('.').unwrap_or(rest.len());
            let (key, after) = rest.split_at(end);
            let bare = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
            if key.is_empty() || !key.chars().all(bare) {
                return Err(shape().into());
            }
            keys.push(key.to_owned());
            after
        };
        if after.is_empty() {
            return Ok(keys);
        }
        rest = after.strip_prefix('.').ok_or_else(shape)?;
    }
}

/// Writes a path as [`parse`] reads it.
pub fn show<'a>(keys: impl IntoIterator<Item = &'a str>) -> String {
    let mut out = String::new();
    for key in keys {
        if !out.is_empty() {
            out.push('.');
        }
        let bare = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
        if !key.is_empty() && key.chars().all(bare) {
            out.push_str(key);
        } else {
            // Writing to a string cannot fail.
            let _ = write!(out, "\"{key}\"");
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_round_trip() {
        for text in ["env.DEBUG", "service.api.mount.\"/tmp\"", "a", "config.c.key.\"a.b\""] {
            let keys = parse(text).unwrap();
            assert_eq!(show(keys.iter().map(String::as_str)), text);
        }
        assert_eq!(parse(" a.'b c' ").unwrap(), ["a", "b c"]);
        for text in ["", ".", "a.", ".a", "a..b", "a b", "\"a", "\"a\"b"] {
            assert!(parse(text).is_err(), "{text}");
        }
    }
}
