//! Texts in YAML: plain where every reader takes them for a text, in quotes, or as a block of lines.

use std::collections::BTreeMap;

use serde::Serialize;
use serde::ser::Error as _;
use serde_saphyr::SerializerOptions;

use super::error::Error;

/// Writes a text as a value. `column` is that of the map or list that it is in.
pub(super) fn write(text: &str, column: usize, out: &mut String) -> Result<(), Error> {
    if is_plain(text, class::INSIDE) {
        out.push_str(text);
    } else if is_number(text) {
        out.push('"');
        out.push_str(text);
        out.push('"');
    } else if is_block(text) {
        write_block(text, column, out);
    } else {
        return by_library(text, column, out);
    }
    out.push('\n');
    Ok(())
}

/// Writes a text as a key.
pub(super) fn write_key(key: &str, out: &mut String) -> Result<(), Error> {
    if is_plain(key, class::NAME) {
        out.push_str(key);
        return Ok(());
    }
    let map = serde_saphyr::to_string(&BTreeMap::from([(key, true)])).map_err(Error::custom)?;
    out.push_str(map.trim_end().trim_end_matches("true").trim_end().trim_end_matches(':'));
    Ok(())
}

/// The classes of bytes, by what they may do to a plain text.
mod class {
    /// A letter that no number and no time contains.
    pub(super) const WORD: u8 = 1;
    /// Harmless at the start of a text.
    pub(super) const FIRST: u8 = 2;
    /// Harmless inside a text.
    pub(super) const INSIDE: u8 = 4;
    /// Usual in names.
    pub(super) const NAME: u8 = 8;
}

/// The classes of each byte; 0 for those that the library has to see.
#[expect(clippy::indexing_slicing, reason = "computed when it is compiled")]
const CLASSES: [u8; 256] = {
    let mut classes = [0; 256];
    let mut byte = 0;
    while byte < 256 {
        #[expect(clippy::cast_possible_truncation, reason = "below 256")]
        let this = byte as u8;
        let letter = class::FIRST | class::INSIDE | class::NAME;
        classes[byte] = match this {
            b'g'
            | b'h'
            | b'j'..=b'm'
            | b'p'..=b's'
            | b'u'..=b'w'
            | b'y'
            | b'G'
            | b'H'
            | b'J'..=b'M'
            | b'P'..=b'S'
            | b'U'..=b'W'
            | b'Y' => letter | class::WORD,
            b'0'..=b'9' | b'a'..=b'z' | b'A'..=b'Z' | b'/' => letter,
            b'$' | b'(' | b')' | b';' | b'^' | b'\\' => class::FIRST | class::INSIDE,
            b'.' | b'-' | b'_' => class::INSIDE | class::NAME,
            b'+' | b'=' | b'@' | b'%' | b'*' | b'!' | b'?' | b'~' | b',' | b'&' | b'|' | b'<' | b'>'
            | b'[' | b']' | b'{' | b'}' | b'"' | b'\'' | b'`' | b':' | b' ' | b'#' => class::INSIDE,
            _ => 0,
        };
        byte += 1;
    }
    classes
};

fn classes_of(byte: u8) -> u8 {
    CLASSES.get(usize::from(byte)).copied().unwrap_or(0)
}

/// Whether a text may stand as it is: every reader takes it for a text and reads it unchanged, and all its bytes are of
/// a class.
fn is_plain(text: &str, class: u8) -> bool {
    let bytes = text.as_bytes();
    let (Some(first), Some(last)) = (bytes.first(), bytes.last()) else { return false };
    if classes_of(*first) & class::FIRST == 0 && !is_option(bytes) {
        return false;
    }
    let (mut any, mut all, mut before) = (0, u8::MAX, b'x');
    for byte in bytes {
        let classes = classes_of(*byte);
        // `: ` ends a key, ` #` begins a comment.
        if (before == b':' && *byte == b' ') || (before == b' ' && *byte == b'#') {
            return false;
        }
        any |= classes;
        all &= classes;
        before = *byte;
    }
    // Without a letter that numbers do not have, or short as `yes`, it may be something else.
    any & class::WORD != 0 && all & class == class && !matches!(last, b':' | b' ') && !is_short_word(text)
}

/// Whether a text begins as `-o` or `--option`, with a letter that no number has.
fn is_option(bytes: &[u8]) -> bool {
    let dashes = bytes.iter().take_while(|byte| **byte == b'-').count();
    let letter = bytes.get(dashes).is_some_and(|byte| classes_of(*byte) & class::WORD != 0);
    (1..=2).contains(&dashes) && letter
}

/// The short words that some readers take for something else.
fn is_short_word(text: &str) -> bool {
    text.len() <= 5
        && ["null", "true", "false", "yes", "no", "on", "off", "y", "n", "inf", "nan"]
            .iter()
            .any(|word| word.len() == text.len() && text.eq_ignore_ascii_case(word))
}

/// Whether a text has only digits and dots: a number for some readers, so that it needs quotes.
fn is_number(text: &str) -> bool {
    text.as_bytes().first().is_some_and(u8::is_ascii_digit)
        && text.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.')
}

