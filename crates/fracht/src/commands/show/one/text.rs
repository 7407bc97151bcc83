//! The text of `fracht show NAME`.

use std::time::Duration;

use fracht_core::escape::escaped;
use fracht_core::grammar::duration;
use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};

use super::{ContainerOf, HealthOf, One, Variable, command};
use crate::ui::style::{BOLD, HEAD, QUIET, WIDTH};
use crate::ui::table::{Cell, Table};

impl One<'_> {
    pub(in crate::commands::show) fn text(&self) -> String {
        let mut out = format!(
            "{BOLD}{}.{}, target {}{BOLD:#}  {QUIET}{}{QUIET:#}\n\n",
            self.kind,
            escaped(self.name),
            escaped(self.target),
            self.location
        );
        let mut table = Table::new(["", ""]);
        for (name, value) in &self.facts {
            table.row([Cell::styled(*name, HEAD), value.as_str().into()]);
        }
        out.push_str(&without_head(&table.show()));
        for container in &self.containers {
            out.push_str(&container.text());
        }
        out.push_str(&self.waits());
        out
    }

    /// What it waits for.
    fn waits(&self) -> String {
        if self.waits_for.is_empty() {
            return String::new();
        }
        let mut table = Table::new(["waits for", "until", "location"]);
        for wait in &self.waits_for {
            let place = Cell::styled(wait.location.clone(), QUIET);
            table.row([wait.name.into(), wait.until.into(), place]);
        }
        let limit = self.gate_seconds.map_or_else(String::new, |seconds| {
            let within = duration::show(Duration::from_secs_f64(seconds)).to_string();
            format!("{QUIET}each start gate gives up after {within}, and is restarted{QUIET:#}\n")
        });
        format!("\n{}{limit}", table.show())
    }
}

/// A table without its head, which is empty.
fn without_head(table: &str) -> String {
    table.split_once('\n').map_or("", |(_, rows)| rows).to_owned()
}

/// A text in parts that fit into a column. A part ends behind a sign that separates, if there is one in its last half.
fn wrapped(text: &str, room: usize) -> Vec<String> {
    let mut parts = Vec::new();
    let mut rest = text;
    loop {
        let mut width = 0;
        let over = rest.char_indices().find(|(_, c)| {
            width += c.width().unwrap_or(0);
            width > room
        });
        let Some((end, _)) = over else {
            parts.push(rest.to_owned());
            return parts;
        };
        let fitting = rest.get(..end).unwrap_or_default();
        let behind = |signs: &[char]| fitting.rfind(signs).map(|at| at + 1).filter(|sign| *sign > end / 2);
        let sign = behind(&[' ', ',', ';']).or_else(|| behind(&['/', '&', '@', '?']));
        let end = sign.unwrap_or(end.max(1));
        let Some((part, next)) = rest.split_at_checked(end) else {
            parts.push(rest.to_owned());
            return parts;
        };
        parts.push(part.to_owned());
        rest = next;
    }
}

fn seconds(seconds: f64) -> String {
    duration::show(Duration::from_secs_f64(seconds)).to_string()
}

impl ContainerOf<'_> {
    fn text(&self) -> String {
        let once = if self.once { ", runs once, before what follows" } else { "" };
        let mut out =
            self.sidecar.map_or_else(String::new, |name| format!("\n{BOLD}sidecar {name}{BOLD:#}{once}"));
        out.push('\n');
        let mut table = Table::new(["", ""]);
        let mut row = |name: &'static str, value: Option<String>| {
            if let Some(value) = value {
                table.row([Cell::styled(name, HEAD), value.into()]);
            }
        };
        let build = self.build.map_or_else(String::new, |build| format!(", build.{build}"));
        let fetch = self.fetch.map_or_else(String::new, |fetch| format!(", fetched: {fetch}"));
        row("image", Some(format!("{}{build}{fetch}", self.image)));
        let own = || "the image's own".to_owned();
        row("program", Some(self.program.as_ref().map_or_else(own, |program| command(program))));
        row("arguments", self.args.as_ref().map(|args| command(args)));
        row("working folder", self.workdir.map(str::to_owned));
        let user = self.user.clone().unwrap_or_else(|| "the image's own".to_owned());
        row("user", Some(format!("{user}, confined: {}", self.confine)));
        let [cpu, memory] = &self.sizes;
        row("cpu", cpu.clone());
        row("memory", memory.clone());
        row("before a stop", self.before_stop.clone());
        out.push_str(&without_head(&table.show()));
        out.push_str(&self.variables());
        out.push_str(&self.mounts());
        out.push_str(&self.ports());
        out.push_str(&self.health.as_ref().map_or_else(String::new, HealthOf::text));
        out
    }

    fn variables(&self) -> String {
        if self.variables.is_empty() {
            return String::new();
        }
        let widest = |width: &dyn Fn(&Variable) -> usize| self.variables.iter().map(width).max().unwrap_or(0);
        let taken = widest(&|one| one.name.width()).max(8)
            + widest(&|one| one.layer.width()).max(5)
            + widest(&|one| one.location.width()).max(8);
        let room = WIDTH.saturating_sub(taken + 6).max(24);
        let mut table = Table::new(["variable", "value", "layer", "location"]);
        for variable in &self.variables {
            let lines = variable.value.trim_end_matches('\n').split('\n');
            let mut parts = lines.flat_map(|line| wrapped(line, room));
            table.row([
                variable.name.clone().into(),
                parts.next().unwrap_or_default().into(),
                variable.layer.clone().into(),
                Cell::styled(variable.location.clone(), QUIET),
            ]);
            for part in parts {
                table.row([Cell::default(), part.into(), Cell::default(), Cell::default()]);
            }
        }
        format!("\n{}", table.show())
    }

    fn mounts(&self) -> String {
        if self.mounts.is_empty() {
            return String::new();
        }
        let mut table = Table::new(["mounted at", "what", ""]);
        for mount in &self.mounts {
            let access = if mount.read_only { "read-only" } else { "read and write" };
            let mode = mount.mode.as_ref().map_or_else(String::new, |mode| format!(", mode {mode}"));
            let access = Cell::styled(format!("{access}{mode}"), QUIET);
            table.row([mount.path.clone().into(), mount.from.clone().into(), access]);
        }
        format!("\n{}", table.show())
    }

    fn ports(&self) -> String {
        if self.ports.is_empty() {
            return String::new();
        }
        let mut table = Table::new(["port", "number", "reach"]);
        for port in &self.ports {
            let number = format!("{}/{}", port.number, port.protocol);
            table.row([port.name.into(), number.into(), port.reach.into()]);
        }
        format!("\n{}", table.show())
    }
}

impl HealthOf {
    fn text(&self) -> String {
        let every = seconds(self.every_seconds);
        let mut table = Table::new(["health", "", ""]);
        let mut row = |when: &'static str, what: String, then: String| {
            table.row([when.into(), what.into(), then.into()]);
        };
        let answer = format!("every {every}, an answer within {}", seconds(self.timeout_seconds));
        row("check", self.check.clone(), answer);
        let tries = format!("{} × {every}", self.boot_tries);
        row("while it starts", tries, format!("given up after {}", seconds(self.given_up_after_seconds)));
        let fails = format!("{} × {every}", self.fails);
        row("once it runs", fails, format!("no requests after {}", seconds(self.out_after_seconds)));
        match self.restarted_after_seconds {
            Some(time) => {
                let tries = format!("{} × {every}", self.restart_after);
                row("", tries, format!("restarted after {}", seconds(time)));
            }
            None => row("", "never restarted for it".to_owned(), String::new()),
        }
        format!("\n{}", table.show())
    }
}
