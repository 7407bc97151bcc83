//! `fracht images`

use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{BuildId, Model};
use fracht_core::plan::images::{ImagePlan, ImageUser, Pin, UsedImage};
use serde::Serialize;

use crate::cli::{Format, Images};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, ERROR, QUIET};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted, json};

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
    let (project, verdict) = stack::planned(&args.plan, ui)?;
    let model = &verdict.facts.model;
    let plan = ImagePlan::of(model);
    match args.plan.format {
        Format::Text => ui.result(&text(model, &plan))?,
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
            let row = |used| row(model, used);
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
    Ok(Outcome::problems_if(verdict.report.has_errors()))
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
        let pin = if floating { Cell::styled("floating", ERROR) } else { Cell::from(used.pin.word()) };
        let from = if used.build.is_some() { "build" } else { "registry" };
        let mut first = [used.image.to_string().into(), from.into(), pin];
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
            on_platforms.row([platforms.join(", ").into(), used.image.to_string().into()]);
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

fn row<'a>(model: &'a Model, used: &'a UsedImage<'_>) -> Row<'a> {
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
    }
}
