//! Stacks that look right but that no cluster can run: each fails its rule, at its line.

use indoc::formatdoc;
use std::path::Path;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;

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
    let a = "[service.a]\nimage = \"a:1.0\"\n";
    let task = "[task.t]\nimage = \"a:1.0\"\n";
    for (what, stack, rule, line) in [
        (
            "a probe at a port of another container",
            format!(
                "{a}port.http = 8080\nhealth = {{ tcp = \"metrics\" }}\nbeside.x = {{ image = \"x:1.0\", port = {{ metrics = 9102 }} }}\n"
            ),
            "bad-value",
            4,
        ),
        (
            "the only port is another container's",
            format!(
                "{a}health = {{ http = \"/\" }}\nbeside.x = {{ image = \"x:1.0\", port = {{ metrics = 9102 }} }}\n"
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
            formatdoc!(
                r#"
                    [target.prod]
                    domain = "h.example"
                    {a}port.web = {{ number = 80, reach = "web", path = "/a//b" }}
                    "#
            ),
            "entry-path",
            5,
        ),
        (
            "a path that routes do not take",
            formatdoc!(
                r#"
                    [target.prod]
                    domain = "h.example"
                    web = {{ gateway = "g" }}
                    {a}port.web = {{ number = 80, reach = "web", path = "/bü" }}
                    "#
            ),
            "entry-path",
            6,
        ),
        (
            "a domain that is no host",
            formatdoc!(
                r#"
                    [target.prod]
                    domain = "Not A Host"
                    {a}port.web = {{ number = 80, reach = "web" }}
                    "#
            ),
            "bad-value",
            2,
        ),
        (
            "two names for one number",
            formatdoc!(
                r#"
                    [outside.o]
                    address = "192.0.2.1"
                    port = {{ a = 443, b = 443 }}
                    {a}env.X = "{{outside.o/a}}"
                    "#
            ),
            "port-clash",
            3,
        ),
        (
            "an address of the container itself",
            formatdoc!(
                r#"
                [outside.o]
                address = "127.0.0.1"
                port.x = 80
                {a}env.X = "{{outside.o/x}}"
                "#
            ),
            "outside-address",
            2,
        ),
        (
            "a name that leads to itself",
            formatdoc!(
                r#"
                [outside.db]
                host = "db"
                port.x = 80
                {a}env.X = "{{outside.db/x}}"
                "#
            ),
            "outside-address",
            2,
        ),
        (
            "a secret that is too large",
            formatdoc!(
                r#"
                [secret.k]
                key.big = {{ file = "large" }}
                {a}mount."/k" = "secret.k"
                "#
            ),
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
            formatdoc!(
                r#"
                    {a}port.x = 1
                    health = {{ tcp = "x" }}
                    replicas = 0
                    [service.b]
                    image = "b:1.0"
                    after = {{ a = "ready" }}
                    "#
            ),
            "await-endless",
            8,
        ),
        (
            "a volume of one pod in two",
            formatdoc!(
                r#"
                    [volume.v]
                    size = "1Gi"
                    access = "one-pod"
                    {a}mount."/d" = "volume.v"
                    [task.t]
                    image = "b:1.0"
                    mount."/d" = "volume.v"
                    "#
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
                    image = "t:1.0"
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
            formatdoc!(
                r#"
                    [volume.v]
                    size = "1Gi"
                    node-folder = "/d"
                    node = "a.example/n1"
                    {a}mount."/k" = "volume.v"
                    "#
            ),
            "bad-name",
            4,
        ),
        ("a NUL byte", format!("{a}env.X = \"a\\u0000b\"\n"), "process-text", 3),
        (
            "a variable of bytes",
            formatdoc!(
                r#"
                {a}env.X = "{{config.c/k}}"
                [config.c]
                key.k = {{ file = "bytes" }}
                "#
            ),
            "process-text",
            3,
        ),
        (
            "two keys that are one variable",
            formatdoc!(
                r#"
                    {a}use = [{{ from = "config.c", spell = "upper" }}]
                    [config.c]
                    key.a-b = "1"
                    key."a.b" = "2"
                    "#
            ),
            "env-name",
            3,
        ),
        (
            "files that only root can read",
            formatdoc!(
                r#"
                    {a}confine = "strict"
                    mount."/k" = {{ from = "config.c", mode = "0400" }}
                    [config.c]
                    key.k = "1"
                    "#
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
            formatdoc!(
                r#"
                    {a}port.x = {{ number = 1, reach = "node", at = 30000 }}
                    [service.b]
                    image = "b:1.0"
                    port.x = {{ number = 1, protocol = "udp", reach = "node", at = 30000 }}
                    "#
            ),
            "port-clash",
            6,
        ),
        (
            "a closed network that is open",
            formatdoc!(
                r#"
                    [network.n]
                    closed = true
                    {task}network = ["n"]
                    [service.b]
                    image = "b:1.0"
                    network = ["n"]
                    after = {{ t = "done" }}
                    "#
            ),
            "api-anywhere",
            9,
        ),
    ] {
        assert_eq!(refused(&stack), [(rule, line)], "{what}\n{stack}");
    }
}
