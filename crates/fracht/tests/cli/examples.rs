//! The examples: each is without problems, every command answers for each of its targets, and the commands of its README
//! run as written.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use crate::sandbox::{Run, Sandbox};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples")
}

/// The names of the examples.
fn names() -> Vec<String> {
    let entries = fs::read_dir(folder()).unwrap().map(|entry| entry.unwrap());
    let folders = entries.filter(|entry| entry.path().is_dir());
    let mut names: Vec<String> = folders.map(|entry| entry.file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

/// The same folder with the files below another one.
fn copied(sandbox: Sandbox, from: &Path, at: &str) -> Sandbox {
    let entries = fs::read_dir(from).unwrap().map(|entry| entry.unwrap());
    entries.fold(sandbox, |sandbox, entry| {
        let name = format!("{at}{}", entry.file_name().to_str().unwrap());
        if entry.path().is_dir() {
            copied(sandbox, &entry.path(), &format!("{name}/"))
        } else {
            sandbox.file(&name, fs::read(entry.path()).unwrap())
        }
    })
}

fn example(name: &str) -> Sandbox {
    copied(Sandbox::empty(), &folder().join(name), "")
}

#[test]
fn every_command_answers_for_every_target_of_every_example() {
    for name in names() {
        let sandbox = example(&name);
        let check = sandbox.run(&["check", "--deny", "hints"]);
        assert_eq!(check.code, 0, "{name}: {check:?}");
        let targets = sandbox.json(&["check"])["targets"].clone();
        for target in targets.as_array().unwrap().iter().map(|target| target.as_str().unwrap()) {
            for command in ["order", "ports", "reach", "show", "images", "draw"] {
                let run = sandbox.run(&[command, "-t", target]);
                assert_eq!((run.code, run.err.as_str()), (0, ""), "{name}: {command} -t {target}");
                if command != "draw" {
                    sandbox.json(&[command, "-t", target]);
                }
            }
            let on_machine = sandbox.json(&["ports", "-t", target])["on"] == "machine";
            let render = sandbox.run(&["-q", "render", "-t", target]);
            assert_eq!(render.code, if on_machine { 2 } else { 0 }, "{name}: {render:?}");
            for one in sandbox.json(&["show", "-t", target])["runs"].as_array().unwrap() {
                let run = sandbox.run(&["show", one["name"].as_str().unwrap(), "-t", target]);
                assert_eq!((run.code, run.err.as_str()), (0, ""), "{name}");
            }
        }
    }
}

/// The lines of the shell blocks of a text.
fn commands(text: &str) -> Vec<String> {
    let blocks = text.split("```sh\n").skip(1).filter_map(|rest| rest.split_once("```"));
    blocks.flat_map(|(block, _)| block.lines()).filter(|line| !line.is_empty()).map(str::to_owned).collect()
}

/// Runs a line of a shell in a folder, in which `fracht` is the built program.
pub(crate) fn shell(sandbox: &Sandbox, line: &str) -> Run {
    let program = Path::new(env!("CARGO_BIN_EXE_fracht")).parent().unwrap();
    let path = format!("{}:{}", program.display(), std::env::var("PATH").unwrap());
    let mut shell = Command::new("/bin/sh");
    shell.args(["-ec", line]).current_dir(sandbox.path(".")).env("PATH", path).stdin(Stdio::null());
    Run::of(&shell.env("COLUMNS", "100").output().unwrap())
}

/// The blocks of the tour, one after the other in one folder. A line says if it exits with 1.
#[test]
fn the_tour_is_run_as_written() {
    let docs = folder().join("../docs");
    let text = fs::read_to_string(docs.join("tour.md")).unwrap();
    assert_eq!(text.lines().filter(|line| line.starts_with("## ")).count(), 10, "ten steps");
    for picture in text.split("](screenshots/").skip(1).filter_map(|rest| rest.split(')').next()) {
        assert!(docs.join("screenshots").join(picture).is_file(), "{picture}");
    }
    let sandbox = Sandbox::empty();
    let mut seen = 0;
    for (block, _) in text.split("```sh\n").skip(1).filter_map(|rest| rest.split_once("```")) {
        let fails = |line: &str| match line.strip_suffix("  # exits with 1") {
            Some(line) => format!("{line} && exit 9 || [ $? -eq 1 ]\n"),
            None => format!("{line}\n"),
        };
        let script: String = block.lines().map(fails).collect();
        let run = shell(&sandbox, &script);
        assert_eq!(run.code, 0, "{script}\n{run:?}");
        seen += block.lines().filter(|line| line.contains("fracht ")).count();
    }
    assert!(seen > 15, "{seen}");
    let shown = sandbox.read("fracht.toml");
    assert!(shown.contains("replicas = 2") && shown.contains("{service.store/sql}"), "the fixes are made");
}

#[test]
fn the_list_of_examples_is_complete() {
    let list = fs::read_to_string(folder().join("README.md")).unwrap();
    let rows: BTreeSet<&str> = list.lines().filter(|line| line.starts_with("| [")).collect();
    assert_eq!(rows.len(), names().len());
    for name in names() {
        let own = fs::read_to_string(folder().join(&name).join("README.md")).unwrap();
        let title = own.lines().next().unwrap().trim_start_matches("# ");
        let row = format!("| [{name}]({name}) | {title} | ");
        assert!(rows.iter().any(|line| line.starts_with(&row)), "{row}");
    }
}

#[test]
fn the_readme_of_every_example_is_run_as_written() {
    let mut seen = BTreeSet::new();
    for name in names() {
        let text = fs::read_to_string(folder().join(&name).join("README.md")).unwrap();
        let lines = commands(&text);
        let mut sandbox = copied(Sandbox::empty().below("own"), &folder().join(&name), "");
        // The stacks that it puts beside its own.
        let beside = text.split("--beside ../").skip(1).filter_map(|rest| rest.split_whitespace().next());
        for other in beside {
            sandbox = copied(sandbox, &folder().join(other), &format!("../{other}/"));
        }
        assert!(text.starts_with("# ") && lines.len() > 1, "{name}");
        for line in lines {
            let run = shell(&sandbox, &line);
            // Two targets that differ are what the command is asked for.
            let differs =
                line.contains("--against prod") || line.contains("diff") && !line.contains("objects");
            assert_eq!(run.code, i32::from(differs), "{name}: {line}: {run:?}");
            seen.extend(
                line.split_whitespace().skip_while(|word| *word != "fracht").nth(1).map(str::to_owned),
            );
        }
    }
    for command in ["check", "order", "ports", "reach", "show", "images", "render", "diff", "trace", "new"] {
        assert!(seen.contains(command), "no example runs {command}");
    }
}
