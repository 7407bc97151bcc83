//! Rules on variables: those that hide each other, and those of which a target changes only one.

use std::collections::BTreeMap;

use super::Rule;
use super::written::{self, Owner};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Change, Model, Part, UseSource};
use crate::source::{Sources, Span};

pub(super) static ENV_SHADOWED: Rule = Rule {
    name: "env-shadowed",
    severity: Severity::Hint,
    summary: "A variable is set twice for one container",
    why: "Only the last one counts, and nothing says so: whoever changes the other one changes nothing.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.LEVEL = \"info\"\n\
            [service.a]\nimage = \"a:1.0\"\nuse = [\"config.c\"]\nenv.LEVEL = \"debug\"\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.LEVEL = \"info\"\n\
             [service.a]\nimage = \"a:1.0\"\nuse = [\"config.c\"]\nenv.TRACE = \"1\"\n",
    ..Rule::BASE
};

pub(super) fn env_shadowed(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model).filter(|(_, container)| !container.uses.is_empty()) {
        let mut set: BTreeMap<String, (Span, String)> = BTreeMap::new();
        for used in &container.uses {
            let kind = match used.source {
                UseSource::Config(id) => format!("config.{}", model.configs[id].name),
                UseSource::Secret(id) => format!("secret.{}", model.secrets[id].name),
            };
            for part in model.used_keys(used) {
                let (Part::Config(_, key) | Part::Secret(_, key)) = &part else { continue };
                let name = used.variable(key);
                let place = match &part {
                    Part::Config(id, key) => model.configs[*id].keys.get(key).map(|key| key.span),
                    _ => None,
                };
                let here = (place.unwrap_or(used.span), format!("`{key}` of `{kind}`"));
                let Some((_, first)) = set.insert(name.clone(), here) else { continue };
                if first.ends_with(&format!("`{kind}`")) {
                    continue; // two keys of one table, which is an error
                }
                let message =
                    format!("`{name}` of `{}` is set by {first} and again by `{kind}`", owner.reference());
                let problem = Diagnostic::new(&ENV_SHADOWED, message)
                    .at(used.span, "the later one counts")
                    .help(format!("give one of them a prefix: `{{ from = \"{kind}\", prefix = \"X_\" }}`"))
                    .help("or remove one of the two keys");
                sink.push(owner.owns(problem));
            }
        }
        for variable in &container.env {
            let Some((place, first)) = set.get(&*variable.name) else { continue };
            // What a target overrides is meant.
            let in_target = variable.value.origin.is_in_target();
            if in_target {
                continue;
            }
            let message = format!("`{}` of `{}` overrides {first}", variable.name, owner.reference());
            let problem = Diagnostic::new(&ENV_SHADOWED, message)
                .at(variable.name_span, "counts")
                .also(*place, "has no effect there")
                .help("remove one of the two")
                .help("or if it is meant, say why: `allow.env-shadowed = \"REASON\"` in its table");
            sink.push(owner.owns(problem));
        }
    }
}

pub(super) static COPY_DRIFTS: Rule = Rule {
    name: "copy-drifts",
    severity: Severity::Hint,
    summary: "A target changes a value in one place, and not its copy in another",
    why: "The copy keeps the value of the stack: one service calls the address of another target, and nothing says so.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.SITE = \"https://test.example\"\n\
            [service.b]\nimage = \"b:1.0\"\nenv.SITE = \"https://test.example\"\n\
            [target.prod]\nservice.a.env.SITE = \"https://tides.example\"\n",
    passes: "[stack]\nname = \"s\"\n[input.site]\ndefault = \"https://test.example\"\n\
             [service.a]\nimage = \"a:1.0\"\nenv.SITE = \"{input.site}\"\n\
             [service.b]\nimage = \"b:1.0\"\nenv.SITE = \"{input.site}\"\n\
             [target.prod]\ninput.site.default = \"https://tides.example\"\n",
    ..Rule::BASE
};

pub(super) fn copy_drifts(model: &Model, sources: &Sources, sink: &mut Sink) {
    if model.changes.is_empty() {
        return;
    }
    let changes: BTreeMap<&str, &Change> =
        model.changes.iter().map(|change| (&*change.old, change)).collect();
    for text in written::all(model, sources) {
        let Some(change) = changes.get(&*text.text) else { continue };
        let problem = Diagnostic::new(
            &COPY_DRIFTS,
            format!("{} keeps a value that the target changes elsewhere", text.words()),
        )
        .at(text.span, "the same value, not changed")
        .also(change.span, format!("changes it in `{}`", change.path))
        .help("write the value once, as an input or in a config, and refer to it: `{input.NAME}`")
        .help("or if it is meant to stay, say so: `allow.copy-drifts = \"REASON\"`");
        sink.push(text.owner.owns(problem));
    }
}
