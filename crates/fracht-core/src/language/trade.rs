//! Words of the trade that people write for our keys.

use super::shape::TableShape;

/// Words of the trade for the keys of services and tasks: the first word of a key that somebody writes, the key that we
/// have for it, and its form.
const TRADE: &[(&[&str], &str, &str)] = &[
    (&["command", "cmd", "entrypoint", "exec", "run"], "program", "program = [\"serve\"]"),
    (&["arguments", "parameters", "options", "flags"], "args", "args = [\"--level=info\"]"),
    (&["environment", "variables", "vars", "envs", "settings"], "env", "env.LEVEL = \"info\""),
    (
        &["volumes", "volume", "mounts", "storage", "disks", "binds", "tmpfs"],
        "mount",
        "mount.\"/data\" = \"volume.NAME\"",
    ),
    (&["ports", "expose", "publish", "listen", "exposed"], "port", "port.http = 8080"),
    (
        &["depends", "requires", "needs", "dependencies", "wait", "waits", "links"],
        "after",
        "after = { db = \"ready\" }",
    ),
    (
        &[
            "restart",
            "liveness",
            "readiness",
            "healthcheck",
            "healthchecks",
            "probe",
            "probes",
            "startup",
            "check",
        ],
        "health",
        "health = { http = \"/healthz\", restart-after = 3 }",
    ),
    (
        &["secrets", "secret", "configs", "config", "configmap"],
        "use",
        "use = [\"config.NAME\", \"secret.NAME\"]",
    ),
    (
        &["limits", "limit", "resources", "requests", "mem", "ram"],
        "memory",
        "memory = \"64Mi..128Mi\"` and `cpu = \"50m..1\"",
    ),
    (&["cpus", "processors", "cores"], "cpu", "cpu = \"50m..1\""),
    (&["labels", "tags"], "label", "label.team = \"tides\""),
    (&["annotations", "annotation", "notes"], "note", "note.\"tides.example/team\" = \"tides\""),
    (&["networks", "net"], "network", "network = [\"NAME\"]"),
    (&["instances", "scale", "count", "deploy", "autoscaling"], "replicas", "replicas = 2"),
    (&["containers", "sidecars", "helpers", "sidecar"], "beside", "beside.NAME = { image = \"…\" }"),
    (
        &["init", "initcontainers", "prepare", "setup", "before"],
        "beside",
        "beside.NAME = { image = \"…\", once = true }",
    ),
    (&["uid", "runas", "group", "gid"], "user", "user = \"10001:10001\""),
    (&["privileged", "security", "capabilities", "readonly", "caps"], "confine", "confine = \"strict\""),
    (&["working", "cwd", "directory", "dir", "chdir"], "workdir", "workdir = \"/srv\""),
    (&["cron", "every", "interval"], "schedule", "schedule = \"15 3 * * *\""),
    (&["tag", "version", "repository"], "image", "image = \"registry.example/api:1.0\""),
    (
        &["dockerfile", "containerfile", "context", "source", "recipe"],
        "build",
        "build = \"NAME\"` and `[build.NAME]",
    ),
    (&["extends", "inherits", "base", "template", "parent"], "like", "like = \"pattern.NAME\""),
    (&["stop", "grace", "termination", "kill"], "stop-within", "stop-within = \"30s\""),
    (&["permissions", "roles", "rbac"], "rights", "rights = [{ on = \"pods\", may = [\"get\"] }]"),
    (&["architecture", "arch", "os"], "platform", "platform = \"linux/amd64\""),
    (&["node", "nodes", "affinity", "placement", "constraints"], "place", "place.disk = \"fast\""),
    (&["retry", "backoff", "attempts"], "retries", "retries = 3"),
    (&["deadline", "ttl"], "timeout", "timeout = \"10m\""),
    (&["timezone", "tz"], "zone", "zone = \"Europe/Berlin\""),
    (&["strategy", "update", "updates", "rolling"], "rollout", "rollout = { surge = 1 }"),
    (&["path", "folder"], "mount", "mount.\"/data\" = \"volume.NAME\""),
    // Keys of other tables.
    (&["volume", "source", "src", "config", "secret"], "from", "from = \"volume.NAME\""),
    (&["tmpfs", "memory", "empty", "temporary", "temp"], "scratch", "scratch = \"64Mi\""),
    (&["readonly", "ro"], "read-only", "read-only = true"),
    (&["sleep", "delay", "seconds", "pause"], "wait", "wait = \"5s\""),
    (&["command", "cmd", "exec", "test", "script"], "run", "run = [\"check\", \"--all\"]"),
    (&["interval", "period", "frequency"], "every", "every = \"5s\""),
    (&["path", "url", "get", "endpoint"], "http", "http = \"/healthz\""),
    (&["start", "startup", "initial", "delay", "grace", "warmup"], "boot", "boot = \"60s\""),
    (&["container", "inner", "inside", "internal", "listen"], "number", "number = 8080"),
    (&["host", "outer", "external", "published", "publish"], "at", "at = 8000"),
    (&["expose", "exposed", "visibility", "open", "public"], "reach", "reach = \"node\""),
    (&["proto", "transport"], "protocol", "protocol = \"udp\""),
    (&["storage", "capacity", "space"], "size", "size = \"1Gi\""),
    (&["internal", "isolated", "private"], "closed", "closed = true"),
    (&["address", "url", "hostname", "domain"], "host", "host = \"feed.example\""),
    (&["context", "path", "folder", "directory", "dir"], "source", "source = \"./app\""),
    (&["containerfile", "file"], "recipe", "recipe = \"Containerfile\""),
    (&["resource", "resources", "objects"], "on", "on = \"pods\""),
    (&["verbs", "verb", "allow", "actions"], "may", "may = [\"get\"]"),
    (&["data", "values", "content", "entries", "keys"], "key", "key.LEVEL = \"info\""),
    (&["minimum", "least"], "min", "min = 2"),
    (&["maximum", "most"], "max", "max = 6"),
    (&["certificate", "certificates", "cert", "https", "ssl"], "tls", "tls = \"secret.NAME\""),
    (&["replicas"], "replicas", "service.NAME.replicas = 2"),
];

/// The key of a table for a word of the trade, with its form.
pub(super) fn trade(table: &TableShape, name: &str) -> Option<(&'static str, &'static str)> {
    let small = name.to_ascii_lowercase();
    let first = small.split(['_', '-', '.']).next().unwrap_or_default();
    let is_word = |words: &&[&str]| words.contains(&first) || words.contains(&small.as_str());
    let found = TRADE.iter().find(|(words, key, _)| is_word(words) && table.field(key).is_some());
    found.map(|(_, key, form)| (*key, *form))
}
