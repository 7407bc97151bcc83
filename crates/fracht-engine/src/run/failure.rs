//! Why a container failed, with the last lines of its output.

use std::time::Duration;

use crate::actual::Seen;
use crate::api::{Engine, EngineError, Frames, Line, Lines, LogOptions};
use crate::desired::Container;
use crate::probe::in_words;

/// A container that failed.
#[derive(Clone, Debug)]
pub struct Failed {
    /// The place of its unit.
    pub unit: usize,
    /// Its name in output.
    pub shown: String,
    /// Its name on the engine.
    pub name: String,
    /// Why.
    pub reason: String,
    /// The last lines of its output.
    pub log: Vec<Line>,
}

/// How many of the last lines are kept.
const LAST: u64 = 10;

impl Failed {
    fn new(container: &Container, reason: String) -> Self {
        let (shown, name) = (container.shown.clone(), container.name.clone());
        Self { unit: 0, shown, name, reason, log: Vec::new() }
    }

    pub(super) fn refused(shown: &str, name: &str, error: &EngineError) -> Self {
        let (shown, name) = (shown.to_owned(), name.to_owned());
        Self { unit: 0, shown, name, reason: error.to_string(), log: Vec::new() }
    }

    pub(super) fn ended(container: &Container, code: i64) -> Self {
        Self::new(container, format!("ended with {}", exit(code)))
    }

    pub(super) fn ends(container: &Container, seen: &Seen) -> Self {
        let memory = if seen.is_out_of_memory { ", for lack of memory" } else { "" };
        let times = match seen.restarts {
            0 => String::new(),
            restarts => format!(" {} times, the last time", restarts + 1),
        };
        Self::new(container, format!("ended{times} with {}{memory}", exit(seen.exit_code)))
    }

    pub(super) fn gone(container: &Container) -> Self {
        Self::new(container, "was removed by something else".to_owned())
    }

    pub(super) fn unhealthy(container: &Container, boot: Duration, said: &str) -> Self {
        let said = if said.is_empty() { String::new() } else { format!(": {said}") };
        Self::new(container, format!("not ready after {}{said}", in_words(boot)))
    }

    pub(super) fn unasked(container: &Container, why: &str) -> Self {
        Self::new(container, format!("its health check cannot be asked: {why}"))
    }

    pub(super) fn too_long(container: &Container, timeout: Duration) -> Self {
        Self::new(container, format!("did not end in {}, its `timeout`", in_words(timeout)))
    }
}

/// An exit code in words: those above 128 are signals (POSIX, Shell Command Language).
pub fn exit(code: i64) -> String {
    match code {
        137 => "exit code 137 (killed)".to_owned(),
        139 => "exit code 139 (crashed)".to_owned(),
        143 => "exit code 143 (stopped)".to_owned(),
        126 => "exit code 126 (the program is not executable)".to_owned(),
        127 => "exit code 127 (program not found)".to_owned(),
        _ => format!("exit code {code}"),
    }
}

/// The last lines of the output of a container; none if it has none, or is not there.
pub(super) fn last_lines(engine: &Engine, name: &str) -> Vec<Line> {
    let options = LogOptions { last: Some(LAST), ..LogOptions::default() };
    let Ok(body) = engine.logs(name, options) else { return Vec::new() };
    let mut lines = Lines::default();
    let mut all = Vec::new();
    for frame in Frames::new(body).map_while(Result::ok) {
        all.extend(lines.add(frame, false));
    }
    all.extend(lines.end(false));
    let first = all.len().saturating_sub(usize::try_from(LAST).unwrap_or(usize::MAX));
    all.split_off(first)
}
