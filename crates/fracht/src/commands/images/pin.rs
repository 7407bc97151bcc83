//! `fracht images --pin`: keeps digests in the lock.

use std::collections::BTreeSet;
use std::sync::Arc;

use fracht_core::check::Project;
use fracht_core::lock::Pins;
use fracht_core::plan::images::{ImagePlan, UsedImage};
use fracht_core::plan::looked::{Looked, LookedImage};

use crate::cli::StackChoice;
use crate::failure::Failure;
use crate::stack;
use crate::ui::{Ui, counted};
use crate::write;

/// The images that are pinned: those that are taken from a registry, and have no digest in the stack itself. One that
/// has a digest in the lock is only pinned anew if it is named.
pub(super) fn wanted<'p>(
    plan: &'p ImagePlan<'_>,
    pins: &Pins,
    is_named: impl Fn(&UsedImage<'_>) -> bool,
    has_names: bool,
) -> Vec<&'p UsedImage<'p>> {
    let is_kept = |used: &UsedImage<'_>| pins.contains_key(used.image.floating());
    let taken = plan.images.iter().filter(|used| used.build.is_none());
    let free = taken.filter(|used| used.image.digest().is_none() || is_kept(used));
    free.filter(|used| if has_names { is_named(used) } else { !is_kept(used) }).collect()
}

/// Keeps the digests that were found, and tells what has changed.
pub(super) fn keep(
    choice: &StackChoice,
    project: &mut Project<'_>,
    wanted: &[String],
    looked: &Looked,
    ui: &mut Ui,
) -> Result<(), Failure> {
    let mut unknown = Vec::new();
    let mut pins = project.lock().images().clone();
    let mut lines = Vec::new();
    for reference in wanted {
        match looked.images.get(reference) {
            Some(LookedImage::There(facts)) => {
                let digest: Arc<str> = facts.digest.as_str().into();
                match pins.insert(reference.as_str().into(), Arc::clone(&digest)) {
                    Some(before) if before == digest => {}
                    Some(before) => lines.push(format!("{reference} gets {digest}, before {before}")),
                    None => lines.push(format!("{reference} gets {digest}")),
                }
            }
            Some(LookedImage::Absent) => unknown.push(format!("{reference}: not found in its registry")),
            Some(LookedImage::Unknown(reason)) => unknown.push(format!("{reference}: {reason}")),
            None => unknown.push(format!("{reference}: not looked up")),
        }
    }
    if !unknown.is_empty() {
        let message = format!("cannot pin {}; nothing was changed", counted(unknown.len(), "image"));
        return Err(Failure::Error { message, help: unknown });
    }
    if let Some(used) = used_anywhere(project)? {
        pins.retain(|reference, _| {
            let is_used = used.contains(&**reference);
            if !is_used {
                lines.push(format!("{reference} is no longer kept"));
            }
            is_used
        });
    }
    let mut new = project.lock().clone();
    let count = pins.len();
    new.set_images(pins);
    let (path, shown) = stack::lock_path(choice)?;
    if lines.is_empty() {
        ui.note(&format!("{shown} keeps {}; nothing to change", counted(count, "image")));
        return Ok(());
    }
    write::lock(&path, &shown, &new)?;
    for line in lines {
        ui.note(&format!("{shown}: {line}"));
    }
    ui.note(&format!("{shown} keeps {}; put it into version control", counted(count, "image")));
    Ok(())
}

/// The images that any target uses, without their digests; `None` if one of them cannot be read.
fn used_anywhere(project: &mut Project<'_>) -> Result<Option<BTreeSet<String>>, Failure> {
    let names: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let mut used = BTreeSet::new();
    for name in names {
        let verdict = stack::verdict(project, &name)?;
        if verdict.facts.model.incomplete {
            return Ok(None);
        }
        let plan = ImagePlan::of(&verdict.facts.model);
        used.extend(plan.images.iter().map(|one| one.image.floating().to_owned()));
    }
    Ok(Some(used))
}
