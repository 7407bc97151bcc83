//! Names to ids: what each reference means, or which name was probably meant.

mod symbols;
mod text;

pub(crate) use symbols::{Facts, OutsideSymbol, Symbols, port_names};
pub(crate) use text::{CONFIG, Context};
