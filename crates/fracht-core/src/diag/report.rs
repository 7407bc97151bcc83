//! The problems of a stack with their severities, in the order of the files, each once.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::{Diagnostic, Rule, Severity, Sink};
use crate::origin::Layer;
use crate::source::Span;

/// A diagnostic with its severity and the targets that it holds for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// Its severity.
    pub severity: Severity,
    /// The problem.
    pub diagnostic: Diagnostic,
    /// The targets that have it; empty for all that were checked.
    pub targets: Vec<String>,
}

/// The problems that were found, sorted by file and place.
#[derive(Clone, Debug, Default)]
pub struct Report {
    findings: Vec<Finding>,
    hidden: BTreeSet<Span>,
    hidden_texts: BTreeSet<Arc<str>>,
    /// The targets whose tables were merged.
    layers: BTreeSet<Layer>,
    /// How many problems of each rule were only counted.
    more: BTreeMap<(&'static Rule, Severity), usize>,
}

impl Report {
    /// Gives each problem its severity, removes repeats and rules that are turned off, and sorts.
    pub(crate) fn new(
        sink: Sink,
        layers: BTreeSet<Layer>,
        severity: impl Fn(&'static Rule) -> Option<Severity>,
    ) -> Self {
        let mut more = BTreeMap::new();
        for (rule, _) in &sink.more {
            if let Some(severity) = severity(rule) {
                *more.entry((*rule, severity)).or_default() += 1;
            }
        }
        let mut report =
            Self { findings: Vec::new(), hidden: sink.hidden, hidden_texts: sink.hidden_texts, layers, more };
        report.add(sink.diagnostics, severity);
        report
    }

    /// Adds more problems.
    pub(crate) fn add(
        &mut self,
        found: Vec<Diagnostic>,
        severity: impl Fn(&'static Rule) -> Option<Severity>,
    ) {
        let finding = |diagnostic: Diagnostic| {
            Some(Finding { severity: severity(diagnostic.rule)?, diagnostic, targets: Vec::new() })
        };
        self.findings.extend(found.into_iter().filter_map(finding));
        self.findings.sort_by(|a, b| key(&a.diagnostic).cmp(&key(&b.diagnostic)));
        self.findings.dedup_by(|a, b| key(&a.diagnostic) == key(&b.diagnostic));
        self.join_same_mistakes();
    }

    /// Joins problems that differ only in their message: one value that several services have, from a pattern, is one
    /// mistake.
    fn join_same_mistakes(&mut self) {
        let mut joined: Vec<(Finding, usize)> = Vec::with_capacity(self.findings.len());
        for finding in self.findings.drain(..) {
            match joined.last_mut() {
                Some((first, more)) if is_same_mistake(&first.diagnostic, &finding.diagnostic) => *more += 1,
                _ => joined.push((finding, 0)),
            }
        }
        let with_count = |(mut finding, more): (Finding, usize)| {
            if more > 0 {
                finding.diagnostic.message += &format!(" (and {more} more)");
            }
            finding
        };
        self.findings.extend(joined.into_iter().map(with_count));
    }

    /// Whether what a problem is about is there for the target.
    fn has(&self, diagnostic: &Diagnostic) -> bool {
        diagnostic.only_in.is_none_or(|layer| self.layers.contains(&layer))
    }

    /// Joins the reports of several targets. A problem that all targets have names none of them.
    pub fn over_targets(reports: Vec<(String, Report)>) -> Self {
        let count = reports.len();
        let layers: Vec<BTreeSet<Layer>> = reports.iter().map(|(_, report)| report.layers.clone()).collect();
        let (mut hidden, mut hidden_texts, mut more) = (BTreeSet::new(), BTreeSet::new(), BTreeMap::new());
        let mut merged: BTreeMap<_, Finding> = BTreeMap::new();
        for (target, report) in reports {
            hidden.extend(report.hidden);
            hidden_texts.extend(report.hidden_texts);
            for (rule, count) in report.more {
                // Targets mostly have the same problems, so that a sum would count them several times.
                let most = more.entry(rule).or_insert(count);
                *most = count.max(*most);
            }
            for finding in report.findings {
                let entry = merged.entry(OwnedKey::of(&finding.diagnostic));
                entry.or_insert(finding).targets.push(target.clone());
            }
        }
        let merged = joined_over_targets(merged.into_values());
        let all_or_some = |mut finding: Finding| {
            if finding.targets.len() == count {
                finding.targets.clear();
            }
            finding
        };
        // What one target does not use, another may use.
        let shown = |finding: &Finding| {
            let has = |layers: &&BTreeSet<Layer>| {
                finding.diagnostic.only_in.is_none_or(|layer| layers.contains(&layer))
            };
            !finding.diagnostic.rule.in_every_target
                || finding.targets.is_empty()
                || layers.iter().filter(has).count() == finding.targets.len()
        };
        Self {
            findings: merged.into_iter().map(all_or_some).filter(shown).collect(),
            hidden,
            hidden_texts,
            layers: BTreeSet::new(),
            more,
        }
    }

    /// Whether it has problems that count only when every target has them.
    pub fn asks_other_targets(&self) -> bool {
        self.findings.iter().any(|finding| finding.diagnostic.rule.in_every_target)
    }

    /// Removes problems that count only when every target has them, if that of another target lacks them.
    pub fn keep_common(&mut self, other: &Report) {
        let others: BTreeSet<OwnedKey> =
            other.findings.iter().map(|finding| OwnedKey::of(&finding.diagnostic)).collect();
        self.findings.retain(|finding| {
            !finding.diagnostic.rule.in_every_target
                || !other.has(&finding.diagnostic)
                || others.contains(&OwnedKey::of(&finding.diagnostic))
        });
    }

    /// The problems that were found, sorted by file and place.
    pub fn findings(&self) -> &[Finding] {
        &self.findings
    }

    /// The places whose text must not be shown.
    pub fn hidden(&self) -> &BTreeSet<Span> {
        &self.hidden
    }

    /// Values that must not be shown in any message.
    pub fn hidden_texts(&self) -> &BTreeSet<Arc<str>> {
        &self.hidden_texts
    }

    /// The number of problems, with those that were only counted.
    pub fn total(&self) -> usize {
        self.findings.len() + self.more.values().sum::<usize>()
    }

    /// The number of problems of a severity.
    pub fn count(&self, severity: Severity) -> usize {
        let kept = self.findings.iter().filter(|finding| finding.severity == severity).count();
        let more = self.more.iter().filter(|((_, other), _)| *other == severity);
        kept + more.map(|(_, count)| count).sum::<usize>()
    }

    /// Whether the report has an error, so that no objects can be generated.
    pub fn has_errors(&self) -> bool {
        self.count(Severity::Error) > 0
    }
}

/// Joins problems at one place that each target words in its own way: with its domain, or a size of its own.
fn joined_over_targets(findings: impl Iterator<Item = Finding>) -> Vec<Finding> {
    let mut joined: Vec<Finding> = Vec::new();
    for finding in findings {
        let is_other = |first: &Finding| {
            let (one, other) = (&first.diagnostic, &finding.diagnostic);
            let is_there = one.primary.is_some() && (&one.primary, one.rule) == (&other.primary, other.rule);
            is_there && finding.targets.iter().all(|target| !first.targets.contains(target))
        };
        match joined.last_mut().filter(|first| is_other(first)) {
            Some(first) => first.targets.extend(finding.targets),
            None => joined.push(finding),
        }
    }
    joined
}

fn is_same_mistake(one: &Diagnostic, other: &Diagnostic) -> bool {
    one.primary.is_some()
        && (&one.primary, one.rule, &one.related) == (&other.primary, other.rule, &other.related)
        && (&one.help, &one.fix) == (&other.help, &other.fix)
}

type Key<'a> = (Option<Span>, &'static Rule, &'a str);

fn key(diagnostic: &Diagnostic) -> Key<'_> {
    (diagnostic.primary.as_ref().map(|label| label.span), diagnostic.rule, &diagnostic.message)
}

#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct OwnedKey(Option<Span>, &'static Rule, String);

impl OwnedKey {
    fn of(diagnostic: &Diagnostic) -> Self {
        let (span, rule, message) = key(diagnostic);
        Self(span, rule, message.to_owned())
    }
}
