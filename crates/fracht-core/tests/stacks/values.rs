//! The values of keys: the message for each invalid one, and valid ones that look wrong.

use fracht_core::diag::Severity;
use indoc::indoc;

use crate::vocabulary::verdict;

/// A stack with a service whose lines follow.
pub(crate) const HEAD: &str = indoc! {r#"
    [stack]
    name = "s"
    [volume.v]
    size = "1Gi"
    [config.c]
    key.K = "1"
    [secret.p]
    key.k = { env = "K" }
    [outside.feed]
    host = "feed.example"
    port.in = 443
    [service.a]
    image = "a:1.0"
    port.http = 80
    "#};

/// The rules and messages for a line of a service.
fn says(line: &str) -> Vec<(&'static str, String)> {
    let verdict = verdict(&format!("{HEAD}{line}\n"), "cluster");
    for finding in verdict.report.findings() {
        assert_eq!(crate::style::faults(&finding.diagnostic), [""; 0], "{:#?}", finding.diagnostic);
    }
    let findings = verdict.report.findings().iter().filter(|finding| finding.severity != Severity::Hint);
    findings.map(|finding| (finding.diagnostic.rule.name, finding.diagnostic.message.clone())).collect()
}

#[test]
fn invalid_values_have_one_message_each() {
    let mut wrong = Vec::new();
    for (line, rule, part) in [
        ("confine = \"strict\"\nuser = 0", "bad-value", "`service.a` runs as root, which `confine ="),
        (
            "health = { tcp = \"m\" }\nbeside.x = { image = \"x:1.0\", port.m = 9102 }",
            "bad-value",
            "port of another container",
        ),
        (
            "beside.x = { image = \"x:1.0\", health = { http = \"/\", port = \"http\" } }",
            "bad-value",
            "port of another container",
        ),
        (
            "beside.x = { image = \"x:1.0\", health = { http = \"/\" } }",
            "missing-key",
            "the HTTP health check of `service.a.beside.x` needs",
        ),
        (
            "port.dns = { number = 53, protocol = \"udp\" }\nhealth = { tcp = \"dns\" }",
            "bad-value",
            "the health check of `service.a` needs TCP, but its",
        ),
        (
            "port.dns = { number = 53, protocol = \"sctp\" }\nhealth = { grpc = \"dns\" }",
            "bad-value",
            "the health check of `service.a` needs TCP, but its",
        ),
        ("before-stop = { wait = \"45s\" }", "stop-too-short", "waits 45s"),
        ("before-stop = { wait = \"0s\" }", "bad-value", "invalid `wait`: `0s`"),
        (
            "stop-within = \"10s\"\nbeside.x = { image = \"x:1.0\", before-stop = { wait = \"11s\" } }",
            "stop-too-short",
            "waits 11s",
        ),
        ("place.disk = \"very fast!\"", "bad-value", "invalid label value `very fast!`"),
        (
            "place.\"kubernetes.io/arch\" = \"arm64\"\nplatform = \"linux/amd64\"",
            "bad-value",
            "place `kubernetes.io/arch` is reserved",
        ),
        ("note.\"fracht/config-c\" = \"x\"", "bad-value", "note `fracht/config-c` is reserved"),
        (
            "rights = [{ on = \"leases\", may = [\"get\", \"create\"], only = [\"x\"] }]",
            "bad-value",
            "`only` cannot be used with `create`",
        ),
        (
            "rights = [{ on = \"pods\", may = [\"deletecollection\"], only = [\"x\"] }]",
            "bad-value",
            "`only` cannot be used",
        ),
        ("rights = [{ on = \"httproutes\", may = [\"list\"] }]", "missing-key", "has no API group"),
        ("rights = [{ on = \"apps/deployments\", may = [\"list\"] }]", "bad-value", "not a resource"),
        ("rights = [{ on = \"...\", may = [\"list\"] }]", "bad-value", "not a resource"),
        ("rights = [{ on = \"nodes\", may = [\"list\"] }]", "bad-value", "cannot be allowed `nodes`"),
        ("rights = [{ on = \"namespaces\", may = [\"list\"] }]", "bad-value", "cannot be allowed `list`"),
        ("rights = [{ on = \"pods/logs\", may = [\"get\"] }]", "bad-value", "no subresource `logs`"),
        ("rights = [{ on = \"pods/log\", may = [\"list\"] }]", "bad-value", "cannot be allowed `list`"),
        (
            "rights = [{ on = \"jobs\", group = \"apps\", may = [\"get\"] }]",
            "bad-value",
            "has no resource `jobs`",
        ),
        (
            "rights = [{ on = \"jobs\", group = \"batch/v1\", may = [\"get\"] }]",
            "bad-value",
            "not an API group",
        ),
        (
            indoc! {r#"
                use = [{ from = "config.two", spell = "upper" }]
                [config.two]
                key."a.b" = "1"
                key.a-b = "2""#},
            "env-name",
            "both spelled `A_B`",
        ),
        ("env.X = \"a\\u0000b\"", "process-text", "`X` of `service.a`"),
        ("args = [\"a\\u0000b\"]", "process-text", "an argument"),
        ("health = { run = [\"a\\u0000b\"] }", "process-text", "the health check"),
        ("env.X = \"{config.n/k}\"\n[config.n]\nkey.k = \"a\\u0000b\"", "process-text", "`k` of `config.n`"),
        ("mount.\"/a\" = \"volume.v\"\nmount.\"/a/\" = \"config.c\"", "defined-twice", "mounted at `/a`"),
        (
            "mount.\"/a\" = { from = \"volume.v\", shared = \"x\" }",
            "bad-value",
            "`shared` works only with scratch folders, not at",
        ),
        (
            "mount.\"/a\" = { scratch = \"1Mi\", shared = \"x\" }\nbeside.x = { image = \"x:1.0\", mount.\"/b\" = { scratch = \"2Mi\", shared = \"x\" } }",
            "bad-value",
            "two sizes",
        ),
        (
            "mount.\"/a\" = { from = \"config.c\", mode = \"0440\" }\nconfine = \"strict\"",
            "mode-unreadable",
            "cannot read",
        ),
        ("workdir = \"srv\"", "bad-name", "`srv`"),
        ("[outside.x]\naddress = \"169.254.1.1\"", "outside-address", "cannot lead to"),
        ("[outside.x]\nhost = \"x\"", "outside-address", "leads to itself"),
        ("[outside.x]\nhost = \"x.s.svc.cluster.local\"", "outside-address", "leads to itself"),
        ("[outside.x]\nhost = \"localhost\"", "outside-address", "cannot lead to"),
        ("[outside.x]\nhost = \"x.example\"\nport = { a = 1, b = 1 }", "port-clash", "are both port 1"),
        ("[task.t]\nimage = \"t:1.0\"\ntimeout = \"0s\"", "bad-value", "invalid `timeout`: `0s`"),
        (
            "[task.t]\nimage = \"t:1.0\"\nschedule = \"0 0 31 2 *\"",
            "schedule-invalid",
            "invalid `schedule`: `0 0 31 2 *`",
        ),
        (
            indoc! {r#"
                [task.t]
                image = "t:1.0"
                schedule = "0 0 1 2 *"
                zone = "Europe/Atlantis""#},
            "bad-value",
            "invalid `zone`: `Europe/Atlantis`",
        ),
        (
            indoc! {r#"
                [volume.x]
                size = "1Gi"
                node-folder = "/x"
                node = "a.example/n""#},
            "bad-name",
            "`a.example/n`",
        ),
        ("mount.\"/proc/x\" = \"config.c\"", "bad-value", "nothing can be mounted"),
        ("mount.\"//\" = \"config.c\"", "bad-name", "`//`"),
        ("label.pod-template-hash = \"x\"", "bad-value", "label `pod-template-hash` is reserved"),
        ("env.X = \"{pod.label/tier}\"", "label-unknown", "no label `tier`"),
        ("env.X = \"{pod.label/-a}\"", "bad-value", "not the name of a label"),
        ("[service.localhost]\nimage = \"a:1.0\"", "bad-name", "localhost"),
        ("[outside.localhost]\nhost = \"x.example\"", "bad-name", "localhost"),
        ("replicas = { min = 2 }", "missing-key", "`max` is missing in the replicas of `service.a`"),
        (
            "replicas = { min = 4, max = 2 }\ncpu = 1",
            "bad-value",
            "`min` (4) is higher than `max` (2) in `service.a`",
        ),
        ("replicas = { min = 1, max = 2, cpu = 70 }\ncpu = 1", "wrong-type", "`cpu`"),
        ("replicas = { min = 1, max = 2, cpu = \"0%\" }\ncpu = 1", "bad-value", "`0%`"),
        (
            "rollout = { surge = 0, down = \"0%\" }",
            "bad-value",
            "the rollout of `service.a` can never start: `surge`",
        ),
        ("spread = { strict = true }", "missing-key", "`over` is missing in a spread table"),
        ("platform = \"linux/x86\"", "bad-value", "invalid `platform`: `linux/x86`"),
        ("rights = [{ may = [\"get\"] }]", "missing-key", "`on` is missing in a permission of `service.a`"),
        ("rights = [{ on = \"Pod\", may = [\"get\"] }]", "bad-value", "not a resource of the cluster"),
        ("rights = [{ on = \"pods\" }]", "missing-key", "`may` is missing in a permission of `service.a`"),
        ("label.team = \"a b\"", "bad-value", "invalid label value `a b`"),
        (
            "label.\"app.kubernetes.io/name\" = \"x\"",
            "bad-value",
            "label `app.kubernetes.io/name` is reserved",
        ),
        ("pull = \"secret.p\"", "unknown-name", "has no key `.dockerconfigjson`"),
        ("pull = \"secret.q\"", "unknown-name", "secret `q` not found"),
        ("use = [\"config.c/K\"]", "bad-value", "`use` takes a whole config or secret, not one key"),
        ("use = [\"config.d\"]", "unknown-name", "config `d` not found"),
        ("use = [{ prefix = \"A_\" }]", "missing-key", "`from` is missing in a use table"),
        ("use = [{ from = \"config.c\", prefix = \"1\" }]", "env-name", "invalid `prefix`"),
        ("before-stop = {}", "missing-key", "`run` is missing in `before-stop` of `service.a`"),
        (
            "before-stop = { run = [\"x\"], wait = \"1s\" }",
            "bad-value",
            "`before-stop` of `service.a` sets both `run` and",
        ),
        ("mount.\"/a\" = {}", "missing-key", "`from` is missing in mount `/a`"),
        (
            "mount.\"/a\" = { from = \"volume.v\", scratch = \"1Mi\" }",
            "bad-value",
            "mount `/a` sets both `from` and `scratch`",
        ),
        (
            "mount.\"/a\" = { from = \"volume.v\", mode = \"0400\" }",
            "bad-value",
            "`mode` works only with configs and secrets, not at",
        ),
        ("mount.\"/a\" = { from = \"volume.v\", part = \"../x\" }", "bad-value", "invalid `part`: `../x`"),
        (
            "mount.\"/a\" = { from = \"config.c\", part = \"x\" }",
            "bad-value",
            "`part` works only with volumes, not at `/a`",
        ),
        ("mount.\"/a\" = \"volume.v/x\"", "bad-value", "a volume has no keys"),
        (
            "mount.\"/a\" = { folder = \"conf\" }",
            "folder-in-cluster",
            "`service.a` mounts a local folder, but target",
        ),
        ("port.x = { number = 1, host = \"a.example\" }", "bad-value", "not open to the web"),
        ("port.x = { number = 1, reach = \"web\", host = \"A b\" }", "bad-value", "invalid `host`: `A b`"),
        (
            "port.x = { number = 1, reach = \"web\", host = \"a.example\", path = \"x\" }",
            "bad-value",
            "invalid `path`: `x`",
        ),
        (
            "port.x = { number = 1, reach = \"web\", host = \"a.example\", protocol = \"udp\" }",
            "bad-value",
            "`service.a/x` uses UDP, but `reach = \"web\"` needs",
        ),
        ("port.x = { number = 1, reach = \"web\" }", "host-missing", "has no host"),
        ("health = { grpc = \"rpc\" }", "unknown-name", "`service.a` has no port `rpc`"),
        ("beside.a = { image = \"x:1.0\" }", "bad-name", "a sidecar of `service.a` cannot be named `a`"),
        ("beside.wait-for-x = { image = \"x:1.0\" }", "bad-name", "a sidecar of `service.a` cannot be named"),
        ("beside.x = { image = \"x:1.0\", port.http = 81 }", "defined-twice", "ports of one pod"),
        (
            "beside.x = { image = \"x:1.0\", port.more = 80 }",
            "port-clash",
            "`service.a/http` and `service.a/more` both use TCP",
        ),
        ("beside.x = { args = [\"y\"] }", "missing-key", "`image` is missing in `service.a.beside.x`"),
        ("env.A = \"{outside.fed}\"", "unknown-name", "outside `fed` not found"),
        ("env.A = \"{outside.feed/out}\"", "unknown-name", "`outside.feed` has no port `out`"),
        (
            "[outside.a]\nhost = \"x.example\"",
            "defined-twice",
            "an external service and a service or task are both",
        ),
        ("[outside.x]", "missing-key", "`host` is missing in `outside.x`"),
        (
            "[outside.x]\nhost = \"x.example\"\naddress = \"192.0.2.1\"",
            "bad-value",
            "`outside.x` sets both `host` and `address`",
        ),
        ("[outside.x]\nhost = \"https://x.example\"", "bad-value", "invalid `host`: `https://x.example`"),
        ("[outside.x]\naddress = \"x.example\"", "bad-value", "invalid `address`: `x.example`"),
        (
            "[task.t]\nimage = \"t:1.0\"\nzone = \"UTC\"",
            "bad-value",
            "`zone` has no effect: `task.t` has no `schedule`",
        ),
        (
            "[task.t]\nimage = \"t:1.0\"\nschedule = \"@daily\"",
            "schedule-invalid",
            "invalid `schedule`: `@daily`",
        ),
        (
            indoc! {r#"
                after.t = "done"
                [task.t]
                image = "t:1.0"
                schedule = "on demand""#},
            "bad-value",
            "cannot wait for `task.t`: it does not run at the start",
        ),
        (
            "[volume.x]\nsize = \"1Gi\"\npresent = \"y\"",
            "bad-value",
            "`size` has no effect: `volume.x` already exists in",
        ),
        (
            indoc! {r#"
                [volume.x]
                size = "1Gi"
                each = true
                node-folder = "/x""#},
            "bad-value",
            "both `each` and `node-folder`",
        ),
        (
            "[volume.x]\nsize = \"1Gi\"\nnode = \"n\"",
            "bad-value",
            "`node` has no effect in `volume.x` without",
        ),
        ("[config.x]\npresent = \"y\"", "missing-key", "`keys` is missing in `config.x`"),
        ("[config.x]\nkeys = [\"y\"]", "bad-value", "`keys` in `config.x` needs `present`"),
        (
            "[config.x]\nkey.a = \"1\"\npresent = \"y\"\nkeys = [\"a\"]",
            "bad-value",
            "`config.x` sets both `key` and `present`",
        ),
        ("[config.x]\nfiles = \"conf/*.txt\"", "bad-name", "file name `bad name.txt` is not a valid key"),
        ("[config.x]\nfiles = \"conf/*.ini\"", "file-unreadable", "no file matches `conf/*.ini`"),
        ("[config.x]\nfiles = [\"conf/x.csv\", \"conf/*.csv\"]", "defined-twice", "`x.csv`"),
        ("[rules]\nno-such = \"off\"", "unknown-name", "rule `no-such` not found"),
        ("[rules]\nunknown-key = \"off\"", "bad-value", "always an error"),
        ("[[patch]]\nmerge = { x = 1 }", "missing-key", "`on` is missing in a patch"),
        ("[[patch]]\non = \"api\"\nmerge = { x = 1 }", "bad-value", "invalid `on`: `api`"),
        ("[[patch]]\non = \"Service/a\"", "missing-key", "`merge` is missing in a patch"),
        (
            "[[patch]]\non = \"Service/a\"\nmerge = { x = 1 }\nops = []",
            "bad-value",
            "a patch sets both `merge` and `ops`",
        ),
        (
            "[[patch]]\non = \"Service/a\"\nops = [{ op = \"add\", path = \"/x\" }]",
            "missing-key",
            "`value` is missing in a patch operation",
        ),
        ("[[patch]]\non = \"Service/a\"\nmerge = { x = 2026-11-24 }", "wrong-type", "a date"),
    ] {
        let found = says(line);
        if !matches!(found.as_slice(), [(name, message)] if *name == rule && message.contains(part)) {
            wrong.push(format!("{line}: {found:?}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    let top =
        |line: &str| verdict(&format!("{line}\n{HEAD}"), "cluster").report.findings()[0].diagnostic.rule.name;
    assert_eq!(top("pass = [\"none/*.yaml\"]"), "file-unreadable");
    assert_eq!(top("pass = \"objects/w.yaml\""), "wrong-type");
}

/// Values that look wrong but are valid.
#[test]
fn valid_values_are_accepted() {
    for line in [
        "workdir = \"/\"",
        "before-stop = { wait = \"30s\" }",
        "port.w = { number = 1, reach = \"web\", host = \"*.tides.example\", path = \"/a.b/~c\" }",
        "rights = [{ on = \"csistoragecapacities\", may = [\"list\"] }, { on = \"controllerrevisions\", may = [\"get\"] }]",
        "rights = [{ on = \"pods/exec\", may = [\"create\"], only = [\"x\"] }, { on = \"httproutes\", group = \"gateway.networking.k8s.io\", may = [\"list\"] }]",
        "rights = [{ on = \"namespaces\", may = [\"get\"] }, { on = \"leases\", may = [\"get\", \"list\", \"watch\"], only = [\"x\"] }]",
        "mount.\"/a\" = { scratch = \"1Mi\" }\nbeside.x = { image = \"x:1.0\", mount.\"/a\" = { scratch = \"2Mi\" } }",
        "mount.\"/a\" = { from = \"config.c\", mode = \"0440\" }\nconfine = \"strict\"\nuser = 5",
        "beside.a-pods = { image = \"x:1.0\" }\nstable-names = true",
        indoc! {r#"
            [secret.w]
            present = "wildcard.tides.example"
            keys = ["tls.crt"]
            [service.w]
            image = "w:1.0"
            mount."/t" = "secret.w""#},
        indoc! {r#"
            [volume.w]
            present = "9.old"
            [service.w]
            image = "w:1.0"
            mount."/t" = "volume.w""#},
        indoc! {r#"
            [outside.x]
            host = "x.other.svc.cluster.local"
            [service.w]
            image = "w:1.0"
            env.X = "{outside.x}""#},
    ] {
        assert_eq!(says(line), [], "{line}");
    }
}

#[test]
fn invalid_values_of_a_target_are_reported() {
    for (lines, rule, part) in [
        ("web = { by = \"gateway\" }", "missing-key", "`gateway` is missing in the web entry"),
        ("web = { gateway = \"g\", class = \"c\" }", "bad-value", "`class` has no effect"),
        ("web = { by = \"ingress\", gateway = \"g\" }", "bad-value", "`gateway` has no effect"),
        ("web.tls = \"secret.p\"", "unknown-name", "no key `tls.crt`"),
        (
            "gate.ready = \"{target.domain}:1\"\ndomain = \"a.-b.example\"",
            "bad-value",
            "invalid `domain`: `a.-b.example`",
        ),
        ("gate.ready = \"{target.name}/A:1\"", "bad-value", "`ready` resolves to `t/A:1`"),
        ("domain = \"Not A Host\"", "bad-value", "invalid `domain`"),
        ("domain = \"https://a.example\"", "bad-value", "invalid `domain`"),
        ("registry = \"https://registry.example/t\"", "bad-value", "invalid `registry`"),
        ("registry = \"registry.example/\"", "bad-value", "invalid `registry`"),
        ("registry = \"Registry.example/T\"", "bad-value", "invalid `registry`"),
        ("registry = \"\"", "bad-value", "invalid `registry`"),
        ("namespace = \"a.b\"", "bad-name", "`a.b`"),
        ("gate.within = \"0s\"", "bad-value", "invalid `within`"),
        ("api = [\"192.0.2.1\"]", "bad-value", "invalid `api`"),
        ("gate.within = \"soon\"", "bad-value", "invalid `within`"),
    ] {
        let verdict = verdict(&format!("{HEAD}[target.t]\n{lines}\n"), "t");
        let findings: Vec<_> =
            verdict.report.findings().iter().filter(|f| f.severity == Severity::Error).collect();
        let [finding] = findings.as_slice() else { panic!("{lines}: {findings:#?}") };
        let diagnostic = &finding.diagnostic;
        assert!(diagnostic.rule.name == rule && diagnostic.message.contains(part), "{lines}: {diagnostic:?}");
    }
}
