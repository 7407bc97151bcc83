//! `fracht draw`

use insta::assert_snapshot;

use crate::sandbox::Sandbox;

#[test]
fn the_demo_as_boxes() {
    let sandbox = Sandbox::demo();
    assert_snapshot!("draw_prod", sandbox.run(&["draw", "-t", "prod"]).shown());
    assert_snapshot!("draw_wave", sandbox.run(&["draw", "-t", "laptop", "--by", "wave"]).shown());
    let run = sandbox.run(&["draw", "-t", "prod", "--only", "gauge", "--with", "config,secret"]);
    assert_snapshot!("draw_only", run.shown());
}

#[test]
fn the_demo_as_graphs() {
    let sandbox = Sandbox::demo();
    assert_snapshot!("draw_dot", sandbox.run(&["draw", "-t", "prod", "--format", "dot"]).out);
    assert_snapshot!("draw_mmd", sandbox.run(&["draw", "-t", "prod", "--format", "mmd"]).out);
}

/// The ending says the format; the same stack gives the same bytes; standard output has what a file would have.
#[test]
fn files_have_the_format_of_their_ending() {
    let sandbox = Sandbox::demo();
    for (ending, start) in [
        ("svg", &b"<svg xmlns=\"http://www.w3.org/2000/svg\""[..]),
        ("png", b"\x89PNG\r\n\x1a\n"),
        ("dot", b"digraph \"tidedesk\" {"),
        ("mmd", b"flowchart LR\n"),
        ("txt", "tidedesk, target prod".as_bytes()),
        ("SVG", b"<svg "),
    ] {
        let file = format!("pictures/tidedesk.{ending}");
        let draw = || sandbox.run(&["draw", "-t", "prod", "--out", &file]);
        let run = draw();
        assert_eq!(run.code, 0, "{run:?}");
        assert!(run.out.starts_with(&format!("Drew {file}: 2 ways in, 6 services, 2 tasks")), "{}", run.out);
        let first = std::fs::read(sandbox.path(&file)).unwrap();
        assert!(first.starts_with(start), "{ending}");
        draw();
        assert_eq!(first, std::fs::read(sandbox.path(&file)).unwrap());
        let format = ending.to_lowercase();
        let output =
            sandbox.command(&["draw", "-t", "prod", "--out", "-", "--format", &format]).output().unwrap();
        assert_eq!(output.stdout, first, "{ending}");
    }
    assert_eq!(sandbox.names("pictures").len(), 6, "{:?}", sandbox.names("pictures"));
}

#[test]
fn wrong_arguments_write_nothing() {
    let sandbox = Sandbox::demo().file("there.txt", "kept");
    for (arguments, message) in [
        (&["--out", "picture.gif"][..], "the ending of `picture.gif` is not that of a picture"),
        (&["--out", "picture"], "the ending of `picture` is not that of a picture"),
        (&["--only", "gatway"], "did you mean `gateway`?"),
        (&["--out", "there.txt/x.svg"], "cannot write `there.txt/x.svg`"),
    ] {
        let run = sandbox.run(&[&["draw", "-t", "prod"], arguments].concat());
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?} {run:?}");
        assert!(run.err.contains(message), "{}", run.err);
    }
    assert_eq!(sandbox.read("there.txt"), "kept");
}

/// A locale without characters beyond ASCII gets none.
#[test]
fn boxes_keep_to_the_characters_of_the_locale() {
    let sandbox = Sandbox::demo();
    for (locale, is_ascii) in [("C", true), ("de_DE.ISO-8859-1", true), ("de_DE.utf8", false), ("", false)] {
        let mut command = sandbox.command(&["draw", "-t", "prod"]);
        command.env("LC_ALL", locale).env_remove("LC_CTYPE").env_remove("LANG");
        let output = command.output().unwrap();
        assert_eq!(output.stdout.is_ascii(), is_ascii, "{locale}");
    }
}

/// A stack with errors is drawn as far as it can be read, and the errors are shown.
#[test]
fn a_circle_of_waits_is_drawn_as_one() {
    let stack = "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.0\"\nafter.b = \"started\"\n\
                 [service.b]\nimage = \"registry.example/b:1.0\"\nafter.a = \"started\"\n\
                 [service.c]\nimage = \"registry.example/c:1.0\"\n";
    let sandbox = Sandbox::with(stack);
    let run = sandbox.run(&["draw", "--by", "wave"]);
    assert_eq!(run.code, 1);
    assert!(run.err.contains("start-cycle") && run.out.contains("never starts"), "{run:?}");
    let picture = sandbox.run(&["draw", "--out", "-", "--format", "svg"]).out;
    assert!(picture.contains(">leads back</text>"), "{picture}");
}

/// Names of secrets are drawn on request; their values and what looks like one never.
#[test]
fn no_form_shows_a_secret() {
    let stack = "[stack]\nname = \"s\"\ntitle = \"password=canary-one-4711\"\n\
                 [service.a]\nimage = \"registry.example/a:1.0\"\nenv.K = \"{secret.keys/k}\"\n\
                 [secret.keys]\nkey.k = { env = \"KEYS\" }\n";
    let sandbox = Sandbox::with(stack);
    for format in ["svg", "dot", "mmd", "txt"] {
        let run = sandbox.run(&["draw", "--with", "secret", "--format", format]);
        assert!(run.out.contains("keys"), "{format} {run:?}");
        assert!(!run.out.contains("canary"), "{format} {run:?}");
    }
}
