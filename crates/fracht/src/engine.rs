//! The stack of a machine target, and the engine that it runs on.

use std::env;
use std::fs::File;
use std::mem::ManuallyDrop;
use std::path::PathBuf;
use std::time::Duration;

use fracht_core::check::{Project, Verdict};
use fracht_core::escape::escaped_path;
use fracht_core::model::{Model, TargetKind, WorkloadId};
use fracht_engine::actual::Actual;
use fracht_engine::api::{Engine, EngineError};
use fracht_engine::desired::names::Owner;
use fracht_engine::desired::{Desired, Refusal, Secrets};
use fracht_engine::transport::Socket;

use crate::cli::MachineChoice;
use crate::failure::Failure;
use crate::stack;
use crate::ui::{Ui, counted};

/// The variable with the socket of the engine.
const VARIABLE: &str = "FRACHT_ENGINE";

/// The variables that engines document for their clients. Only sockets of this machine are used.
const OTHER_VARIABLES: [&str; 2] = ["CONTAINER_HOST", "DOCKER_HOST"];

/// A stack for a machine, and its engine.
pub(crate) struct Machine {
    pub(crate) project: ManuallyDrop<Project<'static>>,
    pub(crate) verdict: ManuallyDrop<Verdict>,
    pub(crate) engine: Engine,
    pub(crate) owner: Owner,
}

/// Opens the stack and finds the engine; `None` if the stack has errors, which are shown.
pub(crate) fn open(choice: &MachineChoice, ui: &mut Ui) -> Result<Option<Machine>, Failure> {
    let machine = open_any(choice)?;
    if machine.verdict.report.has_errors() {
        ui.errors(&machine.verdict.report, machine.project.sources());
    }
    Ok(machine.verdict.checked().is_some().then_some(machine))
}

/// The same for a command that also works on a stack with errors, since it needs only names.
pub(crate) fn open_any(choice: &MachineChoice) -> Result<Machine, Failure> {
    let mut project = stack::open(&choice.stack)?;
    let target = stack::machine_target(&project, choice.target.name())?;
    let verdict = stack::verdict(&mut project, &target)?;
    if verdict.facts.model.target.on.value != TargetKind::Machine {
        let message = format!("target `{target}` is a cluster, not this machine");
        return Err(Failure::new(message, "choose a target with `on = \"machine\"`, or add one"));
    }
    let engine = connect(choice.engine.as_ref())?;
    let owner = Owner::of(&verdict.facts.model);
    Ok(Machine { project, verdict, engine, owner })
}

/// Connects with the engine at a socket, or with that of this machine.
pub(crate) fn connect(named: Option<&PathBuf>) -> Result<Engine, Failure> {
    let engine = Engine::new(Box::new(Socket::at(socket(named)?)));
    engine.ping().map_err(|error| failure(&error))?;
    Ok(engine)
}

impl Machine {
    pub(crate) fn model(&self) -> &Model {
        &self.verdict.facts.model
    }

    /// What there should be, with the values of secrets.
    pub(crate) fn desired(&self, secrets: &dyn Secrets) -> Result<Desired, Failure> {
        let system = rustix::system::uname();
        let name = system.nodename().to_string_lossy();
        let Some(checked) = self.verdict.checked() else {
            return Err(Failure::new("the stack has errors", "run `fracht check`"));
        };
        Desired::of(checked, &name, secrets).map_err(|refusals| refused(&refusals, self.model()))
    }

    /// What is on the engine.
    pub(crate) fn actual(&self) -> Result<Actual, Failure> {
        Actual::of(&self.engine, &self.owner, &[]).map_err(|error| failure(&error))
    }

    /// The same, with those who have the names of what there should be.
    pub(crate) fn actual_beside(&self, desired: &Desired) -> Result<Actual, Failure> {
        let networks: Vec<&str> = desired.networks.iter().map(|network| &*network.name).collect();
        Actual::of(&self.engine, &self.owner, &networks).map_err(|error| failure(&error))
    }

    /// Waits until no other run changes the stack on this machine, and keeps others waiting until it is dropped.
    pub(crate) fn alone(&self, ui: &mut Ui) -> Option<File> {
        let folder = env::var_os("XDG_RUNTIME_DIR").map_or_else(env::temp_dir, PathBuf::from);
        let user = rustix::process::geteuid().as_raw();
        let Owner { stack, target } = &self.owner;
        let path = folder.join(format!("fracht-{user}.{stack}.{target}.lock"));
        // A file system without locks has none.
        let file = File::options().create(true).append(true).open(path).ok()?;
        if file.try_lock().is_err() {
            ui.note(&format!("waiting for another run that changes `{stack}` for target `{target}`"));
            file.lock().ok()?;
        }
        Some(file)
    }

    /// The services and tasks of some names, in the order of the stack.
    pub(crate) fn named(&self, names: &[String]) -> Result<Vec<WorkloadId>, Failure> {
        names.iter().map(|name| stack::workload(self.model(), name)).collect()
    }
}

