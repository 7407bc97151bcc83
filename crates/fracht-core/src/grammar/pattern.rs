//! Regular expressions for the values of inputs.
//!
//! The expression is parsed by the usual library. Whether it matches a whole value is found out here, by the places at
//! which each part of it may end: a value is short and matched once, for which compiling a program takes too long.

use std::collections::HashSet;

use regex_syntax::hir::{Class, Hir, HirKind, Look, Repetition};

use super::invalid::Invalid;

/// The most bytes of an expression.
const MOST_OF_TEXT: usize = 1024;
/// The most steps of an expression, with all that it repeats.
const MOST_STEPS: usize = 2000;

/// A regular expression.
#[derive(Debug)]
pub struct Pattern(Hir);

/// Reads a regular expression. Its limits keep time and memory small, whatever it repeats.
///
/// # Errors
/// Why it is invalid: it has a syntax error, or is too large, as `(a{50}){50}` is.
pub fn parse(text: &str) -> Result<Pattern, Invalid> {
    if text.len() > MOST_OF_TEXT {
        return Err(format!("more than {MOST_OF_TEXT} bytes").into());
    }
    let expression = regex_syntax::parse(text).map_err(|_| "not a regular expression")?;
    if steps(&expression) > MOST_STEPS {
        return Err("too large: repeat less".into());
    }
    Ok(Pattern(expression))
}

impl Pattern {
    /// Whether it matches the whole of a value.
    pub fn fits(&self, value: &str) -> bool {
        ends(&self.0, value, &[0]).contains(&value.len())
    }
}

/// How many steps it takes to match an expression once.
fn steps(expression: &Hir) -> usize {
    match expression.kind() {
        HirKind::Empty | HirKind::Look(_) | HirKind::Class(_) => 1,
        HirKind::Literal(literal) => literal.0.len(),
        HirKind::Capture(group) => steps(&group.sub),
        HirKind::Concat(parts) | HirKind::Alternation(parts) => {
            parts.iter().fold(0, |sum: usize, part| sum.saturating_add(steps(part)))
        }
        HirKind::Repetition(Repetition { min, max, sub, .. }) => {
            let times = max.unwrap_or(*min).max(*min).max(1) as usize;
            steps(sub).saturating_mul(times)
        }
    }
}

/// The places at which a match that begins at one of `starts` may end. Places are bytes of the value, sorted.
fn ends(expression: &Hir, value: &str, starts: &[usize]) -> Vec<usize> {
    let step = |end: &dyn Fn(usize) -> Option<usize>| starts.iter().filter_map(|at| end(*at)).collect();
    match expression.kind() {
        HirKind::Empty => starts.to_vec(),
        HirKind::Literal(literal) => step(&|at| {
            let rest = value.as_bytes().get(at..)?;
            rest.starts_with(&literal.0).then_some(at + literal.0.len())
        }),
        HirKind::Class(class) => step(&|at| {
            let next = value.get(at..)?.chars().next()?;
            let fits = match class {
                Class::Unicode(class) => {
                    class.ranges().iter().any(|range| (range.start()..=range.end()).contains(&next))
                }
                Class::Bytes(class) => {
                    let byte = u8::try_from(next).ok().filter(u8::is_ascii)?;
                    class.ranges().iter().any(|range| (range.start()..=range.end()).contains(&byte))
                }
            };
            fits.then_some(at + next.len_utf8())
        }),
        HirKind::Look(look) => step(&|at| holds(*look, value, at).then_some(at)),
        HirKind::Capture(group) => ends(&group.sub, value, starts),
        HirKind::Concat(parts) => {
            parts.iter().fold(starts.to_vec(), |starts, part| ends(part, value, &starts))
        }
        HirKind::Alternation(parts) => {
            merged(parts.iter().flat_map(|part| ends(part, value, starts)).collect())
        }
        HirKind::Repetition(Repetition { min, max, sub, .. }) => {
            let mut all = starts.to_vec();
            for _ in 0..*min {
                all = ends(sub, value, &all);
            }
            // From here on, only places that are new lead to new ones.
            let mut known: HashSet<usize> = all.iter().copied().collect();
            let (mut new, mut left) = (all.clone(), max.map(|max| max - min));
            while !new.is_empty() && left != Some(0) {
                new = ends(sub, value, &new);
                new.retain(|at| known.insert(*at));
                all.extend(&new);
                left = left.map(|left| left - 1);
            }
            merged(all)
        }
    }
}

fn merged(mut places: Vec<usize>) -> Vec<usize> {
    places.sort_unstable();
    places.dedup();
    places
}

/// Whether an assertion holds at a place.
fn holds(look: Look, value: &str, at: usize) -> bool {
    let (before, after) = (value.get(..at).unwrap_or_default(), value.get(at..).unwrap_or_default());
    let in_word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let in_ascii = |c: Option<char>| c.is_some_and(|c| c.is_ascii_alphanumeric() || c == '_');
    let words = (in_word(before.chars().next_back()), in_word(after.chars().next()));
    let ascii = (in_ascii(before.chars().next_back()), in_ascii(after.chars().next()));
    match look {
        Look::Start => before.is_empty(),
        Look::End => after.is_empty(),
        Look::StartLF => before.is_empty() || before.ends_with('\n'),
        Look::EndLF => after.is_empty() || after.starts_with('\n'),
        Look::StartCRLF => {
            before.is_empty() || before.ends_with('\n') || before.ends_with('\r') && !after.starts_with('\n')
        }
        Look::EndCRLF => {
            after.is_empty() || after.starts_with('\r') || after.starts_with('\n') && !before.ends_with('\r')
        }
        Look::WordUnicode => words.0 != words.1,
        Look::WordUnicodeNegate => words.0 == words.1,
        Look::WordAscii => ascii.0 != ascii.1,
        Look::WordAsciiNegate => ascii.0 == ascii.1,
        Look::WordStartUnicode => !words.0 && words.1,
        Look::WordEndUnicode => words.0 && !words.1,
        Look::WordStartAscii => !ascii.0 && ascii.1,
        Look::WordEndAscii => ascii.0 && !ascii.1,
        Look::WordStartHalfUnicode => !words.0,
        Look::WordEndHalfUnicode => !words.1,
        Look::WordStartHalfAscii => !ascii.0,
        Look::WordEndHalfAscii => !ascii.1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_expression_matches_the_whole_value_and_has_a_limit() {
        for (text, value, fit) in [
            ("a|ab", "ab", true),
            ("a|ab", "abc", false),
            ("(?x) a # one", "a", true),
            ("\\d+", "x1", false),
            ("(?m)^a$", "b\na", false),
            ("\\d+\\.\\d+(-[a-z]{2,3})?", "1.20-rc", true),
            ("\\d+\\.\\d+(-[a-z]{2,3})?", "1.20-rcxx", false),
            ("(a*)*b?", "aaaa", true),
            ("(?i)é\\b", "É", true),
            (".{2}", "é", false),
            ("\\p{Greek}+", "άμπωτη", true),
            ("\\p{Greek}+", "ebb", false),
        ] {
            assert_eq!(parse(text).unwrap().fits(value), fit, "{text} {value}");
        }
        for text in ["a)|(.*", "(((a{99}){99}){99}){99}", "(a{50}){50}", "[", &"a".repeat(1025)] {
            assert!(parse(text).is_err(), "{text}");
        }
        // As many steps as bytes.
        assert!(!parse("(a|b|ab)*c").unwrap().fits(&"ab".repeat(20_000)));
    }
}