/// Whether a text is lines of plain characters, of which the first has text and no spaces before it.
fn is_block(text: &str) -> bool {
    let lines = text.as_bytes();
    text.contains('\n')
        && lines.first().is_some_and(u8::is_ascii_graphic)
        && lines.iter().all(|byte| byte.is_ascii_graphic() || matches!(byte, b' ' | b'\n' | b'\t'))
}

/// Writes a block of lines (YAML 1.2.2, section 8.1.2), without the last line break.
fn write_block(text: &str, column: usize, out: &mut String) {
    let content = text.trim_end_matches('\n');
    let breaks = text.len() - content.len();
    // How many line breaks at the end count.
    out.push_str(match breaks {
        0 => "|-",
        1 => "|",
        _ => "|+",
    });
    for line in content.split('\n') {
        out.push('\n');
        if !line.is_empty() {
            out.extend(std::iter::repeat_n(' ', column + 2));
            out.push_str(line);
        }
    }
    out.extend(std::iter::repeat_n('\n', breaks.saturating_sub(1)));
}

/// Strings that every parser reads as strings, and no folded lines.
fn options() -> SerializerOptions {
    serde_saphyr::ser_options! { folded_wrap_chars: usize::MAX }
}

/// A text as the value of a key.
#[derive(Serialize)]
struct Keyed<'t> {
    k: &'t str,
}

/// Lets the library write a text, and indents its lines.
fn by_library(text: &str, column: usize, out: &mut String) -> Result<(), Error> {
    let mut written = String::new();
    serde_saphyr::to_fmt_writer_with_options(&mut written, &Keyed { k: text }, options())
        .map_err(Error::custom)?;
    let value = written.strip_prefix("k: ").unwrap_or(&written);
    for (index, line) in value.split_inclusive('\n').enumerate() {
        if index > 0 && line != "\n" {
            out.extend(std::iter::repeat_n(' ', column));
        }
        out.push_str(line);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use serde_json::{Value, json};

    use super::*;

    /// Both writers, for a text as a value, an item, a nested value and a key.
    fn same(text: &str) {
        let value =
            json!({ "a": text, "b": [text, { "c": [text], "d": { "e": text } }], "f": [[text, "x"]] });
        let keyed = Value::Object([(text.to_owned(), json!([1, { "k": 2.5 }]))].into_iter().collect());
        for value in [value, keyed] {
            let mut own = String::new();
            super::super::write(&value, &mut own).unwrap();
            let mut library = String::new();
            serde_saphyr::to_fmt_writer_with_options(&mut library, &value, options()).unwrap();
            assert_eq!(own, library, "{text:?}");
        }
    }

    #[test]
    fn texts_are_written_as_the_library_writes_them() {
        for text in [
            "",
            " ",
            "a",
            "yes",
            "No",
            "y",
            "ON",
            "true",
            "null",
            "~",
            ".nan",
            "inf",
            "1",
            "1.4.0",
            "1e3",
            "0x1f",
            "0b1",
            "1_000",
            "12:30",
            "12:30:45",
            "2030-01-31",
            "2030-01-31T08:00:00Z",
            "128Mi",
            "500m",
            "1.5Gi",
            "-1",
            "+1",
            "-a",
            "--horizon=$(X)",
            "--",
            "---",
            "--- a",
            "...",
            "- a",
            "? a",
            "a: b",
            "a:b",
            "a:",
            "a #b",
            "a#b",
            "#a",
            "&a",
            "*a",
            "!a",
            "|",
            ">",
            "%a",
            "@a",
            "`a`",
            "'a'",
            "\"a\"",
            "{a}",
            "[a]",
            "a, b",
            "a\tb",
            "\ta",
            "a ",
            " a",
            "a\nb",
            "a\nb\n",
            "a\n\nb\n\n",
            "\na",
            " a\nb",
            "a\n b\n",
            "a\r\nb",
            "a\u{85}b",
            "é",
            "a\u{feff}",
            "日本",
            "a\0b",
            "=",
            "<<",
            "a=b",
            "/x",
            "$(A)",
            "\\d",
            "e3",
            "E",
            "f",
            "fe",
            "0o7",
            "nul",
            "dead.beef",
            "1.2.3-rc1",
            "v1",
            "app.kubernetes.io/name",
            "x: |",
            "postgres://tide:$(P)@db:5432/tides",
            "n",
            "off",
            "*/5 * * * *",
            "0 0 1 1 *",
            "a: |\n  b\n",
            "-\n",
            "#\na",
            "a\n#",
            "%\na\n",
            "\t\n",
            "a\n\t\n",
            "key: value\nother: [1, 2]\n",
            "line ends with space \nnext",
        ] {
            same(text);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(512))]

        #[test]
        fn any_text_is_written_as_the_library_writes_it(
            text in "[-a-zA-Z0-9.:_+ #\\n\\t'\"{}\\[\\],&*!|>%@`~=/$()?<\\\\é\u{85}\u{feff}]{0,12}",
            words in "(yes|no|on|off|true|null|nan|inf|1|0x|0b|e|_|-|\\+|:|\\.|T|Z){0,5}",
        ) {
            same(&text);
            same(&words);
        }
    }
}
