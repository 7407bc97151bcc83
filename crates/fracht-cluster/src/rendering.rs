//! The rendering of a checked stack: its objects, ready to be written.

use std::fmt::Write as _;

use fracht_core::check::{Checked, Verdict};
use fracht_core::diag::Diagnostic;
use fracht_core::digest::Digest;
use fracht_core::model::{Model, SecretId, TargetKind};
use fracht_core::rules::beside::Neighbor;
use serde_json::Value;

use crate::api::json;
use crate::brought::{self, passed};
use crate::facts::ClusterFacts;
use crate::kinds::{Object, SecretValues};
use crate::name::{in_stack, side_name};
use crate::plan::{self, ObjectOrigin, PlannedObject, Source};

/// The most bytes of an object's name in the name of its file.
const MOST_OF_FILE_NAME: usize = 120;

/// The objects of a checked stack. There is none of a stack whose objects cannot be rendered.
#[derive(Debug)]
pub struct Rendering<'f> {
    facts: ClusterFacts<'f>,
    secrets: Option<SecretValues>,
    /// The objects to generate, in the order in which to apply them.
    objects: Vec<PlannedObject<'f>>,
    left_out: Vec<SecretId>,
    hints: Vec<Diagnostic>,
    /// The number of digits of the largest wave.
    wave_digits: usize,
}

impl<'f> Rendering<'f> {
    /// Plans the objects of a checked stack. Secrets are left out, since their values are not known.
    ///
    /// # Errors
    /// All problems of the objects together, if one of them prevents a rendering: invalid passed objects, clashes of
    /// names, patches that do not fit.
    pub fn plan(checked: Checked<'f>) -> Result<Self, Vec<Diagnostic>> {
        Self::of(checked, None)
    }

    /// The same, with the Secrets and their values.
    ///
    /// # Errors
    /// Those of [`Self::plan`].
    pub fn plan_with_secrets(checked: Checked<'f>, values: SecretValues) -> Result<Self, Vec<Diagnostic>> {
        Self::of(checked, Some(values))
    }

    fn of(checked: Checked<'f>, secrets: Option<SecretValues>) -> Result<Self, Vec<Diagnostic>> {
        let Draft { facts, mut objects, problems } = Draft::new(checked, secrets.as_ref());
        if problems.iter().any(|problem| problem.rule.always_error) {
            return Err(problems);
        }
        plan::complete_names(&mut objects, &facts);
        let mut left_out = Vec::new();
        if secrets.is_none() {
            objects.retain(|object| match object.source {
                Source::Secret(id, _) => {
                    left_out.push(id);
                    false
                }
                _ => true,
            });
        }
        let wave_digits = checked.facts().order.waves.len().max(1).ilog10() as usize + 1;
        Ok(Self { facts, secrets, objects, left_out, hints: problems, wave_digits })
    }

    /// The name of the object for a part of the stack.
    pub fn name_in_stack(&self, name: &str) -> String {
        in_stack(self.facts.model, name)
    }

    /// The model that is rendered.
    pub fn model(&self) -> &'f Model {
        self.facts.model
    }

    /// The objects to generate, in the order in which to apply them.
    pub fn planned(&self) -> &[PlannedObject<'f>] {
        &self.objects
    }

    /// Keeps only the objects for which `wanted` is true, by kind and name.
    pub fn retain(&mut self, wanted: impl Fn(&str, &str) -> bool) {
        self.objects.retain(|object| wanted(object.kind(), &object.name));
    }

    /// The secrets whose objects are left out, since their values are not set.
    pub fn left_out(&self) -> &[SecretId] {
        &self.left_out
    }

    /// The problems of the objects that do not prevent a rendering.
    pub fn hints(&self) -> &[Diagnostic] {
        &self.hints
    }

    /// The origin of an object in the stack.
    pub fn origin(&self, object: &PlannedObject<'_>) -> ObjectOrigin {
        object.source.origin(self.facts.model)
    }

    /// An object as JSON.
    pub fn value(&self, object: &PlannedObject<'_>) -> Value {
        match self.build(object) {
            Object::Value(value) => value,
            typed => json(&typed),
        }
    }

    pub(crate) fn build(&self, object: &PlannedObject<'_>) -> Object {
        object.build(&self.facts, self.secrets.as_ref())
    }

    /// The name of an object's file, without an extension: a number that sorts in the order in which to apply, the
    /// kind, and the name. Adding a service changes it only if there is a new wave before.
    pub fn file_stem(&self, object: &PlannedObject<'_>) -> String {
        // Without the digest, so that a changed Job keeps its file.
        let name = match &object.source {
            Source::Job(_, workload, _) => side_name(self.facts.model, workload),
            _ => object.name.to_string(),
        };
        // Names of passed objects may contain characters that files cannot have.
        let plain = |c: char| if c.is_ascii_alphanumeric() || "-_.".contains(c) { c } else { '-' };
        let safe = |text: &str| -> String { text.chars().map(plain).collect() };
        // A file name has at most 255 bytes.
        let name = if name.len() > MOST_OF_FILE_NAME {
            let mut digest = Digest::default();
            digest.piece(name.as_bytes());
            let start: String = name.chars().take(MOST_OF_FILE_NAME / 2).collect();
            format!("{}-{}", safe(&start), digest.hex(12))
        } else {
            safe(&name)
        };
        let kind = safe(&object.kind().to_lowercase());
        let mut stem = format!("{}", object.group as u8);
        // Writing to a string cannot fail.
        let _ = write!(stem, "{:0digits$}-{kind}-{name}", object.wave, digits = self.wave_digits);
        if let Source::Passed(passed) = &object.source {
            // Two passed objects in different namespaces may have the same name.
            let _ = write!(stem, "-passed-{}", passed.number);
        }
        stem
    }
}

/// The problems of the objects of a stack, also those that do not prevent a rendering; of a stack with errors, those of
/// the patches and objects that it brings. None if the target is not a cluster.
pub fn problems(verdict: &Verdict) -> Vec<Diagnostic> {
    let model = &verdict.facts.model;
    if model.target.on.value != TargetKind::Cluster {
        return Vec::new();
    }
    match verdict.checked() {
        Some(checked) => Draft::new(checked, None).problems,
        None => brought::early::problems(verdict),
    }
}

/// The problems of the objects of two stacks beside each other: those that both have. None if one of them has errors, or
/// its target is not a cluster.
pub fn problems_beside(own: &Verdict, other: &Verdict, neighbor: &Neighbor<'_>) -> Vec<Diagnostic> {
    let is_cluster = |verdict: &Verdict| verdict.facts.model.target.on.value == TargetKind::Cluster;
    let Some((own, other)) =
        own.checked().zip(other.checked()).filter(|_| is_cluster(own) && is_cluster(other))
    else {
        return Vec::new();
    };
    let (own, other) = (Draft::new(own, None), Draft::new(other, None));
    plan::beside::clashes((&own.objects, own.facts.model), (&other.objects, neighbor))
}

/// The objects of a checked stack with all their problems: enough for a check, and what a rendering begins with.
struct Draft<'f> {
    facts: ClusterFacts<'f>,
    objects: Vec<PlannedObject<'f>>,
    problems: Vec<Diagnostic>,
}

impl<'f> Draft<'f> {
    fn new(checked: Checked<'f>, secrets: Option<&SecretValues>) -> Self {
        let core = checked.facts();
        let facts = plan::facts(core);
        let (passed, mut problems) = passed::objects(facts.model);
        let mut objects = plan::objects(core, passed);
        problems.extend(plan::check(&mut objects, &facts, secrets));
        Self { facts, objects, problems }
    }
}
