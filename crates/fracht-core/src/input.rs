//! Inputs: values that the user or a pipeline sets when a command runs.

use std::collections::BTreeMap;
use std::sync::Arc;

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

/// The environment variable that sets an input: `FRACHT_INPUT_VERSION` for `version`.
pub fn variable_name(input: &str) -> String {
    format!("FRACHT_INPUT_{}", input.to_uppercase().replace('-', "_"))
}

#[cfg(test)]
mod tests {
    use super::*;

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
