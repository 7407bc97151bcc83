//! What a person sees of a start: on a terminal a line for each container, in waves, drawn again as they change; else a
//! line for each change.

use std::collections::BTreeSet;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use fracht_engine::desired::{Desired, Replica};
use fracht_engine::probe::in_words;
use fracht_engine::run::{Event, Point};
use unicode_width::UnicodeWidthStr as _;

use crate::engine::Machine;
use crate::ui::Ui;
use crate::ui::screen;
use crate::ui::style::{BOLD, ERROR, GOOD, HELP, OPEN, QUIET, Style};
use crate::veil::Veil;

/// How often the lines of a terminal are drawn again.
const TICK: Duration = Duration::from_millis(100);

/// A line.
struct Row {
    unit: usize,
    wave: usize,
    name: String,
    is_on_chain: bool,
    /// The units that it waits for, each with its name, until it begins.
    waits: Vec<(usize, String)>,
    text: String,
    style: Style,
    /// Whether others need not wait for it any more.
    is_reached: bool,
    /// Since when it is so, if that is shown.
    since: Option<Instant>,
}

/// The view of a start.
pub(super) struct View<'u> {
    ui: &'u mut Ui,
    veil: &'u Veil,
    title: String,
    rows: Vec<Row>,
    /// How many lines are on the terminal; `None` if there is none.
    drawn: Option<usize>,
    width: usize,
    begun: Instant,
    names: usize,
}

impl<'u> View<'u> {
    pub(super) fn new(
        machine: &Machine,
        (desired, chosen): (&Desired, &[bool]),
        veil: &'u Veil,
        ui: &'u mut Ui,
    ) -> Self {
        let (model, order) = (machine.model(), &machine.verdict.facts.order);
        let chain = order.longest_chain(model).filter(|chain| chain.links.len() > 1);
        let chain: BTreeSet<usize> =
            chain.iter().flat_map(|chain| &chain.links).map(|id| id.index()).collect();
        let mut rows = Vec::new();
        for (index, unit) in desired.units.iter().enumerate() {
            if chosen.get(index) != Some(&true) {
                continue;
            }
            let on =
                unit.after.iter().filter_map(|(on, _)| Some((*on, desired.units.get(*on)?.name.clone())));
            let on: Vec<(usize, String)> = on.collect();
            for container in unit.replicas.iter().flat_map(Replica::containers) {
                rows.push(Row {
                    unit: index,
                    wave: order.wave(unit.id).unwrap_or(usize::MAX),
                    name: container.shown.clone(),
                    is_on_chain: chain.contains(&index),
                    waits: on.clone(),
                    text: String::new(),
                    style: QUIET,
                    is_reached: false,
                    since: None,
                });
            }
        }
        rows.sort_by_key(|row| row.wave);
        let (columns, lines) = screen::size_of_messages().unwrap_or_default();
        // Lines that do not fit cannot be drawn again.
        let is_live = ui.shows_progress() && rows.len() + 12 < lines;
        let names = rows.iter().map(|row| row.name.width()).max().unwrap_or(0);
        let title = format!("{BOLD}{}{BOLD:#} on {}", machine.owner.stack, machine.owner.target);
        let drawn = is_live.then_some(0);
        Self { ui, veil, title, rows, drawn, width: columns, begun: Instant::now(), names }
    }

    /// Shows something that happened.
    pub(super) fn event(&mut self, event: Event) {
        let (unit, name, point) = match event {
            Event::Prepared(words) => {
                if self.drawn.is_none() {
                    self.ui.progress(&words);
                }
                return;
            }
            Event::At(unit, name, point) => (unit, name, point),
        };
        let (text, style, is_timed) = words(&point);
        // The engine may repeat what it was sent.
        let text = self.veil.cover(&text);
        if self.drawn.is_none() {
            let is_shown = !matches!(point, Point::Asking | Point::Starting);
            if is_shown {
                self.ui.progress(&format!("{name:0$}  {style}{text}{style:#}", self.names));
            }
            return;
        }
        if let Some(row) = self.rows.iter_mut().find(|row| row.unit == unit && row.name == name) {
            row.text = text;
            row.style = style;
            row.since = is_timed.then(Instant::now);
            row.is_reached = is_reached(&point);
        }
        // The sidecars of a replica that stays as it is.
        if matches!(point, Point::Kept) {
            let beside = format!("{name}.");
            for row in self.rows.iter_mut().filter(|row| row.unit == unit && row.name.starts_with(&beside)) {
                (row.text, row.style, row.is_reached) = (words(&point).0, QUIET, true);
            }
        }
        self.draw();
    }

