//! The objects of stacks.

use std::collections::BTreeMap;

use fracht_cluster::{Comments, Format, Rendering, SecretValues};
use fracht_core::diag::Severity;
use fracht_core::files::MemoryFiles;
use fracht_core::model::Model;
use serde_json::Value;

use crate::{stacks, verdict};

/// The objects of a stack for a target, as text. All generated secrets have the same value.
pub fn text(files: &MemoryFiles, target: &str, format: Format) -> String {
    let verdict = verdict(files, target);
    let Some(checked) = verdict.checked() else {
        let errors = verdict.report.findings().iter().filter(|finding| finding.severity == Severity::Error);
        panic!("{:#?}", errors.map(|finding| &finding.diagnostic.message).collect::<Vec<_>>())
    };
    let secrets = verdict.facts.model.secrets.entries().filter(|(_, secret)| secret.is_generated());
    let secrets: SecretValues = secrets
        .map(|(id, secret)| {
            let keys = secret.keys.iter().map(|key| (key.name.to_string(), b"gull-and-kelp\n".to_vec()));
            (id, keys.collect::<BTreeMap<_, _>>())
        })
        .collect();
    let rendering =
        Rendering::plan_with_secrets(checked, secrets).unwrap_or_else(|problems| panic!("{problems:#?}"));
    assert_eq!(rendering.hints(), []);
    let mut out = Vec::new();
    rendering.write(format, Comments::None, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

/// The objects of a stack, as they are in the JSON list.
pub fn objects(files: &MemoryFiles, target: &str) -> Vec<Value> {
    let list: Value = serde_json::from_str(&text(files, target, Format::Json)).unwrap();
    list["items"].as_array().unwrap().clone()
}

/// A model and its objects.
#[derive(Debug)]
pub struct Generated {
    /// The model.
    pub model: Model,
    /// Its objects.
    pub objects: Vec<Value>,
}

/// The rendering of a stack for a target.
pub fn generated(files: &MemoryFiles, target: &str) -> Generated {
    Generated { model: verdict(files, target).facts.model, objects: objects(files, target) }
}

/// The renderings of one of the [`stacks`], for each target that is a cluster.
pub fn of_stack(name: &str) -> Vec<(String, Generated)> {
    of_files(&stacks::folder(name))
}

/// The renderings of a stack, for each target that is a cluster.
pub fn of_files(files: &MemoryFiles) -> Vec<(String, Generated)> {
    let targets = stacks::clusters(files);
    targets.into_iter().map(|target| (target.clone(), generated(files, &target))).collect()
}

/// The object with a kind and a name, which may be the name in the stack.
pub fn object<'a>(objects: &'a [Value], kind: &str, name: &str) -> &'a Value {
    let is_it = |object: &&Value| {
        let (own, stack) =
            (&object["metadata"]["name"], &object["metadata"]["labels"]["app.kubernetes.io/part-of"]);
        object["kind"] == kind
            && (own == name || *own == format!("{}-{name}", stack.as_str().unwrap_or_default()))
    };
    objects.iter().find(is_it).unwrap_or_else(|| panic!("there is no {kind} {name}"))
}
