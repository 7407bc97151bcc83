//! The problems of patches and passed objects that show without the objects of the stack: in a stack with errors.

use std::collections::BTreeSet;

use fracht_core::check::Verdict;

use fracht_core::diag::{Diagnostic, nearest};
use fracht_core::model::{Model, Patch};
use fracht_core::rules::{FILE_UNREADABLE, PATCH_MISSES, PATH_OUTSIDE, SYNTAX};

use super::{passed, patch};
use crate::name::in_stack;
use crate::schema::{self, Misfit, Why};

/// Kinds of objects of a stack that are not part of Kubernetes itself.
const OTHER_KINDS: &[&str] = &["HTTPRoute"];

/// Kinds of objects of a stack that are named after one of its tables, with nothing behind the name.
const PLAIN_KINDS: &[&str] = &["Deployment", "ConfigMap", "Secret", "PersistentVolumeClaim", "CronJob"];

/// What is wrong with what a stack brings, whatever its own objects are.
pub(crate) fn problems(verdict: &Verdict) -> Vec<Diagnostic> {
    let model = &verdict.facts.model;
    let (passed, mut problems) = passed::objects(model);
    let passed: BTreeSet<&str> = passed.iter().map(|object| &*object.kind).collect();
    let is_other = |kind: &str| OTHER_KINDS.contains(&kind) || passed.contains(kind);
    // A lost line may be the header of a table, a lost file may have an object.
    let lost = [&SYNTAX, &FILE_UNREADABLE, &PATH_OUTSIDE];
    let has_lost = verdict.report.findings().iter().any(|one| lost.contains(&one.diagnostic.rule));
    let mut names = None;
    for one in model.patches.iter().filter(|one| !is_other(&one.kind)) {
        let Some(version) = schema::version_of(&one.kind) else {
            let meant = nearest(&one.kind, schema::kinds()).map(|kind| format!("{kind}/{}", one.name));
            if meant.is_some() || !has_lost {
                problems.push(not_found(one, &model.target.name, meant));
            }
            continue;
        };
        let names = names.get_or_insert_with(|| Names::of(model));
        if !names.may_be(&one.name) {
            let meant = names.nearest(&one.name);
            if meant.is_some() || !has_lost && PLAIN_KINDS.contains(&&*one.kind) {
                let meant = meant.map(|name| format!("{}/{name}", one.kind));
                problems.push(not_found(one, &model.target.name, meant));
                continue;
            }
        }
        problems.extend(misfit(one, version));
    }
    problems
}

/// The names that objects of a stack have or begin with.
struct Names {
    stack: String,
    all: BTreeSet<String>,
    /// For how many names the nearest one was searched.
    searched: usize,
}

impl Names {
    fn of(model: &Model) -> Self {
        let workloads = model.workloads.iter().map(|one| &one.name);
        let volumes = model.volumes.iter().map(|one| &one.name);
        let configs = model.configs.iter().map(|one| &one.name);
        let secrets = model.secrets.iter().map(|one| &one.name);
        let networks = model.networks.iter().map(|one| &one.name);
        let outsides = model.outsides.iter().map(|one| &one.name);
        let tables = workloads.chain(volumes).chain(configs).chain(secrets).chain(networks).chain(outsides);
        let stack = model.name.value.to_string();
        let wholes = [stack.clone(), model.target.namespace.value.to_string()];
        let names = tables.flat_map(|name| [name.to_string(), in_stack(model, name)]);
        Self { stack, all: names.chain(wholes).collect(), searched: 0 }
    }

    /// The name that is probably meant by another one. Of very many, only the first ones: each is compared with each.
    fn nearest(&mut self, name: &str) -> Option<&str> {
        const MOST: usize = 50;
        self.searched += 1;
        if self.searched > MOST { None } else { nearest(name, self.all.iter().map(String::as_str)) }
    }

    /// Whether an object may have a name: one of these, or one with something behind a dot or a dash.
    fn may_be(&self, name: &str) -> bool {
        let ends = name.match_indices(['.', '-']).filter(|(end, dash)| {
            // Every name may begin with that of the stack and a dash.
            *dash == "." || name.get(..*end) != Some(&self.stack)
        });
        let mut ends = ends.map(|(end, _)| end).chain([name.len()]);
        ends.any(|end| name.get(..end).is_some_and(|name| self.all.contains(name)))
    }
}

fn not_found(patch: &Patch, target: &str, meant: Option<String>) -> Diagnostic {
    let message = format!("patch target `{}/{}` not found", patch.kind, patch.name);
    let problem =
        Diagnostic::new(&PATCH_MISSES, message).at(patch.span, format!("not an object of target `{target}`"));
    problem.help(match meant {
        Some(meant) => format!("did you mean `{meant}`?"),
        None => "`fracht render` lists all objects; kinds start with a capital letter".to_owned(),
    })
}

/// A field that objects of its kind do not have.
fn misfit(patch: &Patch, version: &str) -> Option<Diagnostic> {
    patch::alone(patch, version).into_iter().find_map(|alone| {
        let counts = |misfit: &Misfit| alone.has_value || matches!(misfit.why, Why::Unknown(_));
        let misfit = schema::misfits(&alone.object).into_iter().find(counts)?;
        Some(patch::misfit(&misfit, patch, alone.place))
    })
}
