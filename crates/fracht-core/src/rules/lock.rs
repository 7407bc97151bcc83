//! Rules on the lock.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::plan::facts::Facts;
use crate::plan::ports::{Misfit, Unfit};

pub(super) static LOCK_DIFFERS: Rule = Rule {
    name: "lock-differs",
    severity: Severity::Warning,
    summary: "A number in `fracht.lock` does not fit the stack",
    why: "Fracht does not use it: it takes what the stack sets, or chooses anew.",
    // In this target the lock of the test keeps 8081 for this port.
    fails: "[stack]\nname = \"s\"\n[target.locked]\non = \"machine\"\n\
            [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"node\", at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[target.locked]\non = \"machine\"\n\
             [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"node\", at = \"8080..\" }\n",
    ..Rule::BASE
};

pub(super) fn lock_differs(facts: &Facts, sink: &mut Sink) {
    let model = &facts.model;
    let help =
        format!("run `fracht ports --assign -t {}`, which fits the lock to the stack", model.target.name);
    for Unfit { kept, port, why } in &facts.ports.unfit {
        let Some(kept) = model.kept.get(*kept) else { continue };
        let name = format!("service.{}/{}", kept.service, kept.port);
        let numbers = kept.at.iter().map(u16::to_string).collect::<Vec<_>>().join(", ");
        let place = port.map(|port| port.span);
        let (message, label, other) = match why {
            // It may be in what could not be read.
            Misfit::Gone if model.incomplete => continue,
            Misfit::Gone => {
                (format!("the lock keeps a number for `{name}`, which does not exist"), "kept here", None)
            }
            Misfit::NoChoice => (
                format!("the lock keeps {numbers} for `{name}`, for which nothing is chosen"),
                "kept here",
                place.map(|place| (place, "no number is chosen here".to_owned())),
            ),
            Misfit::Written => (
                format!("the lock keeps {numbers} for `{name}`, but the stack sets another number"),
                "kept here",
                place.map(|place| (place, "set here".to_owned())),
            ),
            Misfit::OutOfRange => (
                format!("the lock keeps {numbers} for `{name}`, which the stack does not allow"),
                "kept here",
                place.map(|place| (place, "chosen from these".to_owned())),
            ),
            Misfit::Taken(other) => (
                format!("the lock keeps {numbers} for `{name}`, which `{}` has", other.words(model)),
                "kept here",
                Some((other.span, "used here".to_owned())),
            ),
        };
        let mut problem = Diagnostic::new(&LOCK_DIFFERS, message).at(kept.span, label);
        if let Some((place, label)) = other {
            problem = problem.also(place, label);
        }
        sink.push(problem.help(&help));
    }
}
