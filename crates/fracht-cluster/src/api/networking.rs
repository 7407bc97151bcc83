//! Entries and policies of the network (networking.k8s.io/v1).

use super::{IntOrName, LabelSelector, Metadata, Str, kinds, parts};

kinds! {
    /// An entry for the web.
    "networking.k8s.io/v1" Ingress {
        metadata: Metadata,
        spec: IngressSpec,
    }

    /// What pods may connect to, and what may connect to them.
    "networking.k8s.io/v1" NetworkPolicy {
        metadata: Metadata,
        spec: NetworkPolicySpec,
    }
}

parts! {
    IngressSpec {
        ingress_class_name: Option<Str>,
        tls: Vec<IngressTls>,
        rules: Vec<IngressRule>,
    }

    IngressTls {
        hosts: Vec<Str>,
        secret_name: Str,
    }

    IngressRule {
        host: Str,
        http: HttpIngressRuleValue,
    }

    HttpIngressRuleValue {
        paths: Vec<HttpIngressPath>,
    }

    HttpIngressPath {
        path: Str,
        path_type: Str,
        backend: IngressBackend,
    }

    IngressBackend {
        service: IngressServiceBackend,
    }

    IngressServiceBackend {
        name: Str,
        port: ServiceBackendPort,
    }

    ServiceBackendPort {
        name: Str,
    }

    NetworkPolicySpec {
        pod_selector: LabelSelector,
        policy_types: Vec<Str>,
        ingress: Vec<NetworkPolicyIngressRule>,
        egress: Vec<NetworkPolicyEgressRule>,
    }

    NetworkPolicyIngressRule {
        from: Vec<NetworkPolicyPeer>,
        ports: Vec<NetworkPolicyPort>,
    }

    NetworkPolicyEgressRule {
        to: Vec<NetworkPolicyPeer>,
        ports: Vec<NetworkPolicyPort>,
    }

    NetworkPolicyPeer {
        pod_selector: Option<LabelSelector>,
        namespace_selector: Option<LabelSelector>,
        ip_block: Option<IpBlock>,
    }

    IpBlock {
        cidr: Str,
    }

    NetworkPolicyPort {
        port: IntOrName,
        protocol: Str,
    }
}
