//! `fracht`: one short definition of a container stack, checked, planned and rendered.

mod beside;
mod cli;
mod commands;
mod complete;
mod disk;
mod engine;
mod failure;
mod images;
mod inputs;
mod machine;
mod making;
mod objects;
mod registry;
mod secrets;
mod stack;
mod terminal;
mod ui;
mod veil;
mod write;

use std::io::Write as _;
use std::process::ExitCode;

fn main() -> ExitCode {
    // Scripts ask for it often, and it needs no parser.
    if cli::is_version_asked() {
        // A reader that is gone is no failure.
        let _ = writeln!(std::io::stdout(), "{}", cli::VERSION_LINE);
        return ExitCode::SUCCESS;
    }
    // A shell that completes a line runs the program, with the line in a variable.
    clap_complete::CompleteEnv::with_factory(complete::command).complete();
    let cli = match cli::parse() {
        Ok(cli) => cli,
        Err(code) => return code,
    };
    let mut ui = ui::Ui::new(cli.screen.color, cli.screen.quiet);
    let done = commands::run(&cli, &mut ui);
    match done.and_then(|outcome| ui.flush().map(|()| outcome)) {
        Ok(outcome) => outcome.code(),
        Err(failure) => ui.fail(&failure),
    }
}
