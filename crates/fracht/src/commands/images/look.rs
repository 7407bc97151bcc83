//! `fracht images --look`: what registries tell.

use fracht_core::grammar::quantity::show_bytes;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::Model;
use fracht_core::plan::images::{ImagePlan, UsedImage};
use fracht_core::plan::looked::{ImageFacts, Looked, LookedImage};
use fracht_core::rules::looked::{problems, slot};
use serde::Serialize;

use crate::engine::age;
use crate::ui::style::{BOLD, ERROR, GOOD, OPEN, QUIET};
use crate::ui::table::{Cell, Table};

/// What was found of an image, for JSON.
#[derive(Serialize)]
pub(super) struct FoundDocument<'a> {
    /// `there`, `absent` or `unknown`.
    state: &'static str,
    /// Why it is not known.
    reason: Option<&'a str>,
    /// The digest to which the tag leads now.
    digest: Option<&'a str>,
    platforms: Vec<PlatformDocument<'a>>,
    /// RFC 3339.
    created: Option<&'a str>,
    /// The ports that the image says it listens on: `8080`, `53/udp`.
    ports: Vec<String>,
    user: Option<&'a str>,
    /// The folders whose data it says should be kept.
    data: Vec<&'a str>,
    /// The health check that it brings, as words.
    health: &'a [String],
    newer: &'a [String],
    smaller: Option<&'a str>,
}

#[derive(Serialize)]
struct PlatformDocument<'a> {
    platform: &'a str,
    /// In bytes.
    size: Option<u64>,
}

/// What was found of an image; `None` if it was not looked up.
pub(super) fn document<'a>(looked: Option<&'a Looked>, used: &UsedImage<'_>) -> Option<FoundDocument<'a>> {
    let nothing = FoundDocument {
        state: "absent",
        reason: None,
        digest: None,
        platforms: Vec::new(),
        created: None,
        ports: Vec::new(),
        user: None,
        data: Vec::new(),
        health: &[],
        newer: &[],
        smaller: None,
    };
    Some(match looked?.of(used.image)? {
        LookedImage::Absent => nothing,
        LookedImage::Unknown(reason) => FoundDocument { state: "unknown", reason: Some(reason), ..nothing },
        LookedImage::There(facts) => FoundDocument {
            state: "there",
            digest: Some(&facts.digest),
            platforms: facts
                .platforms
                .iter()
                .map(|one| PlatformDocument { platform: &one.words, size: one.size })
                .collect(),
            created: facts.created.as_deref(),
            ports: facts.ports.iter().map(|(number, protocol)| slot(*number, *protocol)).collect(),
            user: Some(&*facts.user).filter(|user| !user.is_empty()),
            data: facts.data.iter().map(String::as_str).collect(),
            health: &facts.health,
            newer: &facts.newer,
            smaller: facts.smaller.as_ref().map(|(tag, _)| &**tag),
            ..nothing
        },
    })
}

/// How long ago an image was made.
fn made(facts: &ImageFacts) -> Option<String> {
    let time: jiff::Timestamp = facts.created.as_deref()?.parse().ok()?;
    // Some builders set no time, so that the same content has the same digest.
    (time.as_second() > 86_400).then_some(())?;
    jiff::Timestamp::now().duration_since(time).try_into().ok().map(age)
}

/// The table of what was found, and the problems.
pub(super) fn text(model: &Model, plan: &ImagePlan<'_>, looked: &Looked) -> String {
    let mut table = Table::new(["image", "in its registry", "size", "platforms", "made"]);
    for used in &plan.images {
        let name = used.image.floating().to_owned();
        let Some(found) = looked.of(used.image) else {
            let word = Cell::styled("built here only", QUIET);
            table.row([name.into(), word, "–".into(), "–".into(), "–".into()]);
            continue;
        };
        match found {
            LookedImage::Absent => {
                let word = if used.build.is_some() { "never pushed" } else { "not found" };
                table.row([name.into(), Cell::styled(word, ERROR), "–".into(), "–".into(), "–".into()]);
            }
            LookedImage::Unknown(_) => {
                table.row([name.into(), Cell::styled("not known", OPEN), "–".into(), "–".into(), "–".into()]);
            }
            LookedImage::There(facts) => {
                // Both without what all have, so that the table fits.
                let digest = facts.digest.strip_prefix("sha256:").unwrap_or(&facts.digest);
                let digest = digest.get(..12).unwrap_or(digest).to_owned();
                let bare = |words| str::strip_prefix(words, "linux/").unwrap_or(words);
                let platforms: Vec<&str> = facts.platforms.iter().map(|one| bare(&*one.words)).collect();
                table.row([
                    name.into(),
                    Cell::styled(digest, GOOD),
                    facts.size().map_or_else(|| "–".into(), |size| show_bytes(size).into()),
                    platforms.join(", ").into(),
                    made(facts).map_or_else(|| "–".into(), |age| format!("{age} ago").into()),
                ]);
            }
        }
    }
    let mut out = table.show();
    for used in &plan.images {
        if let Some(LookedImage::Unknown(reason)) = looked.of(used.image) {
            out.push_str(&format!(
                "\n{OPEN}{}{OPEN:#} could not be looked up: {reason}\n",
                used.image.floating()
            ));
        }
    }
    let problems = problems(model, looked);
    if !problems.is_empty() {
        out.push('\n');
    }
    for problem in &problems {
        let (word, style) = match problem.rule.severity.word() {
            "error" => ("error", ERROR),
            "warning" => ("warning", OPEN),
            word => (word, QUIET),
        };
        out.push_str(&format!("{style}{word:7}{style:#}  {}\n", problem.message));
    }
    if !problems.is_empty() {
        out.push_str(&format!(
            "\nPlaces and fixes: {BOLD}fracht check -t {} --look{BOLD:#}\n",
            model.target.name
        ));
    }
    out
}
