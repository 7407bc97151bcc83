use insta::assert_snapshot;

use crate::machine::timeless;
use crate::sandbox::Sandbox;

#[test]
fn the_demo_runs_and_names_every_command() {
    let sandbox = Sandbox::empty();
    let run = sandbox.run(&["demo"]);
    assert_snapshot!(timeless(&run.shown()));
    assert_eq!(sandbox.names("tidedesk"), ["conf", "forecast", "fracht.toml", "objects", "tidedesk.svg"]);
    for line in run.out.lines().filter_map(|line| line.strip_prefix("$ fracht ")) {
        let again = sandbox.run(&line.split(' ').collect::<Vec<_>>());
        // A comparison of two targets that differ exits with 1, which is not a failure.
        let code = i32::from(line.starts_with("diff "));
        assert_eq!(again.code, code, "{line} can be run by hand: {again:?}");
    }
}

#[test]
fn a_second_run_changes_nothing() {
    let sandbox = Sandbox::empty();
    sandbox.run(&["demo", "here"]);
    let run = sandbox.run(&["demo", "here"]);
    assert_eq!(run.code, 0);
    assert!(run.out.contains("objects: 36 same"), "{}", run.out);
}

#[test]
fn existing_files_are_not_overwritten() {
    let sandbox = Sandbox::empty().file("tidedesk/conf/model.env", "MINE=1\n");
    let run = sandbox.run(&["demo"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("already exists with different content"), "{}", run.err);
    assert_eq!(sandbox.read("tidedesk/conf/model.env"), "MINE=1\n");
    assert_eq!(sandbox.names("tidedesk"), ["conf"]);
}
