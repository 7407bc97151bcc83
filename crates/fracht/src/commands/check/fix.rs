//! `fracht check --fix`: makes the changes that are certain.
//!
//! Each round makes all of them at once. If the stack has new problems with them, they are tried one by one, and only
//! those that leave fewer problems stay. Files are written when no more change helps.

use std::collections::BTreeMap;
use std::io;
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use fracht_core::check::Project;
use fracht_core::cover::{self, Shown};
use fracht_core::diag::{Finding, Fix, Report};
use fracht_core::escape::{escaped, escaped_path};
use fracht_core::files::{Files, Listed, reason};
use fracht_core::source::{SourceFile, Sources};

use super::Checked;
use crate::cli::Check;
use crate::failure::Failure;
use crate::stack::{self, Location};
use crate::ui::style::{BOLD, ERROR, GOOD, QUIET};
use crate::ui::{Ui, counted};
use crate::{inputs, write};

/// The most rounds: a fix may show the next mistake.
const MOST_ROUNDS: usize = 20;
/// The most fixes that are tried one by one.
const MOST_SINGLE: usize = 50;

/// What was done.
pub(super) enum Fixed {
    /// Nothing could be fixed: the result of the first check.
    Nothing(Checked),
    /// The stack with the changes, and its problems.
    Some(Box<(ManuallyDrop<Project<'static>>, Checked)>),
}

/// Files with other contents in place of some.
struct Changed {
    below: &'static dyn Files,
    texts: BTreeMap<PathBuf, String>,
}

impl Files for Changed {
    fn read(&self, path: &Path, most: u64) -> io::Result<Vec<u8>> {
        match self.texts.get(path) {
            Some(text) if text.len() as u64 <= most => Ok(text.clone().into_bytes()),
            Some(_) => Err(io::ErrorKind::FileTooLarge.into()),
            None => self.below.read(path, most),
        }
    }

    fn size(&self, path: &Path) -> io::Result<u64> {
        self.texts.get(path).map_or_else(|| self.below.size(path), |text| Ok(text.len() as u64))
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        self.below.canonical(path)
    }

    fn list(&self, path: &Path) -> io::Result<Vec<Listed>> {
        self.below.list(path)
    }
}

/// A change to one file.
#[derive(Clone)]
struct Edit {
    path: PathBuf,
    fix: Fix,
}

/// The changes that are certain, by their places, none within another.
fn edits(report: &Report, sources: &Sources) -> Vec<Edit> {
    let certain = |finding: &Finding| {
        let fix = finding.diagnostic.fix.as_ref().filter(|fix| fix.is_certain)?;
        let file = sources.file(fix.span.file)?;
        // What is hidden must not be shown as a change.
        let hidden = cover::hidden(file)
            .iter()
            .any(|range| range.start < fix.span.end as usize && (fix.span.start as usize) < range.end);
        (!hidden).then(|| Edit { path: file.path.clone(), fix: fix.clone() })
    };
    let mut edits: Vec<Edit> = report.findings().iter().filter_map(certain).collect();
    edits.sort_by_key(|edit| (edit.fix.span.file, edit.fix.span.start, edit.fix.span.end));
    edits.dedup_by(|second, first| {
        second.fix.span.file == first.fix.span.file
            && second.fix.span.start < first.fix.span.end.max(first.fix.span.start + 1)
    });
    edits
}

/// The texts of the files with some changes.
fn changed(
    edits: &[Edit],
    sources: &Sources,
    before: &BTreeMap<PathBuf, String>,
) -> BTreeMap<PathBuf, String> {
    let mut texts = before.clone();
    // From the end, so that earlier places stay.
    for edit in edits.iter().rev() {
        let Some(file) = sources.file(edit.fix.span.file) else { continue };
        let text = texts.entry(edit.path.clone()).or_insert_with(|| file.text.to_string());
        let range = edit.fix.span.range();
        // A byte-order mark at the start of the file is not part of the text.
        if text.is_char_boundary(range.start) && text.is_char_boundary(range.end) && range.end <= text.len() {
            text.replace_range(range, &edit.fix.replacement);
        }
    }
    texts
}

/// How often a report has each problem.
fn problems(report: &Report) -> BTreeMap<(&'static str, String), usize> {
    let mut counts = BTreeMap::new();
    for finding in report.findings() {
        *counts.entry((finding.diagnostic.rule.name, finding.diagnostic.message.clone())).or_default() += 1;
    }
    counts
}

/// Whether a stack has fewer problems than before, and no new ones.
fn is_better(before: &Report, after: &Report) -> bool {
    let (old, new) = (problems(before), problems(after));
    let known = new.iter().all(|(problem, count)| old.get(problem).is_some_and(|before| count <= before));
    // A fix of what could not be read may show what is behind it, if there are fewer errors.
    let errors = |report: &Report| report.count(fracht_core::diag::Severity::Error);
    after.total() < before.total() && (known || errors(after) < errors(before))
}

/// What a round works on.
struct Round<'a> {
    args: &'a Check,
    targets: &'a [String],
    disk: &'static dyn Files,
    location: Location,
}

type Opened = ManuallyDrop<Project<'static>>;

impl Round<'_> {
    fn open(&self, files: &'static Changed) -> Option<Opened> {
        let Location { path, shown, root } = &self.location;
        Project::open_within(files, root, path, shown).map(ManuallyDrop::new).ok()
    }

