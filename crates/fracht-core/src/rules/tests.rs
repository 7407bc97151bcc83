use std::collections::BTreeSet;
use std::path::Path;

use super::RULES;
use crate::check::Project;
use crate::diag::Report;
use crate::files::MemoryFiles;

/// The names of the rules that a stack fails, with the lines.
fn found(stack: &str) -> Vec<(String, String)> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/present.txt", "here")
        .with("/present.txt", "outside")
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
                diagnostic.rule
            );
            let place = diagnostic.primary.as_ref().map_or_else(String::new, place);
            (diagnostic.rule.to_owned(), format!("{place} {}", diagnostic.message))
        })
        .collect()
}

#[test]
fn every_rule_finds_its_bad_example_and_nothing_else() {
    // What the back end finds is tested where it is found.
    for rule in RULES.iter().filter(|rule| !rule.is_of_objects()) {
        let found = found(rule.fails);
        let names: Vec<&str> = found.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, [rule.name], "the bad example of {}: {found:#?}", rule.name);
    }
}

/// What could not be read stands in the model as a harmless default: nobody may make objects of it.
#[test]
fn what_reading_finds_can_not_be_turned_off() {
    for rule in RULES.iter().filter(|rule| matches!(rule.check, super::Check::Reading)) {
        assert!(rule.fixed || rule.severity != crate::diag::Severity::Error, "{}", rule.name);
    }
    // These have a function as well, and are found by reading first.
    for name in ["port-range", "start-cycle"] {
        assert!(super::rule(name).unwrap().fixed, "{name}");
    }
}

#[test]
fn every_good_example_passes_every_rule() {
    for rule in RULES {
        assert_eq!(found(rule.passes), [], "the good example of {}", rule.name);
    }
}

#[test]
fn rules_have_names_in_words_and_sentences() {
    let mut names = BTreeSet::new();
    for rule in RULES {
        assert!(names.insert(rule.name), "{} is there twice", rule.name);
        assert!(rule.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{}", rule.name);
        for sentence in [rule.summary, rule.why] {
            assert!(sentence.ends_with('.') && sentence.starts_with(char::is_uppercase), "{sentence}");
        }
    }
}

/// What is pushed under a name that is no rule would have no page and no severity of its own.
#[test]
fn every_name_that_the_source_reports_is_a_rule() {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut names = BTreeSet::new();
    let mut folders = vec![source];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if !path.ends_with("rules/tests.rs") {
                let text = std::fs::read_to_string(path).unwrap();
                let after = text.split("Diagnostic::new(").skip(1).map(str::trim_start);
                let literal = after.filter_map(|rest| rest.strip_prefix('"')?.split_once('"'));
                names.extend(literal.map(|(name, _)| name.to_owned()));
            }
        }
    }
    assert!(names.len() > 10, "{names:?}");
    for name in names {
        assert!(super::rule(&name).is_some(), "{name} is reported and is no rule");
    }
}
