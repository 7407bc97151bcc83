//! Service (core/v1): one for the internal address of a service, and another one for each reach outside the cluster.

use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Model, Port, PortIndex, Protocol, Reach, Workload, WorkloadId};
use k8s_openapi::api::core::v1::{Service, ServicePort, ServiceSpec};
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::name::{headless_name, outer_name};
use crate::rendering::Rendering;
use crate::{filled, labels};

/// The Service of the internal address, with all ports.
pub(crate) fn inner(model: &Model, workload: &Workload) -> Service {
    let ports = workload.ports().iter().map(|port| service_port(port, port.as_number()));
    service(model, workload, workload.name.to_string(), None, ports.collect())
}

/// The Service for one reach outside the cluster, with the ports of this reach.
pub(crate) fn outer(rendering: &Rendering<'_>, id: WorkloadId, reach: Reach) -> Service {
    let workload = &rendering.model().workloads[id];
    let ports = workload.ports().iter().enumerate().filter(|(_, port)| port.reach.value == reach);
    let ports = ports.map(|(index, port)| {
        let at = rendering.outer_number(id, PortIndex(index));
        let number = port.as_number();
        match reach {
            Reach::Balancer => service_port(port, at.unwrap_or(number)),
            _ => ServicePort { node_port: at.map(i32::from), ..service_port(port, number) },
        }
    });
    let kind = if reach == Reach::Balancer { "LoadBalancer" } else { "NodePort" };
    service(
        rendering.model(),
        workload,
        outer_name(rendering.model(), workload, reach),
        Some(kind),
        ports.collect(),
    )
}

fn service(
    model: &Model,
    workload: &Workload,
    name: String,
    kind: Option<&str>,
    ports: Vec<ServicePort>,
) -> Service {
    Service {
        metadata: labels::meta(model, name, labels::of_service(model, workload)),
        spec: Some(ServiceSpec {
            type_: kind.map(str::to_owned),
            selector: Some(labels::selector(model, workload)),
            ports: Some(ports),
            ..ServiceSpec::default()
        }),
        status: None,
    }
}

/// The headless Service of a `StatefulSet`, which gives each replica a name. It includes replicas that are not ready,
/// since they may need each other to become ready.
pub(crate) fn headless(model: &Model, workload: &Workload) -> Service {
    let ports = workload.ports().iter().map(|port| service_port(port, port.number.value));
    Service {
        metadata: labels::meta(model, headless_name(model, workload), labels::of_service(model, workload)),
        spec: Some(ServiceSpec {
            cluster_ip: Some("None".into()),
            publish_not_ready_addresses: Some(true),
            selector: Some(labels::selector(model, workload)),
            ports: filled(ports.collect()),
            ..ServiceSpec::default()
        }),
        status: None,
    }
}

/// A port of a Service. It refers to the port of the container by name, so that the number can change.
fn service_port(port: &Port, number: u16) -> ServicePort {
    ServicePort {
        name: Some(port.name.to_string()),
        port: i32::from(number),
        target_port: Some(IntOrString::String(port.name.to_string())),
        protocol: protocol(port.protocol),
        ..ServicePort::default()
    }
}

/// The Kubernetes name of a protocol; `None` for TCP, which is the default.
pub(crate) fn protocol(protocol: Protocol) -> Option<String> {
    (protocol != Protocol::Tcp).then(|| protocol.word().to_uppercase())
}
