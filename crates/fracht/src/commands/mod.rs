//! The commands, one file each.

mod check;
mod completions;
mod demo;
mod order;
mod ports;
mod render;
mod rules;
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
        Command::Render(asked) => render::run(common, asked, ui),
        Command::Rules(asked) => rules::run(asked, ui),
        Command::Trace(asked) => trace::run(common, asked, ui),
        Command::Completions(asked) => completions::run(asked),
        Command::Demo(asked) => demo::run(common, asked, ui),
    }
}
