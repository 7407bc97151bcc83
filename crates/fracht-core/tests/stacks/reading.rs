use indoc::{formatdoc, indoc};
use std::path::Path;

use fracht_core::check::{OpenError, Project};
use fracht_core::files::{MOST_BYTES, MemoryFiles};
use fracht_core::model::{Content, Part};
use proptest::prelude::*;

use crate::{failed, good, verdict};
use fracht_testkit::random_stack::{parts, stack_file};

fn open(content: impl Into<Vec<u8>>) -> Option<OpenError> {
    let files = MemoryFiles::default().with("/s/fracht.toml", content);
    let path = Path::new("/s/fracht.toml");
    Project::open(&files, path, path).err()
}

#[test]
fn unreadable_stack_files_are_refused() {
    assert_eq!(open("[stack]\n"), None);
    assert_eq!(open(""), Some(OpenError::Empty));
    assert_eq!(open(" \n\t\r\n"), Some(OpenError::Empty));
    assert_eq!(open(&b"[stack]\nname = \"\xff\"\n"[..]), Some(OpenError::NotText(2)));
    let one_more = usize::try_from(MOST_BYTES).unwrap() + 1;
    assert_eq!(open(vec![b'#'; one_more]), Some(OpenError::TooLarge));
    let none = MemoryFiles::default();
    let missing = Project::open(&none, Path::new("/none"), Path::new("none")).err();
    assert_eq!(missing, Some(OpenError::Unreadable("file not found".into())));
}

#[test]
fn byte_order_marks_and_carriage_returns_keep_line_numbers() {
    let plain = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        replica = 1
        "#};
    let lines = |text: &str| {
        let files = MemoryFiles::default().with("/s/fracht.toml", text);
        let path = Path::new("/s/fracht.toml");
        let mut project = Project::open(&files, path, path).unwrap();
        let report = project.check("cluster").unwrap().report;
        let place = |f: &fracht_core::diag::Finding| {
            project.sources().position(f.diagnostic.primary.as_ref().unwrap().span)
        };
        report.findings().iter().map(place).collect::<Vec<_>>()
    };
    let expected = lines(plain);
    assert_eq!((expected.len(), expected[0].line, expected[0].column), (1, 5, 1));
    assert_eq!(lines(&format!("\u{feff}{plain}")), expected);
    assert_eq!(lines(&plain.replace('\n', "\r\n")), expected);
}

#[test]
fn one_mistake_gives_one_message() {
    let base = indoc! {r#"
        [stack]
        name = "s"
        [service.db]
        image = "db:1.0"
        port.sql = 5432
        health = { tcp = "sql" }
        [service.a]
        image = "a:1.0"
        after = { db = "ready" }
        env.DB = "{service.db/sql}"
        "#};
    assert_eq!(failed(base, "cluster"), [""; 0]);
    for (right, wrong, rule) in [
        ("image = \"db:1.0\"", "image = nothing", "syntax"),
        ("image = \"db:1.0\"", "", "missing-key"),
        ("port.sql = 5432", "port.sql = \"5432\"", "wrong-type"),
        ("port.sql = 5432", "port.sql = 0", "port-range"),
        ("port.sql = 5432", "port.sql = { numbr = 5432 }", "unknown-key"),
        ("{ tcp = \"sql\" }", "{ tcp = \"sqk\" }", "unknown-name"),
        ("{ tcp = \"sql\" }", "{ tcp = \"sql\", every = \"x\" }", "bad-value"),
        ("db = \"ready\"", "bd = \"ready\"", "unknown-name"),
        ("db = \"ready\"", "db = \"raedy\"", "bad-value"),
        ("{service.db/sql}", "{service.db/sqk}", "unknown-name"),
        ("{service.db/sql}", "{service.db/sql", "bad-value"),
        ("[service.a]", "[service.a]\nargs = 1\n", "wrong-type"),
    ] {
        let found = failed(&base.replace(right, wrong), "cluster");
        assert_eq!(found, [rule], "{wrong}");
    }
}

#[test]
fn a_mistake_in_a_pattern_has_one_message_for_all_services_like_it() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [pattern.p]
        confine = "strict"
        user = 0
        image = "a:1.0"
        [service.a]
        like = "pattern.p"
        [service.b]
        like = "pattern.p"
        [task.c]
        like = "pattern.p"
        "#};
    let verdict = verdict(stack, "cluster");
    let messages: Vec<_> =
        verdict.report.findings().iter().map(|finding| &*finding.diagnostic.message).collect();
    assert_eq!(messages, ["`service.a` runs as root, which `confine = \"strict\"` forbids (and 2 more)"]);
}

