//! `fracht images`

mod look;
mod make;
mod pin;

use std::collections::BTreeSet;

use fracht_core::check::Project;
use fracht_core::diag::{listing, nearest};
use fracht_core::escape::escaped;
use fracht_core::grammar::image::Image;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{BuildId, Model};
use fracht_core::plan::images::{ImagePlan, ImageUser, Pin, UsedImage};
use fracht_core::plan::looked::Looked;
use fracht_core::rules::looked::problems;
use serde::Serialize;

use self::look::FoundDocument;

use crate::cli::{Format, Images};
use crate::failure::{Failure, Outcome};
use crate::ui::style::{BOLD, ERROR, QUIET};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted, json};
use crate::{engine, registry, stack, write};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct ImagesDocument<'a> {
    stack: &'a str,
    target: &'a str,
    images: Vec<Row<'a>>,
    /// The builds in the order in which to build them.
    builds: Vec<Build<'a>>,
}

#[derive(Serialize)]
struct Row<'a> {
    image: &'a str,
    registry: Option<&'a str>,
    repository: &'a str,
    tag: Option<&'a str>,
    digest: Option<&'a str>,
    /// `digest`, `version` or `floating`.
    pinned_by: &'static str,
    /// The build that makes it; null for one that is taken from a registry.
    build: Option<&'a str>,
    /// The platforms that its users, or else the nodes of the target, have; empty if they are not known.
    platforms: Vec<String>,
    used_by: Vec<String>,
    /// What its registry tells, with `--look`; else null.
    found: Option<FoundDocument<'a>>,
}

#[derive(Serialize)]
struct Build<'a> {
    name: &'a str,
    image: Option<&'a str>,
    folder: String,
    /// The path of the recipe in the folder; null if another tool makes the image.
    recipe: Option<&'a str>,
    args: Vec<Argument<'a>>,
    takes_from: Vec<&'a str>,
    place: json::Place,
}

#[derive(Serialize)]
struct Argument<'a> {
    name: &'a str,
    value: String,
}

