//! External addresses: where clients outside the stack find a port.

use std::sync::Arc;

use crate::model::{Model, Port, Reach, TargetKind};

/// An address of a port for clients outside the stack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ExternalAddress {
    /// A port of this machine.
    Machine(u16),
    /// A port of every node; `None` if the cluster chooses the number.
    Node(Option<u16>),
    /// A port of a load balancer, whose address only the cluster knows.
    Balancer(u16),
    /// A path of the web entry.
    Web {
        /// Set if it uses TLS.
        tls: bool,
        /// The host name.
        host: Arc<str>,
        /// The path prefix.
        path: Arc<str>,
    },
}

/// The external addresses of a port with the external numbers `at`; none for a port that is not open.
pub fn external_addresses(model: &Model, port: &Port, at: &[u16]) -> Vec<ExternalAddress> {
    let numbers = |address: fn(u16) -> ExternalAddress| at.iter().copied().map(address).collect();
    match (model.target.on.value, port.reach.value) {
        (_, Reach::Stack) => Vec::new(),
        (TargetKind::Machine, _) => numbers(ExternalAddress::Machine),
        (TargetKind::Cluster, Reach::Node) if at.is_empty() => vec![ExternalAddress::Node(None)],
        (TargetKind::Cluster, Reach::Node) => numbers(|number| ExternalAddress::Node(Some(number))),
        (TargetKind::Cluster, Reach::Balancer) => numbers(ExternalAddress::Balancer),
        (TargetKind::Cluster, Reach::Web) => model
            .web_host(port)
            .map(|host| ExternalAddress::Web {
                tls: model.target.web.tls.is_some(),
                host: Arc::clone(host),
                path: Arc::clone(&port.path.value),
            })
            .into_iter()
            .collect(),
    }
}
