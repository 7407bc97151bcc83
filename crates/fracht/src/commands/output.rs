//! `fracht output`

use std::collections::{BTreeMap, BTreeSet};

use anstream::adapter::strip_str;
use fracht_core::escape::escaped;
use fracht_engine::api::{LogOptions, Output as Stream};
use fracht_engine::output;
use unicode_width::UnicodeWidthStr as _;

use crate::cli::Output;
use crate::engine;
use crate::failure::{Failure, Outcome};
use crate::secrets;
use crate::ui::Ui;
use crate::ui::style::{ERROR, NAMES, QUIET};
use crate::veil::Veil;

pub(crate) fn run(args: &Output, ui: &mut Ui) -> Result<Outcome, Failure> {
    let machine = engine::open_any(&args.machine)?;
    let model = machine.model();
    let chosen: BTreeSet<String> =
        machine.named(&args.names)?.into_iter().map(|id| model.workloads[id].reference()).collect();
    let veil = Veil::over(&secrets::known(model, machine.project.files()));
    let actual = machine.actual()?;
    let seen = actual.containers.values().filter(|seen| chosen.is_empty() || chosen.contains(&seen.of));
    let mut seen: Vec<_> = seen.collect();
    // Times may be whole seconds: of one second, those come first that were started first.
    seen.sort_by_key(|seen| &seen.started_at);
    let containers: Vec<(String, String)> =
        seen.into_iter().map(|seen| (seen.name.clone(), actual.shown(seen))).collect();
    if containers.is_empty() {
        ui.note("nothing of this runs here; start it with `fracht start`");
        return Ok(Outcome::Fine);
    }
    let now = jiff::Timestamp::now().as_second();
    let since = args.since.map(|time| now.saturating_sub(i64::try_from(time.as_secs()).unwrap_or(now)));
    // Of all containers together, and of each at most as many.
    let options = LogOptions { follow: args.follow, since, last: args.last, timestamps: true };
    let width = containers.iter().map(|(_, shown)| shown.width()).max().unwrap_or(0);
    let units: BTreeSet<&str> = containers.iter().map(|(_, shown)| unit(shown)).collect();
    let styles: BTreeMap<&str, _> = units.into_iter().zip(NAMES.into_iter().cycle()).collect();
    let names: Vec<String> = containers.iter().map(|(name, _)| name.clone()).collect();
    let mut failure = None;
    let read = output::read(&machine.engine, &names, options, &mut |line| {
        let Some((_, shown)) = containers.get(line.container) else { return true };
        let style = styles.get(unit(shown)).copied().unwrap_or(QUIET);
        // Colors of programs would mix with ours.
        let text = veil.cover(&strip_str(&line.line.text).to_string());
        let bar = if line.line.output == Stream::Err { ERROR } else { QUIET };
        let line = format!("{style}{shown:width$}{style:#} {bar}|{bar:#} {}\n", escaped(&text));
        let printed = ui.result(&line).and_then(|()| if args.follow { ui.flush() } else { Ok(()) });
        printed.map_err(|error| failure = Some(error)).is_ok()
    });
    read.map_err(|error| engine::failure(&error))?;
    failure.map_or(Ok(Outcome::Fine), Err)
}

/// The service or task of a container, by its name in output.
fn unit(shown: &str) -> &str {
    let replica = shown.split('.').next().unwrap_or(shown);
    match replica.rsplit_once('-') {
        Some((name, number)) if number.parse::<u32>().is_ok() => name,
        _ => replica,
    }
}
