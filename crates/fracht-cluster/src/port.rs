//! A port of the stack in each of its forms: port of a container, a Service, a policy, and of the backend of an Ingress.
//!
//! All but those of containers refer to the port by its name, so that its number can change.

use fracht_core::model::{Port, Protocol};

use crate::api::{ContainerPort, IntOrName, NetworkPolicyPort, ServiceBackendPort, ServicePort, Str};

/// The port on which a container listens.
pub(crate) fn of_container(port: &Port) -> ContainerPort {
    ContainerPort {
        name: (&port.name).into(),
        container_port: i32::from(port.number.value),
        protocol: protocol(port.protocol),
    }
}

/// A port of a Service, with its number there.
pub(crate) fn of_service(port: &Port, number: u16) -> ServicePort {
    ServicePort {
        name: (&port.name).into(),
        port: i32::from(number),
        target_port: Some(IntOrName::Name((&port.name).into())),
        node_port: None,
        protocol: protocol(port.protocol),
    }
}

/// The port in a rule of a policy.
pub(crate) fn of_policy(port: &Port) -> NetworkPolicyPort {
    NetworkPolicyPort {
        // Not every network plugin finds the named ports of sidecars.
        port: match port.sidecar {
            None => IntOrName::Name((&port.name).into()),
            Some(_) => IntOrName::Int(port.number.value.into()),
        },
        protocol: protocol_name(port.protocol).into(),
    }
}

/// The port of a Service as the backend of an Ingress.
pub(crate) fn of_backend(port: &Port) -> ServiceBackendPort {
    ServiceBackendPort { name: (&port.name).into() }
}

/// The name of a protocol in the API.
fn protocol_name(protocol: Protocol) -> &'static str {
    match protocol {
        Protocol::Tcp => "TCP",
        Protocol::Udp => "UDP",
        Protocol::Sctp => "SCTP",
    }
}

/// The protocol of a port; `None` for TCP, which is the default.
fn protocol(protocol: Protocol) -> Option<Str> {
    (protocol != Protocol::Tcp).then(|| protocol_name(protocol).into())
}
