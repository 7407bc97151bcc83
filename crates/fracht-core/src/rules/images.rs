//! Rules on images.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, TargetKind};

pub(super) static IMAGE_UNPINNED: Rule = Rule {
    name: "image-unpinned",
    severity: Severity::Warning,
    summary: "An image is not pinned to a version",
    why: "Without a tag, or with `latest`, you get whatever is newest: weeks later something else runs.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.4.0\"\n",
    ..Rule::BASE
};

pub(super) fn image_unpinned(model: &Model, sink: &mut Sink) {
    let containers =
        model.workloads.iter().flat_map(|workload| workload.containers().map(move |c| (workload, c)));
    for (workload, container) in containers {
        let image = &container.image;
        if image.value.is_pinned() || image.span().is_none() {
            continue;
        }
        let message = format!("the image of `{}` is not pinned to a version", workload.reference());
        let label = match image.value.tag() {
            Some(tag) => format!("`{tag}` changes over time"),
            None => "no tag, so `latest` is pulled".to_owned(),
        };
        let named = image.value.tagged("1.0.0");
        sink.push(
            Diagnostic::new(&IMAGE_UNPINNED, message)
                .at(image.span(), label)
                .help(format!("pin the version that you tested, for example `{named}`, or a digest")),
        );
    }
}

pub(super) static IMAGE_UNPULLABLE: Rule = Rule {
    name: "image-unpullable",
    summary: "A cluster target has no registry for an image that is built here",
    why: "A cluster does not build images: it pulls them from a registry.",
    fails: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\ntag = \"1\"\n[service.a]\nbuild = \"app\"\n",
    passes: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\ntag = \"1\"\n[service.a]\nbuild = \"app\"\n\
             [target.prod]\nregistry = \"registry.example/team\"\n",
    ..Rule::BASE
};

pub(super) fn image_unpullable(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for build in model.builds.iter().filter(|build| !build.has_registry) {
        let Some(image) = &build.image else { continue };
        let message = format!("`build.{}` has no registry that the cluster can pull from", build.name);
        sink.push(
            Diagnostic::new(&IMAGE_UNPULLABLE, message)
                .at(build.span, format!("for target `{}` it is `{image}`", model.target.name))
                .help("set the registry in the target, for example `registry = \"registry.example/team\"`"),
        );
    }
}
