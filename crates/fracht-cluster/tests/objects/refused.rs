//! Stacks that look right but that no cluster can run: each fails its rule, at its line.

use std::path::Path;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;
use indoc::formatdoc;

/// The problems of a stack: the rule, and the line of the stack file.
fn refused(stack: &str) -> Vec<(&'static str, usize)> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", format!("[stack]\nname = \"s\"\n{stack}"))
        .with("/s/large", vec![b'x'; (1 << 20) + 1])
        .with("/s/bytes", vec![0xff, 0x00]);
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap();
    let target = project.targets().names().next().unwrap().to_owned();
    let verdict = project.check(&target).unwrap();
    let findings = verdict.report.findings().iter();
    findings
        .map(|finding| {
            let label = finding.diagnostic.primary.as_ref().unwrap();
            assert!(
                !label.text.is_empty() || finding.diagnostic.rule.name.starts_with("bad-"),
                "{finding:?}"
            );
            let file = project.sources().file(label.span.file).unwrap();
            (finding.diagnostic.rule.name, file.line_of(label.span.start) - 2)
        })
        .collect()
}

#[test]
fn stacks_that_no_cluster_could_run_are_refused_at_their_line() {
    let a = "[service.a]\nimage = \"a:1\"\n";
    let task = "[task.t]\nimage = \"a:1\"\n";
    for (what, stack, rule, line) in [
        (
            "a probe at a port of another container",
            format!(
                "{a}port.http = 8080\nhealth = {{ tcp = \"metrics\" }}\nbeside.x = {{ image = \"x:1\", port = {{ metrics = 9102 }} }}\n"
            ),
            "bad-value",
            4,
        ),
        (
            "the only port is another container's",
            format!(
                "{a}health = {{ http = \"/\" }}\nbeside.x = {{ image = \"x:1\", port = {{ metrics = 9102 }} }}\n"
            ),
            "missing-key",
            3,
        ),
        (
            "a pause longer than the time to stop",
            format!("{a}before-stop = {{ wait = \"45s\" }}\n"),
            "stop-too-short",
            3,
        ),
        ("a label with other letters", format!("{a}place = {{ disk = \"very fast!\" }}\n"), "bad-value", 3),
        (
            "a path with two slashes",
            format!(
                "[target.prod]\ndomain = \"h.example\"\n{a}port.web = {{ number = 80, reach = \"web\", path = \"/a//b\" }}\n"
            ),
            "entry-path",
            5,
        ),
        (
            "a path that routes do not take",
            format!(
                "[target.prod]\ndomain = \"h.example\"\nweb = {{ gateway = \"g\" }}\n{a}port.web = {{ number = 80, reach = \"web\", path = \"/bü\" }}\n"
            ),
            "entry-path",
            6,
        ),
        (
            "a domain that is no host",
            format!(
                "[target.prod]\ndomain = \"Not A Host\"\n{a}port.web = {{ number = 80, reach = \"web\" }}\n"
            ),
            "bad-value",
            2,
        ),
        (
            "two names for one number",
            format!(
                "[outside.o]\naddress = \"192.0.2.1\"\nport = {{ a = 443, b = 443 }}\n{a}env.X = \"{{outside.o/a}}\"\n"
            ),
            "port-clash",
            3,
        ),
        (
            "an address of the container itself",
            format!("[outside.o]\naddress = \"127.0.0.1\"\nport.x = 80\n{a}env.X = \"{{outside.o/x}}\"\n"),
            "outside-address",
            2,
        ),
        (
            "a name that leads to itself",
            format!("[outside.db]\nhost = \"db\"\nport.x = 80\n{a}env.X = \"{{outside.db/x}}\"\n"),
            "outside-address",
            2,
        ),
        (
            "a secret that is too large",
            format!("[secret.k]\nkey.big = {{ file = \"large\" }}\n{a}mount.\"/k\" = \"secret.k\"\n"),
            "secret-too-large",
            2,
        ),
        (
            "a zone that is not in the database",
            format!("{task}schedule = \"1 2 * * *\"\nzone = \"Europe/Atlantis\"\n"),
            "bad-value",
            4,
        ),
        ("a day that no month has", format!("{task}schedule = \"1 2 31 2 *\"\n"), "schedule-invalid", 3),
        (
            "a TCP check at a UDP port",
            format!("{a}port.dns = {{ number = 53, protocol = \"udp\" }}\nhealth = {{ tcp = \"dns\" }}\n"),
            "bad-value",
            4,
        ),
        (
            "a wait for none",
            format!(
                "{a}port.x = 1\nhealth = {{ tcp = \"x\" }}\nreplicas = 0\n[service.b]\nimage = \"b:1\"\nafter = {{ a = \"ready\" }}\n"
            ),
            "await-endless",
            8,
        ),
        (
            "a volume of one pod in two",
            format!(
                "[volume.v]\nsize = \"1Gi\"\naccess = \"one-pod\"\n{a}mount.\"/d\" = \"volume.v\"\n[task.t]\nimage = \"b:1\"\nmount.\"/d\" = \"volume.v\"\n"
            ),
            "volume-shared",
            9,
        ),
        (
            "two that share a volume of one node, on different nodes",
            formatdoc!(
                r#"
                    [volume.v]
                    size = "1Gi"
                    {a}platform = "linux/amd64"
                    mount."/d" = "volume.v"
                    [task.t]
                    image = "t:1"
                    platform = "linux/arm64"
                    mount."/d" = "volume.v"
                    "#
            ),
            "node-clash",
            9,
        ),
        (
            "folders of two nodes in one pod",
            formatdoc!(
                r#"
                    [volume.v]
                    size = "1Gi"
                    node-folder = "/d"
                    node = "n1"
                    {a}mount."/d" = "volume.v"
                    place."kubernetes.io/hostname" = "n2"
                    "#
            ),
            "node-clash",
            4,
        ),
        (
            "a right that never matches",
            format!(
                "{a}rights = [{{ on = \"leases\", may = [\"get\", \"create\"], only = [\"leader\"] }}]\n"
            ),
            "bad-value",
            3,
        ),
        (
            "a right on what no group is said of",
            format!("{a}rights = [{{ on = \"httproutes\", may = [\"list\"] }}]\n"),
            "missing-key",
            3,
        ),
        (
            "a node with a slash",
            format!(
                "[volume.v]\nsize = \"1Gi\"\nnode-folder = \"/d\"\nnode = \"a.example/n1\"\n{a}mount.\"/k\" = \"volume.v\"\n"
            ),
            "bad-name",
            4,
        ),
        ("a NUL byte", format!("{a}env.X = \"a\\u0000b\"\n"), "process-text", 3),
        (
            "a variable of bytes",
            format!("{a}env.X = \"{{config.c/k}}\"\n[config.c]\nkey.k = {{ file = \"bytes\" }}\n"),
            "process-text",
            3,
        ),
        (
            "two keys that are one variable",
            format!(
                "{a}use = [{{ from = \"config.c\", spell = \"upper\" }}]\n[config.c]\nkey.a-b = \"1\"\nkey.\"a.b\" = \"2\"\n"
            ),
            "env-name",
            3,
        ),
        (
            "files that only root can read",
            format!(
                "{a}confine = \"strict\"\nmount.\"/k\" = {{ from = \"config.c\", mode = \"0400\" }}\n[config.c]\nkey.k = \"1\"\n"
            ),
            "mode-unreadable",
            4,
        ),
        (
            "the port of the kubelet",
            format!("{a}port.x = {{ number = 10250, reach = \"balancer\" }}\n"),
            "port-range",
            3,
        ),
        (
            "one node port of two protocols",
            format!(
                "{a}port.x = {{ number = 1, reach = \"node\", at = 30000 }}\n[service.b]\nimage = \"b:1\"\nport.x = {{ number = 1, protocol = \"udp\", reach = \"node\", at = 30000 }}\n"
            ),
            "port-clash",
            6,
        ),
        (
            "a closed network that is open",
            format!(
                "[network.n]\nclosed = true\n{task}network = [\"n\"]\n[service.b]\nimage = \"b:1\"\nnetwork = [\"n\"]\nafter = {{ t = \"done\" }}\n"
            ),
            "api-anywhere",
            9,
        ),
    ] {
        assert_eq!(refused(&stack), [(rule, line)], "{what}\n{stack}");
    }
}
