//! A port of the stack in each of its forms: port of a container, a Service, a policy, and of the backend of an Ingress.
//!
//! All but those of containers refer to the port by its name, so that its number can change.

use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Port, Protocol};
use k8s_openapi::api::core::v1::{ContainerPort, ServicePort};
use k8s_openapi::api::networking::v1::{NetworkPolicyPort, ServiceBackendPort};
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

/// The port on which a container listens.
pub(crate) fn of_container(port: &Port) -> ContainerPort {
    ContainerPort {
        name: Some(port.name.to_string()),
        container_port: i32::from(port.number.value),
        protocol: protocol(port.protocol),
        ..ContainerPort::default()
    }
}

/// A port of a Service, with its number there.
pub(crate) fn of_service(port: &Port, number: u16) -> ServicePort {
    ServicePort {
        name: Some(port.name.to_string()),
        port: i32::from(number),
        target_port: Some(IntOrString::String(port.name.to_string())),
        protocol: protocol(port.protocol),
        ..ServicePort::default()
    }
}

/// The port in a rule of a policy.
pub(crate) fn of_policy(port: &Port) -> NetworkPolicyPort {
    NetworkPolicyPort {
        // Not every network plugin finds the named ports of sidecars.
        port: Some(match port.sidecar {
            None => IntOrString::String(port.name.to_string()),
            Some(_) => IntOrString::Int(port.number.value.into()),
        }),
        protocol: Some(protocol(port.protocol).unwrap_or_else(|| "TCP".into())),
        end_port: None,
    }
}

/// The port of a Service as the backend of an Ingress.
pub(crate) fn of_backend(port: &Port) -> ServiceBackendPort {
    ServiceBackendPort { name: Some(port.name.to_string()), number: None }
}

/// The Kubernetes name of a protocol; `None` for TCP, which is the default.
fn protocol(protocol: Protocol) -> Option<String> {
    (protocol != Protocol::Tcp).then(|| protocol.word().to_uppercase())
}
