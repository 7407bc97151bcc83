//! Resolves names and references: what each means, or which name is the nearest.

mod replica;
mod symbols;
mod text;
mod value;

pub(crate) use symbols::{BuildSymbol, Facts, OutsideSymbol, Symbols, port_names};
pub(crate) use text::{CONFIG, Context, is_meant};
