//! `HTTPRoute` (gateway.networking.k8s.io/v1) of a web port behind a gateway.

use std::sync::Arc;

use fracht_core::model::{Model, Port, Workload};

use crate::api::{
    HTTPRoute, HttpBackendRef, HttpPathMatch, HttpRouteMatch, HttpRouteRule, HttpRouteSpec, Metadata,
    ParentReference,
};
use crate::labels;
use crate::name::for_purpose;

/// A gateway: its namespace, if that is another one, and its name.
pub(crate) type Gateway = (Option<Arc<str>>, Arc<str>);

/// The name of a port's route.
pub(crate) fn name(model: &Model, workload: &Workload, port: &Port) -> String {
    for_purpose(model, &workload.name, &port.name)
}

pub(crate) fn http_route(model: &Model, workload: &Workload, port: &Port, gateway: &Gateway) -> HTTPRoute {
    let (namespace, gateway) = gateway;
    let parent = ParentReference { name: gateway.into(), namespace: namespace.as_ref().map(Into::into) };
    let path = HttpPathMatch { type_: "PathPrefix".into(), value: (&port.path.value).into() };
    let backend = HttpBackendRef { name: (&workload.name).into(), port: port.as_number().into() };
    let spec = HttpRouteSpec {
        parent_refs: vec![parent],
        hostnames: model.web_host(port).map(Into::into).into_iter().collect(),
        rules: vec![HttpRouteRule { matches: vec![HttpRouteMatch { path }], backend_refs: vec![backend] }],
    };
    let labels = labels::of_service(model, workload);
    let annotations = labels::web_notes(model, std::iter::once(port));
    let meta = labels::meta(model, name(model, workload, port), labels);
    HTTPRoute::new(Metadata { annotations, ..meta }, spec)
}
