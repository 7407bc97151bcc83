//! The arguments of the commands that show plans.

use std::path::PathBuf;

use clap::Args;

use super::{BesideChoice, PlanChoice};

/// Show the start order: waves, what each service waits for, the longest chain
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht order -t prod\n  fracht order -t prod --only api\n  fracht order -t prod --behind db\n  fracht order -t prod --format json"
)]
pub(crate) struct Order {
    #[command(flatten)]
    pub(crate) plan: PlanChoice,
    /// Show only what it takes to have this service or task serve: itself, and all that it waits for
    #[arg(long, value_name = "NAME", conflicts_with = "behind")]
    pub(crate) only: Option<String>,
    /// Show only what waits for this service or task, directly or through others
    #[arg(long, value_name = "NAME")]
    pub(crate) behind: Option<String>,
    #[command(flatten)]
    pub(crate) beside: BesideChoice,
}

/// List all ports: number, who can reach each, and at which address
///
/// Numbers that the stack leaves open are the same each time, but can change when the stack changes. With --assign they
/// are kept in `fracht.lock`, beside the stack file, which every command reads.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht ports -t laptop\n  fracht ports -t laptop --live\n  fracht ports -t laptop --live --assign\n  fracht ports -t prod --beside ../console --format json"
)]
pub(crate) struct Ports {
    #[command(flatten)]
    pub(crate) plan: PlanChoice,
    /// Look at what listens on this machine now; shows clashes with both owners and a free number
    #[arg(long)]
    pub(crate) live: bool,
    /// Choose all numbers that are left open, settle clashes, and keep the choices in `fracht.lock`
    ///
    /// A number that was chosen once stays as long as it fits. Together with --live or --beside, the numbers that are
    /// used there are not free.
    #[arg(long)]
    pub(crate) assign: bool,
    #[command(flatten)]
    pub(crate) beside: BesideChoice,
}

/// Show what can reach what: open ports from outside, connections inside the stack
///
/// For each open port: its address or the command that prints it, a line for your hosts file, and where the login is
/// stored. For each service and task: which services it can reach, and why not the others.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht reach -t laptop\n  fracht reach -t prod --beside ../console\n  fracht reach -t prod --format json"
)]
pub(crate) struct Reach {
    #[command(flatten)]
    pub(crate) plan: PlanChoice,
    #[command(flatten)]
    pub(crate) beside: BesideChoice,
}

/// Show what runs: images, replicas, sizes and their sums, volumes
///
/// With NAME, shows all of one service or task as it will be: its program, every variable with its value and the layer
/// that sets it, mounts, the arithmetic of its health check, and what it waits for. Values of secrets are never shown.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht show -t prod\n  fracht show api -t prod\n  fracht show -t prod --format json"
)]
pub(crate) struct Show {
    /// Service or task to show
    #[arg(value_name = "NAME")]
    pub(crate) workload: Option<String>,
    #[command(flatten)]
    pub(crate) plan: PlanChoice,
}

/// List all images; look them up, pin them, build and push them
///
/// Shows which are built here or taken, pinned or floating, and who uses each; builds in the order in which to build them.
/// The network is used only with the options. Exits with 1 if an image is missing or does not fit.
#[expect(clippy::struct_excessive_bools, reason = "each is an option of the command")]
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht images -t prod\n  fracht images -t prod --look\n  fracht images -t prod --pin\n  fracht images -t prod --pin db\n  fracht images -t prod --build --push\n  fracht images -t prod --format json"
)]
pub(crate) struct Images {
    /// Only the images of these services, tasks and builds [default: all]
    #[arg(value_name = "NAME")]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) plan: PlanChoice,
    /// Ask the registries: is it there, digest, size, platforms, age, newer tags
    #[arg(long)]
    pub(crate) look: bool,
    /// Keep the digests of taken images in `fracht.lock`; every command then uses them
    ///
    /// One that is kept already stays, unless it is named.
    #[arg(long)]
    pub(crate) pin: bool,
    /// Build images on the container engine of this machine, in order, as far as their content has changed
    #[arg(long)]
    pub(crate) build: bool,
    /// Push the built images to the registry of the target
    #[arg(long)]
    pub(crate) push: bool,
    /// With --build or --push: socket of the container engine [default: `FRACHT_ENGINE`, else the usual places]
    #[arg(long, value_name = "PATH")]
    pub(crate) engine: Option<PathBuf>,
}