#[test]
fn references_resolve_to_their_values() {
    let stack = r#"
[stack]
name = "s"
[config.c]
key.A = "1"
key.url = "http://{service.db/sql}"
[secret.s]
key.pw = { env = "PW" }
[service.db]
image = "db:1.0"
port.sql = { number = 5432, as = 5000 }
[service.a]
image = "a:1.0"
env.HOST = "{service.db}"
env.ADDRESS = "{service.db/sql}"
env.NUMBER = "{port.db/sql}"
env.PLAIN = '{{"a": {{}}}}'
env.MIXED = "{config.c/A}-{secret.s/pw}-{pod.label/tier}"
env.COUNT = 3
env.RATIO = 1.10
env.ON = true
"#;
    let model = good(stack, "cluster").facts.model;
    let a = model.workloads.iter().find(|workload| &*workload.name == "a").unwrap();
    let plain: Vec<String> = a.main.env.iter().map(|variable| variable.value.plain()).collect();
    assert_eq!(plain, ["db", "db:5000", "5000", r#"{"a": {}}"#, "--", "3", "1.10", "true"]);
    assert!(matches!(
        *a.main.env[4].value.parts,
        [Part::Config(..), Part::Plain(_), Part::Secret(..), Part::Plain(_), Part::Pod(_)]
    ));
    let Content::Text(url) = &model.configs.iter().next().unwrap().keys[1].content else { panic!() };
    assert_eq!(url.plain(), "http://db:5000");
}

#[test]
fn the_wrong_part_of_a_reference_is_underlined() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.db]
        image = "db:1.0"
        port.sql = 1
        [service.a]
        image = "a:1.0"
        env.A = "x {service.dbb/sql} {secret.nope/x} {service.db/sqk} {volume.x} {service.db/sql"
        "#};
    let files = MemoryFiles::default().with("/s/fracht.toml", stack);
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap();
    let report = project.check("cluster").unwrap().report;
    let marked: Vec<&str> = report
        .findings()
        .iter()
        .map(|finding| project.sources().text(finding.diagnostic.primary.as_ref().unwrap().span))
        .collect();
    assert_eq!(marked, ["dbb", "nope", "sqk", "volume", "{"]);
    let fixes = report.findings().iter().filter_map(|finding| finding.diagnostic.fix.as_ref());
    let put: Vec<&str> = fixes.map(|fix| fix.replacement.as_str()).collect();
    assert_eq!(put, ["db", "sql", "{{"]);
}

#[test]
fn settings_files_become_keys_and_their_mistakes_have_locations() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [config.c]
        lines = "conf/a.env"
        key.A = "stack"
        [service.a]
        image = "a:1.0"
        env.B = "{config.c/B}"
        "#};
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/conf/a.env", "# settings\nB='two words'\nA=again\nnonsense\nC=todo\nDB_PASSWORD=gull\n");
    let mut project =
        Project::open(&files, Path::new("/s/fracht.toml"), Path::new("sub/fracht.toml")).unwrap();
    let verdict = project.check("cluster").unwrap();
    let found: Vec<_> = verdict
        .report
        .findings()
        .iter()
        .map(|finding| {
            let place = project.sources().location(finding.diagnostic.primary.as_ref().unwrap().span);
            (finding.diagnostic.rule.name, place)
        })
        .collect();
    let at = |line: u8| format!("sub/conf/a.env:{line}");
    assert_eq!(
        found,
        [
            ("defined-twice", at(3)),
            ("broken-line", at(4)),
            ("placeholder-left", at(5)),
            ("secret-in-clear", at(6)),
        ]
    );
    let keys: Vec<_> =
        verdict.facts.model.configs.iter().next().unwrap().keys.iter().map(|key| &*key.name).collect();
    assert_eq!(keys, ["A", "B", "C", "DB_PASSWORD"]);
}

