//! Collects the problems that the stages find.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::reading::{SYNTAX, UNKNOWN_KEY, WRONG_TYPE};
use super::{Diagnostic, Label, Rule};
use crate::source::{Places, Span};

/// The most problems of one rule that are kept. Further ones are only counted: a stack of a million mistakes must not
/// need the memory of a million messages.
const MOST_OF_RULE: usize = 1000;

/// Collects problems, places whose text must not be shown, and values that a reader skipped.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sink {
    pub(super) diagnostics: Vec<Diagnostic>,
    pub(super) hidden: BTreeSet<Span>,
    pub(super) hidden_texts: BTreeSet<Arc<str>>,
    counts: BTreeMap<&'static Rule, usize>,
    /// How many problems of each rule were found before this sink was created.
    before: BTreeMap<&'static Rule, usize>,
    /// The places of the problems that were only counted, with their rules.
    pub(super) more: Vec<(&'static Rule, Option<Span>)>,
    lost: Vec<Span>,
    /// The values of misspelt keys.
    guessed: Vec<Span>,
}

impl Sink {
    /// Keeps only some of the problems.
    pub(crate) fn retain(&mut self, is_kept: impl FnMut(&Diagnostic) -> bool) {
        self.diagnostics.retain(is_kept);
    }

    /// Keeps only some of the problems of a rule.
    pub(crate) fn retain_of(&mut self, rule: &'static Rule, is_kept: impl Fn(&Diagnostic) -> bool) {
        self.diagnostics.retain(|found| found.rule != rule || is_kept(found));
        self.more.retain(|(found, _)| *found != rule);
    }

    /// The problems that were kept, to add to them.
    pub(crate) fn found_mut(&mut self) -> impl Iterator<Item = &mut Diagnostic> {
        self.diagnostics.iter_mut()
    }

    /// The problems that were kept.
    #[cfg(test)]
    pub(crate) fn take(self) -> Vec<Diagnostic> {
        self.diagnostics
    }

    /// Whether nothing was found.
    pub(crate) fn is_empty(&self) -> bool {
        self.diagnostics.is_empty()
    }

    /// An empty sink that counts on from this one. [`Self::absorb`] adds it back.
    pub(crate) fn for_more(&self) -> Self {
        Self { before: self.counts.clone(), ..Self::default() }
    }

    /// Adds everything from another sink.
    pub(crate) fn absorb(&mut self, other: Self) {
        other.diagnostics.into_iter().for_each(|diagnostic| self.push(diagnostic));
        self.more.extend(other.more);
        self.hidden.extend(other.hidden);
        self.hidden_texts.extend(other.hidden_texts);
        self.lost.extend(other.lost);
        self.guessed.extend(other.guessed);
    }

    /// Adds a problem.
    pub(crate) fn push(&mut self, diagnostic: Diagnostic) {
        let count = self.counts.entry(diagnostic.rule).or_default();
        *count += 1;
        if *count > MOST_OF_RULE {
            self.more.push((diagnostic.rule, diagnostic.primary.map(|label| label.span)));
        } else {
            self.diagnostics.push(diagnostic);
        }
    }

    /// If enough problems of a rule are kept, counts one more and returns true. Called before a message is built where
    /// there may be very many.
    pub(crate) fn counts_only(&mut self, rule: &'static Rule, span: Span) -> bool {
        let full = self.is_full(rule);
        if full {
            self.more.push((rule, Some(span)));
        }
        full
    }

    /// Whether one more problem of a rule would only be counted.
    pub(crate) fn is_full(&self, rule: &'static Rule) -> bool {
        let count = |counts: &BTreeMap<&'static Rule, usize>| counts.get(rule).copied().unwrap_or_default();
        count(&self.counts) + count(&self.before) >= MOST_OF_RULE
    }

    /// Marks a place whose text is secret and must not be shown.
    pub(crate) fn hide(&mut self, span: Span) {
        self.hidden.insert(span);
    }

    /// Marks a value that no message may contain. It comes from outside the stack file, so it has no place.
    pub(crate) fn hide_text(&mut self, text: Arc<str>) {
        self.hidden_texts.insert(text);
    }

    /// Notes that a reader skipped a value because its shape is wrong. The check of shapes reports such values with a
    /// reason; [`Self::report_lost`] makes sure that none is dropped silently.
    pub(crate) fn lost(&mut self, span: Span) {
        self.lost.push(span);
    }

    /// Removes syntax errors below a value of the wrong type, which explains them.
    pub(crate) fn remove_explained(&mut self) {
        let is_wrong = |found: &&Diagnostic| found.rule == &WRONG_TYPE;
        let wrong: BTreeSet<Span> = self
            .diagnostics
            .iter()
            .filter(is_wrong)
            .filter_map(|found| Some(found.primary.as_ref()?.span))
            .collect();
        let is_explained = |label: &Label| wrong.iter().any(|span| span.overlaps(label.span));
        self.diagnostics.retain(|found| found.rule != &SYNTAX || !found.related.iter().any(is_explained));
    }

    /// Marks a misspelt key, or its value, which is read as that of the key that is probably meant.
    pub(crate) fn guess(&mut self, span: Span) {
        self.guessed.push(span);
    }

    /// Removes what was found in the values of misspelt keys: what is wrong is the key.
    pub(crate) fn remove_guessed(&mut self) {
        if self.guessed.is_empty() {
            return;
        }
        let guessed = Places::of(std::mem::take(&mut self.guessed).into_iter());
        self.diagnostics.retain(|found| {
            let span = found.primary.as_ref().map(|label| label.span);
            found.rule == &UNKNOWN_KEY || !span.is_some_and(|span| guessed.overlap(span))
        });
    }

    /// Whether something could not be read, so that what seems to be missing may exist.
    pub(crate) fn has_unread(&self) -> bool {
        !self.lost.is_empty() || self.diagnostics.iter().any(|found| found.rule.always_error)
    }

    /// Reports the skipped values that no other message explains.
    pub(crate) fn report_lost(&mut self) {
        let kept = self.diagnostics.iter().filter_map(|found| Some(found.primary.as_ref()?.span));
        let spoken_of = Places::of(kept.chain(self.more.iter().filter_map(|(_, span)| *span)));
        for span in std::mem::take(&mut self.lost) {
            if !spoken_of.overlap(span) {
                self.push(
                    Diagnostic::new(&WRONG_TYPE, "invalid value for this key")
                        .at(span, "cannot be used here")
                        .help("see what the key takes in docs/language.md"),
                );
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diag::reading::{BAD_VALUE, UNUSED};
    use crate::source::{Sources, Syntax};

    #[test]
    fn a_thousand_of_a_million_problems_are_kept_and_all_are_counted() {
        let mut sources = Sources::default();
        let file = sources.add("/s/a".as_ref(), "a", "".into(), Syntax::Stack);
        let mut sink = Sink::default();
        for at in 0..1_000_000 {
            sink.push(Diagnostic::new(&UNUSED, "x").at(Span::new(file, at * 4..at * 4 + 2), "y"));
        }
        assert_eq!((sink.diagnostics.len(), sink.more.len()), (1_000, 999_000));
        let mut more = sink.for_more();
        assert!(more.counts_only(&UNUSED, Span::new(file, 0..1)) && !more.is_full(&BAD_VALUE));
        assert!(more.diagnostics.is_empty(), "what is found before is not in it");
        // A problem that is only counted also explains a skipped value.
        sink.lost(Span::new(file, 3_999_996..3_999_998));
        sink.lost(Span::new(file, 4_000_003..4_000_004));
        sink.report_lost();
        assert_eq!(sink.diagnostics.len(), 1_001);
    }
}
