use std::fs;
use std::time::Duration;

use crate::sandbox::Sandbox;

const TWO: &str =
    "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nport.x = 80\n[service.b]\nimage = \"b:1\"\n";
const ONE: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:2\"\nport.x = 80\n";

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
    // The comments differ: on the screen they have lines, which in a folder would change with every edit.
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
fn what_is_no_longer_made_is_removed_and_nothing_else() {
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
fn a_file_of_somebody_elses_is_never_replaced() {
    let sandbox = Sandbox::with(ONE).file("objects/50-service-a.yaml", "mine");
    let run = render(&sandbox);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("was not written by fracht"), "{}", run.err);
    assert_eq!(sandbox.read("objects/50-service-a.yaml"), "mine");
    assert_eq!(sandbox.names("objects"), ["50-service-a.yaml"]);
}

#[test]
fn a_list_that_names_files_elsewhere_is_not_believed() {
    let sandbox = Sandbox::with(ONE)
        .file("objects/.fracht-files", "../fracht.toml\nsub/x\n..\n")
        .file("objects/sub/x", "mine");
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(sandbox.read("fracht.toml"), ONE);
    assert_eq!(sandbox.read("objects/sub/x"), "mine");
}

#[test]
fn what_is_no_folder_is_refused() {
    let sandbox = Sandbox::with(ONE).file("objects", "a file");
    let run = render(&sandbox);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("objects is not a folder"), "{}", run.err);
}

#[test]
fn what_an_earlier_killed_run_left_is_cleared_away() {
    let sandbox = Sandbox::with(ONE).file(".objects.fracht-new/half", "half written");
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(sandbox.names("."), ["fracht.toml", "objects"]);
}

#[cfg(unix)]
#[test]
fn files_with_secrets_are_for_their_owner_alone() {
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
fn a_link_to_a_folder_stays_a_link() {
    let sandbox = Sandbox::with(ONE).file("real/keep", "mine");
    std::os::unix::fs::symlink(sandbox.path("real"), sandbox.path("objects")).unwrap();
    assert_eq!(render(&sandbox).code, 0);
    assert!(fs::symlink_metadata(sandbox.path("objects")).unwrap().is_symlink());
    assert!(sandbox.path("real/50-service-a.yaml").exists() && sandbox.path("real/keep").exists());
}

/// Killed at any moment, a run leaves the old set or the new one, whole.
#[test]
fn a_run_that_is_killed_leaves_one_set_whole() {
    let stack = |version: u32| {
        let services = (0..120).map(|n| format!("[service.s{n}]\nimage = \"a:{version}\"\n"));
        format!("[stack]\nname = \"s\"\n{}", services.collect::<String>())
    };
    let sandbox = Sandbox::with(&stack(0)).file("objects/mine", "mine");
    assert_eq!(render(&sandbox).code, 0);
    let mut seen = std::collections::BTreeSet::new();
    for round in 1..=24 {
        fs::write(sandbox.path("fracht.toml"), stack(round)).unwrap();
        let mut child = sandbox
            .command(&["-q", "render", "--out", "objects"])
            .stdout(std::process::Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(u64::from(round) * 3));
        child.kill().unwrap();
        child.wait().unwrap();
        let versions: std::collections::BTreeSet<String> = sandbox
            .names("objects")
            .iter()
            .filter(|name| name.contains("-deployment-"))
            .map(|name| {
                let text = sandbox.read(&format!("objects/{name}"));
                text.lines()
                    .find_map(|line| line.split_once("image: a:").map(|(_, version)| version.to_owned()))
                    .unwrap()
            })
            .collect();
        assert_eq!(versions.len(), 1, "a mixture in round {round}: {versions:?}");
        let deployments =
            sandbox.names("objects").iter().filter(|name| name.contains("-deployment-")).count();
        assert_eq!(deployments, 120);
        assert_eq!(sandbox.read("objects/mine"), "mine");
        seen.extend(versions);
    }
    fs::write(sandbox.path("fracht.toml"), stack(99)).unwrap();
    assert_eq!(render(&sandbox).code, 0);
    assert_eq!(sandbox.names("."), ["fracht.toml", "objects"]);
}
