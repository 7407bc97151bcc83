//! `HTTPRoute` (gateway.networking.k8s.io/v1) of a web port behind a gateway.

use fracht_core::model::{Model, Port, Workload};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;
use serde::{Deserialize, Serialize};

use crate::labels;
use crate::name::for_purpose;

/// A route for HTTP (Gateway API 1.0), with the fields that are generated.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct HttpRoute {
    api_version: String,
    kind: String,
    metadata: ObjectMeta,
    spec: RouteSpec,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
struct RouteSpec {
    parent_refs: Vec<ParentRef>,
    hostnames: Vec<String>,
    rules: Vec<RouteRule>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct ParentRef {
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    namespace: Option<String>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
struct RouteRule {
    matches: Vec<RouteMatch>,
    backend_refs: Vec<BackendRef>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct RouteMatch {
    path: PathMatch,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct PathMatch {
    #[serde(rename = "type")]
    type_: String,
    value: String,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct BackendRef {
    name: String,
    port: i32,
}

/// The name of a port's route.
pub(crate) fn name(model: &Model, workload: &Workload, port: &Port) -> String {
    for_purpose(model, &workload.name, &port.name)
}

pub(crate) fn http_route(model: &Model, workload: &Workload, port: &Port) -> HttpRoute {
    let gateway = model.target.web.gateway.as_ref();
    let parent = ParentRef {
        name: gateway.map(|(_, name)| name.to_string()).unwrap_or_default(),
        namespace: gateway.and_then(|(namespace, _)| namespace.as_ref()).map(ToString::to_string),
    };
    HttpRoute {
        api_version: "gateway.networking.k8s.io/v1".into(),
        kind: "HTTPRoute".into(),
        metadata: labels::meta(model, name(model, workload, port), labels::of_service(model, workload)),
        spec: RouteSpec {
            parent_refs: vec![parent],
            hostnames: model.web_host(port).map(str::to_owned).into_iter().collect(),
            rules: vec![RouteRule {
                matches: vec![RouteMatch {
                    path: PathMatch { type_: "PathPrefix".into(), value: port.path.value.to_string() },
                }],
                backend_refs: vec![BackendRef {
                    name: workload.name.to_string(),
                    port: port.as_number().into(),
                }],
            }],
        },
    }
}
