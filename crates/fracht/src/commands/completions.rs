//! `fracht completions`

use clap::ValueEnum as _;
use clap_complete::env::Shells;

use crate::cli::Completions;
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

/// The variable that a shell sets to get completions.
const VARIABLE: &str = "COMPLETE";

pub(crate) fn run(args: &Completions, ui: &mut Ui) -> Result<Outcome, Failure> {
    let name = args.shell.to_possible_value().map(|value| value.get_name().to_owned()).unwrap_or_default();
    let shells = Shells::builtins();
    let Some(shell) = shells.completer(&name) else {
        return Err(Failure::new(
            format!("shell `{name}` is not supported"),
            "use one of: bash, elvish, fish, powershell, zsh",
        ));
    };
    let mut script = Vec::new();
    shell.write_registration(VARIABLE, "fracht", "fracht", "fracht", &mut script)?;
    ui.raw_result(|out| out.write_all(&script))?;
    Ok(Outcome::Fine)
}
