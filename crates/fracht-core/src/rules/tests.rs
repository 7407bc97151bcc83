use std::collections::BTreeSet;
use std::path::Path;

use super::{Check, LIST, all};
use crate::check::Project;
use crate::diag::Report;
use crate::files::MemoryFiles;

/// The names of the rules that a stack fails, with the lines.
fn found(stack: &str) -> Vec<(String, String)> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/fracht.lock", "[port.locked]\na.web = 8081\n")
        .with("/s/present.txt", "here")
        .with("/present.txt", "outside")
        .with("/s/encoded.txt", "Z3VsbC1hbmQta2VscA==\n")
        .with("/s/app/Containerfile", "from scratch")
        .with("/s/good.env", "A=1\n")
        .with("/s/broken.env", "A=1\nnonsense\n")
        .with("/s/good.yaml", "")
        .with("/s/large.bin", vec![b'x'; (1 << 20) + 1]);
    let mut project = Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml")).unwrap();
    let names: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let reports =
        names.into_iter().map(|name| (name.clone(), project.check(&name).unwrap().report)).collect();
    let report = Report::over_targets(reports);
    let place = |label: &crate::diag::Label| project.sources().location(label.span);
    let findings = report.findings().iter();
    findings
        .map(|finding| {
            let diagnostic = &finding.diagnostic;
            assert!(
                !diagnostic.help.is_empty() || diagnostic.fix.is_some(),
                "{} does not say what to do",
                diagnostic.rule.name
            );
            let place = diagnostic.primary.as_ref().map_or_else(String::new, place);
            (diagnostic.rule.name.to_owned(), format!("{place} {}", diagnostic.message))
        })
        .collect()
}

#[test]
fn every_bad_example_fails_its_rule_only() {
    // The rules on objects are tested in the back end.
    let is_here = |check: &Check| !matches!(check, Check::Objects | Check::Beside | Check::Looked);
    let rules = LIST.iter().filter(|(_, check)| is_here(check)).map(|(rule, _)| rule);
    let wrong = rules.filter_map(|rule| {
        let found = found(rule.fails);
        let is_right = matches!(found.as_slice(), [(name, _)] if name == rule.name);
        (!is_right).then_some((rule.name, found))
    });
    assert_eq!(wrong.collect::<Vec<_>>(), []);
}

/// A stack that could not be read has a model with defaults, which no back end accepts.
#[test]
fn rules_of_readers_cannot_be_turned_off() {
    for (rule, _) in LIST.iter().filter(|(_, check)| matches!(check, Check::Reading)) {
        assert!(rule.always_error || rule.severity != crate::diag::Severity::Error, "{}", rule.name);
    }
    // These have a function as well, and readers find some of their problems.
    for name in ["port-range", "start-cycle"] {
        assert!(super::rule(name).unwrap().always_error, "{name}");
    }
}

#[test]
fn every_good_example_passes_every_rule() {
    let found = all().map(|rule| (rule.name, found(rule.passes))).filter(|(_, found)| !found.is_empty());
    assert_eq!(found.collect::<Vec<_>>(), []);
}

#[test]
fn texts_of_rules_have_their_form() {
    let mut names = BTreeSet::new();
    for rule in all() {
        assert!(names.insert(rule.name), "{} is there twice", rule.name);
        assert!(rule.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{}", rule.name);
        let starts = |text: &str| text.starts_with(|c: char| c.is_uppercase() || c == '`');
        assert!(starts(rule.summary) && !rule.summary.ends_with('.'), "{}", rule.summary);
        assert!(starts(rule.why) && rule.why.ends_with('.'), "{}", rule.why);
    }
}
