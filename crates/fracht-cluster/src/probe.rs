//! Startup, readiness and liveness probes of a health check.

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{Container, Health, PortIndex, Probe as Asks, Workload};
use k8s_openapi::api::core::v1::{ExecAction, GRPCAction, HTTPGetAction, Probe, TCPSocketAction};
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::expansion;

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
    let boot_tries = whole_seconds(health.boot.value).div_ceil(whole_seconds(health.every.value));
    let probe = |failures| probe(workload, container, health, failures);
    let liveness = (health.restart_after.value > 0).then(|| probe(health.restart_after.value));
    Probes { startup: Some(probe(boot_tries)), readiness: Some(probe(health.fails.value)), liveness }
}

fn probe(workload: &Workload, container: &Container, health: &Health, failures: u32) -> Probe {
    let port = |index: PortIndex| {
        let name = workload.port(index).map(|port| port.name.to_string());
        IntOrString::String(name.unwrap_or_default())
    };
    let mut probe = Probe {
        period_seconds: unless(whole_seconds(health.every.value), 10),
        timeout_seconds: unless(whole_seconds(health.timeout.value), 1),
        failure_threshold: unless(failures, 3),
        ..Probe::default()
    };
    match &health.probe {
        Asks::Http { path, port: index } => {
            probe.http_get = Some(HTTPGetAction {
                path: Some(path.to_string()),
                port: port(*index),
                ..HTTPGetAction::default()
            });
        }
        Asks::Tcp { port: index } => {
            probe.tcp_socket = Some(TCPSocketAction { port: port(*index), host: None });
        }
        // A gRPC probe does not accept the name of a port.
        Asks::Grpc { port: index } => {
            let port = workload.port(*index).map_or(0, |port| port.number.value.into());
            probe.grpc = Some(GRPCAction { port, service: None });
        }
        Asks::Run { command } => {
            let is_variable = |name: &str| container.env.iter().any(|variable| *variable.name == *name);
            let command = command.iter().map(|word| expansion::command_word(word, is_variable)).collect();
            probe.exec = Some(ExecAction { command: Some(command) });
        }
    }
    probe
}

/// The number, unless it is the cluster's default.
fn unless(number: u32, default: u32) -> Option<i32> {
    (number != default).then(|| i32::try_from(number).unwrap_or(i32::MAX))
}
