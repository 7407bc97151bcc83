//! Everything that can grow is linear, or has a limit that a message states.

use std::path::Path;

use fracht_core::check::Project;
use fracht_core::diag::{Report, Severity};
use fracht_core::files::MemoryFiles;

const HEAD: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n";

/// The report on a stack with its files, under the first of its targets.
fn report(files: &MemoryFiles) -> Report {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap();
    let target = project.targets().names().next().unwrap().to_owned();
    project.check(&target).unwrap().report
}

fn of(stack: &str) -> Report {
    report(&MemoryFiles::default().with("/s/fracht.toml", stack))
}

/// Whether the message of an error contains a text.
fn says(report: &Report, part: &str) -> bool {
    report
        .findings()
        .iter()
        .any(|finding| finding.severity == Severity::Error && finding.diagnostic.message.contains(part))
}

#[test]
fn the_files_that_a_pattern_matches_are_limited() {
    let with = |count: usize| {
        let stack = format!("{HEAD}use = [\"config.c\"]\n[config.c]\nfiles = \"d/*\"\n");
        let files = MemoryFiles::default().with("/s/fracht.toml", stack);
        (0..count).fold(files, |files, index| files.with(format!("/s/d/f{index}"), ""))
    };
    assert!(!says(&report(&with(500)), "matches more"));
    assert!(says(&report(&with(10_001)), "`d/*` matches more than 10000 files"));
}

#[test]
fn the_count_and_depth_of_included_files_are_limited() {
    let wide = |count: usize| {
        let files = MemoryFiles::default().with("/s/fracht.toml", format!("include = [\"d/*\"]\n{HEAD}"));
        (0..count).fold(files, |files, index| files.with(format!("/s/d/f{index}"), "[rules]\n"))
    };
    assert!(!says(&report(&wide(100)), "includes more"));
    assert!(says(&report(&wide(2_001)), "the stack includes more than 2000 files"));
    let deep = |count: usize| {
        let files = MemoryFiles::default().with("/s/fracht.toml", format!("include = [\"f0\"]\n{HEAD}"));
        (0..count)
            .fold(files, |files, index| {
                files.with(format!("/s/f{index}"), format!("include = [\"f{}\"]\n", index + 1))
            })
            .with(format!("/s/f{count}"), "")
    };
    assert!(!says(&report(&deep(31)), "levels deep"));
    assert!(says(&report(&deep(32)), "files are included more than 32 levels deep"));
}

#[test]
fn the_depth_of_like_is_limited() {
    for kind in ["pattern", "target"] {
        for backwards in [false, true] {
            let row = |count: usize| {
                let table = |index: usize| match index {
                    0 => format!("[{kind}.p0]\n"),
                    _ => format!("[{kind}.p{index}]\nlike = \"{kind}.p{}\"\n", index - 1),
                };
                let order: Vec<usize> =
                    if backwards { (0..count).rev().collect() } else { (0..count).collect() };
                let tables: String = order.into_iter().map(table).collect();
                let files = MemoryFiles::default().with("/s/fracht.toml", format!("{HEAD}{tables}"));
                let path = Path::new("/s/fracht.toml");
                let mut project = Project::open(&files, path, path).unwrap();
                let last = if kind == "target" { format!("p{}", count - 1) } else { "cluster".to_owned() };
                says(&project.check(&last).unwrap().report, "are like each other in a row")
            };
            assert!(!row(100), "{kind}, backwards: {backwards}");
            assert!(row(101), "{kind}, backwards: {backwards}");
            assert!(row(4_000), "{kind}, backwards: {backwards}");
        }
    }
}

#[test]
fn the_first_of_many_findings_are_kept_and_all_are_counted() {
    let lines = |line: fn(usize) -> String, count: usize| (0..count).map(line).collect::<String>();
    for stack in [
        format!("{HEAD}{}", lines(|index| format!("zz{index} = 1\n"), 5_000)),
        format!(
            "{HEAD}env = {{{}}}\n",
            lines(|index| format!("K{index}_PASSWORD = \"kelp-{index}\", "), 5_000)
        ),
        format!(
            "{HEAD}use = [\"secret.s\"]\n[secret.s]\nkey = {{{}}}\n",
            lines(|index| format!("k{index} = \"kelp-{index}\", "), 5_000)
        ),
    ] {
        let report = of(&stack);
        assert_eq!((report.count(Severity::Error), report.total()), (5_000, 5_000));
        assert_eq!(report.findings().len(), 1_000);
        let merged = Report::over_targets(vec![("a".into(), report.clone()), ("b".into(), report)]);
        assert_eq!((merged.findings().len(), merged.total()), (1_000, 5_000));
    }
}
