//! Words of a text: where each starts, and whether it looks random or is only a reference.

use crate::grammar::make;
use crate::grammar::reference;

use std::ops::Range;

/// The text in a range.
pub(super) fn at(text: &str, range: Range<usize>) -> &str {
    text.get(range).unwrap_or_default()
}

/// Whether a character ends a word.
fn ends_word(c: char) -> bool {
    c.is_whitespace() || matches!(c, '"' | '\'' | '`' | '<' | '>')
}

/// Whether a character with this byte may end a word: any that is not ASCII may be a space.
pub(super) fn may_end_word(byte: u8) -> bool {
    !byte.is_ascii() || byte <= b' ' || matches!(byte, b'"' | b'\'' | b'`' | b'<' | b'>')
}

/// The words of a text with the byte at which each starts. A reference in braces does not end a word.
pub(super) fn split_words(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut start = 0;
    std::iter::from_fn(move || {
        let rest = text.get(start..).filter(|rest| !rest.is_empty())?;
        let may_end = rest.bytes().position(may_end_word).unwrap_or(rest.len());
        let end = rest.get(may_end..).and_then(|rest| rest.find(ends_word)).map(|end| may_end + end);
        let (at, word) = (start, rest.get(..end.unwrap_or(rest.len()))?);
        let sign = rest.get(word.len()..).and_then(|rest| rest.chars().next());
        start += word.len() + sign.map_or(0, char::len_utf8);
        Some((at, word))
    })
}

/// The part of the line before a byte; of a very long line only its end.
pub(crate) fn line_before(text: &str, byte: usize) -> &str {
    const MOST: usize = 1000;
    let from = (0..=byte.saturating_sub(MOST)).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    text.get(from..byte).unwrap_or_default().rsplit('\n').next().unwrap_or_default()
}

/// Whether a line begins as a comment does in the usual formats of settings.
pub(crate) fn is_comment(line: &str) -> bool {
    ["#", ";", "//", "--", "<!--", "*"].iter().any(|sign| line.trim_start().starts_with(sign))
}

/// The byte at which the line of a byte ends.
pub(crate) fn line_end(text: &str, byte: usize) -> usize {
    at(text, byte..text.len()).find('\n').map_or(text.len(), |end| byte + end)
}

/// Whether a word looks random: long enough, with letters and digits.
pub(super) fn is_token(word: &str) -> bool {
    word.len() >= 8
        && word.chars().all(|c| c.is_ascii_alphanumeric() || "_-.~+/=".contains(c))
        && word.bytes().any(|b| b.is_ascii_digit())
        && word.bytes().any(|b| b.is_ascii_alphabetic())
}

/// Whether a whole value looks like a generated key or a good password: at least 16 bytes in hex, a long word of
/// letters of both cases and digits, or a word with four classes of characters.
pub fn is_random(value: &str) -> bool {
    let has = |class: fn(char) -> bool| value.chars().any(class);
    let (small, capital) = (has(|c| c.is_ascii_lowercase()), has(|c| c.is_ascii_uppercase()));
    let digit = has(|c| c.is_ascii_digit());
    let hex = value.len() >= 32 && value.bytes().all(|b| b.is_ascii_hexdigit()) && digit;
    let base64 = |c: char| c.is_ascii_alphanumeric() || "+/_=-".contains(c);
    let word = value.len() >= 20 && value.chars().all(base64) && small && capital && digit;
    let sign = has(|c| "!#$%^&*?".contains(c)) && value.chars().all(|c| c.is_ascii_graphic());
    let good =
        value.len() >= 10 && sign && small && capital && digit && !value.contains(['{', '/', '[', '(']);
    hex || word || good
}

/// Whether a value consists of references, `{secret.db/password}`, variables, `$(NAME)`, `${NAME}`, `$NAME`, or
/// placeholders, `<password>`, `***`, `VALUE`.
pub fn is_reference(value: &str) -> bool {
    let value = value.trim();
    if make::is_substitution(value) {
        return true;
    }
    if ["VALUE", "NAME", "KEY", "VARIABLE"].contains(&value.trim_end_matches(['.', ','])) {
        return true;
    }
    // A reference without its braces, or in the wrong ones.
    let bare = value.trim_start_matches('$').trim_start_matches('{').trim_end_matches('}').trim();
    if reference::parse(bare).is_ok_and(|bare| bare.part.is_some() || bare.name != bare.name.to_uppercase()) {
        return true;
    }
    // The name of an authentication scheme may come first (RFC 9110, section 11.4).
    let scheme =
        |scheme: &str| ["bearer", "basic", "token"].iter().any(|known| scheme.eq_ignore_ascii_case(known));
    let value = value.split_once(' ').filter(|(first, _)| scheme(first)).map_or(value, |(_, rest)| rest);
    let mut rest = value;
    while let Some(first) = rest.chars().next() {
        let closed = |open: &str, close: char| {
            rest.strip_prefix(open)?.split_once(close).filter(|(name, _)| is_name(name)).map(|(_, rest)| rest)
        };
        let variable = || {
            let name = rest.strip_prefix('$')?;
            let word = |c: char| c.is_ascii_alphanumeric() || c == '_';
            let rest = name.trim_start_matches(word);
            (rest.len() < name.len() && name.starts_with(|c: char| !c.is_ascii_digit())).then_some(rest)
        };
        let next = closed("{", '}')
            .or_else(|| closed("$(", ')'))
            .or_else(|| closed("${", '}'))
            .or_else(|| closed("<", '>'))
            .or_else(variable)
            .or_else(|| "*…".contains(first).then(|| rest.trim_start_matches(['*', '…'])));
        match next {
            Some(next) => rest = next,
            None => return false,
        }
    }
    !value.is_empty()
}

/// Whether a text is a valid name of a reference or a variable.
fn is_name(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || "_-./".contains(c))
}

/// Whether a value is a switch such as `true`, which tells that a secret exists but is not one.
pub fn is_switch(text: &str) -> bool {
    let text = text.trim().to_ascii_lowercase();
    ["true", "false", "yes", "no", "on", "off", "0", "1", "none", "null"].contains(&text.as_str())
}
