//! Hides secrets: which names and texts look secret, and what is shown instead.
//!
//! There is one table of names and one of texts. The rules read them, `new` sorts settings by them, and everything that
//! leaves the program is covered by them: an excerpt by the place of its values in the file ([`hidden`]), a message by
//! the values at its places ([`Cover`]), every other text by what it looks like ([`text`]).

mod address;
mod clear;
mod lines;
mod looks;
mod message;
mod names;
mod objects;
mod place;
mod shown;
mod stack;
mod word;

use std::ops::Range;

use crate::source::{SourceFile, Syntax};

pub(crate) use clear::in_clear;
pub use looks::hits;
pub use message::Cover;
pub(crate) use names::words as name_words;
pub use names::{flag_name, is_login_flag, is_secret_name, may_be_secret_name};
pub use shown::{STARS, Shown};
pub(crate) use word::{is_comment, line_before, line_end};
pub use word::{is_random, is_reference, is_switch};

/// How likely something is secret.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Certainty {
    /// Likely: hidden, and stored as a secret by `new`.
    Likely,
    /// Certain: an error in plain text.
    Sure,
}

/// A part of a text that looks secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hit {
    /// Its bytes.
    pub range: Range<usize>,
    /// What it looks like, in words.
    pub what: &'static str,
    /// How likely it is secret.
    pub certainty: Certainty,
    /// Set if it is recognisable within a sentence, where a colon or an equals sign has another meaning.
    pub(super) in_prose: bool,
}

/// Whether a setting may contain a secret. Doubtful cases count.
pub fn may_be_secret(name: &str, value: &str) -> bool {
    if value.is_empty() || is_switch(value) || is_reference(value) {
        return false;
    }
    may_be_secret_name(name) || is_random(value) && !names::is_digest_name(name) || !hits(value).is_empty()
}

/// The parts of a file that must not be shown, by their place and by what they look like: bytes, sorted, without
/// overlaps. Computed once per file.
pub fn hidden(file: &SourceFile) -> &[Range<usize>] {
    file.hidden_by(|file| {
        let text: &str = &file.text;
        message::merged(match file.syntax() {
            Syntax::Stack => stack::hidden(text),
            Syntax::Lines => lines::hidden(text),
            Syntax::SecretLines => file.without_public(lines::secrets(text)),
            Syntax::Secret => file.without_public(std::iter::once(0..text.len()).collect()),
            Syntax::Objects => objects::hidden(text),
            Syntax::Other => hits(text).into_iter().map(|hit| hit.range).collect(),
        })
    })
}

/// A message with stars in place of the parts that look secret. Outside of backticks, text after a colon is part of the
/// sentence.
pub fn prose(text: &str) -> String {
    Shown::covering(text, message::looks_in_prose(text))
}

/// The text with stars in place of the parts that look secret.
pub fn text(text: &str) -> String {
    Shown::covering(text, hits(text).into_iter().map(|hit| hit.range))
}
