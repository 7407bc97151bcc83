//! The small grammars inside values: one file each, each a function from text to a meaning or a reason.
//!
//! A reason is a sentence that ends a message and says what would be right.

pub mod at;
pub mod duration;
pub mod host;
pub mod image;
pub mod lines;
pub mod mode;
pub mod name;
pub mod nearest;
pub mod path;
pub mod platform;
pub mod quantity;
pub mod reference;
pub mod resource;
pub mod schedule;
pub mod share;
pub mod user;
pub mod word;
