//! The JSON of `fracht state`.

use fracht_engine::probe::Answer;
use serde::Serialize;

use super::Row;
use crate::engine::Machine;
use crate::veil::Veil;

/// The whole document.
#[derive(Serialize)]
pub(super) struct StateDocument {
    stack: String,
    target: String,
    engine: String,
    /// Whether all is as it should be.
    good: bool,
    containers: Vec<ContainerState>,
}

#[derive(Serialize)]
struct ContainerState {
    name: String,
    /// Its name on the engine; null if it is not there.
    container: Option<String>,
    /// The service or task: `service.api`.
    of: String,
    replica: Option<u32>,
    beside: Option<String>,
    image: Option<String>,
    /// `running`, `exited`, `created`, `paused`, or `missing`.
    state: String,
    /// `ready`, `not-ready`, `unknown`; null without a health check, and for one that does not run.
    health: Option<&'static str>,
    /// What the health check says if it fails.
    reason: Option<String>,
    /// RFC 3339.
    started_at: Option<String>,
    exit_code: Option<i64>,
    restarts: u64,
    ports: Vec<u16>,
    /// What `fracht start` would do: `create`, `start`, `replace` or `remove`; null for nothing.
    change: Option<&'static str>,
    why: Option<String>,
}

pub(super) fn of(machine: &Machine, rows: &[Row<'_>], veil: &Veil) -> StateDocument {
    StateDocument {
        stack: machine.owner.stack.clone(),
        target: machine.owner.target.clone(),
        engine: machine.engine.place(),
        good: rows.iter().all(Row::is_good),
        containers: rows.iter().map(|row| container(row, veil)).collect(),
    }
}

fn container(row: &Row<'_>, veil: &Veil) -> ContainerState {
    let seen = row.seen;
    let (health, reason) = match &row.health {
        None => (None, None),
        Some(Answer::Passed) => (Some("ready"), None),
        Some(Answer::Failed(why)) => (Some("not-ready"), Some(veil.cover(why))),
        Some(Answer::Unasked(why)) => (Some("unknown"), Some(veil.cover(why))),
    };
    ContainerState {
        name: row.shown.clone(),
        container: seen.map(|seen| seen.name.clone()),
        of: row.of.clone(),
        replica: row.replica,
        beside: row.sidecar.clone(),
        image: Some(row.image.clone()).filter(|image| !image.is_empty()),
        state: seen.map_or_else(|| "missing".to_owned(), |seen| seen.status.clone()),
        health,
        reason,
        started_at: seen.map(|seen| seen.started_at.clone()).filter(|time| !time.starts_with("0001")),
        exit_code: seen.filter(|seen| !seen.is_running && !seen.is_fresh()).map(|seen| seen.exit_code),
        restarts: seen.map_or(0, |seen| seen.restarts),
        ports: row.ports().to_vec(),
        change: row.change.as_ref().map(|(verb, _)| *verb),
        why: row.change.as_ref().map(|(_, why)| why.clone()),
    }
}
