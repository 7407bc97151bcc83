//! Rules on images.

use super::Rule;
use super::written::Owner;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::image::Image;
use crate::grammar::tag::moves;
use crate::model::{Model, TargetKind};
use crate::origin::Sourced;

pub(super) static IMAGE_UNPINNED: Rule = Rule {
    name: "image-unpinned",
    severity: Severity::Warning,
    summary: "An image is not pinned to a version",
    why: "Without a tag, or with `latest`, you get whatever is newest: weeks later something else runs.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.4.0\"\n",
    ..Rule::BASE
};

pub(super) static IMAGE_FLOATING: Rule = Rule {
    name: "image-floating",
    severity: Severity::Warning,
    summary: "The tag of an image moves",
    why: "The same tag is another image after each release: nodes run different versions, and a rollback does nothing.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:stable\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.4.0\"\n",
    ..Rule::BASE
};

/// Every image of a model with what uses it, except for those that are built here.
fn images(model: &Model) -> impl Iterator<Item = (String, Option<Owner<'_>>, &Sourced<Image>)> {
    let containers =
        Owner::containers(model).map(|(owner, container)| (owner.reference(), Some(owner), &container.image));
    let gates = [("ready", &model.target.gate.ready), ("done", &model.target.gate.done)];
    let gates = gates.map(|(name, image)| (format!("gate.{name}"), None, image));
    let of_builds = |image: &Image| model.builds.iter().any(|build| build.image.as_ref() == Some(image));
    containers.chain(gates).filter(move |(_, _, image)| !of_builds(&image.value))
}

pub(super) fn image_unpinned(model: &Model, sink: &mut Sink) {
    for (owner, table, image) in images(model) {
        if image.value.is_pinned() || image.span().is_none() || image.value.text().is_empty() {
            continue;
        }
        let message = format!("the image of `{owner}` is not pinned to a version");
        let label = match image.value.tag() {
            Some(tag) => format!("`{tag}` changes over time"),
            None => "no tag, so `latest` is pulled".to_owned(),
        };
        let named = image.value.tagged("1.0.0");
        let problem = Diagnostic::new(&IMAGE_UNPINNED, message)
            .at(image.span(), label)
            .help(format!("pin the version that you tested, for example `{named}`, or a digest"));
        sink.push(table.map_or(problem.clone(), |table| table.owns(problem)));
    }
}

pub(super) fn image_floating(model: &Model, sink: &mut Sink) {
    for (owner, table, image) in images(model) {
        let tag = image.value.tag().filter(|tag| *tag != "latest" && image.value.digest().is_none());
        let (Some(tag), Some(span)) = (tag, image.span()) else { continue };
        let Some(why) = moves(tag) else { continue };
        let named = image.value.tagged(&example(tag));
        let problem =
            Diagnostic::new(&IMAGE_FLOATING, format!("the image of `{owner}` has the moving tag `{tag}`"))
                .at(span, why)
                .help(format!("pin the version that you tested, for example `{named}`, or a digest"));
        sink.push(table.map_or(problem.clone(), |table| table.owns(problem)));
    }
    for build in &model.builds {
        let (Some(image), Some(tag)) = (&build.image, &build.tag) else { continue };
        // A text with references changes with its inputs.
        let (Some(span), Some(name)) = (tag.origin.span().filter(|_| tag.is_plain()), image.tag()) else {
            continue;
        };
        let why = if name == "latest" { Some("changes over time") } else { moves(name) };
        if why.is_none() || name.starts_with("content-") {
            continue;
        }
        let message = format!("`build.{}` keeps the tag `{name}` for every content", build.name);
        sink.push(
            Diagnostic::new(&IMAGE_FLOATING, message)
                .at(span, "the cluster does not notice a new image")
                .help("write `tag = \"content\"`: a digest of the folder")
                .help("or an input, which changes with each release: `tag = \"{input.version}\"`")
                .of(build.span),
        );
    }
}

/// A version for a tag that has none.
fn example(tag: &str) -> String {
    let mut parts = tag.split('-');
    let first = parts.next().unwrap_or_default();
    let number =
        if first.starts_with(|c: char| c.is_ascii_digit()) { format!("{first}.0.1") } else { "1.0.0".into() };
    let rest: Vec<&str> = parts.collect();
    if rest.is_empty() { number } else { format!("{number}-{}", rest.join("-")) }
}

pub(super) static IMAGE_UNPULLABLE: Rule = Rule {
    name: "image-unpullable",
    summary: "A cluster target has no registry for an image that is built here",
    why: "A cluster does not build images: it pulls them from a registry.",
    fails: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\n[service.a]\nbuild = \"app\"\n",
    passes: "[stack]\nname = \"s\"\n[build.app]\nsource = \"app\"\n[service.a]\nbuild = \"app\"\n\
             [target.prod]\nregistry = \"registry.example/team\"\n",
    ..Rule::BASE
};

pub(super) fn image_unpullable(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for build in model.builds.iter().filter(|build| !build.has_registry) {
        let Some(image) = &build.image else { continue };
        if !Owner::containers(model).any(|(_, container)| container.image.value == *image) {
            continue;
        }
        let message = format!("`build.{}` has no registry that the cluster can pull from", build.name);
        sink.push(
            Diagnostic::new(&IMAGE_UNPULLABLE, message)
                .at(build.span, format!("for target `{}` it is `{image}`", model.target.name))
                .help("set the registry in the target, for example `registry = \"registry.example/team\"`")
                .of(build.span),
        );
    }
}
