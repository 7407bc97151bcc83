//! `fracht manual`

use std::fs;
use std::path::Path;

use clap::{Command, CommandFactory as _};
use clap_mangen::Man;

use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use crate::cli::{Cli, Manual, STANDARD_OUTPUT};
use crate::failure::{Failure, Outcome};
use crate::ui::{Ui, counted};

pub(crate) fn run(args: &Manual, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut program = Cli::command();
    program.build();
    if let Some(dir) = args.out.as_deref().filter(|dir| *dir != Path::new(STANDARD_OUTPUT)) {
        let mut pages = vec![("fracht.1".to_owned(), page(&program)?)];
        for command in program.get_subcommands().filter(|command| command.get_name() != "help") {
            pages.push((format!("fracht-{}.1", command.get_name()), page(command)?));
        }
        write(dir, &pages)?;
        ui.result(&format!("{} in {}\n", counted(pages.len(), "page"), escaped_path(dir)))?;
        return Ok(Outcome::Fine);
    }
    let command = match &args.page {
        None => &program,
        Some(name) => program.find_subcommand(name).ok_or_else(|| {
            let names: Vec<&str> = program.get_subcommands().map(Command::get_name).collect();
            Failure::new(format!("command `{name}` not found"), format!("commands: {}", names.join(", ")))
        })?,
    };
    let page = page(command)?;
    ui.raw_result(|out| out.write_all(&page))?;
    Ok(Outcome::Fine)
}

/// The man page of a command.
fn page(command: &Command) -> Result<Vec<u8>, Failure> {
    let command = command.clone().version(env!("CARGO_PKG_VERSION"));
    let mut page = Vec::new();
    // Without a date, so that the same program always prints the same pages.
    Man::new(command).date("").render(&mut page)?;
    Ok(page)
}

fn write(dir: &Path, pages: &[(String, Vec<u8>)]) -> Result<(), Failure> {
    let written = fs::create_dir_all(dir)
        .and_then(|()| pages.iter().try_for_each(|(name, page)| fs::write(dir.join(name), page)));
    written.map_err(|error| {
        let message = format!("cannot write the manual to `{}`: {}", escaped_path(dir), reason(&error));
        Failure::new(message, "choose another folder: `fracht manual --out DIR`")
    })
}
