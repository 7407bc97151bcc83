//! Rules on variables, arguments and labels: whether a process or an object can have them.

use std::borrow::Cow;

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::name::is_label_of_cluster;
use crate::model::{BeforeStop, Container, Content, Model, Part, PodField, Probe, UseSource, Workload};
use crate::source::Span;

pub(super) static PROCESS_TEXT: Rule = Rule {
    name: "process-text",
    summary: "No process can have such a variable or argument",
    why: "It ends at its first NUL byte (POSIX exec), and Linux starts nothing with a text of 128 KiB or more.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.X = \"a\\u0000b\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.X = \"ab\"\n",
    always_error: true,
    ..Rule::BASE
};

/// The most bytes of one text, with its terminator (Linux, `MAX_ARG_STRLEN`).
const MOST_BYTES: usize = 128 << 10;
/// The most bytes of texts in one object: a cluster stores no object of more than 1.5 MiB.
const MOST_OF_ALL: usize = 1 << 20;

pub(super) fn process_text(model: &Model, sink: &mut Sink) {
    for config in &model.configs {
        for key in config.keys.iter() {
            if let Content::Text(text) = &key.content {
                let what = || format!("`{}` of `config.{}`", key.name, config.name);
                report(what, text.origin.span(), nul(&text.plain_text()), sink);
            }
        }
    }
    for workload in &model.workloads {
        let mut total = 0;
        for container in workload.containers() {
            texts(model, workload, container, &mut total, sink);
            commands(workload, container, sink);
            used(model, workload, container, sink);
        }
        if total > MOST_OF_ALL {
            let message =
                format!("the variables and arguments of `{}` have {total} bytes", workload.reference());
            sink.push(
                Diagnostic::new(&PROCESS_TEXT, message)
                    .at(workload.span, "at most 1048576 bytes")
                    .help("put large texts into a config and mount it"),
            );
        }
    }
}

fn texts(model: &Model, workload: &Workload, container: &Container, total: &mut usize, sink: &mut Sink) {
    for (variable, text) in container.texts() {
        let what = || match variable {
            Some(variable) => format!("`{}` of `{}`", variable.name, workload.reference()),
            None => format!("an argument of `{}`", workload.reference()),
        };
        let (mut size, mut found) = (variable.map_or(0, |variable| variable.name.len() + 1), None);
        for part in &text.parts {
            let (content, inline) = match part {
                Part::Config(id, key) => {
                    let key = model.configs[*id].keys.get(key);
                    match key.map(|key| &key.content) {
                        Some(content @ Content::File { .. }) if content.as_text().is_none() => {
                            found = Some("a file that is not UTF-8, and so not a variable in a cluster");
                            break;
                        }
                        Some(content) => (Cow::Owned(content.as_text().unwrap_or_default()), false),
                        None => continue,
                    }
                }
                part => (Cow::Borrowed(part.known().unwrap_or_default()), true),
            };
            size += content.len();
            *total += if inline { content.len() } else { 0 };
            // A key of a config is reported where it is set.
            found = found.or(nul(&content).filter(|_| inline));
        }
        report(what, text.origin.span(), found.or(too_long(size)), sink);
    }
}

/// Checks the commands of health checks and of `before-stop`.
fn commands(workload: &Workload, container: &Container, sink: &mut Sink) {
    if let Some(health) = &container.health
        && let Probe::Run { command } = &health.probe
    {
        let found = command.iter().find_map(|word| nul(&word.value).or(too_long(word.value.len())));
        report(|| format!("the health check of `{}`", workload.reference()), Some(health.span), found, sink);
    }
    if let Some(before) = &container.before_stop
        && let BeforeStop::Run(command) = &before.value
    {
        let found = command.iter().find_map(|word| nul(&word.value).or(too_long(word.value.len())));
        report(|| format!("`before-stop` of `{}`", workload.reference()), before.span(), found, sink);
    }
}

/// Checks the variables from `use`.
fn used(model: &Model, workload: &Workload, container: &Container, sink: &mut Sink) {
    for used in &container.uses {
        let UseSource::Config(id) = used.source else { continue };
        for key in model.configs[id].keys.iter() {
            let Content::Text(text) = &key.content else { continue };
            let found = too_long(used.prefix.len() + key.name.len() + 1 + text.plain_text().len());
            let what = || format!("`{}` of `{}`", used.variable(&key.name), workload.reference());
            report(what, Some(used.span), found, sink);
        }
    }
}

fn nul(text: &str) -> Option<&'static str> {
    text.contains('\0').then_some("a NUL byte, which ends a text")
}

fn too_long(size: usize) -> Option<&'static str> {
    (size >= MOST_BYTES).then_some("128 KiB or more")
}

/// Reports what is found. There are very many texts, so that each gets its name only if something is.
fn report(what: impl FnOnce() -> String, span: Option<Span>, found: Option<&'static str>, sink: &mut Sink) {
    let Some(found) = found else { return };
    sink.push(
        Diagnostic::new(&PROCESS_TEXT, format!("no process can be started with {}", what()))
            .at(span, found)
            .help("put it into a config and mount that as a file, or shorten it"),
    );
}

pub(super) static LABEL_UNKNOWN: Rule = Rule {
    name: "label-unknown",
    severity: Severity::Warning,
    summary: "A reference to a label that the pod does not have",
    why: "The cluster takes it, and the text is empty in its place.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.T = \"{pod.label/tier}\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nlabel.tier = \"front\"\nenv.T = \"{pod.label/tier}\"\n",
    ..Rule::BASE
};

pub(super) fn label_unknown(model: &Model, sink: &mut Sink) {
    let known = |workload: &&Workload| !workload.unread.has(&["label", "role", "image", "build"]);
    for workload in model.workloads.iter().filter(known) {
        for (_, text) in workload.texts() {
            for part in &text.parts {
                let Part::Pod(PodField::Label(label)) = part else { continue };
                let own = workload.labels.iter().any(|(name, _)| name == label);
                let set = is_label_of_cluster(label) || label.starts_with("fracht/");
                let recommended = label.strip_prefix("app.kubernetes.io/").is_some_and(|name| match name {
                    "name" | "part-of" | "managed-by" => true,
                    "component" => workload.role.is_some(),
                    "version" => workload.main.image.value.tag().is_some(),
                    _ => false,
                });
                if own || set || recommended {
                    continue;
                }
                let message = format!("the pods of `{}` have no label `{label}`", workload.reference());
                sink.push(
                    Diagnostic::new(&LABEL_UNKNOWN, message)
                        .at(text.origin.span(), "will be empty")
                        .help(format!("set it: `label.\"{label}\" = \"…\"` in `[{}]`", workload.reference())),
                );
            }
        }
    }
}
