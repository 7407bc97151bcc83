//! `fracht inside`

use fracht_core::diag::{listing, nearest};
use fracht_core::escape::escaped;
use fracht_engine::api::ProgramSpec;
use fracht_engine::desired::{Desired, Hidden};

use crate::cli::Inside;
use crate::engine;
use crate::failure::{Failure, Outcome};
use crate::terminal::{self, Session};
use crate::ui::Ui;

pub(crate) fn run(args: &Inside, ui: &mut Ui) -> Result<Outcome, Failure> {
    let Some(machine) = engine::open(&args.machine, ui)? else { return Ok(Outcome::Problems) };
    let desired = machine.desired(&Hidden(machine.model()))?;
    let name = container(&desired, &args.name)?;
    let inspected = machine.engine.inspect(&name).map_err(|error| engine::failure(&error))?;
    if !inspected.is_some_and(|inspected| inspected.state.running) {
        let message = format!("`{}` does not run", escaped(&args.name));
        return Err(Failure::new(
            message,
            "start it with `fracht start`, or run a program with `fracht once`",
        ));
    }
    let tty = terminal::is_there();
    let spec = ProgramSpec {
        cmd: args.program.clone(),
        attach_stdin: true,
        attach_stdout: true,
        attach_stderr: true,
        tty,
    };
    let engine = &machine.engine;
    let id = engine.prepare(&name, &spec).map_err(|error| engine::failure(&error))?;
    let attached = engine.connect(&id, tty).map_err(|error| engine::failure(&error))?;
    let resize = |size| _ = engine.resize(&id, size);
    Session { attached, tty, resize: &resize }.run()?;
    let code = engine.exit_code(&id).map_err(|error| engine::failure(&error))?;
    Ok(Outcome::Ended(u8::try_from(code).unwrap_or(u8::MAX)))
}

/// The container of a name: that of the first replica of a service, of one replica, or of a sidecar.
fn container(desired: &Desired, name: &str) -> Result<String, Failure> {
    let all = || desired.containers().filter(|(unit, ..)| !unit.is_task());
    let exact = all().find(|(_, _, container)| container.shown == name);
    let sidecar = name.split_once('.');
    let found = exact.or_else(|| {
        all().find(|(unit, replica, container)| match sidecar {
            Some((service, sidecar)) => {
                unit.name == service && container.shown.ends_with(&format!(".{sidecar}"))
            }
            None => {
                let numbered = format!("{}-{}", unit.name, replica.index);
                (unit.name == name || numbered == name || unit.reference == name)
                    && container.name == replica.main.name
            }
        })
    });
    found.map(|(_, _, container)| container.name.clone()).ok_or_else(|| {
        let names: Vec<&str> = all().map(|(_, _, container)| &*container.shown).collect();
        let units = desired.units.iter().filter(|unit| !unit.is_task()).map(|unit| &*unit.name);
        let near = nearest(name, units.chain(names.iter().copied()));
        Failure::new(
            format!("`{}` not found among the services", escaped(name)),
            near.map_or_else(
                || format!("this stack has: {}", listing(names.iter().copied())),
                |near| format!("did you mean `{near}`?"),
            ),
        )
    })
}
