//! Rules on mounts: what they hide, and whether a mounted program can be started.

use std::collections::BTreeMap;

use super::Rule;
use super::written::{Owner, commands};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Container, Model, Mount, Mounted};
use crate::source::Span;

pub(super) static MOUNT_COVERS: Rule = Rule {
    name: "mount-covers",
    severity: Severity::Warning,
    summary: "A mount hides files that the program needs, or cannot be made",
    why: "A mount hides all that the image has at its path, and nothing can be mounted inside a read-only one.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1.0\"\n\
            program = [\"/app/bin/serve\"]\nmount.\"/app\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1.0\"\n\
             program = [\"/app/bin/serve\"]\nmount.\"/app/data\" = \"volume.v\"\n",
    ..Rule::BASE
};

/// The steps of an absolute path.
fn steps(path: &str) -> impl Iterator<Item = &str> {
    path.split('/').filter(|step| !step.is_empty() && *step != ".")
}

/// Whether a path is below another one.
fn is_below(inner: &str, outer: &str) -> bool {
    let mut inner = steps(inner);
    steps(outer).all(|step| inner.next() == Some(step)) && inner.next().is_some()
}

fn is_same(one: &str, other: &str) -> bool {
    steps(one).eq(steps(other))
}

/// Whether a mount is one file.
fn is_file(mount: &Mount) -> bool {
    match &mount.what {
        Mounted::Config(_, key) | Mounted::Secret(_, key) => key.is_some() || mount.part.is_some(),
        _ => false,
    }
}

/// Folders of every image that nothing runs without.
const SYSTEM: &[&str] = &[
    "/etc",
    "/usr",
    "/bin",
    "/sbin",
    "/lib",
    "/lib64",
    "/dev",
    "/sys",
    "/usr/bin",
    "/usr/lib",
    "/usr/local",
    "/usr/local/bin",
    "/var",
    "/opt",
    "/home",
];

/// The most steps of these paths.
const MOST_SYSTEM_STEPS: usize = 3;

pub(super) fn mount_covers(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model).filter(|(_, container)| !container.mounts.is_empty()) {
        let mut by_steps = BTreeMap::new();
        for mount in &container.mounts {
            by_steps.entry(steps(&mount.path).collect::<Vec<_>>()).or_insert(mount);
        }
        for mount in &container.mounts {
            let Some((label, help)) = covers(model, container, (mount, &by_steps)) else { continue };
            let message = format!("the mount at `{}` of `{}` {}", mount.path, owner.reference(), label.0);
            let problem = Diagnostic::new(&MOUNT_COVERS, message)
                .at(mount.path_span, label.1)
                .also(label.2, label.3)
                .help(help);
            sink.push(owner.owns(problem));
        }
    }
}

/// The end of the message, the label, and another place with its label.
type Words = (&'static str, String, Option<Span>, &'static str);

/// What a mount hides, and what to do about it.
fn covers(
    model: &Model,
    container: &Container,
    (mount, by_steps): (&Mount, &BTreeMap<Vec<&str>, &Mount>),
) -> Option<(Words, String)> {
    let path = &*mount.path;
    let others = || container.mounts.iter().filter(|other| !std::ptr::eq(*other, mount));
    // Inside a read-only mount no folder can be made to mount at.
    let own: Vec<&str> = steps(path).collect();
    let mut around = (1..own.len()).filter_map(|end| by_steps.get(own.get(..end)?).copied());
    let outer = around.find(|outer| {
        matches!(outer.what, Mounted::Config(..) | Mounted::Secret(..)) || model.is_read_only(outer)
    });
    if let Some(outer) = outer {
        let words = if is_file(outer) { "is inside a file" } else { "is inside a read-only mount" };
        let label = format!("`{}` is mounted there", outer.path);
        return Some((
            (words, label, Some(outer.path_span), "the outer mount"),
            "mount it beside the other, at another path".into(),
        ));
    }
    let is_system = || SYSTEM.iter().any(|system| steps(system).eq(own.iter().copied()));
    if own.len() <= MOST_SYSTEM_STEPS && is_system() && !matches!(mount.what, Mounted::Folder(_)) {
        let label = "hides all files that the image has there".to_owned();
        let help = format!("mount it below, for example at `{path}/NAME`");
        return Some((("hides a folder of the system", label, None, ""), help));
    }
    if matches!(mount.what, Mounted::Folder(_)) {
        return None; // the sources of a program, while it is developed
    }
    let program = container.program.as_ref().and_then(|program| program.first());
    if let Some(text) = program {
        let program = text.plain();
        let provides = |other: &Mount| {
            is_same(&program, &other.path) || is_below(&program, &other.path) && is_below(&other.path, path)
        };
        let inside = program.starts_with('/') && is_below(&program, path);
        if inside && !others().any(provides) && !has_key(model, mount, &program) {
            let label = "hides the program".to_owned();
            let place = text.origin.span();
            return Some((
                ("hides its program", label, place, "the program"),
                "mount it at a path that has no program".into(),
            ));
        }
    }
    let workdir = container.workdir.as_ref()?;
    let relative = program.is_some_and(|text| {
        let program = text.plain();
        !program.starts_with('/') && program.contains(['/', '.'])
    });
    let keeps = matches!(mount.what, Mounted::Volume(_)) && !relative;
    let hides = is_below(&workdir.value, path) || is_same(&workdir.value, path) && !keeps;
    let restored =
        || others().any(|other| is_same(&other.path, &workdir.value) && !is_same(path, &workdir.value));
    (hides && !is_file(mount) && *workdir.value != *"/" && !restored()).then(|| {
        let label = "hides the folder that it works in".to_owned();
        (
            ("hides its `workdir`", label, workdir.span(), "works here"),
            "mount it below that folder, or at another path".into(),
        )
    })
}

