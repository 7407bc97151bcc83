//! Plans: what follows from a model, as plain data.

pub mod one_node;
pub mod order;
pub mod outer;
pub mod ports;
pub mod reach;
