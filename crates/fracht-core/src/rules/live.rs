//! Problems of a stack with what listens on this machine.

use super::ports::PORT_CLASH;
use crate::diag::Diagnostic;
use crate::grammar::word::Word as _;
use crate::model::Model;
use crate::plan::listening::{InUse, Obstacle, Program};

/// The problem that a number of the stack is in use on this machine.
pub fn in_use(model: &Model, clash: &InUse<'_>) -> Diagnostic {
    let (port, number) = (clash.port.words(model), clash.number);
    let protocol = clash.protocol.word().to_uppercase();
    let (program, place) = (&clash.listener.program, clash.listener.place());
    let name = match program {
        Program::Known(name, _) => format!("`{name}`"),
        other => other.words(),
    };
    let label = match (program, clash.how) {
        (Program::Known(_, process), Obstacle::Taken) => format!("process {process} listens at {place}"),
        (_, Obstacle::Taken) => format!("in use at {place}"),
        (_, Obstacle::Shadow) => format!("`localhost` may lead to {place}"),
    };
    let message = format!("`{port}` and {name} both use {protocol} port {number} on this machine");
    let mut problem = Diagnostic::new(&PORT_CLASH, message).at(clash.port.span, label);
    if let Some(free) = clash.free {
        problem = problem.help(format!("use {free}, which is free in the stack and on this machine"));
    }
    problem.help(format!(
        "or keep another number for this target: `fracht ports -t {} --live --assign`",
        model.target.name
    ))
}
