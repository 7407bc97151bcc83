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
    let common = &cli.common;
    match &cli.command {
        Command::Check(asked) => check::run(common, asked, ui),
        Command::Order(asked) => order::run(common, asked, ui),
        Command::Ports(asked) => ports::run(common, asked, ui),
        Command::Reach(asked) => reach::run(common, asked, ui),
        Command::Render(asked) => render::run(common, asked, ui),
        Command::Diff(asked) => diff::run(common, asked, ui),
        Command::New(asked) => new::run(asked, ui),
        Command::Schema(_) => schema::run(ui),
        Command::Manual(asked) => manual::run(asked, ui),
        Command::Rules(asked) => rules::run(asked, ui),
        Command::Trace(asked) => trace::run(common, asked, ui),
        Command::Completions(asked) => completions::run(asked, ui),
        Command::Demo(asked) => demo::run(common, asked, ui),
    }
}
