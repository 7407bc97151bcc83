//! Objects of core/v1 beside pods and volumes.

use super::{Bytes, IntOrName, Map, Metadata, Str, kinds, parts};

kinds! {
    /// A space for names.
    "v1" Namespace {
        metadata: Metadata,
    }

    /// An account of pods in the API.
    "v1" ServiceAccount {
        metadata: Metadata,
        automount_service_account_token: Option<bool>,
    }

    /// Settings and files in plain text.
    "v1" ConfigMap {
        metadata: Metadata,
        data: Map,
        binary_data: Map<Bytes>,
    }

    /// Values that only those who need them may read.
    "v1" Secret {
        metadata: Metadata,
        type_: Option<Str>,
        data: Map<Bytes>,
    }

    /// An address for pods.
    "v1" Service {
        metadata: Metadata,
        spec: ServiceSpec,
    }
}

parts! {
    ServiceSpec {
        type_: Option<Str>,
        #[serde(rename = "clusterIP")]
        cluster_ip: Option<Str>,
        external_name: Option<Str>,
        publish_not_ready_addresses: Option<bool>,
        selector: Map,
        ports: Vec<ServicePort>,
    }

    ServicePort {
        name: Str,
        port: i32,
        target_port: Option<IntOrName>,
        node_port: Option<i32>,
        protocol: Option<Str>,
    }
}
