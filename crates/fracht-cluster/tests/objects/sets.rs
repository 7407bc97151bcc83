//! The sets of faulty and good stacks: each mistake has one message, at its line, and what the message advises mends it.

use std::collections::BTreeMap;
use std::path::Path;

use fracht_core::check::Project;
use fracht_core::diag::{Diagnostic, Report};
use fracht_core::files::MemoryFiles;
use fracht_core::rules;
use fracht_core::source::{Sources, Span};
use fracht_testkit::sets::{self, Case};
use rayon::prelude::*;

/// The problems of a stack for all its targets, with those of its objects.
fn checked(files: &MemoryFiles) -> (Report, Project<'_>) {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, Path::new("fracht.toml")).unwrap();
    let targets: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let reports = targets.into_iter().map(|target| {
        let verdict = project.check(&target).unwrap();
        (target, verdict.report_with(fracht_cluster::problems(&verdict)))
    });
    let report = Report::over_targets(reports.collect());
    (report, project)
}

/// Where a problem is: file and line.
fn place(diagnostic: &Diagnostic, sources: &Sources) -> (String, usize) {
    let Some(span) = diagnostic.primary.as_ref().map(|label| label.span) else { return (String::new(), 0) };
    (sources.file(span.file).unwrap().shown.clone(), sources.position(span).line)
}

