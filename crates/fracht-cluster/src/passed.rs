//! Objects that a stack takes as they are: files of YAML documents, each of which must be an object.

use fracht_core::diag::Diagnostic;
use fracht_core::model::{Model, Passed};
use fracht_core::source::Span;
use serde_json::Value;

use crate::object::text_at;
use crate::plan::Group;
use crate::read;

/// An object that is taken as it is.
#[derive(Clone, Debug)]
pub(crate) struct PassedObject {
    pub(crate) kind: String,
    pub(crate) name: String,
    /// The namespace that it says, if any.
    pub(crate) namespace: Option<String>,
    /// Its text, as it stands in the file.
    pub(crate) text: String,
    pub(crate) value: Value,
    /// The file, as messages call it, and the line in it.
    pub(crate) file: String,
    pub(crate) line: usize,
    /// Where the stack names the file.
    pub(crate) span: Span,
    pub(crate) group: Group,
}

/// The objects of a model's files, and what is wrong with them.
pub(crate) fn objects(model: &Model) -> (Vec<PassedObject>, Vec<Diagnostic>) {
    let (mut objects, mut problems) = (Vec::new(), Vec::new());
    for file in &model.passed {
        let before = objects.len() + problems.len();
        for document in read::documents(&file.text) {
            match document.value.and_then(|value| object(file, document.text, document.line, value)) {
                Ok(Some(object)) => objects.push(object),
                Ok(None) => {}
                Err(reason) => problems.push(broken(file, document.line, &reason)),
            }
        }
        if before == objects.len() + problems.len() {
            problems.push(broken(file, 1, "there is no object in it"));
        }
    }
    (objects, problems)
}

fn broken(file: &Passed, line: usize, reason: &str) -> Diagnostic {
    Diagnostic::new("pass-broken", format!("{}:{line} can't be passed through: {reason}.", file.shown))
        .at(file.span, "passed through here")
        .help("Each document is one object, with `apiVersion`, `kind` and `metadata.name`.")
}

/// `None` for a document with nothing in it.
fn object(file: &Passed, text: &str, line: usize, value: Value) -> Result<Option<PassedObject>, String> {
    if value.is_null() {
        return Ok(None);
    }
    if !value.is_object() {
        return Err("it is no object".into());
    }
    let field = |place: &str| match text_at(&value, place) {
        "" => Err(format!("it has no `{}`", place.trim_start_matches('/').replace('/', "."))),
        text => Ok(text.to_owned()),
    };
    field("/apiVersion")?;
    let kind = field("/kind")?;
    if kind == "List" {
        return Err("a List holds objects; write them as documents, with --- between them".into());
    }
    let name = field("/metadata/name")?;
    let namespace = field("/metadata/namespace").ok();
    let group = group(&kind);
    Ok(Some(PassedObject {
        kind,
        name,
        namespace,
        text: format!("{}\n", text.trim_end()),
        value,
        file: file.shown.clone(),
        line,
        span: file.span,
        group,
    }))
}

/// When objects of a kind are applied; those that nobody here knows come last.
fn group(kind: &str) -> Group {
    match kind {
        "Namespace" | "CustomResourceDefinition" | "PriorityClass" | "ResourceQuota" | "LimitRange" => {
            Group::Namespace
        }
        "ServiceAccount" | "Role" | "RoleBinding" | "ClusterRole" | "ClusterRoleBinding" => Group::Rights,
        "StorageClass" | "PersistentVolume" | "PersistentVolumeClaim" => Group::Storage,
        "ConfigMap" | "Secret" => Group::Settings,
        "Service" | "EndpointSlice" | "Endpoints" => Group::Addresses,
        "Pod" | "Deployment" | "StatefulSet" | "DaemonSet" | "ReplicaSet" | "Job" | "CronJob" => {
            Group::Workloads
        }
        "NetworkPolicy" => Group::Policies,
        "Ingress" | "IngressClass" | "HTTPRoute" | "PodDisruptionBudget" | "HorizontalPodAutoscaler" => {
            Group::Entries
        }
        _ => Group::Others,
    }
}
