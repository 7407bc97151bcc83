//! Names that do not exist, with the nearest name that does.

use super::reading::UNKNOWN_NAME;
use super::{Diagnostic, Sink};
pub use crate::grammar::nearest::nearest;
use crate::source::Span;

/// The most names that a list shows.
const MOST: usize = 12;

/// `a, b, c`; after the first twelve `and 9 more`.
pub fn listing<'a>(names: impl IntoIterator<Item = &'a str>) -> String {
    let mut names = names.into_iter();
    let shown: Vec<&str> = names.by_ref().take(MOST).collect();
    match names.count() {
        0 => shown.join(", "),
        more => format!("{} and {more} more", shown.join(", ")),
    }
}

/// A name that does not exist.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Unknown<'a> {
    /// What it should name: `service`, `port` …
    pub(crate) what: &'a str,
    /// What should have it, such as `service.db`; `None` for a table of the stack.
    pub(crate) owner: Option<&'a str>,
    /// The name.
    pub(crate) name: &'a str,
    /// Where it is written.
    pub(crate) span: Span,
    /// Set if `span` covers the name alone, so that it can be replaced.
    pub(crate) exact: bool,
}

impl<'a> Unknown<'a> {
    /// A table of the stack that does not exist; `span` covers more than its name.
    pub(crate) fn table(kind: &'a str, name: &'a str, span: Span) -> Self {
        Self { what: kind, owner: None, name, span, exact: false }
    }

    /// Reports it, with the nearest of `names`, which are only computed if the message is kept.
    pub(crate) fn report<'n, I>(self, names: impl FnOnce() -> I, sink: &mut Sink)
    where
        I: IntoIterator<Item = &'n str, IntoIter: Clone>,
    {
        if !sink.counts_only(&UNKNOWN_NAME, self.span) {
            sink.push(self.among(names()));
        }
    }

    /// The problem, with the nearest of `names`.
    pub(crate) fn among<'n>(self, names: impl IntoIterator<Item = &'n str, IntoIter: Clone>) -> Diagnostic {
        let Self { what, owner, name, span, exact } = self;
        let names = names.into_iter();
        let message = match owner {
            Some(owner) => format!("`{owner}` has no {what} `{name}`"),
            None => format!("{what} `{name}` not found"),
        };
        let problem = Diagnostic::new(&UNKNOWN_NAME, message).at(span, "not found");
        let Some(near) = nearest(name, names.clone()) else {
            let known = listing(names);
            return problem.help(match (known.is_empty(), owner) {
                (false, _) => format!("available: {known}"),
                (true, Some(owner)) => {
                    format!("no {what} is defined there: add `{what}.{name}` to `{owner}`")
                }
                (true, None) => {
                    let table = what.split(' ').next().unwrap_or(what);
                    format!("no {what} is defined: add `[{table}.{name}]`")
                }
            });
        };
        let question = format!("did you mean `{near}`?");
        if exact { problem.fix(span, near, question) } else { problem.help(question) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{Sources, Syntax};

    #[test]
    fn names_are_listed_only_for_reported_messages() {
        let mut sources = Sources::default();
        let file = sources.add("/s/a".as_ref(), "a", "".into(), Syntax::Stack);
        let (mut sink, mut computed) = (Sink::default(), 0);
        for at in 0..5_000 {
            let unknown = Unknown::table("service", "x", Span::new(file, at..at + 1));
            unknown.report(
                || {
                    computed += 1;
                    ["y", "z"]
                },
                &mut sink,
            );
        }
        assert_eq!((computed, sink.take().len()), (1_000, 1_000));
    }

    #[test]
    fn long_lists_of_names_are_shortened() {
        let names: Vec<String> = (0..21).map(|number| number.to_string()).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        assert_eq!(listing(names.iter().copied().take(3)), "0, 1, 2");
        assert!(listing(names).ends_with("10, 11 and 9 more"));
    }
}
