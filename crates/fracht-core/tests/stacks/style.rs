//! Checks messages against the rules of docs/style.md.

use fracht_core::diag::{Diagnostic, Label};
use fracht_core::rules;

/// The parts of a diagnostic that break the style guide.
pub(crate) fn faults(diagnostic: &Diagnostic) -> Vec<String> {
    let mut faults = Vec::new();
    let mut text = |what: &str, text: &str, most: usize| {
        let starts = text.chars().next();
        if starts.is_none_or(|c| c.is_uppercase() && !text.starts_with("HTTP") && !text.starts_with("API")) {
            faults.push(format!("{what} starts with a capital or is empty: {text:?}"));
        }
        if text.ends_with('.') && !text.ends_with("..")
            || text.contains("can't")
            || text.contains("…") && what == "label"
        {
            faults.push(format!("{what} has a full stop or a contraction: {text:?}"));
        }
        if text.chars().count() > most {
            faults.push(format!("{what} is longer than {most}: {text:?}"));
        }
    };
    text("message", &diagnostic.message, 110);
    for help in &diagnostic.help {
        text("help", help, 140);
    }
    if let Some(fix) = &diagnostic.fix {
        text("fix", &fix.title, 60);
    }
    let mut label = |label: &Label| text("label", &label.text, 70);
    diagnostic.primary.iter().chain(&diagnostic.related).for_each(&mut label);
    let steps = diagnostic.help.len() + usize::from(diagnostic.fix.is_some());
    if !(1..=2).contains(&steps) {
        faults.push(format!("{steps} helps"));
    }
    let second = if diagnostic.fix.is_some() { diagnostic.help.first() } else { diagnostic.help.get(1) };
    if second.is_some_and(|help| !help.starts_with("or ") && !help.starts_with("if ")) {
        faults.push(format!("a second help that does not start with `or`: {second:?}"));
    }
    faults
}

#[test]
fn messages_of_bad_examples_follow_the_style_guide() {
    for rule in rules::all() {
        for target in ["cluster", "prod", "laptop"] {
            let Some(verdict) = crate::maybe_verdict(rule.fails, target) else { continue };
            for finding in verdict.report.findings() {
                assert_eq!(faults(&finding.diagnostic), [""; 0], "{}: {:#?}", rule.name, finding.diagnostic);
            }
        }
    }
}
