//! The commands, one file each.

mod check;
mod completions;
mod demo;
mod diff;
mod manual;
mod new;
mod order;
mod ports;
mod reach;
mod render;
mod rules;
mod schema;
mod trace;

use crate::cli::{Cli, Command};
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

/// Carries out what was asked for.
pub(crate) fn run(cli: &Cli, ui: &mut Ui) -> Result<Outcome, Failure> {
    match &cli.command {
        Command::Check(asked) => check::run(asked, ui),
        Command::Order(asked) => order::run(asked, ui),
        Command::Ports(asked) => ports::run(asked, ui),
        Command::Reach(asked) => reach::run(asked, ui),
        Command::Render(asked) => render::run(asked, ui),
        Command::Diff(asked) => diff::run(asked, ui),
        Command::New(asked) => new::run(asked, ui),
        Command::Schema(_) => schema::run(ui),
        Command::Manual(asked) => manual::run(asked, ui),
        Command::Rules(asked) => rules::run(asked, ui),
        Command::Trace(asked) => trace::run(asked, ui),
        Command::Completions(asked) => completions::run(asked, ui),
        Command::Demo(asked) => demo::run(asked, ui),
    }
}