    /// The stack with some texts in place of its files; `None` if it cannot be checked.
    fn check(&self, texts: &BTreeMap<PathBuf, String>) -> Result<Option<(Opened, Checked)>, Failure> {
        // Used until the program ends, as the stack itself.
        let files: &'static Changed = Box::leak(Box::new(Changed { below: self.disk, texts: texts.clone() }));
        let Some(mut project) = self.open(files) else {
            return Ok(None);
        };
        let values = inputs::values(&self.args.stack, &project)?;
        project.set_inputs(values);
        let known: Vec<&str> = project.targets().names().collect();
        if !self.targets.iter().all(|target| known.contains(&target.as_str())) {
            return Ok(None);
        }
        let checked = Checked::of(&mut project, self.targets)?;
        Ok(Some((project, checked)))
    }
}

pub(super) fn run(
    project: &Project<'static>,
    args: &Check,
    targets: &[String],
    first: Checked,
    ui: &mut Ui,
) -> Result<Fixed, Failure> {
    let location = stack::locate(&args.stack)?;
    let round = Round { args, targets, disk: project.files(), location };
    let mut texts = BTreeMap::new();
    let mut done: Option<(Opened, Checked)> = None;
    let mut titles = Vec::new();
    for _ in 0..MOST_ROUNDS {
        let (report, sources) = match &done {
            Some((project, checked)) => (&checked.report, project.sources()),
            None => (&first.report, project.sources()),
        };
        let all = edits(report, sources);
        let Some((next, kept, next_texts)) = improved(&round, &all, report, sources, &texts)? else { break };
        for edit in &kept {
            titles.push((sources.location(edit.fix.span), edit.fix.title.clone()));
        }
        texts = next_texts;
        done = Some(next);
    }
    let Some((after, now)) = done else {
        ui.result("nothing to fix with certainty\n\n")?;
        return Ok(Fixed::Nothing(first));
    };
    for (path, text) in &texts {
        show(project.sources(), path, text, ui)?;
    }
    let count = counted(titles.len(), "change");
    let files = texts.keys().map(|path| shown_path(project.sources(), path)).collect::<Vec<_>>().join(", ");
    if args.dry {
        ui.result(&format!("{count} in {files}: not written, because of `--dry`\n\n"))?;
    } else {
        let contents = texts.iter().map(|(path, text)| content(round.disk, project.sources(), path, text));
        let contents = contents.collect::<Result<Vec<_>, Failure>>()?;
        for (path, content) in texts.keys().zip(contents) {
            write::replace(path, &content).map_err(|error| {
                let message = format!("cannot write `{}`: {}", escaped_path(path), reason(&error));
                Failure::new(message, "allow writing to its folder, or see the changes with `--fix --dry`")
            })?;
        }
        ui.result(&format!("{GOOD}{count}{GOOD:#} in {files}\n\n"))?;
    }
    Ok(Fixed::Some(Box::new((after, now))))
}

type Improved = ((Opened, Checked), Vec<Edit>, BTreeMap<PathBuf, String>);

