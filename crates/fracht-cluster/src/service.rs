//! Service (core/v1): one for the internal address of a service, and another one for each reach outside the cluster.

use fracht_core::model::{Model, PortIndex, Reach, Workload, WorkloadId};
use k8s_openapi::api::core::v1::{Service, ServicePort, ServiceSpec};

use crate::name::{headless_name, open_service_name};
use crate::rendering::Rendering;
use crate::{filled, labels, port};

/// The Service of the internal address, with all ports.
pub(crate) fn internal(model: &Model, workload: &Workload) -> Service {
    let ports = workload.ports().iter().map(|port| port::of_service(port, port.as_number()));
    service(model, workload, workload.name.to_string(), None, ports.collect())
}

/// The Service for one reach outside the cluster, with the ports of this reach.
pub(crate) fn open(rendering: &Rendering<'_>, id: WorkloadId, reach: Reach) -> Service {
    let workload = &rendering.model().workloads[id];
    let ports = workload.ports().iter().enumerate().filter(|(_, port)| port.reach.value == reach);
    let ports = ports.map(|(index, port)| {
        let at = rendering.open_number(id, PortIndex(index));
        let number = port.as_number();
        match reach {
            Reach::Balancer => port::of_service(port, at.unwrap_or(number)),
            _ => ServicePort { node_port: at.map(i32::from), ..port::of_service(port, number) },
        }
    });
    let kind = if reach == Reach::Balancer { "LoadBalancer" } else { "NodePort" };
    service(
        rendering.model(),
        workload,
        open_service_name(rendering.model(), workload, reach),
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
    let ports = workload.ports().iter().map(|port| port::of_service(port, port.number.value));
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
