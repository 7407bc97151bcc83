//! Plans: what follows from a model, as plain data.

pub mod beside;
pub mod external;
pub mod facts;
pub mod images;
pub mod listening;
pub mod login;
pub mod looked;
pub mod one_node;
pub mod order;
pub mod ports;
pub mod reach;
pub mod sizes;
pub mod timeline;
mod uses;
