//! Words: where they begin in a text, and whether one looks made by a program or only stands for another.

use std::ops::Range;

/// The text at a range.
pub(super) fn at(text: &str, range: Range<usize>) -> &str {
    text.get(range).unwrap_or_default()
}

/// What ends a word in any text.
fn ends_word(c: char) -> bool {
    c.is_whitespace() || matches!(c, '"' | '\'' | '`' | '<' | '>')
}

/// The words of a text with the byte at which each begins. A reference in braces is no end of one.
pub(super) fn split_words(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut at = 0;
    text.split_inclusive(ends_word).map(move |part| {
        let start = at;
        at += part.len();
        (start, part.trim_end_matches(ends_word))
    })
}

/// Whether a word looks made by a program: long enough, with letters and digits.
pub(super) fn is_token(word: &str) -> bool {
    word.len() >= 8
        && word.chars().all(|c| c.is_ascii_alphanumeric() || "_-.~+/=".contains(c))
        && word.bytes().any(|b| b.is_ascii_digit())
        && word.bytes().any(|b| b.is_ascii_alphabetic())
}

/// Whether a whole value looks like a key that a program made, or like a good password: hex of 16 bytes and more, a
/// long word of letters of both cases and digits, a word of four classes of characters.
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

/// Whether a value is nothing but references, `{secret.db/password}`, and variables, `$(NAME)`, `${NAME}`, `$NAME`, or
/// stands for one in a text for people, `<password>`, `***`, `VALUE`.
pub fn is_reference(value: &str) -> bool {
    let value = value.trim();
    if ["VALUE", "NAME", "KEY", "VARIABLE"].contains(&value.trim_end_matches(['.', ','])) {
        return true;
    }
    // The name of a scheme may stand before it (RFC 9110, section 11.4).
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

/// Whether a text is a name as references and variables have them.
fn is_name(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || "_-./".contains(c))
}

/// Whether a value says whether there is a secret, rather than being one.
pub fn is_switch(text: &str) -> bool {
    let text = text.trim().to_ascii_lowercase();
    ["true", "false", "yes", "no", "on", "off", "0", "1", "none", "null"].contains(&text.as_str())
}