pub(crate) fn run(args: &Images, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (choice, is_list) = (&args.plan.stack, !(args.look || args.pin || args.build || args.push));
    // From the reading to the writing of the lock: two runs would lose the choices of one.
    let alone = if args.pin { stack::locate(choice)?.path.parent().and_then(write::alone) } else { None };
    let (mut project, mut verdict) = stack::planned(&args.plan, ui)?;
    if !is_list && verdict.checked().is_none() {
        return Ok(Outcome::Problems);
    }
    known(&verdict.facts.model, &args.names)?;
    make(args, &project, &verdict.facts.model, ui)?;
    let mut looked = None;
    if args.look || args.pin {
        let model = &verdict.facts.model;
        let mut plan = ImagePlan::of(model);
        let is_named = |used: &UsedImage<'_>| is_chosen(model, &args.names, used);
        let wanted = pin::wanted(&plan, project.lock().images(), is_named, !args.names.is_empty());
        let wanted: Vec<String> = wanted.iter().map(|used| used.image.floating().to_owned()).collect();
        let client = registry::client(model, ui)?;
        plan.images.retain(|used| {
            used.is_in_registry(model)
                && is_chosen(model, &args.names, used)
                && (args.look || wanted.iter().any(|one| *one == *used.image.floating()))
        });
        let images: Vec<&Image> = plan.images.iter().map(|used| used.image).collect();
        let found = registry::look_up(&client, &images, ui);
        if args.pin {
            pin::keep(choice, &mut project, &wanted, &found, ui)?;
            drop(alone);
            // The digests are part of the stack now.
            (project, verdict) = stack::planned(&args.plan, &mut Ui::silent())?;
        }
        looked = args.look.then_some(found);
    }
    let model = &verdict.facts.model;
    let mut plan = ImagePlan::of(model);
    plan.images.retain(|used| is_chosen(model, &args.names, used));
    let looked = looked.as_ref();
    let mut report = verdict.report.clone();
    if let Some(looked) = looked {
        report = verdict.report_with(problems(model, looked));
    }
    match args.plan.format {
        Format::Text => match looked {
            Some(looked) => ui.result(&look::text(model, &plan, looked))?,
            None if is_list => ui.result(&text(model, &plan))?,
            None => {}
        },
        Format::Json => {
            let build = |id: &BuildId| {
                let build = &model.builds[*id];
                let argument = |(name, value): &'_ (std::sync::Arc<str>, _)| {
                    (name.to_string(), project.shown(&verdict, value))
                };
                let arguments: Vec<(String, String)> = build.args.iter().map(argument).collect();
                (*id, arguments)
            };
            let arguments: Vec<_> = plan.builds.iter().map(build).collect();
            let row = |used| row(model, used, looked);
            let builds = arguments.iter().map(|(id, arguments)| {
                let build = &model.builds[*id];
                Build {
                    name: &build.name,
                    image: build.image.as_ref().map(|image| &**image.text()),
                    folder: folder(model, *id),
                    recipe: build.recipe.as_ref().map(|recipe| &*recipe.value),
                    args: arguments
                        .iter()
                        .map(|(name, value)| Argument { name, value: value.clone() })
                        .collect(),
                    takes_from: build.takes.iter().map(|base| &*model.builds[*base].name).collect(),
                    place: json::place(build.span, project.sources()),
                }
            });
            ui.json(&ImagesDocument {
                stack: &model.name.value,
                target: &model.target.name,
                images: plan.images.iter().map(row).collect(),
                builds: builds.collect(),
            })?;
        }
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

/// Names that the arguments give have to be those of something.
fn known(model: &Model, names: &[String]) -> Result<(), Failure> {
    let plan = ImagePlan::of(model);
    let builds = || model.builds.iter().map(|build| &*build.name);
    for name in names {
        let is_build = builds().any(|build| build == name || *name == format!("build.{build}"));
        let chosen = std::slice::from_ref(name);
        if is_build || plan.images.iter().any(|used| is_chosen(model, chosen, used)) {
            continue;
        }
        let all: Vec<&str> = model.workloads.iter().map(|one| &*one.name).chain(builds()).collect();
        let help = nearest(name, all.iter().copied()).map_or_else(
            || format!("this stack has: {}", listing(all.iter().copied())),
            |near| format!("did you mean `{near}`?"),
        );
        return Err(Failure::new(format!("no service, task, build or image `{}`", escaped(name)), help));
    }
    Ok(())
}

/// Builds and pushes what is asked for.
fn make(args: &Images, project: &Project<'_>, model: &Model, ui: &mut Ui) -> Result<(), Failure> {
    if !args.build && !args.push {
        return Ok(());
    }
    let is_named = |name: &str, id: BuildId| {
        let plan = ImagePlan::of(model);
        let of_build = plan.images.iter().filter(|used| used.build == Some(id));
        args.names.iter().any(|own| own == name || *own == format!("build.{name}"))
            || of_build.into_iter().any(|used| is_chosen(model, &args.names, used))
    };
    let builds = model.builds.entries();
    let wanted: BTreeSet<BuildId> = builds
        .filter(|(id, build)| args.names.is_empty() || is_named(&build.name, *id))
        .map(|(id, _)| id)
        .collect();
    if wanted.is_empty() {
        ui.note("nothing of this is built here");
        return Ok(());
    }
    let engine = engine::connect(args.engine.as_ref())?;
    let mut done = String::new();
    if args.build {
        done.push_str(&make::build((model, project.files()), &engine, &wanted, ui)?);
    }
    if args.push {
        done.push_str(&make::push(model, &engine, &wanted, ui)?);
    }
    if args.plan.format == Format::Text { ui.result(&done) } else { Ok(()) }
}

/// Whether an image is one of those that the arguments name.
fn is_chosen(model: &Model, names: &[String], used: &UsedImage<'_>) -> bool {
    let is_user = |name: &String| {
        let build = used.build.map(|build| &model.builds[build].name);
        build.is_some_and(|build| **build == **name)
            || used.image.floating() == name
            || used.users.iter().any(|user| match user {
                ImageUser::Container(workload, _) | ImageUser::Gate(workload) => {
                    *workload.name == **name || workload.reference() == *name
                }
                ImageUser::Build(build) => *model.builds[*build].name == **name,
            })
    };
    names.is_empty() || names.iter().any(is_user)
}

/// The folder of a build, as the stack names it.
fn folder(model: &Model, build: BuildId) -> String {
    model.builds[build].folder.to_string()
}

/// The platforms on which an image runs: those that its users ask for, else those of the nodes.
fn platforms(model: &Model, used: &UsedImage<'_>) -> Vec<String> {
    if used.platforms.is_empty() {
        model.target.nodes.iter().map(|platform| platform.value.to_string()).collect()
    } else {
        used.platforms.iter().map(ToString::to_string).collect()
    }
}

fn text(model: &Model, plan: &ImagePlan<'_>) -> String {
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let built = plan.images.iter().filter(|used| used.build.is_some()).count();
    let count = counted(plan.images.len(), "image");
    let mut out = format!(
        "{BOLD}{stack}, target {target}{BOLD:#} ({}): {count}, {built} built here\n\n",
        model.target.on.value.word()
    );
    if plan.images.is_empty() {
        return out + "Nothing runs.\n";
    }
    let mut table = Table::new(["image", "from", "pinned by", "used by"]);
    for used in &plan.images {
        let floating = used.pin == Pin::Floating;
        let pin = match used.image.digest() {
            Some(digest) => Cell::from(digest.get(..19).unwrap_or(digest)),
            None if floating => Cell::styled("floating", ERROR),
            None => Cell::from(used.pin.word()),
        };
        let from = if used.build.is_some() { "build" } else { "registry" };
        let mut first = [used.image.floating().into(), from.into(), pin];
        for user in users(model, used) {
            let [image, from, pin] = std::mem::take(&mut first);
            table.row([image, from, pin, user.into()]);
        }
    }
    out.push_str(&table.show());
    let mut on_platforms = Table::new(["platform", "image"]);
    let mut has_platforms = false;
    for used in &plan.images {
        let platforms = platforms(model, used);
        if !platforms.is_empty() {
            has_platforms = true;
            on_platforms.row([platforms.join(", ").into(), used.image.floating().into()]);
        }
    }
    if has_platforms {
        out.push_str(&format!("\n{}", on_platforms.show()));
    }
    if !plan.builds.is_empty() {
        out.push_str(&format!("\n{}", builds(model, plan)));
    }
    out
}

/// The most users of an image that are listed, and the most gates.
const MOST_USERS: usize = 8;
const MOST_GATES: usize = 3;

/// The users of an image, one per line; gates share one.
fn users(model: &Model, used: &UsedImage<'_>) -> Vec<String> {
    let gate = |user: &&ImageUser<'_>| matches!(user, ImageUser::Gate(_));
    let (gates, others): (Vec<&ImageUser<'_>>, Vec<&ImageUser<'_>>) = used.users.iter().partition(gate);
    let mut lines: Vec<String> = others.iter().take(MOST_USERS).map(|user| user.words(model)).collect();
    if others.len() > MOST_USERS {
        lines.push(format!("… and {} more", others.len() - MOST_USERS));
    }
    if gates.len() > MOST_GATES {
        lines.push(format!("gates of {} services and tasks", gates.len()));
    } else {
        lines.extend(gates.iter().map(|user| user.words(model)));
    }
    lines
}

/// The builds, in the order in which to build them.
fn builds(model: &Model, plan: &ImagePlan<'_>) -> String {
    let mut table = Table::new(["build", "folder", "recipe", "takes from", "image"]);
    for id in &plan.builds {
        let build = &model.builds[*id];
        let bases: Vec<&str> = build.takes.iter().map(|base| &*model.builds[*base].name).collect();
        let recipe = build.recipe.as_ref().map_or("none: another tool", |recipe| &recipe.value);
        let image = build.image.as_ref().map_or("?", |image| image.text());
        table.row([
            (*build.name).into(),
            folder(model, *id).into(),
            recipe.into(),
            if bases.is_empty() { Cell::styled("–", QUIET) } else { bases.join(", ").into() },
            image.into(),
        ]);
    }
    table.show()
}

fn row<'a>(model: &'a Model, used: &'a UsedImage<'_>, looked: Option<&'a Looked>) -> Row<'a> {
    Row {
        image: used.image.text(),
        registry: used.image.registry(),
        repository: used.image.repository(),
        tag: used.image.tag(),
        digest: used.image.digest(),
        pinned_by: used.pin.word(),
        build: used.build.map(|build| &*model.builds[build].name),
        platforms: platforms(model, used),
        used_by: used.users.iter().map(|user| user.words(model)).collect(),
        found: look::document(looked, used),
    }
}
