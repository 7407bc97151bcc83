//! `fracht ports --live`: what listens on this machine.

use fracht_core::check::Verdict;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Model, TargetKind};
use fracht_core::plan::listening::{InUse, Listening, Program};

use crate::failure::Failure;
use crate::machine;
use crate::ui::counted;
use crate::ui::style::{BOLD, ERROR, QUIET};
use crate::ui::table::{Cell, Table};

/// The most listeners that are listed.
const MOST: usize = 30;

/// What listens on this machine. The numbers of the stack are tried.
pub(super) fn look(verdict: &Verdict) -> Result<Listening, Failure> {
    let (model, plan) = (&verdict.facts.model, &verdict.facts.ports);
    if model.target.on.value != TargetKind::Machine {
        return Err(Failure::new(
            format!("target `{}` is a cluster, and `--live` looks at this machine", model.target.name),
            "choose a target with `on = \"machine\"`",
        ));
    }
    let numbers = plan.entries.iter().filter_map(|entry| {
        let port = entry.port(model)?;
        Some(entry.at.iter().map(|number| (port.protocol, *number)))
    });
    Ok(machine::listening(&numbers.flatten().collect()))
}

/// What listens, first what is in the way.
pub(super) fn text(model: &Model, listening: &Listening, in_use: &[InUse<'_>]) -> String {
    let (count, all) = (in_use.len(), listening.listeners.len());
    let verdict = match count {
        0 => "none of the stack's numbers is in use".to_owned(),
        1 => "1 number of the stack is in use".to_owned(),
        _ => format!("{count} numbers of the stack are in use"),
    };
    let mut out = format!("\n{BOLD}On this machine now{BOLD:#}: {}, {verdict}\n", counted(all, "listener"));
    let mut table = Table::new(["number", "listens at", "program", "process", "wanted by", "free"]);
    let clash = |listener| in_use.iter().find(|clash| std::ptr::eq::<_>(clash.listener, listener)).copied();
    let mut listeners: Vec<_> = listening.listeners.iter().map(|one| (clash(one), one)).collect();
    listeners.sort_by_key(|(clash, listener)| (clash.is_none(), listener.port));
    for (clash, listener) in listeners.iter().take(MOST) {
        let number = format!("{}/{}", listener.port, listener.protocol.word());
        let (program, process) = match &listener.program {
            Program::Known(name, process) => (name.to_string(), process.to_string()),
            Program::Container(name) => (name.to_string(), "–".to_owned()),
            Program::OfUser(user) => (format!("of user {user}"), "–".to_owned()),
            Program::Unknown => ("unknown".to_owned(), "–".to_owned()),
        };
        let place = if listener.only_ipv6 {
            format!("{} (IPv6 only)", listener.address)
        } else {
            listener.address.to_string()
        };
        table.row([
            if clash.is_some() { Cell::styled(number, ERROR) } else { number.into() },
            place.into(),
            program.into(),
            process.into(),
            clash.map_or_else(|| Cell::styled("–", QUIET), |clash| clash.port.words(model).into()),
            clash
                .and_then(|clash| clash.free)
                .map_or_else(|| Cell::styled("–", QUIET), |free| free.to_string().into()),
        ]);
    }
    if all > 0 {
        out.push_str(&table.show());
    }
    if let Some(more) = all.checked_sub(MOST).filter(|more| *more > 0) {
        out.push_str(&format!("{QUIET}… and {more} more, which are not in the way{QUIET:#}\n"));
    }
    for unread in &listening.unread {
        out.push_str(&format!("\nNot known: {unread}.\n"));
    }
    out
}
