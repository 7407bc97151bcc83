//! Names, files and outputs of an attacker.

use std::fs;
use std::os::unix::fs::symlink;
use std::process::{Command, Stdio};

use crate::sandbox::{Run, Sandbox};

const GOOD: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n";

/// A name that would add a YAML document, clear a terminal and reverse text.
const NAME: &str = "x\n---\nkind: Evil\n\u{1b}[2J\u{9b}31m\u{202e}y";

/// Whether a text has no control characters other than line breaks.
fn is_safe(text: &str) -> bool {
    let acts = |c: char| c.is_control() && c != '\n' || "\u{202e}\u{2066}\u{2028}".contains(c);
    !text.contains(acts) && !text.lines().any(|line| line.starts_with("kind: Evil"))
}

#[test]
fn names_cannot_control_a_terminal_or_add_lines_to_output() {
    let toml_name = NAME.replace('\n', "\\n").replace('\u{1b}', "\\u001b").replace('\u{9b}', "\\u009b");
    let included = format!("include = [\"*.part\"]\npass = [\"*.obj\"]\n{GOOD}");
    let part = "[service.b]\nimage = \"b:1.0\"\nreplicas = -1\n";
    let good_part = "[service.b]\nimage = \"b:1.0\"\n";
    let object = "apiVersion: v1\nkind: Thing\nmetadata: {name: t}\n";
    let with = |stack: &str, part: &str| {
        Sandbox::with(stack)
            .file(&format!("{NAME}.part"), part)
            .file(&format!("{NAME}.obj"), object)
            .file(&format!("{NAME}/fracht.toml"), GOOD)
            .file(&format!("{NAME}.env"), "A B\n")
    };
    let kind = format!("{GOOD}[[patch]]\non = \"{toml_name}/{toml_name}\"\nmerge = {{ a = 1 }}\n");
    let texts = format!(
        "{GOOD}env.A = \"{toml_name}{{service.{toml_name}}}\"\n[target.\"{toml_name}\"]\non = \"{toml_name}\"\n"
    );
    let env_file = format!("{NAME}.env");
    let missing = format!("--input={NAME}=1");
    for (sandbox, arguments) in [
        (with(&included, part), vec!["check"]),
        (with(&included, part), vec!["check", "--format", "json"]),
        (with(&included, good_part), vec!["render"]),
        (with(&included, good_part), vec!["render", "--format", "json"]),
        (with(&included, good_part), vec!["render", "--out", "objects"]),
        (with(&included, good_part), vec!["trace", "service"]),
        (with(&included, good_part), vec!["order"]),
        (with(&included, good_part), vec!["render", "--out", NAME]),
        (with(&included, good_part), vec!["check", "--stack", NAME]),
        (with(&included, good_part), vec!["check", "--inputs", &env_file]),
        (with(&included, good_part), vec!["new", "--lines", &env_file, "--out", NAME]),
        (with(&included, good_part), vec!["check", &missing]),
        (with(&included, good_part), vec!["check", "-t", NAME]),
        (with(&included, good_part), vec!["trace", NAME]),
        (with(&included, good_part), vec!["render", "--only", NAME]),
        (with(&included, good_part), vec!["diff", "--against", NAME]),
        (with(&included, good_part), vec!["rules", NAME]),
        (with(&included, good_part), vec![NAME]),
        (with(&included, good_part), vec!["check", "--format", NAME]),
        (Sandbox::with(&kind), vec!["check"]),
        (Sandbox::with(&texts), vec!["check"]),
        (Sandbox::with(&texts), vec!["check", "--format", "json"]),
    ] {
        let run = sandbox.run(&arguments);
        assert!(is_safe(&run.out) && is_safe(&run.err), "{arguments:?}: {run:?}");
        if sandbox.path("objects").exists() {
            for name in sandbox.names("objects") {
                let text = sandbox.read(&format!("objects/{name}"));
                assert!(is_safe(&name) && is_safe(&text), "{name}: {text}");
            }
        }
    }
    let colors = with(&included, part).run(&["check", "--color", "always"]);
    assert!(!colors.out.contains("\u{1b}[2J") && !colors.out.contains('\u{9b}'), "{colors:?}");
}

