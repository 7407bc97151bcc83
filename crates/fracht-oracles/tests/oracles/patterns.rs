//! Patterns of paths and inputs match what the usual libraries match.

use fracht_core::files::Ignored;
use fracht_core::grammar::glob::Glob;
use fracht_core::grammar::pattern;
use proptest::prelude::*;
use proptest::strategy::ValueTree as _;
use regex::Regex;

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1024))]

    #[test]
    fn globs_match_the_same_paths(
        text in "(a|b|\\*|\\?|/|\\[ab\\]|\\[!a\\]|\\{a,b\\}|\\{b,c\\*\\}){1,5}|(\\*\\*/)?[ab*](/\\*\\*)?(/[ab])?",
        path in "[abc]{1,3}(/[abc]{1,2}){0,3}",
    ) {
        let known = globset::GlobBuilder::new(&text).literal_separator(true).build();
        if let (Ok(known), Ok(own)) = (known, Glob::parse(&text)) {
            let known = known.compile_matcher().is_match(&path);
            // Two stars within a name are one there, and an empty name at the end is left out.
            if !text.ends_with('/') && text.split('/').all(|name| name == "**" || !name.contains("**")) {
                prop_assert_eq!(own.matches(&path), known, "{} {}", text, path);
            }
        }
    }

    #[test]
    fn expressions_match_the_same_values(
        text in "(a|b|.|\\\\d|\\[a-c\\]|\\(a\\|bc\\)|\\^|\\$|\\\\b|é)([*+?]|\\{1,2\\}|\\{2\\})?((a|b|1|\\(b\\|c1\\)|\\\\w|\\s)[*+?]?){0,4}",
        value in "[abc1é \n]{0,6}",
    ) {
        let whole = Regex::new(&format!("\\A(?:{text})\\z"));
        match (whole, pattern::parse(&text)) {
            (Ok(known), Ok(own)) => prop_assert_eq!(own.fits(&value), known.is_match(&value), "{} {:?}", text, value),
            (known, own) => prop_assert_eq!(known.is_ok(), own.is_ok(), "{}", text),
        }
    }
}

/// Lines of ignore files.
#[test]
fn ignore_files_ignore_the_same_files() {
    let names = ["a", "b", "ab", "a/b", "a/b/a", "b/a", "x.log", "a/x.log", "b/a/b"];
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let line = "!?(/)?(\\*\\*/)?(a|b|\\*|\\*\\.log|a/b|a/\\*|\\*/b|\\?b)(/|/\\*\\*)?";
    let lines = prop::collection::vec(line, 1..4);
    for _ in 0..1000 {
        let lines = lines.new_tree(&mut runner).unwrap().current();
        let mut known = ignore::gitignore::GitignoreBuilder::new("");
        for line in &lines {
            known.add_line(None, line).unwrap();
        }
        let known = known.build().unwrap();
        for name in names {
            for is_folder in [false, true] {
                let expected = known.matched(name, is_folder).is_ignore();
                let own = Ignored::parse(&lines.join("\n")).unwrap().contains(name.as_ref(), is_folder);
                assert_eq!(own, expected, "{lines:?} {name} {is_folder}");
            }
        }
    }
}
