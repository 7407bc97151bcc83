use indoc::indoc;
use std::fs;
use std::io::{BufRead as _, BufReader};
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::sandbox::Sandbox;

const TWO: &str = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.x = 80
        [service.b]
        image = "b:1.0"
        "#};
const ONE: &str = indoc! {r#"
    [stack]
    name = "s"
    [service.a]
    image = "a:2.0"
    port.x = 80
    "#};

fn render(sandbox: &Sandbox) -> crate::sandbox::Run {
    sandbox.run(&["render", "--out", "objects"])
}

#[test]
fn one_file_for_each_object_in_the_order_to_apply() {
    let sandbox = Sandbox::demo();
    let run = sandbox.run(&["render", "-t", "prod", "--out", "deep/er/objects"]);
    assert_eq!(run.code, 0, "{run:?}");
    let files: Vec<_> =
        sandbox.names("deep/er/objects").into_iter().filter(|name| !name.starts_with('.')).collect();
    let kinds: Vec<String> = files
        .iter()
        .map(|name| {
            let text = sandbox.read(&format!("deep/er/objects/{name}"));
            let kind = text.lines().find_map(|line| line.strip_prefix("kind: ")).unwrap().to_owned();
            assert_eq!(text.matches("\nkind: ").count(), 1, "{name} has one object");
            kind
        })
        .collect();
    let place = |kind: &str| kinds.iter().position(|other| other == kind).unwrap();
    let last = |kind: &str| kinds.iter().rposition(|other| other == kind).unwrap();
    for pair in
        ["Namespace", "Role", "PersistentVolumeClaim", "ConfigMap", "Service", "Deployment"].windows(2)
    {
        assert!(last(pair[0]) < place(pair[1]), "{pair:?} in {files:?}");
    }
    assert!(
        run.out.ends_with(&format!("{0} objects in deep/er/objects: {0} added\n", files.len())),
        "{}",
        run.out
    );
    // The comments differ: on the screen they have line numbers, which would change with every edit in a folder.
    let plain = |text: &str| -> String {
        text.split_inclusive('\n').filter(|line| !line.starts_with("# ")).collect()
    };
    let stream = plain(&sandbox.run(&["render", "-t", "prod"]).out);
    for name in &files {
        let text = sandbox.read(&format!("deep/er/objects/{name}"));
        assert!(stream.contains(&plain(&text)), "{name}");
        let origin = text.lines().next().unwrap();
        assert!(origin.starts_with("# ") && origin.ends_with(", fracht.toml"), "{name}: {origin}");
    }
}

#[test]
fn only_files_that_are_no_longer_generated_are_removed() {
    let sandbox = Sandbox::with(TWO);
    assert_eq!(render(&sandbox).code, 0);
    let sandbox = sandbox
        .file("fracht.toml", ONE)
        .file("objects/README", "mine")
        .file("objects/sub/own.yaml", "mine too")
        .file("objects/71-deployment-other.yaml", "not from a rendering");
    let run = render(&sandbox);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(run.out.contains("removed   objects/71-deployment-s-b.yaml"), "{}", run.out);
    assert!(run.out.contains("changed   objects/71-deployment-s-a.yaml"), "{}", run.out);
    assert!(run.out.contains("same      objects/50-service-a.yaml"), "{}", run.out);
    assert!(run.out.ends_with("4 objects in objects: 1 changed, 1 removed, 3 same\n"), "{}", run.out);
    let names = sandbox.names("objects");
    assert!(!names.contains(&"71-deployment-s-b.yaml".to_owned()));
    for mine in ["README", "sub/own.yaml", "71-deployment-other.yaml"] {
        assert!(sandbox.path("objects").join(mine).exists(), "{mine}");
    }
    let again = render(&sandbox);
    assert!(again.out.ends_with("4 objects in objects: 4 same\n"), "{}", again.out);
    assert_eq!(sandbox.names("."), ["fracht.toml", "objects"], "nothing is left beside it");
}

#[test]
fn files_of_the_user_are_never_replaced() {
    let sandbox = Sandbox::with(ONE).file("objects/50-service-a.yaml", "mine");
    let run = render(&sandbox);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("was not created by fracht"), "{}", run.err);
    assert_eq!(sandbox.read("objects/50-service-a.yaml"), "mine");
    assert_eq!(sandbox.names("objects"), ["50-service-a.yaml"]);
}

