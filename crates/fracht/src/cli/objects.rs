//! The arguments of the commands on objects.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{Format, StackChoice, TargetChoice};

/// Compare two targets, or a target with objects rendered earlier
///
/// Compares object by object and field by field; list items are matched by name. Exits with 1 if there are
/// differences. Secret values are never shown.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  fracht diff -t staging --against prod\n  fracht diff -t prod --against objects\n  fracht diff -t prod --against objects --secrets\n  kubectl get all -o yaml > now.yaml; fracht diff -t prod --against now.yaml"
)]
pub(crate) struct Diff {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// What to compare with: another target, or a folder or file of objects
    #[arg(long, value_name = "TARGET|PATH")]
    pub(crate) against: String,
    /// Also compare secret values, read from the sources that the stack names
    #[arg(long)]
    pub(crate) secrets: bool,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
}

/// Render the Kubernetes objects of a target
///
/// Prints to standard output. With --out, writes one file per object and replaces the folder in one step: files of an
/// earlier run that are no longer needed are removed, all other files are kept.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht render -t prod | kubectl apply -f -\n  fracht render -t prod --out objects\n  fracht render -t prod --out objects --secrets\n  fracht render -t prod --only Deployment/api --only Service"
)]
pub(crate) struct Render {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// Write one file per object into this folder; `-` is standard output
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Also render Secret objects, with values read from the sources that the stack names
    #[arg(long)]
    pub(crate) secrets: bool,
    /// Render only this object, or all objects of this kind; can be repeated
    #[arg(long, value_name = "KIND/NAME")]
    pub(crate) only: Vec<String>,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "yaml")]
    pub(crate) format: ObjectFormat,
}

/// The formats of objects.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum ObjectFormat {
    /// YAML documents
    #[default]
    Yaml,
    /// One List object, or with --out one object in each file
    Json,
}

impl ObjectFormat {
    /// The format of the back end.
    pub(crate) fn format(self) -> fracht_cluster::Format {
        match self {
            Self::Yaml => fracht_cluster::Format::Yaml,
            Self::Json => fracht_cluster::Format::Json,
        }
    }
}
