//! `EndpointSlice` (discovery.k8s.io/v1) of an external service with an IP address.

use std::net::IpAddr;

use fracht_core::model::{Model, Outside};

use crate::api::{Endpoint, EndpointPort, EndpointSlice};
use crate::labels;
use crate::name::in_stack;

pub(crate) fn endpoint_slice(model: &Model, outside: &Outside, address: IpAddr) -> EndpointSlice {
    let mut labels = labels::of_part(model, &outside.name);
    labels.insert("kubernetes.io/service-name", &outside.name);
    labels.insert("endpointslice.kubernetes.io/managed-by", "fracht");
    let ports = outside
        .ports
        .iter()
        .map(|port| EndpointPort { name: (&port.name).into(), port: port.number.value.into() });
    EndpointSlice::new(
        labels::meta(model, in_stack(model, &outside.name), labels),
        if address.is_ipv4() { "IPv4" } else { "IPv6" }.into(),
        vec![Endpoint { addresses: vec![address.to_string().into()] }],
        ports.collect(),
    )
}
