//! Inputs: values that the user or a pipeline sets when a command runs.

use crate::grammar::invalid::Invalid;
use std::collections::BTreeMap;
use std::sync::Arc;

use regex::RegexBuilder;
use regex_syntax::hir::{Hir, Look};

/// The source of an input's value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum InputSource {
    /// `--input NAME=VALUE`.
    Argument,
    /// A file of `KEY=value` lines.
    File,
    /// The environment variable of [`variable_name`].
    Variable,
    /// The `default` of the input.
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

/// The values that were set, by the name of the input. An argument overrides a file, a file overrides the environment.
#[derive(Clone, Debug, Default)]
pub struct InputValues {
    values: BTreeMap<String, (InputSource, Arc<str>)>,
}

impl InputValues {
    /// Sets a value, unless a stronger source has set one.
    pub fn set(&mut self, name: &str, source: InputSource, value: &str) {
        let known = self.values.get(name).map(|(known, _)| *known);
        // Of two values from one source the later one counts, as usual on a command line.
        if known.is_none_or(|known| known >= source) {
            self.values.insert(name.to_owned(), (source, value.into()));
        }
    }

    /// The value of an input.
    pub fn get(&self, name: &str) -> Option<(InputSource, &Arc<str>)> {
        self.values.get(name).map(|(source, value)| (*source, value))
    }

    /// The names that an argument or a file sets: each must be an input of the stack.
    pub fn named(&self) -> impl Iterator<Item = &str> {
        let meant = self.values.iter().filter(|(_, (source, _))| *source < InputSource::Variable);
        meant.map(|(name, _)| name.as_str())
    }
}

/// The most bytes of a pattern, both as text and compiled.
const MOST_OF_TEXT: usize = 1024;
const MOST_OF_PROGRAM: usize = 64 << 10;

/// Reads a regular expression. Its limits keep time and memory small, whatever it repeats.
///
/// # Errors
/// Why it is invalid.
pub(crate) fn pattern(text: &str) -> Result<Hir, Invalid> {
    if text.len() > MOST_OF_TEXT {
        return Err(format!("more than {MOST_OF_TEXT} bytes").into());
    }
    regex_syntax::parse(text).map_err(|_| "not a regular expression".into())
}

/// Whether a pattern matches the whole value.
///
/// # Errors
/// Why the pattern is invalid: it has a syntax error, or is too large, as `(a{50}){50}` is.
pub(crate) fn fits(text: &str, value: &str) -> Result<bool, Invalid> {
    let whole = Hir::concat(vec![Hir::look(Look::Start), pattern(text)?, Hir::look(Look::End)]);
    let compiled = RegexBuilder::new(&whole.to_string()).size_limit(MOST_OF_PROGRAM).build();
    Ok(compiled.map_err(|_| Invalid::from("too large: repeat less"))?.is_match(value))
}

/// The environment variable that sets an input: `FRACHT_INPUT_VERSION` for `version`.
pub fn variable_name(input: &str) -> String {
    format!("FRACHT_INPUT_{}", input.to_uppercase().replace('-', "_"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pattern_matches_the_whole_value_and_has_a_limit() {
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
    fn input_sources_override_each_other_in_any_order() {
        let values = [
            (InputSource::Variable, "variable"),
            (InputSource::Argument, "first"),
            (InputSource::File, "file"),
            (InputSource::Argument, "last"),
        ];
        let mut set = InputValues::default();
        for (source, value) in values {
            set.set("version", source, value);
        }
        assert_eq!(set.get("version").map(|(s, v)| (s, &**v)), Some((InputSource::Argument, "last")));
        assert_eq!(variable_name("fleet-size"), "FRACHT_INPUT_FLEET_SIZE");
    }
}
