use indoc::formatdoc;
use std::fs;

use crate::sandbox::Sandbox;

const GOOD: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n";

#[test]
fn the_stack_file_is_found_in_parent_folders() {
    let sandbox = Sandbox::with(GOOD).file("sub/deep/x", "");
    let run = sandbox.command(&["check"]).current_dir(sandbox.path("sub/deep")).output().unwrap();
    assert!(run.status.success());
    let bad = Sandbox::with("[stack]\nname = \"s\"\nx = 1\n").file("sub/deep/x", "");
    let run = bad.command(&["check"]).current_dir(bad.path("sub/deep")).output().unwrap();
    let out = String::from_utf8(run.stdout).unwrap();
    assert!(out.contains("--> ../../fracht.toml:3:1"), "{out}");
}

#[test]
fn the_stack_file_is_given_by_its_path_or_by_its_folder() {
    let sandbox = Sandbox::empty().file("here/fracht.toml", GOOD).file("other.toml", GOOD);
    for path in ["here", "here/", "here/fracht.toml", "other.toml"] {
        assert_eq!(sandbox.run(&["check", "--stack", path]).code, 0, "{path}");
    }
}

#[test]
fn a_file_that_cannot_be_read_may_have_what_is_not_found() {
    let sandbox = Sandbox::with("include = [\"parts/*.toml\"]\n[service.a]\nimage = \"a:{input.tag}\"\n");
    let check = sandbox.run(&["check", "--input", "tag=1.0"]);
    assert_eq!(check.out.matches("error[").count(), 1, "{}", check.out);
    assert!(check.out.starts_with("error[file-unreadable]: no file matches `parts/*.toml`"), "{}", check.out);
    let order = sandbox.run(&["order", "-t", "prod"]);
    assert_eq!((order.code, order.out.as_str()), (2, ""));
    assert!(order.err.contains("a file of `include`, which may have it, cannot be read"), "{}", order.err);
}

#[test]
fn unreadable_files_are_reported_with_a_help() {
    let sandbox = Sandbox::empty()
        .file("empty.toml", "")
        .file("blank.toml", "\n \n")
        .file("latin.toml", b"[stack]\nname = \"caf\xe9\"\n")
        .file("folder/x", "");
    for (path, part) in [
        ("none.toml", "`none.toml` not found"),
        ("folder", "no `fracht.toml` in folder `folder`"),
        ("empty.toml", "the file is empty"),
        ("blank.toml", "the file is empty"),
        ("latin.toml", "line 2 is not UTF-8 text"),
    ] {
        let run = sandbox.run(&["check", "--stack", path]);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{path}");
        assert!(run.err.starts_with("error: ") && run.err.contains(part), "{path}: {}", run.err);
        assert!(run.err.contains("\nhelp: "), "{path}: {}", run.err);
    }
    let run = sandbox.run(&["check"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("no `fracht.toml` in this folder"), "{}", run.err);
}

#[cfg(unix)]
#[test]
fn a_stack_file_that_is_a_device_is_refused() {
    let sandbox = Sandbox::empty();
    let run = sandbox.run(&["check", "--stack", "/dev/zero"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("not a regular file"), "{}", run.err);
}

#[test]
fn byte_order_marks_and_carriage_returns_are_accepted() {
    for text in [
        format!("\u{feff}{GOOD}"),
        GOOD.replace('\n', "\r\n"),
        format!("\u{feff}{}", GOOD.replace('\n', "\r\n")),
    ] {
        let run = Sandbox::with(&text).run(&["check"]);
        assert_eq!(run.code, 0, "{run:?}");
    }
}

#[test]
fn fifty_megabytes_are_read_or_refused_with_short_output() {
    let comment = format!("# {}\n", "the tide comes in and the tide goes out, ".repeat(50));
    let comments = format!("{GOOD}{}", comment.repeat(25_000));
    assert!(comments.len() > 50_000_000);
    assert_eq!(Sandbox::with(&comments).run(&["check"]).code, 0);
    let nonsense = format!("{GOOD}{}", "tide in tide out\n".repeat(20_000));
    let run = Sandbox::with(&nonsense).run(&["check"]);
    assert_eq!(run.code, 1);
    assert!(run.out.len() < 100_000, "{} bytes", run.out.len());
    assert!(run.out.contains("more syntax errors"));
}

#[test]
fn a_file_outside_the_folder_of_the_stack_is_not_read() {
    let config = |path: &str| {
        formatdoc!(
            r#"
            {GOOD}mount."/c" = "config.c"
            [config.c]
            key.a = {{ file = "{path}" }}
            "#
        )
    };
    let outside = Sandbox::empty()
        .file("kept.txt", "from elsewhere")
        .file("stack/fracht.toml", GOOD)
        .file("stack/in.txt", "");
    let absolute = outside.path("kept.txt").display().to_string();
    let mut bad = vec!["../kept.txt".to_owned(), "sub/../../kept.txt".to_owned(), absolute];
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(outside.path("kept.txt"), outside.path("stack/link.txt")).unwrap();
        std::os::unix::fs::symlink(outside.path("."), outside.path("stack/up")).unwrap();
        bad.extend(["link.txt".to_owned(), "up/kept.txt".to_owned()]);
    }
    for path in bad {
        fs::write(outside.path("stack/fracht.toml"), config(&path)).unwrap();
        let run = outside.run(&["check", "--stack", "stack"]);
        assert_eq!(run.code, 1, "{path}: {run:?}");
        assert!(run.out.contains("path-outside"), "{path}: {}", run.out);
    }
    for path in ["in.txt", "./in.txt", "sub/../in.txt"] {
        fs::create_dir_all(outside.path("stack/sub")).unwrap();
        fs::write(outside.path("stack/fracht.toml"), config(path)).unwrap();
        assert_eq!(outside.run(&["check", "--stack", "stack"]).code, 0, "{path}");
    }
}

#[test]
fn a_settings_file_in_a_folder_is_shown_by_its_path_from_here() {
    let stack = formatdoc!(
        r#"
        {GOOD}mount."/c" = "config.c"
        [config.c]
        lines = "conf/x.env"
        "#
    );
    let sandbox = Sandbox::empty().file("sub/fracht.toml", &stack).file("sub/conf/x.env", "# ok\nA=\n");
    let run = sandbox.run(&["check", "--stack", "sub"]);
    assert!(run.out.contains("--> sub/conf/x.env:2:3"), "{}", run.out);
}
