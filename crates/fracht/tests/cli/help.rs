use insta::assert_snapshot;

use crate::sandbox::Sandbox;

const COMMANDS: [&str; 8] = ["check", "order", "ports", "render", "trace", "rules", "demo", "completions"];

#[test]
fn the_help_of_every_command() {
    let sandbox = Sandbox::empty();
    let mut manual = sandbox.run(&["--help"]).out;
    for command in COMMANDS {
        let run = sandbox.run(&[command, "--help"]);
        assert!(run.out.contains("Examples:\n"), "{command}");
        manual += &format!("\n======== fracht {command} --help\n{}", run.out);
    }
    for line in manual.lines() {
        assert!(line.chars().count() <= 100, "{line}");
    }
    assert_snapshot!(manual);
}

#[test]
fn completions_name_every_command() {
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let run = Sandbox::empty().run(&["completions", shell]);
        assert_eq!((run.code, run.err.as_str()), (0, ""), "{shell}");
        for command in COMMANDS {
            assert!(run.out.contains(command), "{shell} does not know {command}");
        }
    }
}

#[test]
fn a_wrong_word_on_the_command_line_is_2() {
    let sandbox = Sandbox::empty();
    for arguments in [&["chek"][..], &[], &["check", "--colour"], &["render", "--format", "xml"]] {
        let run = sandbox.run(arguments);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?}");
        assert!(!run.err.is_empty());
    }
}

#[test]
fn every_rule_has_a_page_and_all_of_them_are_listed() {
    let sandbox = Sandbox::empty();
    let list = sandbox.run(&["rules"]).out;
    let names: Vec<&str> = list.lines().skip(1).filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(names.len(), fracht_core::rules::RULES.len());
    for name in names {
        let page = sandbox.run(&["rules", name]);
        assert_eq!(page.code, 0);
        for part in ["found in", "mended", name] {
            assert!(page.out.contains(part), "{name}: {}", page.out);
        }
    }
    assert_snapshot!(list);
    assert_snapshot!("page_of_a_rule", sandbox.run(&["rules", "port-clash"]).out);
    let unknown = sandbox.run(&["rules", "port-crash"]);
    assert_eq!((unknown.code, unknown.out.as_str()), (2, ""));
}
