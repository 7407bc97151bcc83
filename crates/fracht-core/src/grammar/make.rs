//! How to make a secret: `24 letters`.

use super::invalid::Invalid;
use super::word::Word;

/// A random text of some characters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Make {
    /// How many.
    pub count: u16,
    /// Which.
    pub of: Alphabet,
}

/// The characters of a random text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Alphabet {
    /// Letters of both cases.
    Letters,
    /// Digits.
    Digits,
    /// Hex digits.
    Hex,
    /// Letters of both cases, and digits.
    Alphanumeric,
}

impl Word for Alphabet {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("letters", Self::Letters),
        ("digits", Self::Digits),
        ("hex", Self::Hex),
        ("alphanumeric", Self::Alphanumeric),
    ];
}

/// The fewest and the most characters.
const LEAST: u16 = 8;
const MOST: u16 = 512;

/// Reads a number and the characters.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Make, Invalid> {
    let Some((count, of)) = text.split_once(' ') else {
        return Err("not a number and what to take: letters, digits, hex or alphanumeric".into());
    };
    let count = count.parse().ok().filter(|_| count.bytes().all(|byte| byte.is_ascii_digit()));
    let Some(of) = Alphabet::of(of.trim_start()) else {
        return Err("not letters, digits, hex or alphanumeric".into());
    };
    match count {
        Some(count) if (LEAST..=MOST).contains(&count) => Ok(Make { count, of }),
        Some(count) if count < LEAST => Err("fewer than 8 can be guessed".into()),
        _ => Err("not a number from 8 to 512".into()),
    }
}

impl Alphabet {
    /// The characters as `tr` takes them.
    fn set(self) -> &'static str {
        match self {
            Self::Letters => "A-Za-z",
            Self::Digits => "0-9",
            Self::Hex => "0-9a-f",
            Self::Alphanumeric => "A-Za-z0-9",
        }
    }
}

/// What stands before and after the characters in a command, before the number of them.
const TAKE: &str = "LC_ALL=C tr -dc ";
const SOME: &str = " </dev/urandom | head -c ";

/// Whether a text is the command substitution of a shell with such a command, which is no secret.
pub(crate) fn is_substitution(text: &str) -> bool {
    let command = text.strip_prefix("$(").and_then(|rest| rest.strip_suffix(')'));
    let parts = command.and_then(|command| command.strip_prefix(TAKE)?.split_once(SOME));
    parts.is_some_and(|(set, count)| {
        Alphabet::WORDS.iter().any(|(_, alphabet)| alphabet.set() == set) && count.parse::<u16>().is_ok()
    })
}

impl Make {
    /// The command of a POSIX shell that prints such a text (`tr` and `head`, IEEE Std 1003.1).
    pub fn command(self) -> String {
        [TAKE, self.of.set(), SOME, &self.count.to_string()].concat()
    }

    /// The text in words: `24 letters`.
    pub fn words(self) -> String {
        format!("{} {}", self.count, self.of.word())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_and_characters() {
        assert_eq!(parse("24 letters"), Ok(Make { count: 24, of: Alphabet::Letters }));
        assert_eq!(parse("32 hex").unwrap().command(), "LC_ALL=C tr -dc 0-9a-f </dev/urandom | head -c 32");
        let command = format!("$({})", parse("8 digits").unwrap().command());
        assert!(is_substitution(&command) && !is_substitution("$(echo gull)"));
        assert!(!is_substitution(&command.replace("tr -dc 0-9", "tr -dc gull")));
        for wrong in ["24", "letters", "7 letters", "24 signs", "+24 letters", "600 digits", "24letters", ""]
        {
            assert!(parse(wrong).is_err(), "{wrong}");
        }
    }
}
