//! Colors. Those of networks and of what is open differ from each other also for people who see fewer colors (CIE76 at
//! least 17 with the matrices of Machado, Oliveira and Fernandes, 2009), and each also has dashes of its own.

use crate::layout::Ink;

/// Light or dark.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Theme {
    /// Dark text on white.
    #[default]
    Light,
    /// Light text on black.
    Dark,
}

/// The colors of a theme.
#[derive(Debug)]
pub(crate) struct Colors {
    pub(crate) page: &'static str,
    pub(crate) frame: &'static str,
    pub(crate) card: &'static str,
    pub(crate) task: &'static str,
    pub(crate) outside: &'static str,
    pub(crate) text: &'static str,
    pub(crate) small: &'static str,
    pub(crate) uses: &'static str,
    pub(crate) waits: &'static str,
    pub(crate) edge: &'static str,
    pub(crate) open: &'static str,
    networks: [&'static str; 5],
    /// How much of its color is in the area of a network.
    pub(crate) tint: &'static str,
}

static LIGHT: Colors = Colors {
    page: "#ffffff",
    frame: "#f7f8fa",
    card: "#ffffff",
    task: "#f1f3f6",
    outside: "#eef0f3",
    text: "#16202c",
    small: "#566170",
    uses: "#3b4754",
    waits: "#6b7685",
    edge: "#8a95a3",
    open: "#8c1410",
    networks: ["#1e3a5f", "#94681a", "#258166", "#b72fa3", "#6431e5"],
    tint: "0.1",
};

static DARK: Colors = Colors {
    page: "#10151b",
    frame: "#161c24",
    card: "#1f2731",
    task: "#28313c",
    outside: "#222a34",
    text: "#eef2f6",
    small: "#a7b2bf",
    uses: "#c3ccd6",
    waits: "#95a1af",
    edge: "#6f7c8b",
    open: "#ff8f7d",
    networks: ["#80c5fb", "#feb530", "#81f7c9", "#d07bab", "#9483fd"],
    tint: "0.13",
};

/// The dashes of networks: lengths of strokes and gaps, in pixels.
const DASHES: [&str; 6] = ["", "6 3", "2 3", "9 3 2 3", "12 4", "1 4"];

impl Theme {
    pub(crate) fn colors(self) -> &'static Colors {
        match self {
            Self::Light => &LIGHT,
            Self::Dark => &DARK,
        }
    }
}

impl Colors {
    /// The color and the dashes of a network.
    pub(crate) fn network(&self, index: usize) -> (&'static str, &'static str) {
        let color = self.networks.get(index % self.networks.len()).copied().unwrap_or(self.edge);
        (color, DASHES.get(index % DASHES.len()).copied().unwrap_or_default())
    }

    pub(crate) fn ink(&self, ink: Ink) -> &'static str {
        match ink {
            Ink::Text => self.text,
            Ink::Small => self.small,
            Ink::Open => self.open,
            Ink::OnTab => self.page,
        }
    }
}
