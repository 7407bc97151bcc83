//! Enums whose values are words of the language, such as the protocols of a port.

/// An enum whose values are words of the language.
pub trait Word: Copy + PartialEq + 'static {
    /// Every value with its word, in the order of the reference.
    const WORDS: &'static [(&'static str, Self)];

    /// The word for the value.
    fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, value)| *value == self).map_or("", |(word, _)| word)
    }

    /// The value of a word.
    fn of(text: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(word, _)| *word == text).map(|(_, value)| *value)
    }
}
