//! `fracht state`

mod document;

use std::collections::BTreeMap;
use std::thread;
use std::time::Duration;

use fracht_engine::actual::{Actual, Seen};
use fracht_engine::desired::{Container, Desired, Hidden, Unit};
use fracht_engine::parallel::at_once;
use fracht_engine::probe::{Answer, Prober};
use fracht_engine::run::exit;
use fracht_engine::steps::{ImageIds, Need, Steps};

use crate::cli::{Format, State};
use crate::engine::{self, Machine};
use crate::failure::{Failure, Outcome};
use crate::images;
use crate::secrets::{self, Values};
use crate::ui::style::{BOLD, ERROR, GOOD, OPEN, QUIET, Style};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted};
use crate::veil::Veil;

/// A container: what should be, what is, and what differs.
struct Row<'s> {
    shown: String,
    of: String,
    replica: Option<u32>,
    sidecar: Option<String>,
    image: String,
    seen: Option<&'s Seen>,
    /// The answer to its health check; `None` if it has none, or does not run.
    health: Option<Answer>,
    is_task: bool,
    /// What `start` would do, and why; `None` for nothing.
    change: Option<(&'static str, String)>,
}

impl Row<'_> {
    /// Its state in a word, with its style.
    fn state(&self) -> (String, Style) {
        let Some(seen) = self.seen else { return ("missing".to_owned(), ERROR) };
        match &*seen.status {
            "running" if self.keeps_ending() => ("ends again and again".to_owned(), ERROR),
            "running" => ("running".to_owned(), GOOD),
            "paused" => ("paused".to_owned(), ERROR),
            _ if seen.is_fresh() => ("not started".to_owned(), ERROR),
            _ if self.is_task && seen.exit_code == 0 => ("done".to_owned(), GOOD),
            _ => (exit(seen.exit_code), ERROR),
        }
    }

    /// Whether it runs only since it was restarted, and that not for the first time.
    fn keeps_ending(&self) -> bool {
        const OFTEN: u64 = 3;
        const LONG: Duration = Duration::from_secs(60);
        self.seen.is_some_and(|seen| seen.restarts >= OFTEN && since(seen).is_some_and(|time| time < LONG))
    }

    /// The numbers of the machine that lead to it. A sidecar has the network of its service.
    fn ports(&self) -> &[u16] {
        self.seen.filter(|seen| self.sidecar.is_none() && seen.is_running).map_or(&[], |seen| &seen.published)
    }

    /// Whether all is as it should be.
    fn is_good(&self) -> bool {
        let is_healthy = matches!(self.health, None | Some(Answer::Passed));
        self.change.is_none() && is_healthy && self.state().1 == GOOD
    }
}

pub(crate) fn run(args: &State, ui: &mut Ui) -> Result<Outcome, Failure> {
    let Some(machine) = engine::open(&args.machine, ui)? else { return Ok(Outcome::Problems) };
    let (model, files) = (machine.model(), machine.project.files());
    let known = secrets::known(model, files);
    // One that is in the cluster alone is used by nothing here, which has been checked.
    let own = model.secrets.entries().filter(|(_, secret)| secret.is_generated());
    let is_known = own.into_iter().all(|(id, secret)| {
        secret.keys.iter().all(|key| known.get(&id).is_some_and(|keys| keys.contains_key(&*key.name)))
    });
    let desired =
        if is_known { machine.desired(&Values(&known))? } else { machine.desired(&Hidden(model))? };
    let chosen = desired.chosen(&[]);
    let (actual, ids) = thread::scope(|scope| {
        let ids = scope.spawn(|| image_ids(&machine, &desired));
        let lost = || Failure::new("a thread has ended", "run the command again");
        (machine.actual(), ids.join().map_err(|_| lost()))
    });
    let (actual, ids) = (actual?, ids??);
    let steps = Steps::of(&desired, &chosen, &actual, &ids);
    let rows = rows(&machine, (&desired, &chosen), &actual, &steps)?;
    let is_good = rows.iter().all(Row::is_good);
    match args.format {
        Format::Text => ui.result(&text(&machine, &rows, &Veil::over(&known)))?,
        Format::Json => ui.json(&document::of(&machine, &rows, &Veil::over(&known)))?,
    }
    if !is_known {
        ui.note("some values of secrets cannot be read, so that a change of one is not seen");
    }
    Ok(Outcome::problems_if(!is_good))
}

