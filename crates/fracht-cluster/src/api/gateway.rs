//! Routes behind a gateway (gateway.networking.k8s.io/v1, Gateway API 1.0).

use super::{Metadata, Str, kinds, parts};

kinds! {
    /// A route for HTTP.
    "gateway.networking.k8s.io/v1" HTTPRoute {
        metadata: Metadata,
        spec: HttpRouteSpec,
    }
}

parts! {
    HttpRouteSpec {
        parent_refs: Vec<ParentReference>,
        hostnames: Vec<Str>,
        rules: Vec<HttpRouteRule>,
    }

    ParentReference {
        name: Str,
        namespace: Option<Str>,
    }

    HttpRouteRule {
        matches: Vec<HttpRouteMatch>,
        backend_refs: Vec<HttpBackendRef>,
    }

    HttpRouteMatch {
        path: HttpPathMatch,
    }

    HttpPathMatch {
        type_: Str,
        value: Str,
    }

    HttpBackendRef {
        name: Str,
        port: i32,
    }
}
