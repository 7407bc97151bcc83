//! Service (core/v1): one for the internal address of a service, another one for each reach outside the cluster, and
//! one for each external service.

use fracht_core::model::{Model, Outside, OutsidePlace, Reach, Workload, WorkloadId};

use crate::api::{Metadata, Service, ServicePort, ServiceSpec, Str};
use crate::facts::ClusterFacts;
use crate::name::{headless_name, open_service_name};
use crate::{labels, port};

/// The Service of the internal address, with all ports.
pub(crate) fn internal(model: &Model, workload: &Workload) -> Service {
    let ports = workload.ports().iter().map(|port| port::of_service(port, port.as_number()));
    service(model, workload, (&workload.name).into(), Reach::Stack, ports.collect())
}

/// The Service for one reach outside the cluster, with the ports of this reach.
pub(crate) fn open(facts: &ClusterFacts<'_>, id: WorkloadId, workload: &Workload, reach: Reach) -> Service {
    let ports = workload.port_entries().filter(|(_, port)| port.reach.value == reach);
    let ports = ports.map(|(index, port)| {
        let at = facts.open_number(id, index);
        let number = port.as_number();
        match reach {
            Reach::Balancer => port::of_service(port, at.unwrap_or(number)),
            _ => ServicePort { node_port: at.map(i32::from), ..port::of_service(port, number) },
        }
    });
    let name = open_service_name(facts.model, workload, reach).into();
    service(facts.model, workload, name, reach, ports.collect())
}

fn service(model: &Model, workload: &Workload, name: Str, reach: Reach, ports: Vec<ServicePort>) -> Service {
    let kind = match reach {
        Reach::Balancer => Some("LoadBalancer"),
        Reach::Node => Some("NodePort"),
        Reach::Stack | Reach::Web => None,
    };
    let spec = ServiceSpec {
        type_: kind.map(Into::into),
        selector: labels::address_selector(model, workload),
        ports,
        ..ServiceSpec::default()
    };
    let led_to = workload.ports().iter().filter(|port| port.reach.value == reach);
    let annotations = labels::notes(led_to.flat_map(|port| &port.notes));
    let meta = labels::meta(model, name, labels::of_service(model, workload));
    Service::new(Metadata { annotations, ..meta }, spec)
}

/// The headless Service of a `StatefulSet`, which gives each replica a name. It includes replicas that are not ready,
/// since they may need each other to become ready.
pub(crate) fn headless(model: &Model, workload: &Workload) -> Service {
    let ports = workload.ports().iter().map(|port| port::of_service(port, port.number.value));
    let spec = ServiceSpec {
        cluster_ip: Some("None".into()),
        publish_not_ready_addresses: Some(true),
        selector: labels::selector(model, workload),
        ports: ports.collect(),
        ..ServiceSpec::default()
    };
    let labels = labels::of_service(model, workload);
    Service::new(labels::meta(model, headless_name(model, workload), labels), spec)
}

/// The Service of an external service: for its host name or, with an `EndpointSlice`, for its IP address.
pub(crate) fn outside(model: &Model, outside: &Outside) -> Service {
    let ports = outside.ports.iter().map(|port| ServicePort {
        name: (&port.name).into(),
        port: port.number.value.into(),
        ..ServicePort::default()
    });
    let ports: Vec<_> = ports.collect();
    let spec = match &outside.place.value {
        OutsidePlace::Host(host) => ServiceSpec {
            type_: Some("ExternalName".into()),
            external_name: Some(host.into()),
            ports,
            ..ServiceSpec::default()
        },
        // Without ports there is nothing to forward: the name resolves to the address itself.
        // A Service of the cluster needs none; one with an address gets its addresses from an `EndpointSlice`.
        OutsidePlace::Address(_) | OutsidePlace::Service(..) => ServiceSpec {
            cluster_ip: ports.is_empty().then(|| "None".into()),
            ports,
            ..ServiceSpec::default()
        },
    };
    Service::new(labels::meta(model, &outside.name, labels::of_part(model, &outside.name)), spec)
}
