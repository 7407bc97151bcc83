//! What is between the quotes of a string in a stack file (TOML 1.1), or in a file of settings.

use std::ops::Range;

/// The bytes of the text in a written value. A line break right after three opening quotes is not part of it.
pub(crate) fn inner(raw: &str) -> Range<usize> {
    for quote in ["\"\"\"", "'''"] {
        if raw.len() >= 6 && raw.starts_with(quote) && raw.ends_with(quote) {
            let after = raw.get(3..).unwrap_or_default();
            let lead = if after.starts_with("\r\n") { 2 } else { usize::from(after.starts_with('\n')) };
            return 3 + lead..(raw.len() - 3).max(3 + lead);
        }
    }
    for quote in ['"', '\''] {
        if raw.len() >= 2 && raw.starts_with(quote) && raw.ends_with(quote) {
            return 1..raw.len() - 1;
        }
    }
    0..raw.len()
}

/// Where a value begins in its written form; `None` if that has escapes.
pub(crate) fn offset(raw: &str, value: &str) -> Option<usize> {
    let range = inner(raw);
    (raw.get(range.clone()) == Some(value)).then_some(range.start)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_text_is_between_the_quotes() {
        for (raw, text) in [
            ("\"a\"", "a"),
            ("'a'", "a"),
            ("\"\"", ""),
            ("\"\"\"\na\n\"\"\"", "a\n"),
            ("'''a'''", "a"),
            ("\"\"\"\"\"\"", ""),
            ("plain", "plain"),
            ("7", "7"),
        ] {
            assert_eq!(&raw[inner(raw)], text, "{raw}");
            assert!(offset(raw, text).is_some(), "{raw}");
        }
        assert_eq!(offset("\"a\\tb\"", "a\tb"), None);
    }
}