/// Whether a mounted config or secret has the file at a path.
fn has_key(model: &Model, mount: &Mount, path: &str) -> bool {
    let name = steps(path).last().unwrap_or_default();
    match mount.what {
        Mounted::Config(id, _) => model.configs[id].keys.get(name).is_some(),
        Mounted::Secret(id, _) => model.secrets[id].keys.iter().any(|key| *key.name == *name),
        _ => false,
    }
}

pub(super) static SCRIPT_NOT_EXECUTABLE: Rule = Rule {
    name: "script-not-executable",
    summary: "A program that is mounted from a config is not executable",
    why: "The container cannot start it: permission denied.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.\"run.sh\" = \"#!/bin/sh\"\n\
            [service.a]\nimage = \"a:1.0\"\nprogram = [\"/scripts/run.sh\"]\nmount.\"/scripts\" = \"config.c\"\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.\"run.sh\" = \"#!/bin/sh\"\n\
             [service.a]\nimage = \"a:1.0\"\nprogram = [\"/scripts/run.sh\"]\n\
             mount.\"/scripts\" = { from = \"config.c\", mode = \"0555\" }\n",
    ..Rule::BASE
};

pub(super) fn script_not_executable(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model).filter(|(_, container)| !container.mounts.is_empty()) {
        for (program, span) in programs(container) {
            let mounted = container.mounts.iter().find(|mount| {
                is_same(&mount.path, &program) && is_file(mount)
                    || is_below(&program, &mount.path) && has_key(model, mount, &program)
            });
            let Some(mount) = mounted else { continue };
            let mode = mount.mode.unwrap_or(0o644);
            if mode & 0o111 != 0 {
                continue;
            }
            let message = format!("`{}` starts `{program}`, which is not executable", owner.reference());
            let from = match &mount.what {
                Mounted::Config(id, key) => reference("config", &model.configs[*id].name, key.as_deref()),
                Mounted::Secret(id, key) => reference("secret", &model.secrets[*id].name, key.as_deref()),
                _ => continue,
            };
            let problem = Diagnostic::new(&SCRIPT_NOT_EXECUTABLE, message)
                .at(mount.origin.span(), format!("its mode is {mode:04o}"))
                .also(span, "started here")
                .help(format!(
                    "make it executable: `mount.\"{}\" = {{ from = \"{from}\", mode = \"0555\" }}`",
                    mount.path
                ))
                .help(format!("or let a shell read it: `[\"sh\", \"{program}\"]`"));
            sink.push(owner.owns(problem));
        }
    }
}

fn reference(kind: &str, name: &str, key: Option<&str>) -> String {
    key.map_or_else(|| format!("{kind}.{name}"), |key| format!("{kind}.{name}/{key}"))
}

/// The programs that are started in a container: its own, those of its health check and before its stop.
fn programs(container: &Container) -> Vec<(String, Option<Span>)> {
    let main = container.program.as_ref().or(container.args.as_ref()).and_then(|words| words.first());
    let main = main.map(|text| (text.plain(), text.origin.span()));
    let commands = commands(container).filter_map(|command| command.first());
    let commands = commands.map(|word| (word.value.to_string(), word.span()));
    main.into_iter().chain(commands).filter(|(program, _)| program.starts_with('/')).collect()
}
