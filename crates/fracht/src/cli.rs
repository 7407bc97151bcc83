//! The command line. Doc comments are the help.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

/// One short definition of a container stack: checked, planned and rendered for a cluster.
///
/// Results go to standard output, everything else to standard error. Exit codes: 0 all is well,
/// 1 the stack has problems, 2 the command could not be carried out.
#[derive(Debug, Parser)]
#[command(name = "fracht", version, max_term_width = 100)]
#[command(after_help = "Try it: fracht demo writes an example stack and runs every command on it.")]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// What every command takes.
#[derive(Clone, Debug, Args)]
pub(crate) struct Common {
    /// The stack file, or the folder that it is in
    ///
    /// Without it, fracht.toml is looked for in the current folder and those above.
    #[arg(long, global = true, value_name = "PATH")]
    pub(crate) stack: Option<PathBuf>,
    /// Give an input a value; several times for several inputs
    #[arg(long, global = true, value_name = "NAME=VALUE")]
    pub(crate) input: Vec<String>,
    /// Give inputs in a file of NAME=value lines
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) inputs: Option<PathBuf>,
    /// When to use colours; the variable `NO_COLOR` is honoured
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    /// Say nothing but results and errors
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
}

/// When to use colours.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum When {
    /// On a terminal
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
    Render(Render),
    Trace(Trace),
    Rules(Rules),
    Demo(Demo),
    Completions(Completions),
}

/// Which of the stack's targets.
#[derive(Debug, Default, Args)]
pub(crate) struct TargetChoice {
    /// The target; needed where the stack has several
    #[arg(short, long, value_name = "NAME")]
    pub(crate) target: Option<String>,
}

/// How results are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    #[default]
    Text,
    /// For programs; docs/json.md says what is in it
    Json,
}

/// Find all the problems of the stack, under every target
///
/// Each with its place, the reason and the fix. Ends with 1 if there are errors.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht check\n  fracht check -t prod\n  fracht check --format json | jq '.problems[].message'"
)]
pub(crate) struct Check {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Show the start order: waves, what each waits for, and the longest chain
#[derive(Debug, Default, Args)]
#[command(after_help = "Examples:\n  fracht order -t prod\n  fracht order -t prod --format json")]
pub(crate) struct Order {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Show the port plan: who has which number, who can reach it, and where
#[derive(Debug, Default, Args)]
#[command(after_help = "Examples:\n  fracht ports -t laptop\n  fracht ports -t prod --format json")]
pub(crate) struct Ports {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Write the Kubernetes objects of a target
///
/// To standard output, or with --out one file for each object into a folder, which is swapped in as a
/// whole: files of an earlier rendering that are no longer made are removed, others are left alone.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht render -t prod | kubectl apply -f -\n  fracht render -t prod --out objects\n  fracht render -t prod --out objects --secrets\n  fracht render -t prod --only Deployment/api --only Service"
)]
pub(crate) struct Render {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// Write one file for each object into this folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Include the values of secrets, read from where the stack says
    #[arg(long)]
    pub(crate) secrets: bool,
    /// Write only this object, KIND/NAME, or all of a KIND; several times for several
    #[arg(long, value_name = "KIND/NAME")]
    pub(crate) only: Vec<String>,
    /// How to write the objects
    #[arg(long, value_name = "FORMAT", default_value = "yaml")]
    pub(crate) format: ObjectFormat,
}

/// How objects are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum ObjectFormat {
    /// YAML documents
    #[default]
    Yaml,
    /// One List object, or with --out one object in each file
    Json,
}

impl ObjectFormat {
    /// The same in the words of whoever writes.
    pub(crate) fn format(self) -> fracht_cluster::Format {
        match self {
            Self::Yaml => fracht_cluster::Format::Yaml,
            Self::Json => fracht_cluster::Format::Json,
        }
    }
}

/// Show where a value comes from, layer by layer
///
/// The value in force first, then each earlier layer that gave one, with its line. For a table, all that is
/// in it. `target.KEY` is a key of the target itself.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht trace service.api.replicas -t prod\n  fracht trace service.api -t prod\n  fracht trace 'service.api.mount.\"/tmp\"' -t prod"
)]
pub(crate) struct Trace {
    /// The path of the value, keys with dots between them
    pub(crate) path: String,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Tell of the rules: what each finds, why, a bad and a good example
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht rules\n  fracht rules port-clash")]
pub(crate) struct Rules {
    /// The rule to tell all about
    pub(crate) name: Option<String>,
}

/// Write the demo stack, Tidedesk, and run every command on it
///
/// Nothing that is there already is overwritten.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht demo\n  fracht demo /tmp/tidedesk")]
pub(crate) struct Demo {
    /// The folder to write it to
    #[arg(value_name = "DIR", default_value = "tidedesk")]
    pub(crate) dir: PathBuf,
}

/// Write the completions of a shell, for it to read when it starts
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht completions bash > /etc/bash_completion.d/fracht\n  fracht completions fish > ~/.config/fish/completions/fracht.fish"
)]
pub(crate) struct Completions {
    /// The shell
    pub(crate) shell: clap_complete::Shell,
}
