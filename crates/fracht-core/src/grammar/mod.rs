//! The small grammars inside values: one file each, with a function that reads a text, or returns why it is
//! [`Invalid`](invalid::Invalid).

pub mod at;
pub mod duration;
pub mod glob;
pub mod host;
pub mod image;
pub mod invalid;
pub mod lines;
pub mod make;
pub mod mode;
pub mod name;
pub mod nearest;
pub mod path;
pub mod pattern;
pub mod platform;
pub mod quantity;
pub(crate) mod quoted;
pub mod reference;
pub mod resource;
pub mod schedule;
pub mod share;
pub mod tag;
pub mod user;
pub mod word;
