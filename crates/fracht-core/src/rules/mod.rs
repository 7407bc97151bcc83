//! The rules: what each finds, why it matters, a bad and a good example.
//!
//! A rule is data. To add one: a static and a function in the file of its topic, and a line in `LIST`. The rules of
//! reading are in `diag/reading.rs`, since the readers report them.

mod addresses;
pub mod beside;
mod braces;
mod commands;
mod entries;
mod health;
mod images;
pub mod live;
mod lock;
pub mod looked;
mod mounts;
mod names;
mod networks;
mod nodes;
mod notations;
mod objects;
mod outside;
mod placeholders;
mod ports;
mod quantities;
mod references;
mod secrets;
mod sizes;
mod start;
mod stores;
mod targets;
mod texts;
mod unused;
mod variables;
mod volumes;
mod written;

pub use objects::{NAME_CLASH, PASS_BEYOND, PASS_BROKEN, PASS_FIELDS, PASS_SECRET, PATCH_MISSES};
pub use ports::PORT_CLASH;
pub use sizes::MOST_OF_SECRET;

pub use crate::diag::Rule;
pub(crate) use crate::diag::reading::ALLOW_UNUSED;
pub use crate::diag::reading::{FILE_UNREADABLE, PATH_OUTSIDE, SYNTAX};
use rayon::iter::{IntoParallelRefIterator as _, ParallelIterator as _};

use crate::diag::{Sink, reading};
use crate::model::Model;
use crate::plan::facts::Facts;
use crate::source::Sources;

/// The code that finds the problems of a rule.
#[derive(Clone, Copy)]
enum Check {
    /// The readers, and the stages before them.
    Reading,
    /// This function, which checks a model.
    Model(fn(&Model, &mut Sink)),
    /// This function, which checks texts as they are written.
    Texts(fn(&Model, &Sources, &mut Sink)),
    /// This function, which checks plans.
    Plans(fn(&Facts, &mut Sink)),
    /// The back end, which checks the generated objects.
    Objects,
    /// The back end, which compares them with those of another stack.
    Beside,
    /// What registries tell of images, if that is looked up.
    Looked,
}

