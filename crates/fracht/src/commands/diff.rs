//! `fracht diff`

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use fracht_cluster::compare::{ChangeKind, Difference, FieldChange, Replacement, compare};
use fracht_cluster::{ReadError, misfits, read_objects, secret_name, text_at};
use fracht_core::check::Project;
use fracht_core::diag::listing;
use fracht_core::escape::{escaped, escaped_path};
use fracht_core::files::reason;
use fracht_core::model::TargetKind;
use serde::Serialize;
use serde_json::Value;

use crate::cli::{Diff, Format};
use crate::disk;
use crate::failure::{Failure, Outcome};
use crate::ui::style::{BOLD, ERROR, GOOD, QUIET, WARNING};
use crate::ui::{Ui, counted};
use crate::write::folder;
use crate::{objects, stack};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct DiffDocument<'a> {
    old: &'a str,
    new: &'a str,
    namespace: Option<Moved<'a>>,
    same: usize,
    objects: Vec<Object<'a>>,
    /// The number of objects of others in the cluster, by kind.
    left_out: &'a BTreeMap<String, usize>,
}

#[derive(Serialize)]
struct Moved<'a> {
    old: &'a str,
    new: &'a str,
}

#[derive(Serialize)]
struct Object<'a> {
    kind: &'a str,
    name: &'a str,
    change: &'static str,
    fields: Vec<Field<'a>>,
    replace: Option<Replace<'a>>,
}

/// What to do by hand.
#[derive(Serialize)]
struct Replace<'a> {
    fields: &'a [String],
    command: &'a str,
    effect: &'static str,
}

#[derive(Serialize)]
struct Field<'a> {
    path: &'a str,
    old: &'a Option<Value>,
    new: &'a Option<Value>,
    secret: bool,
}

/// The objects of one side.
struct Side {
    objects: Vec<Value>,
    /// The names of the Secrets that were not generated, without `--secrets`.
    left_out: Vec<String>,
}

pub(crate) fn run(args: &Diff, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut project = stack::open(&args.stack)?;
    let target = stack::target(&project, args.target.name())?;
    let Some(new) = rendered(&mut project, &target, args.secrets, ui)? else { return Ok(Outcome::Problems) };
    let is_target = project.targets().names().any(|name| name == args.against);
    let old = if is_target {
        let Some(old) = rendered(&mut project, &args.against, args.secrets, ui)? else {
            return Ok(Outcome::Problems);
        };
        old.objects
    } else {
        let mut old = read(&project, Path::new(&args.against))?;
        note_misfits(&old, ui);
        // A Secret that is not generated now is not removed.
        old.retain(|object| {
            let name = text_at(object, "/metadata/name");
            text_at(object, "/kind") != "Secret" || !new.left_out.iter().any(|left| left == name)
        });
        old
    };
    let difference = compare(&old, &new.objects);
    let differs = !difference.objects.is_empty() || difference.namespace.is_some();
    match args.format {
        Format::Text => ui.result(&text(&args.against, &target, &difference))?,
        Format::Json => ui.json(&document(&args.against, &target, &difference))?,
    }
    if !new.left_out.is_empty() {
        ui.note("secret values were not compared; add --secrets to compare them (they stay hidden)");
    }
    Ok(Outcome::problems_if(differs))
}

/// The objects of a target; `None` if the stack has errors, which have been shown.
fn rendered(
    project: &mut Project<'_>,
    target: &str,
    with_secrets: bool,
    ui: &mut Ui,
) -> Result<Option<Side>, Failure> {
    let verdict = stack::verdict(project, target)?;
    if verdict.facts.model.target.on.value == TargetKind::Machine {
        let message = format!("target `{target}` is a machine; only cluster targets have Kubernetes objects");
        return Err(Failure::new(
            message,
            format!("compare cluster targets; for a machine see `fracht ports -t {target}`"),
        ));
    }
    let Some(rendering) = objects::rendering(&verdict, project, with_secrets, ui)? else { return Ok(None) };
    let left_out = rendering.left_out();
    Ok(Some(Side {
        objects: rendering.planned().iter().map(|planned| rendering.value(planned)).collect(),
        left_out: left_out
            .iter()
            .map(|id| secret_name(&verdict.facts.model, &verdict.facts.model.secrets[*id]))
            .collect(),
    }))
}

/// Notes fields of compared objects that do not fit their kinds: a cluster would not have them.
fn note_misfits(objects: &[Value], ui: &mut Ui) {
    /// The most that are shown.
    const MOST: usize = 5;
    let all: Vec<String> = objects
        .iter()
        .flat_map(|object| {
            let identity = format!("{}/{}", text_at(object, "/kind"), text_at(object, "/metadata/name"));
            misfits(object).into_iter().map(move |misfit| format!("`{identity}`: {misfit}"))
        })
        .collect();
    for misfit in all.iter().take(MOST) {
        ui.note(misfit);
    }
    if all.len() > MOST {
        ui.note(&format!("{} more fields do not fit the kinds of their objects", all.len() - MOST));
    }
}

