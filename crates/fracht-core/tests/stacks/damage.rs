//! The demo with a slip in each place: one message, at the line of the slip.

use std::path::Path;

use fracht_core::diag::Report;
use fracht_core::files::Files;
use fracht_testkit::{STACK_FILE, open, stacks};
use rayon::prelude::*;

/// The problems that a stack file gives over all targets, each with its line.
fn found(text: &str) -> Vec<(usize, String)> {
    let files = stacks::demo().with(STACK_FILE, text);
    let mut project = open(&files);
    let targets: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let reports = targets.into_iter().map(|target| {
        let report = project.check(&target).unwrap().report;
        (target, report)
    });
    let report = Report::over_targets(reports.collect());
    let found = report.findings().iter().map(|finding| {
        let diagnostic = &finding.diagnostic;
        let place = diagnostic.primary.as_ref().unwrap().span;
        (project.sources().position(place).line, format!("{}: {diagnostic}", diagnostic.rule.name))
    });
    found.collect()
}

/// The demo, and its lines with the place where each begins, without comments.
fn demo() -> (String, Vec<(usize, String)>) {
    let text = String::from_utf8(stacks::demo().read(Path::new(STACK_FILE), u64::MAX).unwrap()).unwrap();
    let starts = text.split_inclusive('\n').scan(0, |at, line| {
        let start = *at;
        *at += line.len();
        Some((start, line.split('#').next().unwrap_or_default().to_owned()))
    });
    let lines = starts.collect();
    (text, lines)
}

/// Checks changed texts, each with the number of the line that was changed, and returns those whose problems are not as
/// expected.
fn unexpected(
    changed: Vec<(usize, String)>,
    is_expected: impl Fn(usize, &[(usize, String)]) -> bool + Sync,
) -> Vec<String> {
    // Every third one, since all of them take long.
    let some = changed.into_par_iter().step_by(3);
    let judged = some.filter_map(|(line, text)| {
        let found = found(&text);
        let shown = || format!("line {line}: {:?}\n{found:#?}", text.lines().nth(line - 1));
        (!is_expected(line, &found)).then(shown)
    });
    judged.collect()
}

#[test]
fn each_missing_bracket_quote_or_equals_sign_has_one_message_at_its_line() {
    let (text, lines) = demo();
    let mut changed = Vec::new();
    for (index, (start, line)) in lines.iter().enumerate() {
        let mut is_quoted = false;
        for (at, sign) in line.char_indices() {
            is_quoted ^= sign == '"';
            if "[]{}\"".contains(sign) || sign == '=' && !is_quoted {
                let mut damaged = text.clone();
                damaged.remove(start + at);
                changed.push((index + 1, damaged));
            }
        }
    }
    assert!(changed.len() > 600, "{}", changed.len());
    let wrong = unexpected(changed, |line, found| matches!(found, [(at, _)] if *at == line));
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.join("\n"));
}

#[test]
fn a_word_with_swapped_letters_has_no_second_message_at_its_line() {
    let (text, lines) = demo();
    let mut changed = Vec::new();
    for (index, (start, line)) in lines.iter().enumerate() {
        for word in line.split(|c: char| !c.is_ascii_alphabetic()).filter(|word| word.len() > 3) {
            let at = start + (word.as_ptr() as usize - line.as_ptr() as usize) + word.len() / 2;
            let mut damaged = text.clone().into_bytes();
            damaged.swap(at - 1, at);
            changed.push((index + 1, String::from_utf8(damaged).unwrap()));
        }
    }
    assert!(changed.len() > 400, "{}", changed.len());
    let wrong = unexpected(changed, |line, found| {
        // A name that a target drops is not there, which is told where it is dropped.
        let here = found.iter().filter(|(_, message)| !message.starts_with("drop-misses"));
        here.clone().count() <= 1 || here.clone().all(|(at, _)| *at != line)
    });
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.join("\n"));
}