/// The stack with those of some changes that leave fewer problems; `None` if none does.
fn improved(
    round: &Round<'_>,
    all: &[Edit],
    report: &Report,
    sources: &Sources,
    texts: &BTreeMap<PathBuf, String>,
) -> Result<Option<Improved>, Failure> {
    if all.is_empty() {
        return Ok(None);
    }
    let together = changed(all, sources, texts);
    if let Some(next) = round.check(&together)?
        && is_better(report, &next.1.report)
    {
        return Ok(Some((next, all.to_vec(), together)));
    }
    let mut kept: Vec<Edit> = Vec::new();
    let mut best: Option<(Opened, Checked)> = None;
    for edit in all.iter().take(MOST_SINGLE) {
        let mut tried = kept.clone();
        tried.push(edit.clone());
        let next = round.check(&changed(&tried, sources, texts))?;
        let before = best.as_ref().map_or(report, |(_, checked)| &checked.report);
        if let Some(next) = next
            && is_better(before, &next.1.report)
        {
            (kept, best) = (tried, Some(next));
        }
    }
    let texts = changed(&kept, sources, texts);
    Ok(best.map(|best| (best, kept, texts)))
}

/// The new content of a file, with the byte-order mark that the old one may have. What somebody else has written since
/// the file was read is not overwritten.
fn content(disk: &dyn Files, sources: &Sources, path: &Path, text: &str) -> Result<Vec<u8>, Failure> {
    const MARK: &[u8] = b"\xEF\xBB\xBF";
    let now = disk.read(path, fracht_core::files::MOST_BYTES).unwrap_or_default();
    let (mark, body) = now.strip_prefix(MARK).map_or((&b""[..], &*now), |body| (MARK, body));
    if sources.find(path).is_none_or(|old| old.text.as_bytes() != body) {
        let message = format!("`{}` was changed while it was checked", shown_path(sources, path));
        return Err(Failure::new(message, "run the command again"));
    }
    Ok([mark, text.as_bytes()].concat())
}

fn shown_path(sources: &Sources, path: &Path) -> String {
    sources.find(path).map_or_else(|| escaped_path(path), |file| escaped(&file.shown).into_owned())
}

/// Shows the changed lines of a file.
fn show(sources: &Sources, path: &Path, text: &str, ui: &mut Ui) -> Result<(), Failure> {
    let Some(old) = sources.find(path) else { return Ok(()) };
    let mut after = Sources::default();
    let id = after.add(path, &old.shown, text.into(), old.syntax());
    let Some(new) = after.file(id) else { return Ok(()) };
    let (before, after) = (covered(old), covered(new));
    let mut out = format!("{BOLD}{}{BOLD:#}\n", escaped(&old.shown));
    let (old_lines, new_lines): (Vec<&str>, Vec<&str>) = (before.lines().collect(), after.lines().collect());
    for (number, (one, other)) in
        old_lines.iter().zip(&new_lines).enumerate().filter(|(_, (one, other))| one != other)
    {
        let number = number + 1;
        out.push_str(&format!("{QUIET}{number:>5}{QUIET:#} {ERROR}- {one}{ERROR:#}\n"));
        out.push_str(&format!("{QUIET}{number:>5}{QUIET:#} {GOOD}+ {other}{GOOD:#}\n"));
    }
    out.push('\n');
    ui.result(&out)
}

/// The text of a file with its secrets hidden.
fn covered(file: &SourceFile) -> String {
    Shown::new(&file.text, cover::hidden(file).iter().cloned()).text
}

#[cfg(test)]
mod tests {
    use fracht_core::files::MemoryFiles;
    use fracht_core::source::Syntax;

    use super::*;

    #[test]
    fn a_file_that_was_changed_in_the_meantime_is_not_overwritten() {
        let path = Path::new("/s/fracht.toml");
        let mut sources = Sources::default();
        sources.add(path, "fracht.toml", "old".into(), Syntax::Stack);
        let on = |disk: &str| {
            let disk = MemoryFiles::default().with("/s/fracht.toml", disk);
            content(&disk, &sources, path, "fixed").ok()
        };
        assert_eq!(on("old"), Some(b"fixed".to_vec()));
        assert_eq!(on("\u{feff}old"), Some("\u{feff}fixed".into()));
        assert_eq!(on("old\nand more"), None);
    }
}
