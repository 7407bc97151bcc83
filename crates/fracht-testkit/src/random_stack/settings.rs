//! The settings of random services and tasks.

use std::fmt::Write as _;

use super::{NETWORKS, Part, name};

/// Another target, which overrides something in every kind of table.
pub(super) fn others(parts: &[Part]) -> String {
    let mut out = String::from(
        "[target.other]\nlike = \"target.cluster\"\nnamespace = \"9-made-up\"\napi = [\"192.0.2.10/32\"]\n\
         gate = { within = \"90s\" }\nconfig.all.key.LEVEL = \"debug\"\nsecret.made.key.more = { file = \"more\" }\n\
         outside.feed.host = \"test.feed.example\"\noutside.gauge.port.read = 5056\nnetwork.deep.closed = false\n\
         pattern.quiet.env.QUIET = \"2\"\nstack.title = \"Other\"\n",
    );
    for (index, part) in parts.iter().enumerate() {
        let name = name(index);
        if part.is_task {
            writeln!(out, "task.{name}.retries = 1\ntask.{name}.timeout = \"2m\"").unwrap();
        } else if part.has(23) && part.replicas != 3 && part.runs() && !part.is_alone() {
            writeln!(out, "service.{name}.replicas = 3").unwrap();
        }
        if part.volume {
            writeln!(out, "volume.v{index}.class = \"fast\"").unwrap();
        }
        if part.config.is_some() {
            writeln!(out, "config.c{index}.key.more = \"more\"").unwrap();
        }
    }
    out
}

/// Settings that can be combined freely.
pub(super) fn more(part: &Part, out: &mut String) {
    let networks = NETWORKS.iter().enumerate().filter(|(index, _)| part.networks >> index & 1 == 1);
    let networks: Vec<String> = networks.map(|(_, (name, _))| format!("\"{name}\"")).collect();
    if !networks.is_empty() {
        writeln!(out, "network = [{}]", networks.join(", ")).unwrap();
    }
    if part.is_scheduled() {
        out.push_str("schedule = \"15 3 * * 6-7\"\noverlap = \"replace\"\nzone = \"UTC\"\n");
    }
    let settings = [
        "confine = \"strict\"\n",
        "rights = [{ on = \"leases\", may = [\"get\", \"update\"], only = [\"leader\"] }, { on = \"pods/log\", may = [\"get\"] }, \
          { on = \"widgets\", group = \"made.example\", may = [\"create\"] }]\n",
        "label.tier = \"made\"\nnote.\"made.example/up\" = \"yes\"\nrole = \"part\"\n",
        "use = [{ from = \"secret.there\", prefix = \"MADE_\", spell = \"upper\" }, \"secret.made\"]\n",
        "place.disk = \"fast\"\nplatform = \"linux/arm64\"\nstop-within = \"90s\"\n",
    ];
    for (thing, setting) in (4..).zip(settings) {
        if part.has(thing) {
            out.push_str(setting);
        }
    }
    if !part.is_task && part.has(9) {
        let user = ["", ", user = 0", ", user = \"7:8\""][(part.more >> 28) as usize % 3];
        writeln!(
            out,
            "beside.aide = {{ image = \"registry.example/aide:1.0\", port.aide = 9999, cpu = \"10m..\", \
             health = {{ tcp = \"aide\" }}, env.WHO = \"{{pod.name}}\", confine = \"off\"{user}, use = [\"secret.made\"], \
             mount = {{ \"/tmp\" = {{ scratch = \"2Mi\" }}, \"/run/spool\" = {{ scratch = \"3Mi\", shared = \"spool\" }}, \
             \"/etc/all\" = {{ from = \"config.all\", mode = \"0440\" }} }} }}"
        )
        .unwrap();
        if part.more & 1 << 20 != 0 {
            out.push_str(
                "beside.seed = { image = \"registry.example/seed:1.0\", once = true, use = [\"secret.made\"], \
                 mount.\"/run/spool\" = { scratch = \"3Mi\", shared = \"spool\" } }\n",
            );
        }
    }
    if part.has(11) {
        out.push_str(
            "mount.\"/tmp\" = { scratch = \"1Mi\" }\nmount.\"/spool\" = { scratch = \"3Mi\", shared = \"spool\" }\n\
             mount.\"/etc/all.level\" = \"config.all/LEVEL\"\n",
        );
    }
    if part.has(12) && (part.user || !part.has(4)) {
        out.push_str("mount.\"/etc/all\" = { from = \"config.all\", mode = \"0400\" }\n");
    }
    if part.has(13) && !part.has(7) {
        let forms = [
            "{ from = \"config.all\", spell = \"upper\" }, \"config.here\", { from = \"config.all\", prefix = \"Q_\", spell = \"upper\" }",
            "\"config.here\", \"secret.made\", { from = \"config.all\", spell = \"upper\" }, \"config.plain\"",
            "\"config.plain\", { from = \"config.plain\", prefix = \"Q_\" }, { from = \"config.all\", spell = \"upper\" }, { from = \"config.plain\", spell = \"upper\" }",
        ];
        writeln!(out, "use = [{}]", forms[(part.more >> 16) as usize % forms.len()]).unwrap();
    }
    if part.has(14) {
        out.push_str("like = \"pattern.quiet\"\n");
    }
    if part.is_task && part.has(15) {
        out.push_str("timeout = \"1m\"\nretries = 0\n");
    }
    if part.has(18) {
        out.push_str("workdir = \"/\"\n");
    }
    if !part.is_task && part.has(10) {
        out.push_str("spread = { over = \"node\", strict = true }\nbefore-stop = { wait = \"30s\" }\n");
    }
}
