//! Images.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::Model;

pub(super) static IMAGE_UNPINNED: Rule = Rule {
    name: "image-unpinned",
    severity: Severity::Warning,
    summary: "An image without a version.",
    why: "No tag, and the tag `latest`, mean whatever is newest: weeks later something else runs.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.4.0\"\n",
    check: Some(image_unpinned),
};

fn image_unpinned(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        let image = &workload.image;
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
