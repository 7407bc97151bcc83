//! Draws a stack from its facts: the picture as data, then SVG, PNG, DOT, Mermaid, or boxes in a terminal.
//!
//! [`Diagram`] says what is shown, [`Layout`] where it is. The writers only write.

#![allow(
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "lengths in pixels, which are small"
)]

pub mod diagram;
mod dot;
pub mod font;
mod graph;
pub mod layout;
mod mermaid;
#[cfg(feature = "png")]
mod png;
mod svg;
mod terminal;
mod theme;

pub use diagram::{By, Choice, Diagram};
pub use dot::dot;
pub use layout::Layout;
pub use mermaid::mermaid;
#[cfg(feature = "png")]
pub use png::{Png, png};
pub use svg::svg;
pub use terminal::{Piece, Tone, terminal};
pub use theme::Theme;