#[test]
fn paths_outside_the_folder_in_the_list_are_ignored() {
    let sandbox = Sandbox::with(ONE)
        .file("objects/.fracht-files", "../fracht.toml\nsub/x\n..\n")
        .file("objects/sub/x", "mine");
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(sandbox.read("fracht.toml"), ONE);
    assert_eq!(sandbox.read("objects/sub/x"), "mine");
}

#[test]
fn an_output_that_is_not_a_folder_is_refused() {
    let sandbox = Sandbox::with(ONE).file("objects", "a file");
    let run = render(&sandbox);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("`objects` is not a folder"), "{}", run.err);
}

#[cfg(unix)]
#[test]
fn files_with_secrets_are_readable_by_their_owner_only() {
    use std::os::unix::fs::PermissionsExt as _;
    let sandbox = Sandbox::demo();
    let mut command = sandbox.command(&["render", "-t", "prod", "--secrets", "--out", "objects"]);
    assert!(command.env("TIDEDESK_DB_PASSWORD", "gull").status().unwrap().success());
    for name in sandbox.names("objects") {
        let mode = fs::metadata(sandbox.path("objects").join(&name)).unwrap().permissions().mode() & 0o777;
        assert_eq!(mode == 0o600, name.contains("secret"), "{name} is {mode:o}");
    }
    let run = sandbox.run(&["render", "-t", "prod", "--out", "objects"]);
    assert!(run.out.contains("removed   objects/40-secret-tidedesk-db.yaml"), "{}", run.out);
}

#[cfg(unix)]
#[test]
fn a_symbolic_link_to_a_folder_is_kept() {
    let sandbox = Sandbox::with(ONE).file("real/keep", "mine");
    std::os::unix::fs::symlink(sandbox.path("real"), sandbox.path("objects")).unwrap();
    assert_eq!(render(&sandbox).code, 0);
    assert!(fs::symlink_metadata(sandbox.path("objects")).unwrap().is_symlink());
    assert!(sandbox.path("real/50-service-a.yaml").exists() && sandbox.path("real/keep").exists());
}

/// A stack of many services, all of one version.
fn stack(version: usize) -> String {
    let services = (0..60).map(|n| format!("[service.s{n}]\nimage = \"a:{version}.0\"\n"));
    format!("[stack]\nname = \"s\"\n{}", services.collect::<String>())
}

/// The versions of the files of a folder. Each file must be complete.
fn versions(sandbox: &Sandbox) -> std::collections::BTreeSet<String> {
    let names = sandbox.names("objects").into_iter().filter(|name| name.contains("-deployment-"));
    let version = |name: String| {
        let text = sandbox.read(&format!("objects/{name}"));
        assert!(text.starts_with("# service.s") && text.ends_with('\n'), "{name} is cut: {text}");
        text.lines()
            .find_map(|line| line.split_once("image: a:")?.1.strip_suffix(".0").map(str::to_owned))
            .unwrap()
    };
    names.map(version).collect()
}

const MARKER: &str = "objects/.fracht-unfinished";

/// The other files in the folder, and the folder itself, with everything that identifies them.
fn foreign(sandbox: &Sandbox) -> Vec<(String, u64, u32, String)> {
    use std::os::unix::fs::MetadataExt as _;
    let paths =
        ["objects", "objects/README", "objects/sub/own.yaml", "objects/.hidden", "objects/.fracht-mine"];
    let facts = |path: &str| {
        let found =
            fs::symlink_metadata(sandbox.path(path)).unwrap_or_else(|error| panic!("{path}: {error}"));
        let text = if found.is_file() { sandbox.read(path) } else { String::new() };
        (path.to_owned(), found.ino(), found.mode(), text)
    };
    paths.into_iter().map(facts).collect()
}

fn with_foreign_files(version: usize) -> Sandbox {
    use std::os::unix::fs::PermissionsExt as _;
    let sandbox = Sandbox::with(&stack(version))
        .file("objects/README", "mine")
        .file("objects/sub/own.yaml", "mine too")
        .file("objects/.hidden", "and mine")
        .file("objects/.fracht-mine", "a name like ours");
    fs::set_permissions(sandbox.path("objects/README"), fs::Permissions::from_mode(0o640)).unwrap();
    fs::set_permissions(sandbox.path("objects"), fs::Permissions::from_mode(0o2775)).unwrap();
    sandbox
}

