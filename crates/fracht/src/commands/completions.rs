//! `fracht completions`

use clap::CommandFactory as _;

use crate::cli::{Cli, Completions};
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

pub(crate) fn run(asked: &Completions) -> Result<Outcome, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(asked.shell, &mut Cli::command(), "fracht", &mut script);
    Ui::raw_result(|out| out.write_all(&script))?;
    Ok(Outcome::Fine)
}
