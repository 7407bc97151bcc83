//! The command line. Doc comments are the help.

mod draw;
mod machine;
mod objects;
mod plans;

use std::ffi::OsString;
use std::mem::ManuallyDrop;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::{ArgGroup, Args, CommandFactory as _, FromArgMatches as _, Parser, Subcommand, ValueEnum};
use fracht_core::cover;
use fracht_core::escape::{escaped, is_unsafe};

pub(crate) use self::draw::{Arrangement, Draw, Drawn, PictureFormat, Theme};
pub(crate) use self::machine::{Inside, MachineChoice, Once, Output, Start, State, Stop};
pub(crate) use self::objects::{Diff, Render};
pub(crate) use self::plans::{Images, Order, Ports, Reach, Show};

/// Reads the arguments. Prints an error and returns its exit code. The message never contains control characters or
/// text that looks secret, whatever the arguments are.
pub(crate) fn parse() -> Result<Cli, ExitCode> {
    let error = match read(std::env::args_os()) {
        Ok(cli) => return Ok(cli),
        Err(error) => error,
    };
    if !error.use_stderr() {
        error.exit();
    }
    let arguments: Vec<String> =
        std::env::args_os().map(|text| text.to_string_lossy().into_owned()).collect();
    let safe = || arguments.iter().map(|text| escaped(text).into_owned());
    let error = if arguments.iter().any(|text| text.contains(is_unsafe)) {
        // Reports the same error for escaped arguments.
        read(safe()).err()
    } else {
        Some(error)
    };
    let text = error.as_ref().map_or_else(
        || "error: an argument has control characters\n".to_owned(),
        |error| error.render().ansi().to_string(),
    );
    anstream::eprint!("{}", cover::prose(&text));
    Err(ExitCode::from(2))
}

/// The command that arguments are.
fn read<A: Into<OsString> + Clone>(arguments: impl IntoIterator<Item = A>) -> Result<Cli, clap::Error> {
    // The definition of all commands is never freed: that takes longer than some commands.
    let mut definition = ManuallyDrop::new(Cli::command());
    let mut matches = definition.try_get_matches_from_mut(arguments)?;
    Cli::from_arg_matches_mut(&mut matches).map_err(|error| error.format(&mut definition))
}

/// The answer to `--version`.
pub(crate) const VERSION_LINE: &str = concat!("fracht ", env!("CARGO_PKG_VERSION"));
/// The value of `--out` that stands for standard output.
pub(crate) const STANDARD_OUTPUT: &str = "-";

/// Whether the only argument asks for the version.
pub(crate) fn is_version_asked() -> bool {
    let mut arguments = std::env::args_os().skip(1);
    let first = arguments.next();
    first.is_some_and(|first| first == "--version" || first == "-V") && arguments.next().is_none()
}

/// Define a container stack once: check it, plan it, render it to Kubernetes objects
///
/// Results go to standard output, messages to standard error. Exit codes: 0 success, 1 errors in the stack
/// (`diff`: differences), 2 the command failed.
#[derive(Debug, Parser)]
#[command(name = "fracht", version, max_term_width = 100)]
#[command(after_help = "To try it: `fracht demo` creates an example stack and runs every command on it.")]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) screen: Screen,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// The options of every command.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Screen {
    /// When to use color; `NO_COLOR` is honored
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    /// Print only results and errors
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
}

/// The stack, and the values of its inputs.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct StackChoice {
    /// Stack file, or the folder that contains it
    ///
    /// [default: the nearest fracht.toml, from the current folder upwards]
    #[arg(long, value_name = "PATH")]
    pub(crate) stack: Option<PathBuf>,
    /// Folder above the stack whose files it may use as well
    ///
    /// Without it, a stack uses only files in its own folder. `FRACHT_ROOT` sets it for all commands.
    #[arg(long, value_name = "DIR")]
    pub(crate) root: Option<PathBuf>,
    /// Set an input; can be repeated
    #[arg(long, value_name = "NAME=VALUE")]
    pub(crate) input: Vec<String>,
    /// Read inputs from a file of NAME=value lines
    #[arg(long, value_name = "FILE")]
    pub(crate) inputs: Option<PathBuf>,
}

/// Other stacks on the same machine or in the same cluster.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct BesideChoice {
    /// Another stack on the same machine or cluster: its folder or file; can be repeated
    ///
    /// Its target is the one of the same name, or the only one of the same kind; choose another one with DIR=TARGET.
    #[arg(long, value_name = "DIR")]
    pub(crate) beside: Vec<String>,
}

/// When to use color.
#[derive(Clone, Copy, Debug, Default, ValueEnum)]
pub(crate) enum When {
    /// On a terminal
    #[default]
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Check(Check),
    Order(Order),
    Ports(Ports),
    Reach(Reach),
    Show(Show),
    Images(Images),
    Draw(Draw),
    Render(Render),
    Diff(Diff),
    Start(Start),
    State(State),
    Output(Output),
    Inside(Inside),
    Once(Once),
    Stop(Stop),
    Trace(Trace),
    New(New),
    Rules(Rules),
    Schema(Schema),
    Demo(Demo),
    Completions(Completions),
    Manual(Manual),
}

/// Which of the stack's targets.
#[derive(Debug, Default, Args)]
pub(crate) struct TargetChoice {
    /// Target to use; required if the stack has several
    #[arg(short, long, value_name = "NAME")]
    pub(crate) target: Option<String>,
}

/// What the commands that show a plan of one target take.
#[derive(Debug, Default, Args)]
pub(crate) struct PlanChoice {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

impl TargetChoice {
    pub(crate) fn name(&self) -> Option<&str> {
        self.target.as_deref()
    }
}

/// How results are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// Readable text
    #[default]
    Text,
    /// JSON; fields are described in docs/json.md
    Json,
}