#[test]
fn every_mistake_has_one_message_at_its_line() {
    let wrong: Vec<String> = sets::all()
        .par_iter()
        .filter_map(|case| {
            let files = case.memory();
            let (report, project) = checked(&files);
            let mut found: Vec<_> = report
                .findings()
                .iter()
                .map(|finding| {
                    let (file, line) = place(&finding.diagnostic, project.sources());
                    (file, line, finding.diagnostic.rule.name.to_owned())
                })
                .collect();
            let mut wanted = case.mistakes.clone();
            found.sort();
            wanted.sort();
            let messages = || {
                report
                    .findings()
                    .iter()
                    .map(|finding| finding.diagnostic.message.as_str())
                    .collect::<Vec<_>>()
            };
            (found != wanted).then(|| {
                format!("{}:\n  wanted {wanted:?}\n  found  {found:?}\n  {:#?}", case.title, messages())
            })
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Rules that the sets need not have, since other tests have many stacks for them.
const ELSEWHERE: &[&str] = &[
    "name-clash",
    "namespace-shared",
    "pass-beyond",
    "pass-secret",
    // Of images that are looked up.
    "image-absent",
    "image-moved",
    "image-platform",
    "image-says-port",
    "image-says-user",
    "image-says-data",
    "image-newer",
    "image-smaller",
];

#[test]
fn every_rule_has_four_disguises() {
    let mut counts: BTreeMap<&str, usize> = rules::all().map(|rule| (rule.name, 0)).collect();
    let cases = sets::all();
    for (.., rule) in cases.iter().flat_map(|case| &case.mistakes) {
        *counts.get_mut(rule.as_str()).unwrap_or_else(|| panic!("no rule {rule}")) += 1;
    }
    counts.retain(|rule, count| *count < 4 && !ELSEWHERE.contains(rule));
    assert!(counts.is_empty(), "rules with too few mistakes in the sets: {counts:?}");
}

/// Words in code that stand for something that only the author knows.
const PLACEHOLDERS: &[&str] = &[
    "NAME",
    "KEY",
    "PORT",
    "VALUE",
    "VARIABLE",
    "REASON",
    "FILE",
    "PATH",
    "…",
    "X_",
    "--",
    "fracht ",
    "kubectl",
    "KIND",
    "harbour office",
];

/// The pieces of code in a help that can be written as they are.
fn code(help: &str) -> Vec<String> {
    let pieces = help.split('`').skip(1).step_by(2).map(str::to_owned);
    let is_code = |piece: &String| {
        let assigns = piece.contains(" = ");
        let reference = piece.starts_with('{') && piece.contains('.');
        (assigns || reference) && !PLACEHOLDERS.iter().any(|word| piece.contains(word))
    };
    pieces.filter(is_code).collect()
}

/// A stack with one text changed.
fn with(case: &Case, file: &str, text: String) -> MemoryFiles {
    case.memory().with(format!("/s/{file}"), text)
}

/// How many problems of a rule a stack has, in all with one message, and at a line.
fn counts(
    report: &Report,
    sources: &Sources,
    rule: &str,
    message: &str,
    (file, line): (&str, usize),
) -> (usize, usize) {
    let of_rule =
        || report.findings().iter().map(|finding| &finding.diagnostic).filter(|one| one.rule.name == rule);
    let at_line = of_rule().filter(|one| place(one, sources) == (file.to_owned(), line)).count();
    (of_rule().filter(|one| one.message == message).count(), at_line)
}

/// Whether a changed stack has a problem less, by its message and at its line, which has moved down.
fn is_mended(files: &MemoryFiles, before: (&Report, &Sources), problem: &Diagnostic, moved: usize) -> bool {
    let path = Path::new("/s/fracht.toml");
    if Project::open(files, path, path).is_err() {
        return false;
    }
    let (report, project) = checked(files);
    let (file, line) = place(problem, before.1);
    let of = |report: &Report, sources: &Sources, line: usize| {
        counts(report, sources, problem.rule.name, &problem.message, (&file, line))
    };
    let (old, new) = (of(before.0, before.1, line), of(&report, project.sources(), line + moved));
    let syntax =
        |report: &Report| report.findings().iter().filter(|one| one.diagnostic.rule.name == "syntax").count();
    new.0 < old.0 && new.1 < old.1 && syntax(&report) <= syntax(before.0)
}

fn text_of<'c>(case: &'c Case, file: &str) -> Option<&'c str> {
    case.files.iter().find(|(path, _)| path == file).map(|(_, text)| text.as_str())
}

#[test]
fn every_fix_mends_its_problem() {
    let wrong: Vec<String> = sets::all()
        .par_iter()
        .flat_map_iter(|case| {
            let files = case.memory();
            let (report, project) = checked(&files);
            let sources = project.sources();
            let fixed = report.findings().iter().filter_map(|finding| {
                let fix = finding.diagnostic.fix.as_ref()?;
                let (file, line) = place(&finding.diagnostic, sources);
                let mut text = sources.file(fix.span.file)?.text.to_string();
                text.replace_range(fix.span.range(), &fix.replacement);
                let after = with(case, &file, text);
                (!is_mended(&after, (&report, sources), &finding.diagnostic, 0)).then(|| {
                    format!("{}: line {line}: {} ({})", case.title, finding.diagnostic.message, fix.title)
                })
            });
            fixed.collect::<Vec<_>>()
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The byte at which the line of a byte starts.
fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind('\n').map_or(0, |end| end + 1)
}

/// The ways in which a reader may write a piece of code at a place: each a changed text, and by how many lines the place
/// moves.
fn ways(text: &str, span: Span, help: &str, code: &str) -> Vec<(String, usize)> {
    let mut ways = Vec::new();
    let range = span.range();
    if range.end > text.len() {
        return ways; // the text is shorter after another change
    }
    let replaced = |range: std::ops::Range<usize>, new: &str| {
        let mut text = text.to_owned();
        text.replace_range(range, new);
        text
    };
    if let Some((key, value)) = code.split_once(" = ").filter(|_| !code.starts_with('{')) {
        // In place of what the key has, on the line of the place or in its table.
        let line = line_start(text, range.start)
            ..text[range.start..].find('\n').map_or(text.len(), |end| range.start + end);
        let bare = key.rsplit('.').next().unwrap_or(key);
        for name in [key, bare] {
            for at in text[line.clone()].match_indices(&format!("{name} = ")).map(|(at, _)| line.start + at) {
                let from = at + name.len() + 3;
                let rest = &text[from..line.end];
                let is_whole =
                    |text: &str| text.matches(['{', '[']).count() == text.matches(['}', ']']).count();
                let ends = rest
                    .char_indices()
                    .filter(|(_, c)| matches!(c, ',' | '}'))
                    .map(|(end, _)| end)
                    .chain([rest.len()]);
                for end in ends.filter(|end| is_whole(&rest[..*end])) {
                    ways.push((replaced(from..from + end, &format!("{value} ")), 0));
                }
            }
        }
        // Into the inline table at the place.
        if let Some(close) = text[line.clone()].rfind('}') {
            ways.push((replaced(line.start + close..line.start + close, &format!(", {code} ")), 0));
        }
        ways.push((replaced(line.clone(), code), 0));
        // Into the table that the help names, or that of the place.
        let named = help.split('`').skip(1).step_by(2).map(|table| table.trim_matches(['[', ']']));
        let mut tables: Vec<String> =
            named.filter(|table| !table.contains([' ', '=', '"'])).map(str::to_owned).collect();
        let own = text[..line.end].lines().rev().find(|line| line.starts_with('['));
        tables
            .extend(own.map(|header| header.split(" #").next().unwrap().trim_matches(['[', ']']).to_owned()));
        for table in tables {
            let header = format!("[{table}]");
            match text.find(&format!("{header}\n")) {
                Some(at) => {
                    let behind = at + header.len() + 1;
                    let section = text[behind..].find("\n[").map_or(text.len(), |end| behind + end + 1);
                    // A key that is there already is replaced.
                    let own = text[behind..section].lines().scan(behind, |at, line| {
                        let from = *at;
                        *at += line.len() + 1;
                        Some((from, line))
                    });
                    let own = own
                        .into_iter()
                        .find(|(_, line)| line.split([' ', '.']).next() == Some(bare_key(key)));
                    if let Some((from, line)) = own {
                        ways.push((replaced(from..from + line.len(), code), 0));
                    }
                    ways.push((replaced(behind..behind, &format!("{code}\n")), 1));
                }
                None => ways.push((format!("{text}{header}\n{code}\n"), 0)),
            }
        }
    } else {
        // The value itself.
        ways.push((replaced(range.clone(), code), 0));
        ways.push((replaced(range, &format!("\"{code}\"")), 0));
    }
    ways
}

/// The first part of a key.
fn bare_key(key: &str) -> &str {
    key.split('.').next().unwrap_or(key)
}

#[test]
fn every_help_with_code_mends_its_problem() {
    let (mut tried, mut wrong) = (0, Vec::new());
    let results: Vec<(usize, Vec<String>)> = sets::all()
        .par_iter()
        .map(|case| {
            let files = case.memory();
            let (report, project) = checked(&files);
            let sources = project.sources();
            let (mut tried, mut wrong) = (0, Vec::new());
            for finding in report.findings() {
                let diagnostic = &finding.diagnostic;
                let Some(span) = diagnostic.primary.as_ref().map(|label| label.span) else { continue };
                let (file, line) = place(diagnostic, sources);
                let Some(text) = text_of(case, &file) else { continue };
                for help in &diagnostic.help {
                    let pieces = code(help);
                    if pieces.is_empty() {
                        continue;
                    }
                    tried += 1;
                    let mut all: Vec<(String, usize)> = Vec::new();
                    for piece in &pieces {
                        all.extend(ways(text, span, help, piece));
                    }
                    if let [one, two] = pieces.as_slice() {
                        for (text, moved) in ways(text, span, help, one) {
                            let more = ways(&text, span, help, two);
                            all.extend(more.into_iter().map(|(text, by)| (text, moved + by)));
                        }
                    }
                    let changed = |(text, moved): (String, usize)| (with(case, &file, text), moved);
                    let mut all: Vec<(MemoryFiles, usize)> = all.into_iter().map(changed).collect();
                    // A line of a file of settings moves to the stack.
                    if help.starts_with("remove the line, and") {
                        let others = text.split_inclusive('\n').enumerate().filter(|(at, _)| at + 1 != line);
                        let without: String = others.map(|(_, line)| line).collect();
                        let stack = text_of(case, "fracht.toml").unwrap();
                        let start = Span { start: 0, end: 0, ..span };
                        for (stack, moved) in pieces.iter().flat_map(|piece| ways(stack, start, help, piece))
                        {
                            all.push((
                                with(case, "fracht.toml", stack).with(format!("/s/{file}"), without.clone()),
                                moved,
                            ));
                        }
                    }
                    let mended = all
                        .iter()
                        .any(|(files, moved)| is_mended(files, (&report, sources), diagnostic, *moved));
                    if !mended {
                        wrong.push(format!(
                            "{}: line {line}: {}\n    help: {help}",
                            case.title, diagnostic.message
                        ));
                    }
                }
            }
            (tried, wrong)
        })
        .collect();
    for (count, mut more) in results {
        tried += count;
        wrong.append(&mut more);
    }
    assert!(wrong.is_empty(), "{} of {tried}:\n{}", wrong.len(), wrong.join("\n"));
    assert!(tried > 100, "{tried}");
}
