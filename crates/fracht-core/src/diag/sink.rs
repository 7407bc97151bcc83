//! Collects what the stages find.

use std::collections::BTreeSet;

use super::Diagnostic;
use crate::source::Span;

/// Takes in diagnostics, places whose text must never be shown, and places that a stage could not read.
#[derive(Debug, Default)]
pub(crate) struct Sink {
    pub(super) diagnostics: Vec<Diagnostic>,
    pub(super) hidden: BTreeSet<Span>,
    lost: Vec<Span>,
}

impl Sink {
    /// A sink that holds some problems already.
    pub(crate) fn with(diagnostics: Vec<Diagnostic>) -> Self {
        Self { diagnostics, ..Self::default() }
    }

    /// What was taken in.
    pub(crate) fn take(self) -> Vec<Diagnostic> {
        self.diagnostics
    }

    /// Takes in all that another sink holds.
    pub(crate) fn absorb(&mut self, other: Self) {
        self.diagnostics.extend(other.diagnostics);
        self.hidden.extend(other.hidden);
        self.lost.extend(other.lost);
    }

    /// Takes in one problem.
    pub(crate) fn push(&mut self, diagnostic: Diagnostic) {
        self.diagnostics.push(diagnostic);
    }

    /// Marks a place whose text is secret: no excerpt shows it.
    pub(crate) fn hide(&mut self, span: Span) {
        self.hidden.insert(span);
    }

    /// Notes that a value was passed over because its shape is wrong. The check of shapes reports those
    /// with reasons; [`Self::report_lost`] makes sure that none is dropped in silence.
    pub(crate) fn lost(&mut self, span: Span) {
        self.lost.push(span);
    }

    /// Whether anything was found at a place.
    fn speaks_of(&self, span: Span) -> bool {
        self.diagnostics.iter().any(|d| d.primary.as_ref().is_some_and(|p| p.span.overlaps(span)))
    }

    /// Reports the values that were passed over and that no other message explains.
    pub(crate) fn report_lost(&mut self) {
        for span in std::mem::take(&mut self.lost) {
            if !self.speaks_of(span) {
                self.push(
                    Diagnostic::new("wrong-type", "This value does not fit its key.")
                        .at(span, "can't be used here")
                        .help("See the key's page in docs/language.md for what it takes."),
                );
            }
        }
    }
}
