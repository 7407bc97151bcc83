//! The timeline of `fracht order`: a bar for each service and task.

use std::collections::BTreeMap;
use std::time::Duration;

use fracht_core::grammar::duration;
use fracht_core::model::{Model, WorkloadId};
use fracht_core::plan::order::{Chain, Order};
use fracht_core::plan::timeline::Slot;

use crate::ui::style::{BOLD, HEAD, QUIET, WIDTH};

/// The most waves of a timeline: more leave no room for bars.
const MOST_WAVES: usize = 30;
/// The room for the time behind a bar.
const TIME: usize = 9;
/// The longest name that is shown whole.
const NAME: usize = 30;

/// The bars of some slots, which are in the order of their waves. A part of the longest chain is drawn thick, one of
/// which no limit is set as `?`. Each link has at least one column, so that the order is seen whatever the scale is.
pub(super) fn text(model: &Model, order: &Order, slots: &[Slot], chain: Option<&Chain>) -> String {
    let waves =
        slots.iter().filter_map(|slot| order.wave(slot.id)).collect::<std::collections::BTreeSet<_>>();
    if slots.len() < 2 {
        return String::new();
    }
    if waves.len() > MOST_WAVES {
        return format!(
            "\n{QUIET}The timeline of {} waves does not fit; `--only NAME` shows a part of it.{QUIET:#}\n",
            waves.len()
        );
    }
    let names: Vec<String> = slots.iter().map(|slot| cut(&model.workloads[slot.id].reference())).collect();
    let longest = names.iter().map(|name| name.chars().count()).max().unwrap_or_default();
    let room = WIDTH - "wave  ".len() - longest - 2 - TIME;
    let end = slots.iter().map(Slot::end).max().unwrap_or_default();
    let bars = (room - waves.len()) as u128;
    let mut ends: BTreeMap<WorkloadId, usize> = BTreeMap::new();
    let mut starts: BTreeMap<WorkloadId, usize> = BTreeMap::new();
    let columns =
        |time: Duration| usize::try_from(time.as_millis() * bars / end.as_millis().max(1)).unwrap_or(room);
    let scale_end = duration::show(end).to_string();
    let mut out = format!("\n{HEAD}wave  {:longest$}  0s", "name");
    out.push_str(&format!("{:>width$}{HEAD:#}\n", scale_end, width = room.saturating_sub(2)));
    let mut wave_before = None;
    for (slot, name) in slots.iter().zip(&names) {
        let waits = model.workloads[slot.id].after.iter();
        let before = waits.filter_map(|after| match after.condition {
            fracht_core::model::Condition::Started => starts.get(&after.on),
            _ => ends.get(&after.on),
        });
        let from = before.copied().max().unwrap_or_default().max(columns(slot.start)).min(room - 1);
        let length = slot.takes.map_or(1, |takes| columns(takes).max(1)).min(room - from);
        starts.insert(slot.id, from);
        ends.insert(slot.id, from + length);
        let is_in_chain = chain.is_some_and(|chain| chain.links.contains(&slot.id));
        let wave = order.wave(slot.id);
        let number = match wave {
            Some(wave) if wave_before.replace(wave) != Some(wave) => wave.to_string(),
            _ => String::new(),
        };
        let bar = match (slot.takes, is_in_chain) {
            (None, _) => format!("{QUIET}?{QUIET:#}"),
            (Some(_), true) => format!("{BOLD}{}{BOLD:#}", "━".repeat(length)),
            (Some(_), false) => "─".repeat(length),
        };
        let time = match slot.takes {
            Some(takes) => duration::show(takes).to_string(),
            None => "unknown".to_owned(),
        };
        let more = if slot.after_unknown { "+" } else { "" };
        let padding = " ".repeat(from);
        out.push_str(&format!("{number:<4}  {name:longest$}  {padding}{bar} {QUIET}{time}{more}{QUIET:#}\n"));
    }
    let mut legend = Vec::new();
    if chain.is_some() {
        legend.push("━ longest chain");
    }
    if slots.iter().any(|slot| slot.takes.is_none()) {
        legend.push("? no limit set");
    }
    if slots.iter().any(|slot| slot.after_unknown) {
        legend.push("+ starts after an unknown time");
    }
    if !legend.is_empty() {
        out.push_str(&format!("{QUIET}{}{QUIET:#}\n", legend.join("   ")));
    }
    out
}

/// A name, cut in the middle if it is long.
fn cut(name: &str) -> String {
    let all: Vec<char> = name.chars().collect();
    if all.len() <= NAME {
        return name.to_owned();
    }
    let (start, end) = (NAME / 2, all.len() - (NAME - NAME / 2 - 1));
    all.iter().take(start).chain(&['…']).chain(all.iter().skip(end)).collect()
}