/// A run that is killed at any moment leaves the old files, the new ones, or a folder that is marked as not finished,
/// which the next run repairs. `FRACHT_KILLS` sets the number of runs.
#[test]
fn a_killed_run_leaves_a_complete_set_or_a_mark() {
    let rounds = std::env::var("FRACHT_KILLS").ok().and_then(|kills| kills.parse().ok()).unwrap_or(40);
    let sandbox = with_foreign_files(0);
    assert_eq!(render(&sandbox).code, 0);
    let before = foreign(&sandbox);
    let mut marked = 0;
    for round in 1..=rounds {
        fs::write(sandbox.path("fracht.toml"), stack(round)).unwrap();
        let mut child =
            sandbox.command(&["-q", "render", "--out", "objects"]).stdout(Stdio::null()).spawn().unwrap();
        // At any moment of the run; every second time as soon as files are being written.
        let mut is_over = || child.try_wait().unwrap().is_some();
        while round % 2 == 0 && !sandbox.path(MARKER).exists() && !is_over() {}
        std::thread::sleep(Duration::from_micros(
            (round as u64 * 7919) % if round % 2 == 0 { 9_000 } else { 61_000 },
        ));
        child.kill().unwrap();
        child.wait().unwrap();
        let found = versions(&sandbox);
        assert_eq!(foreign(&sandbox), before, "round {round}");
        if sandbox.path(MARKER).exists() {
            marked += 1;
            let diff = sandbox.run(&["diff", "--against", "objects"]);
            assert!(diff.code == 2 && diff.err.contains("is not finished"), "{diff:?}");
        } else {
            assert_eq!(found.len(), 1, "a mixture without a mark in round {round}: {found:?}");
        }
        if round % 5 == 0 {
            let run = render(&sandbox);
            assert_eq!((run.code, versions(&sandbox).len()), (0, 1), "{run:?}");
            let names = sandbox.names("objects");
            let ours = names.iter().filter(|name| name.starts_with(".fracht-")).collect::<Vec<_>>();
            assert_eq!(ours, [".fracht-files", ".fracht-mine"], "round {round}");
        }
    }
    fs::write(sandbox.path("fracht.toml"), stack(9_999)).unwrap();
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(versions(&sandbox), ["9999".to_owned()].into());
    assert_eq!(
        (foreign(&sandbox), sandbox.names(".")),
        (before, vec!["fracht.toml".into(), "objects".into()])
    );
    assert!(rounds < 40 || marked > 0, "no kill came while files were written");
}

/// Two runs into one folder take turns. `FRACHT_PAIRS` sets the number of pairs.
#[test]
fn concurrent_runs_wait_for_each_other() {
    let rounds = std::env::var("FRACHT_PAIRS").ok().and_then(|pairs| pairs.parse().ok()).unwrap_or(8);
    let sandbox = with_foreign_files(0);
    let other = Sandbox::with(&stack(0));
    let before = foreign(&sandbox);
    for round in 1..=rounds {
        fs::write(sandbox.path("fracht.toml"), stack(round)).unwrap();
        fs::write(other.path("fracht.toml"), stack(round + 10_000)).unwrap();
        let out = sandbox.path("objects").display().to_string();
        let run = |sandbox: &Sandbox| {
            sandbox
                .command(&["render", "--out", &out])
                .stdout(Stdio::null())
                .stderr(Stdio::piped())
                .spawn()
                .unwrap()
        };
        for child in [run(&sandbox), run(&other)] {
            let output = child.wait_with_output().unwrap();
            assert!(output.status.success(), "{output:?}");
        }
        assert_eq!((versions(&sandbox).len(), foreign(&sandbox)), (1, before.clone()), "round {round}");
    }
    assert!(!sandbox.path(MARKER).exists());
}