fn refused(refusals: &[Refusal], model: &Model) -> Failure {
    if let [one] = refusals {
        return Failure::new(one.message.clone(), one.help.clone());
    }
    let target = &model.target.name;
    let message = format!("{} keep target `{target}` from this machine", counted(refusals.len(), "problem"));
    let help = refusals.iter().flat_map(|one| [one.message.clone(), format!("  {}", one.help)]);
    Failure::Error { message, help: help.collect() }
}

/// The socket of the engine: the one that is named, or the first of the usual ones that exists.
fn socket(named: Option<&PathBuf>) -> Result<PathBuf, Failure> {
    let path_of = |text: std::ffi::OsString| match text.to_str().and_then(|text| text.split_once("://")) {
        Some(("unix", path)) => Some(PathBuf::from(path)),
        Some(_) => None,
        None => Some(PathBuf::from(text)),
    };
    let set = |name: &str| env::var_os(name).filter(|value| !value.is_empty());
    if let Some(path) = named.cloned().map(PathBuf::into_os_string).or_else(|| set(VARIABLE)) {
        return path_of(path).ok_or_else(|| {
            Failure::new(
                "the engine must be a socket of this machine",
                "name its path, for example `--engine /run/engine.sock`",
            )
        });
    }
    if let Some(path) = OTHER_VARIABLES.into_iter().find_map(set).and_then(path_of) {
        return Ok(path);
    }
    let usual = usual();
    usual.iter().find(|path| path.exists()).cloned().ok_or_else(|| {
        let message = "no container engine found on this machine";
        let looked: Vec<String> = usual.iter().map(|path| escaped_path(path)).collect();
        Failure::Error {
            message: message.to_owned(),
            help: vec![
                format!("start the engine, or name its socket: `--engine PATH`, or the variable {VARIABLE}"),
                format!("looked for {}", looked.join(", ")),
            ],
        }
    })
}

/// The sockets that engines have by default, as they document.
fn usual() -> Vec<PathBuf> {
    let own = env::var_os("XDG_RUNTIME_DIR").map(PathBuf::from);
    let home = env::var_os("HOME").map(PathBuf::from);
    let own = own.into_iter().flat_map(|dir| [dir.join("podman/podman.sock"), dir.join("docker.sock")]);
    let all = ["/run/podman/podman.sock", "/var/run/docker.sock"].map(PathBuf::from);
    let home = home.into_iter().flat_map(|dir| [dir.join(".docker/run/docker.sock")]);
    own.chain(all).chain(home).collect()
}

/// The failure for an error of the engine.
pub(crate) fn failure(error: &EngineError) -> Failure {
    let help = match error {
        EngineError::Lost { is_absent: true, .. } => {
            "start the engine, or name its socket: `--engine PATH`, or the variable FRACHT_ENGINE"
        }
        EngineError::Lost { .. } => "run the command again: it goes on from where it stopped",
        EngineError::Refused { .. } => "fix what the engine says, and run the command again",
        EngineError::Odd { .. } => "Fracht needs an engine with version 1.41 of the API or a later one",
    };
    Failure::new(error.to_string(), help)
}

/// A time that has passed, in its largest unit: `3 s`, `5 min`, `2 h`, `4 d`.
pub(crate) fn age(time: Duration) -> String {
    let seconds = time.as_secs();
    match seconds {
        0..120 => format!("{seconds} s"),
        120..7200 => format!("{} min", seconds / 60),
        7200..172_800 => format!("{} h", seconds / 3600),
        _ => format!("{} d", seconds / 86_400),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ages_are_in_the_largest_unit_that_shows_them_well() {
        for (seconds, words) in [
            (0, "0 s"),
            (119, "119 s"),
            (120, "2 min"),
            (7199, "119 min"),
            (7200, "2 h"),
            (172_799, "47 h"),
            (172_800, "2 d"),
            (90_000_000, "1041 d"),
        ] {
            assert_eq!(age(Duration::from_secs(seconds)), words);
        }
    }

    #[test]
    fn every_error_of_the_engine_says_what_to_do() {
        let lost = |is_absent| EngineError::Lost {
            what: "list containers".into(),
            place: "/run/engine.sock".into(),
            reason: "no such socket".into(),
            is_absent,
        };
        let refused = EngineError::Refused { what: "create x".into(), status: 500, message: "no".into() };
        let odd = EngineError::Odd { what: "list".into(), reason: "not JSON".into() };
        for (error, message, help) in [
            (
                lost(true),
                "cannot reach a container engine at `/run/engine.sock`: no such socket",
                "start the engine",
            ),
            (lost(false), "the engine did not list containers: no such socket", "run the command again"),
            (refused, "the engine did not create x: no", "fix what the engine says"),
            (
                odd,
                "asked to list, the engine answered what Fracht does not understand: not JSON",
                "version 1.41",
            ),
        ] {
            let Failure::Error { message: told, help: helps } = failure(&error) else { panic!("{error}") };
            assert_eq!(told, message);
            assert!(helps.iter().any(|told| told.contains(help)), "{helps:?}");
        }
    }
}
