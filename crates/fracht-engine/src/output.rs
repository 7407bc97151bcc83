//! The output of containers: lines put together from frames, of several containers merged by time.

use std::collections::BTreeMap;
use std::io::Read;
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

use crate::api::{Engine, EngineError, Frames, Line, Lines, LogOptions};

use crate::parallel::at_once;

/// A line of a container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OfContainer {
    /// The place of the container in the list of those that are read.
    pub container: usize,
    /// The line.
    pub line: Line,
}

/// How long lines of a moment are collected, so that those of several containers are in the order of their times.
const MOMENT: Duration = Duration::from_millis(100);

/// Reads the output of containers, and passes each line to `write`, until it returns false or all outputs have ended.
///
/// # Errors
/// [`EngineError`] if the output of a container cannot be read at all.
pub fn read(
    engine: &Engine,
    containers: &[String],
    options: LogOptions,
    write: &mut dyn FnMut(&OfContainer) -> bool,
) -> Result<(), EngineError> {
    let options = LogOptions { timestamps: true, ..options };
    let bodies: Result<Vec<_>, _> = if options.follow {
        // The engine answers with the first line, so that none may wait for another.
        Ok(Vec::new())
    } else {
        at_once(containers, |name| engine.logs(name, options)).into_iter().collect()
    };
    let bodies = bodies?;
    std::thread::scope(|scope| {
        let (send, lines) = channel();
        let mut bodies = bodies.into_iter();
        for (index, name) in containers.iter().enumerate() {
            let (send, body) = (send.clone(), bodies.next());
            scope.spawn(move || {
                let body = match body {
                    Some(body) => body,
                    None => match engine.logs(name, options) {
                        Ok(body) => body,
                        // It was removed in between.
                        Err(_) => return,
                    },
                };
                each_line(body, |line| send.send(OfContainer { container: index, line }).is_ok());
            });
        }
        drop(send);
        if options.follow { follow(&lines, write) } else { merge(lines, options.last, write) }
    });
    Ok(())
}

/// Passes each line of a body on, until nobody wants it.
fn each_line(body: impl Read, mut send: impl FnMut(Line) -> bool) {
    let mut lines = Lines::default();
    for frame in Frames::new(body).map_while(Result::ok) {
        if !lines.add(frame, true).into_iter().all(&mut send) {
            return;
        }
    }
    lines.end(true).into_iter().all(&mut send);
}

/// The time of a line, in nanoseconds.
fn time(line: &Line) -> i128 {
    line.time.parse::<jiff::Timestamp>().map_or(0, jiff::Timestamp::as_nanosecond)
}

/// All lines, by time; those of one container stay in their order.
fn merge(lines: Receiver<OfContainer>, last: Option<u64>, write: &mut dyn FnMut(&OfContainer) -> bool) {
    let mut all: Vec<(i128, OfContainer)> = Vec::new();
    // A line is never before one that its container wrote earlier.
    let mut latest: BTreeMap<usize, i128> = BTreeMap::new();
    for line in lines {
        let latest = latest.entry(line.container).or_insert(i128::MIN);
        *latest = time(&line.line).max(*latest);
        all.push((*latest, line));
    }
    all.sort_by_key(|(time, line)| (*time, line.container));
    let skipped =
        last.map_or(0, |last| all.len().saturating_sub(usize::try_from(last).unwrap_or(usize::MAX)));
    all.iter().skip(skipped).all(|(_, line)| write(line));
}

/// Lines as they come, those of a moment by time.
fn follow(lines: &Receiver<OfContainer>, write: &mut dyn FnMut(&OfContainer) -> bool) {
    loop {
        let mut moment = match lines.recv() {
            Ok(first) => vec![first],
            Err(_) => return,
        };
        let end = Instant::now() + MOMENT;
        let is_over = loop {
            match lines.recv_timeout(end.saturating_duration_since(Instant::now())) {
                Ok(line) => moment.push(line),
                Err(RecvTimeoutError::Timeout) => break false,
                Err(RecvTimeoutError::Disconnected) => break true,
            }
        };
        moment.sort_by_key(|line| (time(&line.line), line.container));
        if !moment.iter().all(&mut *write) || is_over {
            return;
        }
    }
}
