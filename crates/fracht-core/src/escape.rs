//! Text that is safe for a terminal, a comment or a file name: characters that do more than show themselves are
//! escaped.

use std::borrow::Cow;
use std::fmt::Write as _;
use std::path::Path;

/// Whether a character does more than show itself: a control character (C0, DEL, C1), a line or
/// paragraph separator, or one that changes the direction of text (Unicode Standard Annex 9).
pub fn is_unsafe(c: char) -> bool {
    c.is_control()
        || matches!(
            c,
            '\u{61c}'
                | '\u{200e}'
                | '\u{200f}'
                | '\u{2028}'
                | '\u{2029}'
                | '\u{202a}'..='\u{202e}'
                | '\u{2066}'..='\u{2069}'
                | '\u{fff9}'..='\u{fffb}'
        )
}

/// The text with every unsafe character as TOML and JSON write it: `\u001B`.
pub fn escaped(text: &str) -> Cow<'_, str> {
    if !text.contains(is_unsafe) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        if is_unsafe(c) {
            // Writing to a string cannot fail.
            let _ = write!(out, "\\u{:04X}", u32::from(c));
        } else {
            out.push(c);
        }
    }
    Cow::Owned(out)
}

/// A path as a message shows it: [`escaped`], with a replacement character for what is not UTF-8.
pub fn escaped_path(path: &Path) -> String {
    escaped(&path.display().to_string()).into_owned()
}

/// A text as part of a query (RFC 3986, section 2.1).
pub fn encoded(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for byte in text.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' => {
                out.push(char::from(byte));
            }
            _ => out.push_str(&format!("%{byte:02X}")),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn control_characters_are_escaped() {
        let text = "a\u{1b}[2J\n\u{9b}31m\u{202e}b\u{2028}\u{7f}";
        assert_eq!(escaped(text), "a\\u001B[2J\\u000A\\u009B31m\\u202Eb\\u2028\\u007F");
        for plain in ["", "hafen-größe", "潮汐", "a\u{200d}b"] {
            assert!(matches!(escaped(plain), Cow::Borrowed(text) if text == plain));
        }
    }
}
