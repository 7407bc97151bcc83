//! Words that stand for one of a few values, such as the protocols of a port.

/// A type whose values have words.
pub trait Word: Copy + PartialEq + 'static {
    /// Every value with its word, in the order in which to list them.
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
