//! The arguments of the commands that run a stack on this machine.

use std::path::PathBuf;

use clap::Args;

use super::{Format, StackChoice, TargetChoice};

/// A machine target, and the engine that it runs on.
#[derive(Debug, Default, Args)]
pub(crate) struct MachineChoice {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// Socket of the container engine [default: `FRACHT_ENGINE`, else the usual places]
    #[arg(long, value_name = "PATH")]
    pub(crate) engine: Option<PathBuf>,
}

/// Run the stack of a machine target on this machine, up to the point where it serves
///
/// Starts what the stack has in its start order, and waits until each service is ready. Run again after a change, it
/// replaces only what has changed. Images that are missing are built or pulled. What fails is shown with the last lines
/// of its output; everything else stays as it is. Exits with 1 if something failed.
#[expect(clippy::struct_excessive_bools, reason = "each is an option of the command")]
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht start\n  fracht start api -t laptop\n  fracht start --watch\n  fracht start --engine /run/engine.sock"
)]
pub(crate) struct Start {
    /// Services and tasks to start, with all that they wait for [default: all]
    #[arg(value_name = "NAME")]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Build no images; those that are missing are an error
    #[arg(long)]
    pub(crate) skip_builds: bool,
    /// If something fails, remove what this run has started
    #[arg(long)]
    pub(crate) back: bool,
    /// Start again when the stack, one of its files or the folder of a build changes
    #[arg(long, conflicts_with = "back")]
    pub(crate) watch: bool,
    /// Set if nothing really runs, so that it does not matter what listens on this machine.
    #[arg(skip)]
    pub(crate) is_practice: bool,
}

/// Show what runs on this machine against what the stack says
///
/// For each container: its state, health, age, restarts, ports and image; and what `fracht start` would change, with the
/// reason. Exits with 1 if something differs or is not well.
#[derive(Debug, Default, Args)]
#[command(after_help = "Examples:\n  fracht state\n  fracht state -t laptop --format json")]
pub(crate) struct State {
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Show what services and tasks write, merged by time
///
/// Each line has the name of its container in front. Values of the stack's secrets are replaced by stars.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht output\n  fracht output api db --last 20\n  fracht output --follow --since 10m"
)]
pub(crate) struct Output {
    /// Services and tasks [default: all]
    #[arg(value_name = "NAME")]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Show new lines as they are written
    #[arg(long)]
    pub(crate) follow: bool,
    /// Show only lines of this last time, for example 90s, 10m or 2h
    #[arg(long, value_name = "TIME", value_parser = time)]
    pub(crate) since: Option<std::time::Duration>,
    /// Show only so many of the last lines
    #[arg(long, value_name = "COUNT")]
    pub(crate) last: Option<u64>,
}

/// Run a program in a container that runs
///
/// The program gets the terminal if there is one, and its exit code is that of the command. With several replicas, it
/// runs in the first, or in the one of `NAME-NUMBER`; `NAME.SIDECAR` is a sidecar.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht inside db -- psql -U tide tides\n  fracht inside cache-1 -- sh\n  echo 'select 1' | fracht inside db -- psql -U tide"
)]
pub(crate) struct Inside {
    /// Service, replica or sidecar
    #[arg(value_name = "NAME")]
    pub(crate) name: String,
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Program to run, and its arguments
    #[arg(value_name = "PROGRAM", required = true, last = true)]
    pub(crate) program: Vec<String>,
}

/// Run one program in a container of its own, with all that a service or task has
///
/// The container has the image, variables, mounts and networks of the service or task, and no open ports. It is removed
/// when the program has ended. Without PROGRAM, a task runs its own: this is the way to run one that has a schedule or
/// runs on demand.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht once refit\n  fracht once api -- sh\n  fracht once schema -- migrate --dry-run"
)]
pub(crate) struct Once {
    /// Service or task
    #[arg(value_name = "NAME")]
    pub(crate) name: String,
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Program to run, and its arguments
    #[arg(value_name = "PROGRAM", last = true)]
    pub(crate) program: Vec<String>,
}

/// Stop the stack on this machine, in reverse start order, and remove its containers and networks
///
/// Data in volumes stays, unless it is to be removed as well. Nothing that Fracht did not create is touched.
#[derive(Debug, Default, Args)]
#[command(after_help = "Examples:\n  fracht stop\n  fracht stop api gateway\n  fracht stop --with-data")]
pub(crate) struct Stop {
    /// Services and tasks to stop [default: all]
    #[arg(value_name = "NAME")]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) machine: MachineChoice,
    /// Remove the volumes and their data as well; asks before
    #[arg(long, conflicts_with = "names")]
    pub(crate) with_data: bool,
    /// With --with-data: do not ask
    #[arg(long, requires = "with_data")]
    pub(crate) yes: bool,
}

/// Reads a time such as `10m`.
fn time(text: &str) -> Result<std::time::Duration, String> {
    fracht_core::grammar::duration::parse(text).map_err(|reason| reason.to_string())
}
