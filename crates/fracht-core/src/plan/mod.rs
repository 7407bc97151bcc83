//! What follows from a model: plain data, no output.

pub mod one_node;
pub mod order;
pub mod outer;
pub mod ports;
pub mod reach;
