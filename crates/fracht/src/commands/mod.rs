//! The commands: one file each.

mod check;
mod completions;
mod demo;
mod diff;
mod draw;
mod images;
mod inside;
mod manual;
mod new;
mod once;
mod order;
mod output;
mod ports;
mod reach;
mod render;
mod rules;
mod schema;
mod show;
mod start;
mod state;
mod stop;
mod trace;

use crate::cli::{Cli, Command};
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

/// Runs the command that the arguments name.
pub(crate) fn run(cli: &Cli, ui: &mut Ui) -> Result<Outcome, Failure> {
    match &cli.command {
        Command::Check(args) => check::run(args, ui),
        Command::Order(args) => order::run(args, ui),
        Command::Ports(args) => ports::run(args, ui),
        Command::Reach(args) => reach::run(args, ui),
        Command::Show(args) => show::run(args, ui),
        Command::Images(args) => images::run(args, ui),
        Command::Draw(args) => draw::run(args, ui),
        Command::Render(args) => render::run(args, ui),
        Command::Diff(args) => diff::run(args, ui),
        Command::Start(args) => start::run(args, ui),
        Command::State(args) => state::run(args, ui),
        Command::Output(args) => output::run(args, ui),
        Command::Inside(args) => inside::run(args, ui),
        Command::Once(args) => once::run(args, ui),
        Command::Stop(args) => stop::run(args, ui),
        Command::New(args) => new::run(args, ui),
        Command::Schema(_) => schema::run(ui),
        Command::Manual(args) => manual::run(args, ui),
        Command::Rules(args) => rules::run(args, ui),
        Command::Trace(args) => trace::run(args, ui),
        Command::Completions(args) => completions::run(args, ui),
        Command::Demo(args) => demo::run(args, ui),
    }
}
