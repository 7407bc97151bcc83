//! Folders above a stack, whose files it may use if a person allows it.

use std::os::unix::fs::symlink;

use indoc::indoc;

use crate::sandbox::{Run, Sandbox};

/// A folder of stacks with what they share, and a file beside it that none may use.
fn stacks() -> Sandbox {
    Sandbox::empty()
        .file(
            "work/console/fracht.toml",
            indoc! {r#"
                include = ["../shared/*.toml"]
                [stack]
                name = "console"
                [service.console]
                like = "pattern.shared"
                build = "console"
                use = ["config.site"]
                mount."/etc/page" = "config.page/page.txt"
                [build.console]
                source = "../images/console"
                [config.site]
                lines = "../shared/site.env"
                [config.page]
                files = "../shared/page.txt"
                [target.laptop]
                on = "machine"
                "#},
        )
        .file(
            "work/shared/pattern.toml",
            "[pattern.shared]\ncpu = 1\nmemory = \"64Mi\"\nenv.LEVEL = \"info\"\n",
        )
        .file("work/shared/site.env", "REGION=north\n")
        .file("work/shared/page.txt", "tides\n")
        .file("work/images/console/Containerfile", "FROM scratch\n")
        .file("private.env", "REGION=south\n")
}

fn in_folder(sandbox: &Sandbox, folder: &str, arguments: &[&str], root: Option<&str>) -> Run {
    let mut command = sandbox.command(arguments);
    command.current_dir(sandbox.path(folder)).env_remove("FRACHT_ROOT");
    if let Some(root) = root {
        command.env("FRACHT_ROOT", root);
    }
    Run::of(&command.output().unwrap())
}

#[test]
fn a_stack_uses_files_above_it_only_if_a_person_allows_it() {
    let sandbox = stacks();
    let refused = in_folder(&sandbox, "work/console", &["check"], None);
    assert_eq!(refused.code, 1);
    assert_eq!(refused.out.matches("error[path-outside]").count(), 4, "{}", refused.out);
    assert!(refused.out.contains("or allow the folder that has it: `--root ..`"), "{}", refused.out);
    // As the help says, and by the variable.
    for (arguments, root) in [(&["check", "--root", ".."][..], None), (&["check"], Some(".."))] {
        let run = in_folder(&sandbox, "work/console", arguments, root);
        assert_eq!(run.code, 0, "{run:?}");
    }
    let from_above = sandbox.run(&["check", "--stack", "work/console", "--root", "work"]);
    assert_eq!(from_above.code, 0, "{from_above:?}");
    let shown = in_folder(&sandbox, "work/console", &["show", "console", "--root", ".."], None).out;
    assert!(shown.contains("../shared/site.env:1") && shown.contains("../shared/pattern.toml:4"), "{shown}");
    let help = sandbox.run(&["check", "--stack", "work/console"]);
    assert!(help.out.contains("`--root work`"), "{}", help.out);
}

#[test]
fn an_allowed_folder_is_left_by_nothing() {
    let sandbox = stacks();
    let text = sandbox.read("work/console/fracht.toml").replace("../shared/site.env", "../../private.env");
    let sandbox = sandbox.file("work/console/fracht.toml", text);
    let run = in_folder(&sandbox, "work/console", &["check", "--root", ".."], None);
    assert_eq!((run.code, run.out.matches("error[").count()), (1, 1), "{run:?}");
    assert!(run.out.contains("path-outside") && run.out.contains("--root ../.."), "{run:?}");
    // A link out of it is no way either.
    let linked = stacks();
    std::fs::remove_file(linked.path("work/shared/site.env")).unwrap();
    symlink(linked.path("private.env"), linked.path("work/shared/site.env")).unwrap();
    let run = in_folder(&linked, "work/console", &["check", "--root", ".."], None);
    assert!(run.code == 1 && run.out.contains("links that leave it are not followed"), "{run:?}");
    assert!(!run.out.contains("south"), "{run:?}");
}

#[test]
fn a_folder_that_does_not_contain_the_stack_is_refused() {
    let sandbox = stacks();
    for (root, part) in [
        ("../shared", "is not in `../shared`"),
        ("none", "cannot open the folder `none`"),
        ("fracht.toml", "is not in `fracht.toml`"),
    ] {
        let run = in_folder(&sandbox, "work/console", &["check", "--root", root], None);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{run:?}");
        assert!(run.err.contains(part) && run.err.contains("help: "), "{run:?}");
    }
}

#[test]
fn fixes_are_made_in_shared_files_as_well() {
    let sandbox =
        stacks().file("work/shared/pattern.toml", "[pattern.shared]\ncpuu = 1\nmemory = \"64Mi\"\n");
    let run = in_folder(&sandbox, "work/console", &["check", "--root", "..", "--fix"], None);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(sandbox.read("work/shared/pattern.toml").contains("\ncpu = 1\n"));
}