/// The images that are on this machine, by their references.
fn image_ids(machine: &Machine, desired: &Desired) -> Result<ImageIds, Failure> {
    let containers: Vec<&Container> = desired.containers().map(|(_, _, container)| container).collect();
    let mut ids = ImageIds::new();
    for (name, image) in images::look(&machine.engine, &containers) {
        if let Some(image) = image.map_err(|error| engine::failure(&error))? {
            ids.insert(name, image.id);
        }
    }
    Ok(ids)
}

fn rows<'a>(
    machine: &Machine,
    (desired, chosen): (&Desired, &[bool]),
    actual: &'a Actual,
    steps: &Steps,
) -> Result<Vec<Row<'a>>, Failure> {
    let removed: BTreeMap<&str, &str> =
        steps.remove.iter().map(|removal| (&*removal.name, &*removal.why)).collect();
    let mut wanted: Vec<(&Unit, u32, &Container, &Container, Need)> = Vec::new();
    for ((unit, needs), _) in
        desired.units.iter().zip(&steps.units).zip(chosen).filter(|(_, chosen)| **chosen)
    {
        for (replica, steps) in unit.replicas.iter().zip(needs.iter().flatten()) {
            let before = replica.before.iter().map(|one| (one, Need::Keep));
            let main = std::iter::once((&replica.main, steps.main));
            let beside = replica.beside.iter().zip(steps.beside.iter().copied());
            for (container, need) in before.chain(main).chain(beside) {
                wanted.push((unit, replica.index, container, &replica.main, need));
            }
        }
    }
    let prober = Prober::default();
    let asked = at_once(&wanted, |(_, _, container, main, _)| {
        let seen = actual.containers.get(&container.name).filter(|seen| seen.is_running);
        let (Some(_), Some(health)) = (seen, &container.health) else { return Ok(None) };
        let address = actual.containers.get(&main.name).and_then(|seen| seen.address);
        prober.ask(&machine.engine, (&container.name, address), health).map(Some)
    });
    let mut rows = Vec::new();
    for ((unit, index, container, main, need), health) in wanted.into_iter().zip(asked) {
        let seen = actual.containers.get(&container.name);
        let is_before =
            unit.replicas.iter().flat_map(|one| &one.before).any(|one| one.name == container.name);
        let change = match (removed.get(&*container.name), need) {
            (Some(why), _) => Some(("replace", (*why).to_owned())),
            (None, Need::Keep) => None,
            (None, Need::Start) => Some(("start", "it has ended".to_owned())),
            (None, Need::Create) => Some(("create", "it is not there".to_owned())),
            (None, Need::Replace(why)) => Some(("replace", why.to_string())),
        };
        rows.push(Row {
            shown: container.shown.clone(),
            of: unit.reference.clone(),
            replica: (!unit.is_task()).then_some(index),
            sidecar: (container.name != main.name)
                .then(|| container.shown.rsplit('.').next().unwrap_or_default().to_owned()),
            image: container.spec.image.clone(),
            seen,
            health: health.map_err(|error| engine::failure(&error))?,
            is_task: unit.is_task() || is_before,
            change,
        });
    }
    for removal in &steps.remove {
        if rows.iter().any(|row| row.seen.is_some_and(|seen| seen.name == removal.name)) {
            continue;
        }
        let seen = actual.containers.get(&removal.name);
        rows.push(Row {
            shown: removal.shown.clone(),
            of: seen.map_or_else(String::new, |seen| seen.of.clone()),
            replica: seen.and_then(|seen| seen.replica),
            sidecar: seen.and_then(|seen| seen.sidecar.clone()),
            image: String::new(),
            seen,
            health: None,
            is_task: seen.is_some_and(|seen| seen.of.starts_with("task.")),
            change: Some(("remove", removal.why.clone())),
        });
    }
    Ok(rows)
}

