//! Images: pulling, building, tagging, pushing.

use std::collections::BTreeMap;
use std::io::Read as _;

use fracht_core::digest::Digest;
use serde_json::{Value, json};

use super::World;
use super::answers::{Answering, Query};

/// An image.
#[derive(Clone)]
pub(super) struct Image {
    pub(super) id: String,
    labels: BTreeMap<String, String>,
}

impl World {
    pub(super) fn add_image(&mut self, reference: &str, labels: BTreeMap<String, String>) {
        let mut digest = Digest::default();
        digest.piece(reference.as_bytes());
        digest.piece(format!("{labels:?}").as_bytes());
        let id = format!("sha256:{}", digest.hex(64));
        self.images.insert(reference.to_owned(), Image { id, labels });
    }

    pub(super) fn inspect_image(&self, reference: &str) -> Answering {
        let Some(image) = self.images.get(reference) else { return Answering::missing("image") };
        Answering::json(
            200,
            &json!({
                "Id": image.id,
                "Os": "linux",
                "Architecture": "amd64",
                "Size": 4_200_000,
                "Config": { "Entrypoint": null, "Cmd": ["serve"], "Labels": image.labels },
            }),
        )
    }

    /// Everything is in a registry, but what the scene says.
    pub(super) fn pull_image(&mut self, query: &Query) -> Answering {
        let reference = query.get("fromImage").cloned().unwrap_or_default();
        if self.scene.absent.contains(&reference) {
            let error = format!("reading manifest of {reference}: manifest unknown");
            return Answering::lines(&[json!({ "status": "Trying to pull" }), json!({ "error": error })]);
        }
        self.add_image(&reference, BTreeMap::new());
        Answering::lines(&[json!({ "status": "Pull complete" })])
    }

    /// Runs nothing: a step `RUN false` fails.
    pub(super) fn build_image(&mut self, query: &Query, archive: &[u8]) -> Answering {
        let recipe = query.get("dockerfile").map_or("Containerfile", String::as_str);
        let mut text = None;
        let mut archive = tar::Archive::new(archive);
        for mut entry in archive.entries().into_iter().flatten().flatten() {
            if entry.path().is_ok_and(|path| path.to_str() == Some(recipe)) {
                let mut content = String::new();
                text = entry.read_to_string(&mut content).ok().map(|_| content);
            }
        }
        let Some(text) = text else {
            return Answering::lines(&[json!({ "error": format!("{recipe}: no such file") })]);
        };
        let steps: Vec<&str> = text.lines().filter(|line| !line.trim().is_empty()).collect();
        let mut lines: Vec<Value> = Vec::new();
        for (index, step) in steps.iter().enumerate() {
            lines.push(json!({ "stream": format!("STEP {}/{}: {step}\n", index + 1, steps.len()) }));
            if step.trim() == "RUN false" {
                lines.push(json!({ "error": "building at STEP \"RUN false\": exit status 1" }));
                return Answering::lines(&lines);
            }
        }
        let labels = query.get("labels").and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default();
        if let Some(reference) = query.get("t") {
            self.add_image(reference, labels);
        }
        lines.push(json!({ "aux": { "ID": "sha256:0" } }));
        Answering::lines(&lines)
    }

    pub(super) fn tag_image(&mut self, reference: &str, query: &Query) -> Answering {
        let Some(image) = self.images.get(reference).cloned() else { return Answering::missing("image") };
        let part = |key: &str| query.get(key).map_or("", String::as_str);
        self.images.insert(format!("{}:{}", part("repo"), part("tag")), image);
        Answering::done(201)
    }

    pub(super) fn push_image(&mut self, repository: &str, query: &Query) -> Answering {
        let tag = query.get("tag").map_or("latest", String::as_str);
        let reference = format!("{repository}:{tag}");
        let Some(image) = self.images.get(&reference) else { return Answering::missing("image") };
        let digest = format!("{tag}: digest: {} size: 735", image.id);
        self.pushed.push(reference);
        Answering::lines(&[json!({ "status": digest })])
    }
}
