//! Service (core/v1) of an external service, for its host name or, with an `EndpointSlice` (discovery.k8s.io/v1), for
//! its IP address.

use std::net::IpAddr;

use fracht_core::model::{Model, Outside, OutsidePlace};
use k8s_openapi::api::core::v1::{Service, ServicePort, ServiceSpec};
use k8s_openapi::api::discovery::v1::{Endpoint, EndpointPort, EndpointSlice};

use crate::name::in_stack;
use crate::{filled, labels};

pub(crate) fn service(model: &Model, outside: &Outside) -> Service {
    let ports = outside.ports.iter().map(|port| ServicePort {
        name: Some(port.name.to_string()),
        port: port.number.value.into(),
        ..ServicePort::default()
    });
    let ports = filled(ports.collect());
    let spec = match &outside.place.value {
        OutsidePlace::Host(host) => ServiceSpec {
            type_: Some("ExternalName".into()),
            external_name: Some(host.to_string()),
            ports,
            ..ServiceSpec::default()
        },
        // Without ports there is nothing to forward: the name resolves to the address itself.
        OutsidePlace::Address(_) => ServiceSpec {
            cluster_ip: ports.is_none().then(|| "None".into()),
            ports,
            ..ServiceSpec::default()
        },
    };
    Service {
        metadata: labels::meta(model, &*outside.name, labels::of_part(model, &outside.name)),
        spec: Some(spec),
        status: None,
    }
}

pub(crate) fn endpoint_slice(model: &Model, outside: &Outside, address: IpAddr) -> EndpointSlice {
    let mut of_part = labels::of_part(model, &outside.name);
    of_part.insert("kubernetes.io/service-name".into(), outside.name.to_string());
    of_part.insert("endpointslice.kubernetes.io/managed-by".into(), "fracht".into());
    let ports = outside.ports.iter().map(|port| EndpointPort {
        name: Some(port.name.to_string()),
        port: Some(port.number.value.into()),
        ..EndpointPort::default()
    });
    EndpointSlice {
        metadata: labels::meta(model, in_stack(model, &outside.name), of_part),
        address_type: if address.is_ipv4() { "IPv4" } else { "IPv6" }.into(),
        endpoints: vec![Endpoint { addresses: vec![address.to_string()], ..Endpoint::default() }],
        ports: filled(ports.collect()),
    }
}
