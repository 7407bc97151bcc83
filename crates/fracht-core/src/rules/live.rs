//! Problems of a stack with what listens on this machine.

use super::ports::{PORT_CLASH, taken_elsewhere};
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
        Program::Container(name) => format!("container `{name}`"),
        other => other.words(),
    };
    let label = match (program, clash.how) {
        (Program::Known(_, process), Obstacle::Taken) => format!("process {process} listens at {place}"),
        (_, Obstacle::Taken) => format!("in use at {place}"),
        (_, Obstacle::Shadow) => format!("`localhost` may lead to {place}"),
    };
    let message = format!("`{port}` and {name} both use {protocol} port {number} on this machine");
    let problem = Diagnostic::new(&PORT_CLASH, message).at(clash.port.span, label);
    let own = model.workloads[clash.port.service].port(clash.port.port);
    let command = format!("fracht ports -t {} --live --assign", model.target.name);
    taken_elsewhere(problem, own, clash.free, "in the stack and on this machine", &command)
}
