//! Addresses behind a Service (discovery.k8s.io/v1).

use super::{Metadata, Str, kinds, parts};

kinds! {
    /// Addresses that the author of a stack names.
    "discovery.k8s.io/v1" EndpointSlice {
        metadata: Metadata,
        address_type: Str,
        endpoints: Vec<Endpoint>,
        ports: Vec<EndpointPort>,
    }
}

parts! {
    Endpoint {
        addresses: Vec<Str>,
    }

    EndpointPort {
        name: Str,
        port: i32,
    }
}
