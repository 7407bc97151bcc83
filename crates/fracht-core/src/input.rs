//! Inputs: what a person or a pipeline gives when a stack is looked at.

use crate::grammar::invalid::Invalid;
use std::collections::BTreeMap;
use std::sync::Arc;

use regex::RegexBuilder;
use regex_syntax::hir::{Hir, Look};

/// Where the value of an input came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum InputSource {
    /// `--input NAME=VALUE`.
    Argument,
    /// A file of `KEY=value` lines.
    File,
    /// The environment variable of [`variable_name`].
    Variable,
    /// The input's own default.
    Default,
}

impl InputSource {
    /// The source in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Argument => "--input",
            Self::File => "--inputs",
            Self::Variable => "the environment",
            Self::Default => "its default",
        }
    }
}

/// What was given, by the input's name. An argument wins over a file, and a file over the environment.
#[derive(Clone, Debug, Default)]
pub struct Given {
    values: BTreeMap<String, (InputSource, Arc<str>)>,
}

impl Given {
    /// Takes in a value, unless a stronger source gave one.
    pub fn give(&mut self, name: &str, source: InputSource, value: &str) {
        let known = self.values.get(name).map(|(known, _)| *known);
        // Of two from one source the later one counts, as on a command line.
        if known.is_none_or(|known| known >= source) {
            self.values.insert(name.to_owned(), (source, value.into()));
        }
    }

    /// The value of an input.
    pub fn get(&self, name: &str) -> Option<(InputSource, &Arc<str>)> {
        self.values.get(name).map(|(source, value)| (*source, value))
    }

    /// The names that were given by an argument or in a file: each must be an input.
    pub fn named(&self) -> impl Iterator<Item = &str> {
        let meant = self.values.iter().filter(|(_, (source, _))| *source < InputSource::Variable);
        meant.map(|(name, _)| name.as_str())
    }
}

/// The most bytes of a pattern, as it is written and compiled.
const MOST_OF_TEXT: usize = 1024;
const MOST_OF_PROGRAM: usize = 64 << 10;

/// Reads a pattern, which takes little however much it repeats.
///
/// # Errors
/// Why it is none.
pub(crate) fn pattern(text: &str) -> Result<Hir, Invalid> {
    if text.len() > MOST_OF_TEXT {
        return Err(format!("more than {MOST_OF_TEXT} bytes").into());
    }
    regex_syntax::parse(text).map_err(|_| "not a regular expression".into())
}

/// Whether the whole of a value fits a pattern.
///
/// # Errors
/// Why the pattern is none: it can't be read, or it takes too much, as `(a{50}){50}` does.
pub(crate) fn fits(text: &str, value: &str) -> Result<bool, Invalid> {
    let whole = Hir::concat(vec![Hir::look(Look::Start), pattern(text)?, Hir::look(Look::End)]);
    let compiled = RegexBuilder::new(&whole.to_string()).size_limit(MOST_OF_PROGRAM).build();
    Ok(compiled.map_err(|_| Invalid::from("too large: repeat less"))?.is_match(value))
}

/// The environment variable that gives an input: `FRACHT_INPUT_VERSION`.
pub fn variable_name(input: &str) -> String {
    format!("FRACHT_INPUT_{}", input.to_uppercase().replace('-', "_"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pattern_is_for_the_whole_value_and_has_a_limit() {
        for (text, value, fit) in [
            ("a|ab", "ab", Ok(true)),
            ("a|ab", "abc", Ok(false)),
            ("(?x) a # one", "a", Ok(true)),
            ("\\d+", "x1", Ok(false)),
            ("(?m)^a$", "b\na", Ok(false)),
        ] {
            assert_eq!(fits(text, value), fit, "{text} {value}");
        }
        for text in ["a)|(.*", "(((a{99}){99}){99}){99}", "[", &"a".repeat(1025)] {
            assert!(fits(text, "a").is_err(), "{text}");
        }
    }

    #[test]
    fn the_nearer_source_wins_in_any_order() {
        let values = [
            (InputSource::Variable, "variable"),
            (InputSource::Argument, "first"),
            (InputSource::File, "file"),
            (InputSource::Argument, "last"),
        ];
        let mut given = Given::default();
        for (source, value) in values {
            given.give("version", source, value);
        }
        assert_eq!(given.get("version").map(|(s, v)| (s, &**v)), Some((InputSource::Argument, "last")));
        assert_eq!(variable_name("fleet-size"), "FRACHT_INPUT_FLEET_SIZE");
    }
}
