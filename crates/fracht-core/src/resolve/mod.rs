//! Names to ids: what each reference means, or which name was probably meant.

mod symbols;
mod text;

pub(crate) use symbols::{Facts, OutsideSymbol, Symbols, port_names};
pub(crate) use text::{Allow, text};

use crate::diag::Diagnostic;
use crate::diag::suggest::{listing, nearest};
use crate::source::Span;

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
    /// The problem, with the nearest of the names that there are.
    pub(crate) fn among<'n>(self, names: impl IntoIterator<Item = &'n str, IntoIter: Clone>) -> Diagnostic {
        let Self { what, name, span, exact } = self;
        let names = names.into_iter();
        let problem =
            Diagnostic::new("unknown-name", format!("There is no {what} `{name}`.")).at(span, "unknown name");
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
