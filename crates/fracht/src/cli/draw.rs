//! The arguments of `fracht draw`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{StackChoice, TargetChoice};

/// Draw the stack: services, who uses whom, networks, volumes, what is open
///
/// Without --out, prints boxes to the terminal. The picture is made from the same facts as `order`, `ports` and `reach`,
/// and is the same each time.
#[derive(Debug, Default, Args)]
#[command(
    after_help = "Examples:\n  fracht draw -t prod\n  fracht draw -t prod --out tidedesk.svg\n  fracht draw -t prod --out tidedesk.png --theme dark\n  fracht draw -t prod --by wave --out order.svg\n  fracht draw -t prod --only api --with config,secret"
)]
pub(crate) struct Draw {
    #[command(flatten)]
    pub(crate) stack: StackChoice,
    #[command(flatten)]
    pub(crate) target: TargetChoice,
    /// File to write: its ending says the format; `-` for standard output. An existing file is replaced
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
    /// Format of the picture [default: the ending of --out, else txt]
    #[arg(long, value_name = "FORMAT")]
    pub(crate) format: Option<PictureFormat>,
    /// Draw only this service or task, and what it is linked to
    #[arg(long, value_name = "NAME")]
    pub(crate) only: Option<String>,
    /// Also draw configs or secrets (names only); separate several with commas
    #[arg(long, value_name = "KIND", value_delimiter = ',')]
    pub(crate) with: Vec<Drawn>,
    /// What decides the places: networks and uses, or start waves
    #[arg(long, value_name = "WHAT", default_value = "network")]
    pub(crate) by: Arrangement,
    /// Colors
    #[arg(long, value_name = "THEME", default_value = "light")]
    pub(crate) theme: Theme,
}

/// The formats of pictures.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PictureFormat {
    /// Scalable picture, with real text
    Svg,
    /// Raster picture
    Png,
    /// Graph in the DOT language
    Dot,
    /// Flowchart in the Mermaid language
    Mmd,
    /// Boxes of characters
    Txt,
}

/// What can be drawn besides services, tasks and volumes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Drawn {
    /// Configs
    Config,
    /// Secrets, without their values
    Secret,
}

/// What decides the places of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum Arrangement {
    /// Columns by who uses whom, areas by network
    #[default]
    Network,
    /// Columns by start wave
    Wave,
}

/// The colors of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum Theme {
    /// Dark on light
    #[default]
    Light,
    /// Light on dark
    Dark,
}
