//! The command line. Doc comments are the help.

use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::ArgValueCompleter;
use fracht_core::cover::{self, escaped, is_unsafe};

use crate::complete;

/// Reads the arguments; an error has been shown, and has this exit code. Whatever an argument is, the message does not
/// act on a terminal, nor show what looks secret in it.
pub(crate) fn parse() -> Result<Cli, ExitCode> {
    let error = match Cli::try_parse() {
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
        // The same error, with arguments that are safe to show.
        Cli::try_parse_from(safe()).err()
    } else {
        Some(error)
    };
    let text = error.as_ref().map_or_else(
        || "error: an argument has control characters in it\n".to_owned(),
        |error| error.render().ansi().to_string(),
    );
    anstream::eprint!("{}", cover::prose(&text));
    Err(ExitCode::from(2))
}

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
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Common {
    /// The stack file, or the folder that it is in
    ///
    /// Without it, fracht.toml is looked for in the current folder and those above.
    #[arg(long, global = true, value_name = "PATH")]
    pub(crate) stack: Option<PathBuf>,
    /// Give an input a value; several times for several inputs
    #[arg(long, global = true, value_name = "NAME=VALUE", add = ArgValueCompleter::new(complete::inputs))]
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
    Render(Render),
    Diff(Diff),
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
    /// The target; needed where the stack has several
    #[arg(short, long, value_name = "NAME", add = ArgValueCompleter::new(complete::targets))]
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

/// Show who can get to what: the ways in from outside, and who can talk to whom inside
///
/// For each way in the address or how to learn it, the line for a hosts file, and where its login is kept. For
/// services and tasks, whom they can talk to, and why not.
#[derive(Debug, Default, Args)]
#[command(after_help = "Examples:\n  fracht reach -t laptop\n  fracht reach -t prod --format json")]
pub(crate) struct Reach {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Show what differs between two targets, or between a target and objects that were rendered before
///
/// Object by object, field by field; items of lists are matched by their names. Ends with 1 if anything differs.
/// Values of secrets are never shown.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht diff -t staging --against prod\n  fracht diff -t prod --against objects\n  fracht diff -t prod --against objects --secrets\n  kubectl get all -o yaml > now.yaml; fracht diff -t prod --against now.yaml"
)]
pub(crate) struct Diff {
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// What it is held against: another target, a folder of objects, or a file of them
    #[arg(long, value_name = "TARGET|PATH", add = ArgValueCompleter::new(complete::targets))]
    pub(crate) against: String,
    /// Compare the values of secrets as well, read from where the stack says
    #[arg(long)]
    pub(crate) secrets: bool,
    /// How to write the result
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Write a first stack file, from an image and its ports, or from a file of settings
///
/// Settings become a config, and those that look secret by name or value a secret that is read from the
/// environment: their values are not written. Nothing that is there already is overwritten.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht new --name feedstore --image registry.example/harbour/feedstore:1.0 --port http=8080\n  fracht new --name feedstore --lines settings.env\n  fracht new --image registry.example/harbour/web:2.1 --port 8080 --out web/fracht.toml"
)]
pub(crate) struct New {
    /// The name of the stack and of its service [default: that of the image]
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// The image to run
    #[arg(long, value_name = "IMAGE", required_unless_present = "lines")]
    pub(crate) image: Option<String>,
    /// A port that it listens on, by name; several times for several. A number alone is called http
    #[arg(long, value_name = "NAME=NUMBER")]
    pub(crate) port: Vec<String>,
    /// A file of KEY=value lines with its settings
    #[arg(long, value_name = "FILE")]
    pub(crate) lines: Option<PathBuf>,
    /// The file to write
    #[arg(long, value_name = "FILE", default_value = "fracht.toml")]
    pub(crate) out: PathBuf,
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
    #[arg(add = ArgValueCompleter::new(complete::paths))]
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
    #[arg(add = ArgValueCompleter::new(complete::rules))]
    pub(crate) name: Option<String>,
}

/// Write the JSON Schema of stack files, for editors
///
/// Editors that know JSON Schema (2020-12) for TOML then complete keys, explain them and mark what is wrong.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  fracht schema > fracht.schema.json")]
pub(crate) struct Schema {}

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
///
/// They complete the targets, inputs and paths of the stack at hand as well.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht completions bash > /etc/bash_completion.d/fracht\n  fracht completions fish > ~/.config/fish/completions/fracht.fish"
)]
pub(crate) struct Completions {
    /// The shell
    pub(crate) shell: Shell,
}

/// The shells that can be completed in.
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

/// Write the pages of the manual
///
/// One page to standard output, or all of them into a folder.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht manual render | man -l -\n  fracht manual --out ~/.local/share/man/man1"
)]
pub(crate) struct Manual {
    /// The command to tell of; the program as a whole without it
    #[arg(value_name = "COMMAND", conflicts_with = "out")]
    pub(crate) page: Option<String>,
    /// Write all pages into this folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}