/// Check the stack for problems, for every target
///
/// Each problem comes with its location, the reason and a fix. Exits with 1 if there are errors. A table can allow what
/// it breaks on purpose: `allow.RULE = "REASON"`.
#[expect(clippy::struct_excessive_bools, reason = "each is an option of the command")]
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht check\n  fracht check -t prod --deny warnings\n  fracht check --fix --dry\n  fracht check -t prod --beside ../console\n  fracht check --format json | jq '.problems[].message'\n  fracht check --format sarif > problems.sarif"
)]
pub(crate) struct Check {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    /// Check only this target [default: all targets]
    #[arg(short, long, value_name = "NAME")]
    pub(crate) target: Option<String>,
    /// Exit with 1 also for these, and for what is more severe
    #[arg(long, value_name = "SEVERITY")]
    pub(crate) deny: Option<Deny>,
    /// Show all problems, not only the first 100
    #[arg(long)]
    pub(crate) all: bool,
    /// Change the files where a fix is certain: nearest names, braces, addresses, quotes, moved keys
    ///
    /// Comments and layout stay. A change is only written if the stack has fewer problems with it, and no new ones.
    #[arg(long, conflicts_with_all = ["format", "beside"])]
    pub(crate) fix: bool,
    /// With --fix: show the changes, and write nothing
    #[arg(long, requires = "fix")]
    pub(crate) dry: bool,
    /// Ask the registries for the images as well: missing and never pushed ones, platforms, what each says of itself
    #[arg(long, conflicts_with = "fix")]
    pub(crate) look: bool,
    #[command(flatten)]
    pub(crate) beside: BesideChoice,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: CheckFormat,
}

/// The severities that fail a check besides errors.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Deny {
    /// Warnings
    Warnings,
    /// Warnings and hints
    Hints,
}

/// How the problems of a stack are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum CheckFormat {
    /// Readable text
    #[default]
    Text,
    /// JSON; fields are described in docs/json.md
    Json,
    /// SARIF 2.1.0, for tools that show problems beside the code
    Sarif,
}

/// Create a stack file from an image, from a folder with a recipe, or from a file of settings
///
/// A folder becomes a build, with the ports that its recipe exposes. A widely used data store gets its volume, its
/// variables, a health check and sizes. Settings become a config. Those that look like secrets become a secret that is read from the environment; their
/// values are not written. Existing files are never overwritten.
#[derive(Debug, Args)]
#[command(
    group(ArgGroup::new("source").args(["from", "lines"]).required(true).multiple(true)),
    after_help = "Examples:\n  fracht new registry.example/harbour/feedstore:1.0 --port http=8080\n  fracht new ./forecast\n  fracht new registry.example/base/postgresql:16.4 --name db --out -\n  fracht new --name feedstore --lines settings.env"
)]
pub(crate) struct New {
    /// Image to run, or a folder with a recipe to build it from
    #[arg(value_name = "IMAGE|FOLDER")]
    pub(crate) from: Option<String>,
    /// Name of the stack and of its service [default: the name of the image or the folder]
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// Port that the service listens on; can be repeated. A number without a name is called http
    #[arg(long, value_name = "NAME=NUMBER")]
    pub(crate) port: Vec<String>,
    /// File of KEY=value lines with its settings
    #[arg(long, value_name = "FILE")]
    pub(crate) lines: Option<PathBuf>,
    /// File to create; `-` for standard output
    #[arg(long, value_name = "FILE", default_value = "fracht.toml")]
    pub(crate) out: PathBuf,
}

/// Show where a value comes from, layer by layer
///
/// The first row is the value in use, the rows below are the values it overrides. For a table, lists every value in it.
/// Write `target.KEY` for a key of the target itself.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht trace service.api.replicas -t prod\n  fracht trace service.api -t prod\n  fracht trace 'service.api.mount.\"/tmp\"' -t prod"
)]
pub(crate) struct Trace {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    /// Path to the value, for example service.api.replicas
    pub(crate) path: String,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// List the rules, or explain one with a bad and a good example
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht rules\n  fracht rules port-clash")]
pub(crate) struct Rules {
    /// Rule to explain
    pub(crate) rule: Option<String>,
}

/// Print the JSON Schema for stack files, for editors
///
/// Editors that support JSON Schema (2020-12) for TOML use it to complete keys, describe them and mark mistakes.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht schema > fracht.schema.json")]
pub(crate) struct Schema {}

/// Create the demo stack, Tidedesk, and run every command on it
///
/// Existing files are never overwritten.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht demo\n  fracht demo /tmp/tidedesk")]
pub(crate) struct Demo {
    /// Folder to create it in
    #[arg(value_name = "DIR", default_value = "tidedesk")]
    pub(crate) dir: PathBuf,
}

/// Print a completion script for a shell
///
/// It also completes the targets, inputs and paths of the stack in the current folder.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht completions bash > /etc/bash_completion.d/fracht\n  fracht completions fish > ~/.config/fish/completions/fracht.fish"
)]
pub(crate) struct Completions {
    /// Shell to print it for
    pub(crate) shell: Shell,
}

/// The supported shells.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Shell {
    /// Bash
    Bash,
    /// Elvish
    Elvish,
    /// Fish
    Fish,
    /// PowerShell
    Powershell,
    /// Z shell
    Zsh,
}

/// Print the man pages
///
/// Prints one page to standard output, or writes all pages into a folder.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht manual render | man -l -\n  fracht manual --out ~/.local/share/man/man1"
)]
pub(crate) struct Manual {
    /// Command to describe [default: fracht itself]
    #[arg(value_name = "COMMAND", conflicts_with = "out")]
    pub(crate) page: Option<String>,
    /// Write all pages into this folder; `-` is standard output
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}