/// The objects of a file, or of the YAML and JSON files of a folder.
fn read(project: &Project<'_>, path: &Path) -> Result<Vec<Value>, Failure> {
    let shown = escaped_path(path);
    let failed = |what: String| {
        let targets: Vec<&str> = project.targets().names().collect();
        let help =
            format!("--against takes a target ({}), or a folder or file of objects", targets.join(", "));
        Failure::new(what, help)
    };
    let unreadable = |error: std::io::Error| failed(format!("cannot read `{shown}`: {}", reason(&error)));
    let mut files = Vec::new();
    if path.is_dir() {
        if !folder::is_finished(path) {
            return Err(Failure::new(
                format!("`{shown}` is not finished: its files are not all of one rendering"),
                format!("run `fracht render --out {shown}` again: it finishes or undoes the earlier run"),
            ));
        }
        for entry in fs::read_dir(path).map_err(unreadable)? {
            let file = entry.map_err(unreadable)?.path();
            let ending = file.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
            if ["yaml", "yml", "json"].contains(&ending) && file.is_file() {
                files.push(file);
            }
        }
        if files.is_empty() {
            return Err(failed(format!("no objects found in `{shown}`")));
        }
        files.sort();
    } else {
        files.push(path.to_owned());
    }
    let mut objects = Vec::new();
    for file in files {
        let text = disk::argument(&file).map_err(unreadable)?;
        objects.extend(read_objects(&text).map_err(|ReadError { line, reason }| {
            Failure::new(
                format!("`{}:{line}` cannot be compared: {reason}", escaped_path(&file)),
                "a file of objects has YAML documents or JSON, each with `kind` and `metadata`",
            )
        })?);
    }
    Ok(objects)
}

fn text(old: &str, new: &str, difference: &Difference) -> String {
    let mut out = format!("{BOLD}{} → {}{BOLD:#}\n", escaped(old), escaped(new));
    if let Some((from, to)) = &difference.namespace {
        out.push_str(&format!("\n{WARNING}changed{WARNING:#}  namespace of all objects\n"));
        out.push_str(&format!("  {} {QUIET}→{QUIET:#} {}\n", escaped(from), escaped(to)));
    }
    for object in &difference.objects {
        let (word, style) = match object.change {
            ChangeKind::Added => ("added", GOOD),
            ChangeKind::Removed => ("removed", ERROR),
            ChangeKind::Changed(_) => ("changed", WARNING),
        };
        let space = " ".repeat(9 - word.len());
        out.push_str(&format!(
            "\n{style}{word}{style:#}{space}{BOLD}{}/{}{BOLD:#}\n",
            escaped(&object.kind),
            escaped(&object.name)
        ));
        if let ChangeKind::Changed(fields) = &object.change {
            for change in fields {
                field(change, &mut out);
            }
        }
        if let Some(replacement) = &object.replace {
            out.push_str(&manual_replacement(replacement));
        }
    }
    out.push_str(&format!("\n{}\n", summary(difference)));
    if !difference.left_out.is_empty() {
        let kinds = difference.left_out.iter().map(|(kind, count)| format!("{count} {}", escaped(kind)));
        let kinds = kinds.collect::<Vec<_>>().join(", ");
        let count = counted(difference.left_out.values().sum(), "object");
        out.push_str(&format!("{QUIET}Ignored: {count} that Fracht did not create ({kinds}){QUIET:#}\n"));
    }
    out
}

/// What to do by hand, as lines.
pub(crate) fn manual_replacement(replacement: &Replacement) -> String {
    let fields = listing(replacement.fields.iter().map(String::as_str));
    format!(
        "  {ERROR}cannot be changed{ERROR:#}: {fields}\n    remove it, then apply: {BOLD}{}{BOLD:#}\n    {QUIET}{}{QUIET:#}\n",
        replacement.command, replacement.effect
    )
}

/// A field, and below it the old value and the new one; short ones on one line.
fn field(change: &FieldChange, out: &mut String) {
    out.push_str(&format!("  {}\n", escaped(&change.path)));
    let old = change.old.as_ref().map(shown);
    let new = change.new.as_ref().map(shown);
    match (old, new) {
        _ if change.secret => out.push_str(&format!("    {QUIET}changed (hidden){QUIET:#}\n")),
        (Some(old), Some(new))
            if old.len() + new.len() <= 80 && !old.contains('\n') && !new.contains('\n') =>
        {
            out.push_str(&format!("    {old} {QUIET}→{QUIET:#} {new}\n"));
        }
        (Some(old), Some(new)) => lines(&old, &new, out),
        (None, Some(new)) => block(&new, "new", out),
        (Some(old), None) => block(&old, "old", out),
        (None, None) => {}
    }
}