#[test]
fn a_second_run_waits_for_the_first_and_a_signal_ends_the_wait() {
    let sandbox = with_foreign_files(0);
    let held = fs::File::open(sandbox.path("objects")).unwrap();
    held.lock().unwrap();
    let run = || sandbox.command(&["render", "--out", "objects"]).stderr(Stdio::piped()).spawn().unwrap();
    let told = |child: &mut std::process::Child| {
        let mut line = String::new();
        BufReader::new(child.stderr.take().unwrap()).read_line(&mut line).unwrap();
        assert_eq!(line, "note: waiting for another run that writes into `objects`\n");
    };
    let mut child = run();
    told(&mut child);
    let id = child.id();
    assert!(Command::new("sh").args(["-c", &format!("kill -TERM {id}")]).status().unwrap().success());
    assert_eq!(std::os::unix::process::ExitStatusExt::signal(&child.wait().unwrap()), Some(15));
    let mut child = run();
    told(&mut child);
    held.unlock().unwrap();
    assert!(child.wait().unwrap().success());
    assert_eq!(versions(&sandbox).len(), 1);
}

#[test]
fn rendering_a_part_keeps_all_other_files() {
    let sandbox = Sandbox::with(TWO);
    assert_eq!(render(&sandbox).code, 0);
    let names = sandbox.names("objects");
    let sandbox = sandbox.file("fracht.toml", TWO.replace(":1", ":2"));
    let run = sandbox.run(&["render", "--out", "objects", "--only", "Deployment/a"]);
    assert_eq!((run.code, sandbox.names("objects")), (0, names), "{run:?}");
    assert!(sandbox.read("objects/71-deployment-s-a.yaml").contains("a:2"));
    assert!(sandbox.read("objects/71-deployment-s-b.yaml").contains("b:1"));
    // They are still in the list.
    let sandbox = sandbox.file("fracht.toml", ONE);
    assert!(render(&sandbox).out.contains("removed   objects/71-deployment-s-b.yaml"));
}

#[test]
fn a_file_that_cannot_be_replaced_keeps_the_old_set() {
    let sandbox = Sandbox::with(TWO);
    assert_eq!(render(&sandbox).code, 0);
    // A folder instead of a file to remove; a link instead of a file to change.
    let deployment = sandbox.path("objects/71-deployment-s-a.yaml");
    let old = fs::read(&deployment).unwrap();
    fs::rename(&deployment, sandbox.path("kept")).unwrap();
    std::os::unix::fs::symlink(sandbox.path("kept"), &deployment).unwrap();
    let sandbox = sandbox.file("fracht.toml", ONE);
    let names = sandbox.names("objects");
    let run = render(&sandbox);
    assert!(run.code == 2 && run.err.contains("was not created by fracht"), "{run:?}");
    assert_eq!((sandbox.names("objects"), fs::read(sandbox.path("kept")).unwrap()), (names, old));
}

#[test]
fn a_change_without_its_scratch_files_has_a_help_that_works() {
    let sandbox = Sandbox::with(ONE);
    assert_eq!(render(&sandbox).code, 0);
    let journal = "scratch .fracht-0123456789abcdef\nstate applying\nreplace 50-service-a.yaml\nend\n";
    let sandbox = sandbox.file(MARKER, journal).file("objects/.fracht-0123456789abcdef/new/x", "x");
    let run = render(&sandbox);
    assert_eq!(run.code, 2, "{run:?}");
    assert!(
        run.err.contains("cannot finish or undo the changes of an earlier run in `objects`"),
        "{}",
        run.err
    );
    let help = format!(
        "help: remove `{MARKER}` and `objects/.fracht-0123456789abcdef`, then render all objects again"
    );
    assert!(run.err.contains(&help), "{}", run.err);
    fs::remove_file(sandbox.path(MARKER)).unwrap();
    fs::remove_dir_all(sandbox.path("objects/.fracht-0123456789abcdef")).unwrap();
    assert_eq!(render(&sandbox).code, 0);
}

#[test]
fn a_journal_with_paths_outside_the_folder_is_ignored() {
    let forged =
        "scratch .fracht-0123456789abcdef\nstate applying\nremove README\nreplace sub\nadd ../up\nend\n";
    let sandbox = with_foreign_files(0)
        .file(MARKER, forged)
        .file("objects/.fracht-0123456789abcdef/new/sub", "x")
        .file("objects/.fracht-0123456789abcdef/old/x", "x")
        .file("objects/.fracht-0123456789abcdef/applied", "end\n");
    let before = foreign(&sandbox);
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(foreign(&sandbox), before);
    assert_eq!(sandbox.names("."), ["fracht.toml", "objects"]);
}