#[test]
fn a_service_and_a_task_cannot_have_the_same_name() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [task.a]
        image = "a:1.0"
        [service.a]
        image = "a:1.0"
        "#};
    assert_eq!(failed(stack, "cluster"), ["defined-twice"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]

    /// Any file has a verdict, and all places are within the file.
    #[test]
    fn any_text_has_a_verdict(text in "\\PC{0,200}") {
        check_anything(&text)?;
    }

    /// A good stack with a part removed, repeated or changed has a verdict.
    #[test]
    fn any_damage_has_a_verdict(
        parts in parts(), from in 0_usize..4000, length in 0_usize..60, put in "[\\[\\]{}=\"'.#a-z0-9\\n ]{0,6}"
    ) {
        let text = stack_file(&parts);
        let cut = |at: usize| (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        let (from, to) = (cut(from), cut(from + length));
        check_anything(&format!("{}{put}{}", &text[..from], &text[to.max(from)..]))?;
    }
}

fn check_anything(text: &str) -> Result<(), TestCaseError> {
    let files = MemoryFiles::default().with("/s/fracht.toml", text);
    let path = Path::new("/s/fracht.toml");
    let length = text.trim_start_matches('\u{feff}').len();
    let Ok(mut project) = Project::open(&files, path, path) else { return Ok(()) };
    let names: Vec<String> = project.targets().names().map(str::to_owned).collect();
    for name in names {
        let report = project.check(&name).unwrap().report;
        for finding in report.findings() {
            for label in finding.diagnostic.primary.iter().chain(&finding.diagnostic.related) {
                prop_assert!(label.span.start <= label.span.end);
                prop_assert!(label.span.end as usize <= length);
            }
        }
    }
    Ok(())
}

#[test]
fn too_large_integers_and_too_deep_lists_are_reported() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        replicas = 99999999999999999999
        "#};
    assert_eq!(failed(stack, "cluster"), ["bad-value"]);
    let deep = format!("[stack]\nname = \"s\"\nx = {}{}\n", "[".repeat(5000), "]".repeat(5000));
    assert!(verdict(&deep, "cluster").checked().is_none());
}

/// With some hundred services, rules run in parallel.
#[test]
fn many_services_have_the_same_problems_in_the_same_order() {
    let services = |count: usize| -> String {
        let one = |n| {
            formatdoc!(
                r#"
            [service.s{n}]
            image = "a"
            env.PASSWORD = "x{n}"
            env.A = ""
            "#
            )
        };
        (0..count).map(one).collect::<Vec<_>>().concat()
    };
    let of = |count| failed(&format!("[stack]\nname = \"s\"\n{}", services(count)), "cluster");
    let (few, many) = (of(1), of(600));
    assert_eq!(few, ["image-unpinned", "secret-in-clear", "placeholder-left"]);
    assert_eq!(many, few.repeat(600));
    assert_eq!(many, of(600));
}

#[test]
fn invalid_keys_and_nul_in_files_are_reported() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        use = ["config.c"]
        [config.c]
        lines = "c.env"
        "#};
    for (lines, rule) in [
        ("a/b=1\n", "bad-name"),
        ("..=1\n", "bad-name"),
        ("A=x\0y\n", "process-text"),
        ("A=\"x\0\"\n", "process-text"),
        ("ü=1\n", "bad-name"),
    ] {
        let files = MemoryFiles::default().with("/s/fracht.toml", stack).with("/s/c.env", lines);
        let mut project =
            Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml")).unwrap();
        let report = project.check("cluster").unwrap().report;
        let rules: Vec<_> = report.findings().iter().map(|finding| finding.diagnostic.rule.name).collect();
        assert_eq!(rules, [rule], "{lines:?}");
    }
    for line in [
        "env.A = \"x\\u0000y\"",
        "args = [\"\\u0000\"]",
        "label.a = \"\\u0000\"",
        "note.a = \"x\\u0000\"",
        "workdir = \"/\\u0000\"",
        "env.\"A\\u0000\" = \"x\"",
        "[[patch]]\non = \"Deployment/a\"\nmerge = { metadata.annotations.x = \"\\u0000\" }",
    ] {
        let failed = failed(
            &formatdoc!(
                r#"
                [stack]
                name = "s"
                [service.a]
                image = "a:1.0"
                {line}
                "#
            ),
            "cluster",
        );
        let one = matches!(failed.as_slice(), ["bad-value" | "process-text" | "bad-name"]);
        assert!(one, "{line}: {failed:?}");
    }
}