/// A value as text: a string unchanged, a list or a map with one line per part.
fn shown(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Object(_) | Value::Array(_) => {
            let mut lines = Vec::new();
            leaves(value, "", &mut lines);
            lines.join("\n")
        }
        other => other.to_string(),
    }
}

fn leaves(value: &Value, path: &str, lines: &mut Vec<String>) {
    match value {
        Value::Object(fields) if !fields.is_empty() => {
            for (name, field) in fields {
                let path = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
                leaves(field, &path, lines);
            }
        }
        Value::Array(items) if !items.is_empty() => {
            for (index, item) in items.iter().enumerate() {
                leaves(item, &format!("{path}[{index}]"), lines);
            }
        }
        Value::String(text) => lines.push(format!("{path}: {text}")),
        other => lines.push(format!("{path}: {other}")),
    }
}

/// A value that only one side has.
fn block(text: &str, word: &str, out: &mut String) {
    for line in cut(text) {
        out.push_str(&format!("    {QUIET}{word:<5}{QUIET:#}{line}\n"));
    }
}

/// The lines that differ, without equal lines before and after them.
fn lines(old: &str, new: &str, out: &mut String) {
    let (old, new): (Vec<&str>, Vec<&str>) = (old.lines().collect(), new.lines().collect());
    let same_before = old.iter().zip(&new).take_while(|(a, b)| a == b).count();
    let room = old.len().min(new.len()) - same_before;
    let same_behind = old.iter().rev().zip(new.iter().rev()).take(room).take_while(|(a, b)| a == b).count();
    let middle = |lines: &[&str]| -> String {
        lines.get(same_before..lines.len() - same_behind).unwrap_or_default().join("\n")
    };
    if same_before > 0 {
        out.push_str(&format!("    {QUIET}… {}{QUIET:#}\n", counted(same_before, "unchanged line")));
    }
    for (text, word) in [(middle(&old), "old"), (middle(&new), "new")] {
        block(&text, word, out);
    }
    if same_behind > 0 {
        out.push_str(&format!("    {QUIET}… {}{QUIET:#}\n", counted(same_behind, "unchanged line")));
    }
}

/// The first lines of a text, each cut to the width of a terminal.
fn cut(text: &str) -> Vec<String> {
    const MOST: usize = 12;
    const WIDTH: usize = 90;
    let short = |line: &str| {
        if line.chars().count() <= WIDTH {
            return line.to_owned();
        }
        line.chars().take(WIDTH - 1).chain(['…']).collect()
    };
    let mut lines: Vec<String> = text.lines().take(MOST).map(short).collect();
    let more = text.lines().count().saturating_sub(MOST);
    if more > 0 {
        lines.push(format!("… {}", counted(more, "more line")));
    }
    lines
}

fn summary(difference: &Difference) -> String {
    let count = |wanted: fn(&ChangeKind) -> bool| {
        difference.objects.iter().filter(|object| wanted(&object.change)).count()
    };
    let counts = [
        (count(|change| matches!(change, ChangeKind::Changed(_))), "changed"),
        (count(|change| *change == ChangeKind::Added), "added"),
        (count(|change| *change == ChangeKind::Removed), "removed"),
        (difference.same, "unchanged"),
    ];
    let words: Vec<String> = counts
        .into_iter()
        .filter(|(count, _)| *count > 0)
        .map(|(count, word)| format!("{count} {word}"))
        .collect();
    if words.is_empty() { "No objects to compare".to_owned() } else { words.join(", ") }
}

fn document<'a>(old: &'a str, new: &'a str, difference: &'a Difference) -> DiffDocument<'a> {
    let field = |change: &'a FieldChange| Field {
        path: &change.path,
        old: &change.old,
        new: &change.new,
        secret: change.secret,
    };
    let objects = difference.objects.iter().map(|object| {
        let (change, fields) = match &object.change {
            ChangeKind::Added => ("added", &[][..]),
            ChangeKind::Removed => ("removed", &[][..]),
            ChangeKind::Changed(fields) => ("changed", fields.as_slice()),
        };
        let replace = object.replace.as_ref().map(|replace| Replace {
            fields: &replace.fields,
            command: &replace.command,
            effect: replace.effect,
        });
        let fields = fields.iter().map(field).collect();
        Object { kind: &object.kind, name: &object.name, change, fields, replace }
    });
    DiffDocument {
        old,
        new,
        namespace: difference.namespace.as_ref().map(|(old, new)| Moved { old, new }),
        same: difference.same,
        objects: objects.collect(),
        left_out: &difference.left_out,
    }
}