#[test]
fn files_outside_the_folder_are_not_read_and_pipes_do_not_block() {
    let outside = Sandbox::empty().file("f", "CANARY=1\n").file("g/h.env", "CANARY=1\n");
    let stack = |config: &str| format!("{GOOD}use = [\"config.c\"]\n[config.c]\n{config}\n");
    let sandbox = Sandbox::with(&stack("lines = \"link\""));
    symlink(outside.path("f"), sandbox.path("link")).unwrap();
    symlink(outside.path("g"), sandbox.path("folder")).unwrap();
    symlink("/dev/zero", sandbox.path("zero")).unwrap();
    assert!(Command::new("mkfifo").arg(sandbox.path("pipe")).status().unwrap().success());
    for (config, part) in [
        ("lines = \"link\"", "is outside the stack's folder"),
        ("lines = \"folder/h.env\"", "is outside the stack's folder"),
        ("lines = \"folder/*.env\"", "no file matches"),
        ("key.a = { file = \"zero\" }", "is outside the stack's folder"),
        ("key.a = { file = \"pipe\" }", "not a regular file"),
    ] {
        fs::write(sandbox.path("fracht.toml"), stack(config)).unwrap();
        let run = sandbox.run(&["check"]);
        assert!(run.code == 1 && run.out.contains(part), "{config}: {run:?}");
        assert!(!run.out.contains("CANARY"), "{run:?}");
    }
}

/// A link that keeps changing between a file of the stack and one outside: the file outside is never read.
#[test]
fn a_link_that_keeps_changing_never_leads_outside() {
    use std::sync::atomic::{AtomicBool, Ordering};
    let outside = Sandbox::empty().file("f", "CANARY=1\n");
    let sandbox = Sandbox::with(&format!("{GOOD}use = [\"config.c\"]\n[config.c]\nlines = \"link\"\n"))
        .file("inside", "TIDE=1\n");
    symlink("inside", sandbox.path("link")).unwrap();
    let done = AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            while !done.load(Ordering::Relaxed) {
                for to in [outside.path("f"), "inside".into()] {
                    symlink(to, sandbox.path("other")).unwrap();
                    fs::rename(sandbox.path("other"), sandbox.path("link")).unwrap();
                    std::thread::sleep(std::time::Duration::from_micros(20));
                }
            }
        });
        let mut inside = 0;
        for _ in 0..60 {
            let run = sandbox.run(&["render", "--only", "ConfigMap"]);
            inside += usize::from(run.out.contains("TIDE"));
            if run.out.contains("CANARY") || run.err.contains("CANARY") {
                done.store(true, Ordering::Relaxed);
                panic!("{run:?}");
            }
        }
        done.store(true, Ordering::Relaxed);
        assert!(inside > 0, "the file inside was never read");
    });
}

#[test]
fn an_output_that_cannot_be_written_is_an_error() {
    let sandbox = Sandbox::demo();
    let shell = |line: &str| {
        let program = env!("CARGO_BIN_EXE_fracht");
        let line = line.replace("fracht", program);
        Run::of(&Command::new("sh").args(["-c", &line]).current_dir(sandbox.path(".")).output().unwrap())
    };
    for command in
        ["check", "render -t prod", "order -t prod --format json", "schema", "rules", "check --format json"]
    {
        for to in ["/dev/full", "&-"] {
            let run = shell(&format!("fracht {command} >{to}"));
            assert!(run.code == 2 && run.err.contains("cannot write the output"), "{command} >{to}: {run:?}");
        }
        assert!(shell(&format!("fracht {command} >/dev/null")).code < 2, "{command}");
        assert!(shell(&format!("fracht {command} 1<>/dev/null")).code < 2, "{command}");
    }
}

/// A non-blocking pipe that is full for a while.
#[test]
fn output_waits_for_a_slow_reader() {
    use std::io::Read as _;
    let services = (0..400).map(|n| format!("[service.s{n}]\nimage = \"a:1.0\"\nport.x = 80\n"));
    let sandbox = Sandbox::with(&format!("[stack]\nname = \"s\"\n{}", services.collect::<String>()));
    let whole = sandbox.run(&["render"]).out;
    let (mut reader, writer) = std::io::pipe().unwrap();
    rustix::io::ioctl_fionbio(&writer, true).unwrap();
    let mut child = sandbox.command(&["render"]).stdout(Stdio::from(writer)).spawn().unwrap();
    std::thread::sleep(std::time::Duration::from_millis(300));
    let mut read = String::new();
    reader.read_to_string(&mut read).unwrap();
    assert!(child.wait().unwrap().success());
    assert!(read == whole, "{} of {} bytes arrived", read.len(), whole.len());
}

#[test]
fn new_files_are_complete_or_absent() {
    let sandbox = Sandbox::empty().file("taken/forecast", "a file in the place of a folder");
    let run = sandbox.run(&["demo", "taken"]);
    assert_eq!(run.code, 2, "{run:?}");
    assert_eq!(sandbox.names("taken"), ["forecast"]);
    let run = sandbox.run(&["new", "--image", "a:1", "--out", "taken/forecast/deep/x.toml"]);
    assert_eq!(run.code, 2, "{run:?}");
    assert_eq!((sandbox.names("taken"), sandbox.names(".")), (vec!["forecast".into()], vec!["taken".into()]));
}
