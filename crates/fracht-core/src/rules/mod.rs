//! The rules: what each finds, why it matters, a stack that fails it and one that passes.
//!
//! A rule is data with a function. To add one: a static in the file of its family, a line in [`RULES`].
//! The rules on shapes have no function: reading itself finds what they tell of.

mod entries;
mod images;
mod levels;
mod networks;
mod nodes;
mod objects;
mod outside;
mod ports;
mod quantities;
mod secrets;
mod settings;
mod shapes;
mod start;
mod texts;
mod unused;
mod volumes;

pub(crate) use levels::Levels;
pub use settings::MOST_OF_SECRET;

use rayon::iter::{IntoParallelRefIterator as _, ParallelIterator as _};

use crate::diag::{Severity, Sink};
use crate::model::Model;

/// What is checked, and what people can read about it.
#[derive(Debug)]
pub struct Rule {
    /// Its name, in words joined by `-`.
    pub name: &'static str,
    /// How bad what it finds is.
    pub severity: Severity,
    /// What it finds, in a sentence.
    pub summary: &'static str,
    /// Why that matters.
    pub why: &'static str,
    /// A stack file in which it finds exactly one thing.
    pub fails: &'static str,
    /// The same, mended.
    pub passes: &'static str,
    /// Whether nothing could be made of a stack in which it finds something: it can't be turned off.
    pub fixed: bool,
    /// Who looks for it.
    pub(crate) check: Check,
}

/// Who looks for what a rule finds.
#[derive(Debug)]
pub(crate) enum Check {
    /// Reading, of itself.
    Reading,
    /// This, in a model.
    Model(fn(&Model, &mut Sink)),
    /// The back end, among the objects that it makes.
    Objects,
}

impl Rule {
    /// Whether it is the back end that looks for it.
    pub fn is_of_objects(&self) -> bool {
        matches!(self.check, Check::Objects)
    }
}

/// Every rule, those of reading first.
pub static RULES: &[&Rule] = &[
    &shapes::SYNTAX,
    &shapes::UNKNOWN_KEY,
    &shapes::MISSING_KEY,
    &shapes::WRONG_TYPE,
    &shapes::BAD_VALUE,
    &shapes::BAD_NAME,
    &shapes::DEFINED_TWICE,
    &shapes::UNKNOWN_NAME,
    &shapes::FILE_UNREADABLE,
    &shapes::PATH_OUTSIDE,
    &shapes::BROKEN_LINE,
    &shapes::LIKE_CYCLE,
    &shapes::DROP_MISSES,
    &start::START_CYCLE,
    &start::WAITS_WITHOUT_HEALTH,
    &ports::PORT_RANGE,
    &ports::PORT_CLASH,
    &ports::AT_WITH_REPLICAS,
    &ports::AT_UNUSED,
    &images::IMAGE_UNPINNED,
    &images::IMAGE_UNPULLABLE,
    &shapes::INPUT_MISSING,
    &shapes::INPUT_REFUSED,
    &settings::LOCALHOST_ADDRESS,
    &settings::PLACEHOLDER_LEFT,
    &settings::CONFIG_TOO_LARGE,
    &secrets::SECRET_IN_CLEAR,
    &secrets::SECRET_IN_CONFIG,
    &networks::NO_ROUTE,
    &quantities::SIZE_INVERTED,
    &unused::UNUSED,
    &shapes::SCHEDULE_INVALID,
    &shapes::ENV_NAME,
    &ports::HOST_MISSING,
    &volumes::FOLDER_IN_CLUSTER,
    &volumes::VOLUME_SHARED,
    &volumes::EACH_MISPLACED,
    &volumes::ROLLOUT_UNUSED,
    &quantities::LOAD_UNMEASURED,
    &start::AWAIT_ENDLESS,
    &start::STOP_TOO_SHORT,
    &texts::PROCESS_TEXT,
    &texts::LABEL_UNKNOWN,
    &volumes::MODE_UNREADABLE,
    &networks::API_ANYWHERE,
    &entries::ENTRY_PATH,
    &outside::OUTSIDE_ADDRESS,
    &settings::SECRET_TOO_LARGE,
    &nodes::NODE_CLASH,
    &objects::NAME_CLASH,
    &objects::PATCH_MISSES,
    &objects::PASS_BROKEN,
    &objects::PASS_BEYOND,
    &objects::PASS_SECRET,
];

/// The rule of a name.
pub fn rule(name: &str) -> Option<&'static Rule> {
    RULES.iter().copied().find(|rule| rule.name == name)
}

/// Below this many services and tasks threads cost more than they save.
const WORTH_THREADS: usize = 500;

/// Runs every rule over a model. Rules know nothing of each other, so that several can run at once.
pub(crate) fn run(model: &Model, sink: &mut Sink) {
    let of_model = |rule: &&Rule| match rule.check {
        Check::Model(check) => Some(check),
        Check::Reading | Check::Objects => None,
    };
    let checks: Vec<_> = RULES.iter().filter_map(of_model).collect();
    if model.workloads.len() < WORTH_THREADS {
        for check in checks {
            check(model, sink);
        }
        return;
    }
    let found = checks.par_iter().map(|check| {
        let mut own = Sink::default();
        check(model, &mut own);
        own
    });
    for own in found.collect::<Vec<_>>() {
        sink.absorb(own);
    }
}

#[cfg(test)]
mod tests;
