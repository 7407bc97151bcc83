//! Other stacks beside the one of a command: opens them, and finds their problems with it.

use std::collections::BTreeSet;
use std::mem::ManuallyDrop;
use std::path::Path;

use fracht_cluster::problems_beside;
use fracht_core::check::{Project, Verdict};
use fracht_core::diag::{Diagnostic, Report, listing, nearest};
use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::plan::ports::TakenElsewhere;
use fracht_core::rules::beside::{Neighbor, is_same_stack, problems};
use fracht_core::source::Adopted;

use crate::cli::{BesideChoice, StackChoice};
use crate::failure::Failure;
use crate::stack;
use crate::ui::{Ui, counted};

/// A stack beside that of a command.
pub(crate) struct Beside {
    /// How it was named: the path of its folder or file.
    pub(crate) shown: String,
    /// The check of it for the target that stands beside that of the command.
    pub(crate) verdict: ManuallyDrop<Verdict>,
    /// Its files among the sources of the command's stack.
    files: Adopted,
}

impl Beside {
    /// Its name.
    pub(crate) fn name(&self) -> &str {
        &self.verdict.facts.model.name.value
    }

    /// The stack as the rules know it.
    fn neighbor(&self) -> Neighbor<'_> {
        Neighbor { facts: &self.verdict.facts, shown: &self.shown, files: &self.files }
    }
}

/// Which target of another stack stands beside one of ours, if none is chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Pick {
    /// The one of the same name; else the only one of the same kind, else the command fails.
    OneOfKind,
    /// Only the one of the same name: a stack without it is left out.
    SameName,
}

/// What a command asks for.
#[derive(Clone, Copy)]
pub(crate) struct Wanted<'a> {
    /// The other stacks.
    pub(crate) beside: &'a BesideChoice,
    /// The stack of the command.
    pub(crate) stack: &'a StackChoice,
    /// Which of their targets.
    pub(crate) pick: Pick,
}

/// Opens the stacks beside that of a command, which is checked for the target of `own`. Their own problems are counted
/// in a note.
pub(crate) fn open(
    asked: Wanted<'_>,
    project: &mut Project<'_>,
    own: &Verdict,
    ui: &mut Ui,
) -> Result<Vec<Beside>, Failure> {
    let Wanted { beside, stack, pick } = asked;
    let real = |path: &Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let itself = real(&stack::locate(stack)?.path);
    let (mut found, mut opened) = (Vec::new(), BTreeSet::new());
    for argument in &beside.beside {
        let (path, target) = match argument.rsplit_once('=').filter(|_| !Path::new(argument).exists()) {
            Some((path, target)) => (path, Some(target)),
            None => (argument.as_str(), None),
        };
        let other = StackChoice { stack: Some(path.into()), root: stack.root.clone(), ..Default::default() };
        let file = real(&stack::locate(&other)?.path);
        if file == itself {
            let message = format!("`--beside {}` is the stack itself", escaped(path));
            return Err(Failure::new(message, "name the folder of another stack"));
        }
        let mut other = stack::open(&other)?;
        if !opened.insert((file, target)) {
            continue;
        }
        let Some(target) = matching(&other, own, path, target, pick)? else { continue };
        let verdict = stack::verdict(&mut other, &target)?;
        let model = &verdict.facts.model;
        if model.target.on.value != own.facts.model.target.on.value && pick == Pick::SameName {
            continue;
        }
        if model.target.on.value != own.facts.model.target.on.value {
            let message = format!(
                "target `{target}` of `{}` is on a {}, `{}` of this stack on a {}",
                escaped(path),
                model.target.on.value.word(),
                own.facts.model.target.name,
                own.facts.model.target.on.value.word()
            );
            return Err(Failure::new(
                message,
                format!("choose another target: `--beside {}=TARGET`", escaped(path)),
            ));
        }
        if verdict.report.has_errors() {
            let errors = verdict.report.count(fracht_core::diag::Severity::Error);
            ui.note(&format!(
                "stack {} ({path}) has {}; what can be read of it is compared",
                model.name.value,
                counted(errors, "error")
            ));
        }
        let files = project.adopt(&other);
        found.push(Beside { shown: path.to_owned(), verdict, files });
    }
    Ok(found)
}

/// The target of a stack that stands beside a target of another one: the one of the same name, else the only one of the
/// same kind.
fn matching(
    other: &Project<'_>,
    own: &Verdict,
    path: &str,
    wanted: Option<&str>,
    pick: Pick,
) -> Result<Option<String>, Failure> {
    let names: Vec<&str> = other.targets().names().collect();
    let known = listing(names.iter().copied());
    if let Some(wanted) = wanted {
        if names.contains(&wanted) {
            return Ok(Some(wanted.to_owned()));
        }
        let near = nearest(wanted, names.iter().copied());
        let question = near.map_or_else(String::new, |near| format!("did you mean `{near}`? "));
        return Err(Failure::new(
            format!("target `{}` not found in `{}`", escaped(wanted), escaped(path)),
            format!("{question}that stack has: {known}"),
        ));
    }
    let target = &own.facts.model.target;
    if names.contains(&&*target.name) {
        return Ok(Some(target.name.to_string()));
    }
    let same_kind: Vec<&str> =
        names.iter().copied().filter(|name| other.targets().kind(name) == Some(target.on.value)).collect();
    match same_kind.as_slice() {
        [only] if pick == Pick::OneOfKind => Ok(Some((*only).to_owned())),
        _ if pick == Pick::SameName => Ok(None),
        _ => Err(Failure::new(
            format!("`{}` has no target `{}`", escaped(path), target.name),
            format!("choose one with `--beside {}=TARGET`: {known}", escaped(path)),
        )),
    }
}

/// The problems of a stack with those beside it.
pub(crate) fn found(own: &Verdict, beside: &[Beside]) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    for other in beside {
        let neighbor = other.neighbor();
        found.extend(problems(&own.facts, &neighbor));
        if !is_same_stack(&own.facts.model, &other.verdict.facts.model) {
            found.extend(problems_beside(own, &other.verdict, &neighbor));
        }
    }
    found
}

/// The report on a stack, with the problems that it has with those beside it.
pub(crate) fn report(own: &Verdict, beside: &[Beside]) -> Report {
    own.report_with(found(own, beside))
}

/// The numbers that other stacks use on the machine or on the nodes.
pub(crate) fn taken(beside: &[Beside]) -> TakenElsewhere {
    beside.iter().flat_map(|other| other.neighbor().taken()).collect()
}
