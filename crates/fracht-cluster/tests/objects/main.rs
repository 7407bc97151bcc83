//! Tests on the objects of whole stacks.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::too_many_lines,
    reason = "a test that panics has failed, which is what it is for"
)]

#[path = "../../../fracht/tests/support/generator.rs"]
mod generator;
#[path = "../../../fracht-core/tests/support/random_stack.rs"]
mod random_stack;

mod api_server;
mod broken;
mod changes;
mod cluster;
mod consistency;
mod details;
mod differences;
mod difficult;
mod features;
mod kubelet;
mod meaning;
mod policies;
mod problems;
mod refused;
mod restricted;
mod round_trip;
mod scheduler;
mod server;
mod yaml;

use std::collections::BTreeMap;
use std::path::Path;

use fracht_cluster::{Comments, Format, Rendering, SecretValues};
use fracht_core::check::Project;
use fracht_core::diag::Severity;
use fracht_core::files::MemoryFiles;
use fracht_core::model::{Model, TargetKind};
use serde_json::Value;

/// The demo stack as files.
fn demo() -> MemoryFiles {
    let read = |name: &str| {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../fracht/src/demo").join(name);
        std::fs::read(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()))
    };
    ["fracht.toml", "conf/model.env", "conf/stations.csv", "forecast/Containerfile"]
        .iter()
        .fold(MemoryFiles::default(), |files, name| files.with(format!("/s/{name}"), read(name)))
}

/// A stack file as files.
fn files(stack: &str) -> MemoryFiles {
    MemoryFiles::default().with("/s/fracht.toml", stack)
}

/// The folder of test stacks, with one of them as the stack file.
fn stack_folder(name: &str) -> MemoryFiles {
    fn add(folder: &Path, at: &str, mut files: MemoryFiles) -> MemoryFiles {
        for entry in std::fs::read_dir(folder).unwrap() {
            let (path, name) = entry.map(|entry| (entry.path(), entry.file_name())).unwrap();
            let below = format!("{at}/{}", name.to_str().unwrap());
            files = if path.is_dir() {
                add(&path, &below, files)
            } else {
                files.with(below, std::fs::read(path).unwrap())
            };
        }
        files
    }
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/stacks");
    let text = std::fs::read(folder.join(format!("{name}.toml"))).unwrap();
    add(&folder, "/s", MemoryFiles::default()).with("/s/fracht.toml", text)
}

/// The stacks under `tests/stacks`, by name.
fn stack_names() -> Vec<String> {
    ["closed", "everything", "gateway"].map(str::to_owned).to_vec()
}

/// The rendering of a stack for each target that is a cluster.
fn stacks(name: &str) -> Vec<(String, Generated)> {
    let files = stack_folder(name);
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap();
    let targets: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let on_cluster = |target: &String| {
        project.check(target).is_some_and(|verdict| verdict.facts.model.target.on.value == TargetKind::Cluster)
    };
    let targets: Vec<String> = targets.into_iter().filter(on_cluster).collect();
    targets.into_iter().map(|target| (target.clone(), generated(&files, &target))).collect()
}

/// A model and its objects.
struct Generated {
    model: Model,
    objects: Vec<Value>,
}

/// The rendering of a stack for a target.
fn generated(files: &MemoryFiles, target: &str) -> Generated {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap_or_else(|error| panic!("{error}"));
    let model = project.check(target).unwrap().facts.model;
    Generated { model, objects: objects(files, target) }
}

/// The objects of a stack for a target, as text. All generated secrets have the same value.
fn rendered(files: &MemoryFiles, target: &str, format: Format) -> String {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap_or_else(|error| panic!("{error}"));
    let verdict = project.check(target).unwrap();
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
    let mut rendering = Rendering::new(checked);
    rendering.set_secrets(secrets);
    assert_eq!(rendering.problems(), []);
    let mut out = Vec::new();
    rendering.write(format, Comments::None, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

/// The objects of a stack, as they are in the JSON list.
fn objects(files: &MemoryFiles, target: &str) -> Vec<Value> {
    let list: Value = serde_json::from_str(&rendered(files, target, Format::Json)).unwrap();
    list["items"].as_array().unwrap().clone()
}

/// The object with a kind and a name, which may be the name in the stack.
fn object<'a>(objects: &'a [Value], kind: &str, name: &str) -> &'a Value {
    let is_it = |object: &&Value| {
        let (own, stack) =
            (&object["metadata"]["name"], &object["metadata"]["labels"]["app.kubernetes.io/part-of"]);
        object["kind"] == kind
            && (own == name || *own == format!("{}-{name}", stack.as_str().unwrap_or_default()))
    };
    objects.iter().find(is_it).unwrap_or_else(|| panic!("there is no {kind} {name}"))
}
