//! Names that would have been right: the nearest of them, or all.

use super::{Diagnostic, Sink};
pub(crate) use crate::grammar::nearest::nearest;
use crate::source::Span;

/// The rule of names that nothing has.
pub(crate) const UNKNOWN_NAME: &str = "unknown-name";

/// `a, b and c`, cut after the first thirty.
pub fn listing<'a>(names: impl IntoIterator<Item = &'a str>) -> String {
    const MOST: usize = 30;
    let names: Vec<&str> = names.into_iter().collect();
    match names.split_last() {
        None => "none".to_owned(),
        Some((only, [])) => (*only).to_owned(),
        Some(_) if names.len() > MOST => {
            let first: Vec<&str> = names.iter().take(MOST).copied().collect();
            format!("{} and {} more", first.join(", "), names.len() - MOST)
        }
        Some((last, others)) => format!("{} and {last}", others.join(", ")),
    }
}

/// A name that nothing has.
#[derive(Debug)]
pub(crate) struct Unknown<'a> {
    /// What it should be the name of: `service`, `port of service.db` …
    pub(crate) what: &'a str,
    /// The name.
    pub(crate) name: &'a str,
    /// Where it is written.
    pub(crate) span: Span,
    /// Whether `span` covers the name alone, so that it can be replaced.
    pub(crate) exact: bool,
}

impl Unknown<'_> {
    /// Reports it, with the nearest of the names that there are. They are only asked for if the message is kept.
    pub(crate) fn report<'n, I>(self, names: impl FnOnce() -> I, sink: &mut Sink)
    where
        I: IntoIterator<Item = &'n str, IntoIter: Clone>,
    {
        if !sink.counts_only(UNKNOWN_NAME, self.span) {
            sink.push(self.among(names()));
        }
    }

    /// The problem, with the nearest of the names that there are.
    pub(crate) fn among<'n>(self, names: impl IntoIterator<Item = &'n str, IntoIter: Clone>) -> Diagnostic {
        let Self { what, name, span, exact } = self;
        let names = names.into_iter();
        let problem =
            Diagnostic::new(UNKNOWN_NAME, format!("There is no {what} `{name}`.")).at(span, "unknown name");
        let problem = match nearest(name, names.clone()) {
            Some(near) if exact => problem.fix(span, near, format!("write `{near}`")),
            Some(near) => problem.help(format!("Did you mean `{near}`?")),
            None => problem,
        };
        let known = listing(names);
        problem.help(if known == "none" {
            format!("The stack has no {what} at all; define it first.")
        } else {
            format!("Known here: {known}.")
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{Sources, Syntax};

    #[test]
    fn names_are_asked_for_only_while_messages_are_kept() {
        let mut sources = Sources::default();
        let file = sources.add("/s/a".as_ref(), "a", "".into(), Syntax::Stack);
        let (mut sink, mut asked) = (Sink::default(), 0);
        for at in 0..5_000 {
            let unknown =
                Unknown { what: "service", name: "x", span: Span::new(file, at..at + 1), exact: false };
            unknown.report(
                || {
                    asked += 1;
                    ["y", "z"]
                },
                &mut sink,
            );
        }
        assert_eq!((asked, sink.take().len()), (1_000, 1_000));
    }
}
