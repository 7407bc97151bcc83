//! Startup, readiness and liveness probes of a health check.

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{Container, Health, PortIndex, Probe as Asks, Workload};

use super::expansion;
use crate::api::{ExecAction, GrpcAction, HttpGetAction, IntOrName, Probe, TcpSocketAction};

/// The three probes of a container.
#[derive(Default)]
pub(crate) struct Probes {
    pub(crate) startup: Option<Probe>,
    pub(crate) readiness: Option<Probe>,
    pub(crate) liveness: Option<Probe>,
}

/// The probes of a container. The startup probe runs every `every` until it passes or `boot` is over. A cluster takes
/// only whole seconds, from which the number of tries is computed.
pub(crate) fn probes(workload: &Workload, container: &Container) -> Probes {
    let Some(health) = &container.health else {
        return Probes::default();
    };
    let boot_tries = health.boot_tries();
    let probe = |failures| probe(workload, container, health, failures);
    let liveness = (health.restart_after.value > 0).then(|| probe(health.restart_after.value));
    Probes { startup: Some(probe(boot_tries)), readiness: Some(probe(health.fails.value)), liveness }
}

fn probe(workload: &Workload, container: &Container, health: &Health, failures: u32) -> Probe {
    let port = |index: PortIndex| IntOrName::Name((&workload[index].name).into());
    let mut probe = Probe {
        period_seconds: unless(whole_seconds(health.every.value), 10),
        timeout_seconds: unless(whole_seconds(health.timeout.value), 1),
        failure_threshold: unless(failures, 3),
        ..Probe::default()
    };
    match &health.probe {
        Asks::Http { path, port: index } => {
            probe.http_get = Some(HttpGetAction { path: path.into(), port: port(*index) });
        }
        Asks::Tcp { port: index } => {
            probe.tcp_socket = Some(TcpSocketAction { port: port(*index) });
        }
        // A gRPC probe does not accept the name of a port.
        Asks::Grpc { port: index } => {
            let port = workload[*index].number.value.into();
            probe.grpc = Some(GrpcAction { port });
        }
        Asks::Run { command } => {
            let is_variable = |name: &str| container.env.iter().any(|variable| *variable.name == *name);
            let words = command.iter().map(|word| expansion::command_word(&word.value, is_variable).into());
            probe.exec = Some(ExecAction { command: words.collect() });
        }
    }
    probe
}

/// The number, unless it is the cluster's default.
fn unless(number: u32, default: u32) -> Option<i32> {
    (number != default).then(|| i32::try_from(number).unwrap_or(i32::MAX))
}