/// Every rule with the code that finds its problems, in the order of the reference.
static LIST: &[(&Rule, Check)] = &[
    (&SYNTAX, Check::Reading),
    (&reading::UNKNOWN_KEY, Check::Reading),
    (&reading::MISSING_KEY, Check::Reading),
    (&reading::WRONG_TYPE, Check::Reading),
    (&reading::BAD_VALUE, Check::Reading),
    (&reading::BAD_NAME, Check::Reading),
    (&reading::DEFINED_TWICE, Check::Reading),
    (&reading::UNKNOWN_NAME, Check::Reading),
    (&FILE_UNREADABLE, Check::Reading),
    (&PATH_OUTSIDE, Check::Reading),
    (&reading::BROKEN_LINE, Check::Reading),
    (&reading::LIKE_CYCLE, Check::Reading),
    (&reading::BUILD_CYCLE, Check::Reading),
    (&reading::DROP_MISSES, Check::Reading),
    (&start::START_CYCLE, Check::Plans(start::start_cycle)),
    (&start::WAITS_WITHOUT_HEALTH, Check::Model(start::waits_without_health)),
    (&reading::PORT_RANGE, Check::Model(ports::port_range)),
    (&PORT_CLASH, Check::Plans(ports::port_clash)),
    (&ports::AT_WITH_REPLICAS, Check::Model(ports::at_with_replicas)),
    (&lock::LOCK_DIFFERS, Check::Plans(lock::lock_differs)),
    (&entries::NOTE_CLASH, Check::Model(entries::note_clash)),
    (&ports::AT_UNUSED, Check::Model(ports::at_unused)),
    (&images::IMAGE_UNPINNED, Check::Model(images::image_unpinned)),
    (&images::IMAGE_FLOATING, Check::Model(images::image_floating)),
    (&images::IMAGE_UNPULLABLE, Check::Model(images::image_unpullable)),
    (&reading::INPUT_MISSING, Check::Reading),
    (&reading::INPUT_REFUSED, Check::Reading),
    (&addresses::LOCALHOST_ADDRESS, Check::Texts(addresses::localhost_address)),
    (&commands::COMMAND_IN_ONE_WORD, Check::Model(commands::command_in_one_word)),
    (&braces::BRACES_MISSING, Check::Texts(braces::braces_missing)),
    (&references::REFERENCE_MISSING, Check::Texts(references::reference_missing)),
    (&references::REFERENCE_IGNORED, Check::Texts(references::reference_ignored)),
    (&placeholders::PLACEHOLDER_LEFT, Check::Texts(placeholders::placeholder_left)),
    (&sizes::CONFIG_TOO_LARGE, Check::Model(sizes::config_too_large)),
    (&secrets::SECRET_IN_CLEAR, Check::Texts(secrets::secret_in_clear)),
    (&secrets::SECRET_ENCODED_TWICE, Check::Model(secrets::secret_encoded_twice)),
    (&reading::SECRET_IN_CONFIG, Check::Reading),
    (&reading::SECRET_WRITTEN, Check::Reading),
    (&networks::NO_ROUTE, Check::Model(networks::no_route)),
    (&quantities::SIZE_INVERTED, Check::Model(quantities::size_inverted)),
    (&reading::UNUSED, Check::Model(unused::unused)),
    (&ALLOW_UNUSED, Check::Reading),
    (&reading::SCHEDULE_INVALID, Check::Reading),
    (&reading::ENV_NAME, Check::Reading),
    (&ports::HOST_MISSING, Check::Model(ports::host_missing)),
    (&volumes::FOLDER_IN_CLUSTER, Check::Model(volumes::folder_in_cluster)),
    (&volumes::VOLUME_SHARED, Check::Model(volumes::volume_shared)),
    (&volumes::EACH_MISPLACED, Check::Model(volumes::each_misplaced)),
    (&volumes::ROLLOUT_UNUSED, Check::Model(volumes::rollout_unused)),
    (&quantities::LOAD_UNMEASURED, Check::Model(quantities::load_unmeasured)),
    (&start::AWAIT_ENDLESS, Check::Model(start::await_endless)),
    (&start::STOP_TOO_SHORT, Check::Model(start::stop_too_short)),
    (&texts::PROCESS_TEXT, Check::Model(texts::process_text)),
    (&texts::LABEL_UNKNOWN, Check::Model(texts::label_unknown)),
    (&volumes::MODE_UNREADABLE, Check::Model(volumes::mode_unreadable)),
    (&networks::API_ANYWHERE, Check::Model(networks::api_anywhere)),
    (&entries::ENTRY_PATH, Check::Model(entries::entry_path)),
    (&outside::OUTSIDE_ADDRESS, Check::Model(outside::outside_address)),
    (&sizes::SECRET_TOO_LARGE, Check::Model(sizes::secret_too_large)),
    (&nodes::NODE_CLASH, Check::Plans(nodes::node_clash)),
    (&nodes::PLATFORM_MISMATCH, Check::Model(nodes::platform_mismatch)),
    (&nodes::SPREAD_IMPOSSIBLE, Check::Plans(nodes::spread_impossible)),
    (&stores::STORE_EXPOSED, Check::Model(stores::store_exposed)),
    (&stores::DATA_UNKEPT, Check::Model(stores::data_unkept)),
    (&stores::FIRST_START_ONLY, Check::Model(stores::first_start_only)),
    (&stores::STORE_REPLICATED, Check::Model(stores::store_replicated)),
    (&stores::LOGIN_MISSING, Check::Model(stores::login_missing)),
    (&health::HEALTH_MISSING, Check::Model(health::health_missing)),
    (&health::BOOT_TOO_SHORT, Check::Model(health::boot_too_short)),
    (&health::GATE_TOO_SHORT, Check::Model(health::gate_too_short)),
    (&start::ORDER_MISSING, Check::Model(start::order_missing)),
    (&networks::BEHIND_UNFIT, Check::Model(networks::behind_unfit)),
    (&networks::UNREACHABLE, Check::Model(networks::unreachable)),
    (&quantities::SIZE_MISSING, Check::Model(quantities::size_missing)),
    (&quantities::AMOUNT_UNLIKELY, Check::Model(quantities::amount_unlikely)),
    (&variables::ENV_SHADOWED, Check::Model(variables::env_shadowed)),
    (&reading::NEAR_DUPLICATE, Check::Reading),
    (&variables::COPY_DRIFTS, Check::Texts(variables::copy_drifts)),
    (&mounts::MOUNT_COVERS, Check::Model(mounts::mount_covers)),
    (&mounts::SCRIPT_NOT_EXECUTABLE, Check::Model(mounts::script_not_executable)),
    (&outside::CLUSTER_ONLY, Check::Model(outside::cluster_only)),
    (&names::NAME_TOO_LONG, Check::Model(names::name_too_long)),
    (&targets::TARGETS_CLASH, Check::Model(targets::targets_clash)),
    (&beside::NAMESPACE_SHARED, Check::Beside),
    (&looked::IMAGE_ABSENT, Check::Looked),
    (&looked::IMAGE_MOVED, Check::Looked),
    (&looked::IMAGE_PLATFORM, Check::Looked),
    (&looked::IMAGE_SAYS_PORT, Check::Looked),
    (&looked::IMAGE_SAYS_USER, Check::Looked),
    (&looked::IMAGE_SAYS_DATA, Check::Looked),
    (&looked::IMAGE_NEWER, Check::Looked),
    (&looked::IMAGE_SMALLER, Check::Looked),
    (&NAME_CLASH, Check::Objects),
    (&PATCH_MISSES, Check::Objects),
    (&PASS_BROKEN, Check::Objects),
    (&PASS_FIELDS, Check::Objects),
    (&PASS_BEYOND, Check::Objects),
    (&PASS_SECRET, Check::Objects),
];

/// Every rule.
pub fn all() -> impl ExactSizeIterator<Item = &'static Rule> + Clone {
    LIST.iter().map(|(rule, _)| *rule)
}

/// The rules whose problems the back end finds.
pub fn of_objects() -> impl Iterator<Item = &'static Rule> {
    LIST.iter().filter(|(_, check)| matches!(check, Check::Objects)).map(|(rule, _)| *rule)
}

/// The rule with a name.
pub fn rule(name: &str) -> Option<&'static Rule> {
    all().find(|rule| rule.name == name)
}

/// With fewer services and tasks, threads cost more than they save.
const WORTH_THREADS: usize = 500;

/// Runs every rule on the facts of a stack. Rules are independent, so that several can run at once.
pub(crate) fn run(facts: &Facts, sources: &Sources, sink: &mut Sink) {
    let run = |check: &Check, sink: &mut Sink| match check {
        Check::Model(check) => check(&facts.model, sink),
        Check::Texts(check) => check(&facts.model, sources, sink),
        Check::Plans(check) => check(facts, sink),
        Check::Reading | Check::Objects | Check::Beside | Check::Looked => {}
    };
    if facts.model.workloads.len() < WORTH_THREADS {
        for (_, check) in LIST {
            run(check, sink);
        }
        return;
    }
    let found = LIST.par_iter().map(|(_, check)| {
        let mut own = Sink::default();
        run(check, &mut own);
        own
    });
    for own in found.collect::<Vec<_>>() {
        sink.absorb(own);
    }
}

#[cfg(test)]
mod tests;
