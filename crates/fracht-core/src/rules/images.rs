//! Images.

use super::{Check, Rule};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, Place};

pub(super) static IMAGE_UNPINNED: Rule = Rule {
    name: "image-unpinned",
    severity: Severity::Warning,
    summary: "An image without a version.",
    why: "No tag, and the tag `latest`, mean whatever is newest: weeks later something else runs.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.4.0\"\n",
    fixed: false,
    check: Check::Model(image_unpinned),
};

fn image_unpinned(model: &Model, sink: &mut Sink) {
    let containers =
        model.workloads.iter().flat_map(|workload| workload.containers().map(move |c| (workload, c)));
    for (workload, container) in containers {
        let image = &container.image;
        if image.value.is_pinned() || image.span().is_none() {
            continue;
        }
        let message = format!("The image of {} has no version.", workload.reference());
        let label = match &image.value.tag {
            Some(tag) => format!("`{tag}` is whatever is newest"),
            None => "no tag: whatever is newest".to_owned(),
        };
        let mut named = image.value.clone();
        named.tag = Some("1.0.0".into());
        sink.push(
            Diagnostic::new("image-unpinned", message)
                .at(image.span(), label)
                .help(format!("Name the version that you tested, such as {named}, or a digest.")),
        );
    }
}

pub(super) static IMAGE_UNPULLABLE: Rule = Rule {
    name: "image-unpullable",
    severity: Severity::Error,
    summary: "An image is built here, and the cluster's target has no registry.",
    why: "A cluster can't build: it pulls images from a registry.",
    fails: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\ntag = \"1\"\n[service.a]\nbuild = \"app\"\n",
    passes: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\ntag = \"1\"\n[service.a]\nbuild = \"app\"\n\
             [target.prod]\nregistry = \"registry.example/team\"\n",
    fixed: false,
    check: Check::Model(image_unpullable),
};

fn image_unpullable(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster {
        return;
    }
    for build in model.builds.iter().filter(|build| !build.has_registry) {
        let message = format!("No cluster can pull the image of build.{}.", build.name);
        sink.push(
            Diagnostic::new("image-unpullable", message)
                .at(build.span, format!("under the target {} it is {}", model.target.name, build.image))
                .help("Say where images are pushed to, in the target: registry = \"registry.example/team\"."),
        );
    }
}