/// The time since a container was started, or since it ended.
fn since(seen: &Seen) -> Option<Duration> {
    let time = if seen.is_running { &seen.started_at } else { &seen.finished_at };
    let time: jiff::Timestamp = time.parse().ok()?;
    // Before the first container was: none is set.
    (time.as_second() > 0).then_some(())?;
    jiff::Timestamp::now().duration_since(time).try_into().ok()
}

fn text(machine: &Machine, rows: &[Row<'_>], veil: &Veil) -> String {
    let (stack, target) = (&machine.owner.stack, &machine.owner.target);
    if rows.iter().all(|row| row.seen.is_none()) {
        return format!("Nothing of {stack} runs on {target}. Start it with {BOLD}fracht start{BOLD:#}.\n");
    }
    let bad = rows.iter().filter(|row| !row.is_good()).count();
    let verdict = match bad {
        0 => format!("{GOOD}all as they should be{GOOD:#}"),
        1 => format!("{ERROR}1 is not as it should be{ERROR:#}"),
        _ => format!("{ERROR}{bad} are not as they should be{ERROR:#}"),
    };
    let mut out = format!(
        "{BOLD}{stack}, target {target}{BOLD:#}: {}, {verdict}\n\n",
        counted(rows.len(), "container")
    );
    let mut table = Table::new(["container", "state", "health", "since", "restarts", "ports", "image"]);
    for row in rows {
        let (state, style) = row.state();
        let health = match &row.health {
            None => Cell::styled("–", QUIET),
            Some(Answer::Passed) => Cell::styled("ready", GOOD),
            Some(Answer::Failed(_)) => Cell::styled("not ready", ERROR),
            Some(Answer::Unasked(_)) => Cell::styled("not known", OPEN),
        };
        let restarts = row.seen.map_or(0, |seen| seen.restarts);
        let ports: Vec<String> = row.ports().iter().map(u16::to_string).collect();
        let ports = ports.join(", ");
        table.row([
            row.shown.clone().into(),
            Cell::styled(state, style),
            health,
            row.seen.and_then(since).map_or_else(|| "–".into(), |time| engine::age(time).into()),
            if restarts == 0 { Cell::styled("0", QUIET) } else { Cell::styled(restarts.to_string(), OPEN) },
            if ports.is_empty() { Cell::styled("–", QUIET) } else { ports.into() },
            Cell::styled(short(&row.image), QUIET),
        ]);
    }
    out.push_str(&table.show());
    let failing: Vec<String> = rows
        .iter()
        .filter_map(|row| match &row.health {
            Some(Answer::Failed(why) | Answer::Unasked(why)) => {
                Some(format!("  {}  {}\n", row.shown, veil.cover(why)))
            }
            _ => None,
        })
        .collect();
    if !failing.is_empty() {
        out.push_str(&format!("\n{BOLD}Health{BOLD:#}\n{}", failing.concat()));
    }
    let mut changes = Table::new(["start would", "container", "why"]);
    let mut has_changes = false;
    for row in rows {
        if let Some((verb, why)) = &row.change {
            has_changes = true;
            changes.row([(*verb).into(), row.shown.clone().into(), why.clone().into()]);
        }
    }
    if has_changes {
        out.push_str(&format!("\n{}", changes.show()));
    }
    out
}

/// An image without its registry: the table has to fit.
fn short(image: &str) -> String {
    let name = image.rsplit('/').next().unwrap_or(image);
    name.split('@').next().unwrap_or(name).to_owned()
}