    /// Draws all lines again.
    fn draw(&mut self) {
        let Some(drawn) = self.drawn else { return };
        let mut lines = vec![format!("{}  {QUIET}{}{QUIET:#}", self.title, in_words(self.begun.elapsed()))];
        let mut wave = 0;
        for row in &self.rows {
            if row.wave != wave {
                wave = row.wave;
                lines.push(if wave == usize::MAX {
                    String::new()
                } else {
                    format!("{QUIET}wave {wave}{QUIET:#}")
                });
            }
            let mark = if row.is_on_chain { '*' } else { ' ' };
            let since =
                row.since.map_or_else(String::new, |since| format!(", {}", in_words(since.elapsed())));
            let room = self.width.saturating_sub(self.names + 7);
            let words = if row.text.is_empty() { self.waiting(row) } else { row.text.clone() };
            let text: String = format!("{words}{since}").chars().take(room).collect();
            let (style, name, names) = (row.style, &row.name, self.names);
            lines.push(format!("{mark} {name:names$}  {style}{text}{style:#}"));
        }
        if self.rows.iter().any(|row| row.is_on_chain) {
            lines.push(String::new());
            lines.push(format!("{QUIET}* the chain that may take the longest{QUIET:#}"));
        }
        self.ui.redraw(drawn, &lines);
        self.drawn = Some(lines.len());
    }

    /// What a container still waits for.
    fn waiting(&self, row: &Row) -> String {
        let is_open = |unit: usize| self.rows.iter().any(|other| other.unit == unit && !other.is_reached);
        let open: Vec<&str> =
            row.waits.iter().filter(|(unit, _)| is_open(*unit)).map(|(_, name)| &**name).collect();
        if open.is_empty() { "waits".to_owned() } else { format!("waits for {}", open.join(", ")) }
    }

    /// Draws the last state.
    pub(super) fn end(&mut self) {
        self.draw();
        if self.drawn.is_some() {
            self.ui.progress("");
        }
    }
}

/// Whether nobody has to wait for a container at this point.
fn is_reached(point: &Point) -> bool {
    matches!(point, Point::Kept | Point::Started(_) | Point::Ready(_) | Point::Done(_))
}

/// A point in words, its style, and whether its time is shown.
fn words(point: &Point) -> (String, Style, bool) {
    match point {
        Point::Kept => ("runs already".to_owned(), QUIET, false),
        Point::Removing(why) => (format!("removed: {why}"), OPEN, false),
        Point::Creating(Some(why)) => (format!("replaced: {why}"), OPEN, false),
        Point::Creating(None) => ("created".to_owned(), OPEN, false),
        Point::Starting => ("starts".to_owned(), OPEN, true),
        Point::Asking => ("started, health check".to_owned(), HELP, true),
        Point::Running => ("runs".to_owned(), HELP, true),
        Point::Again(tries, code) => {
            (format!("try {tries} ended with exit code {code}, tried again"), OPEN, true)
        }
        Point::Started(_) => ("runs".to_owned(), GOOD, false),
        Point::Ready(time) => (format!("ready after {}", in_words(*time)), GOOD, false),
        Point::Done(time) => (format!("done after {}", in_words(*time)), GOOD, false),
        Point::Failed(failed) => (format!("failed: {}", failed.reason), ERROR, false),
        Point::Blocked(on) => (format!("not started: waits for {}", on.join(", ")), ERROR, false),
    }
}

/// Does some work while the lines are drawn again and again, so that times go on.
pub(super) fn ticking<R: Send>(view: &Mutex<View<'_>>, work: impl FnOnce() -> R + Send) -> R {
    let is_live = view.lock().is_ok_and(|view| view.drawn.is_some());
    if !is_live {
        return work();
    }
    std::thread::scope(|scope| {
        let (over, wait) = std::sync::mpsc::channel::<()>();
        scope.spawn(move || {
            while wait.recv_timeout(TICK) == Err(std::sync::mpsc::RecvTimeoutError::Timeout) {
                if let Ok(mut view) = view.lock() {
                    view.draw();
                }
            }
        });
        let done = work();
        drop(over);
        done
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use fracht_engine::run::Failed;

    #[test]
    fn every_point_has_its_words() {
        let three = Duration::from_millis(3240);
        let failed = Failed {
            unit: 0,
            shown: "api".into(),
            name: "s.m.api.0".into(),
            reason: "ended with exit code 1".into(),
            log: Vec::new(),
        };
        for (point, said, timed, reached) in [
            (Point::Kept, "runs already", false, true),
            (
                Point::Removing("the stack does not have it".into()),
                "removed: the stack does not have it",
                false,
                false,
            ),
            (
                Point::Creating(Some("its image has changed".into())),
                "replaced: its image has changed",
                false,
                false,
            ),
            (Point::Creating(None), "created", false, false),
            (Point::Starting, "starts", true, false),
            (Point::Asking, "started, health check", true, false),
            (Point::Running, "runs", true, false),
            (Point::Again(2, 7), "try 2 ended with exit code 7, tried again", true, false),
            (Point::Started(three), "runs", false, true),
            (Point::Ready(three), "ready after 3.2 s", false, true),
            (Point::Done(three), "done after 3.2 s", false, true),
            (Point::Failed(failed), "failed: ended with exit code 1", false, false),
            (
                Point::Blocked(vec!["db".into(), "cache".into()]),
                "not started: waits for db, cache",
                false,
                false,
            ),
        ] {
            let (text, _, is_timed) = words(&point);
            assert_eq!((text.as_str(), is_timed, is_reached(&point)), (said, timed, reached));
        }
    }
}
