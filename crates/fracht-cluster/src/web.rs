//! Ingress (networking.k8s.io/v1) of a service with web ports.

use fracht_core::model::{Model, Port, Reach, Workload};
use k8s_openapi::api::networking::v1::{
    HTTPIngressPath, HTTPIngressRuleValue, Ingress, IngressBackend, IngressRule, IngressServiceBackend,
    IngressSpec, IngressTLS,
};

use crate::name::secret_name;
use crate::{labels, port};

/// The web ports of a workload, each with its host.
pub(crate) fn ports<'m>(
    model: &'m Model,
    workload: &'m Workload,
) -> impl Iterator<Item = (&'m Port, &'m str)> {
    let open = workload.ports().iter().filter(|port| port.reach.value == Reach::Web);
    open.filter_map(|port| Some((port, model.web_host(port)?)))
}

pub(crate) fn ingress(model: &Model, workload: &Workload) -> Ingress {
    let mut rules: Vec<IngressRule> = Vec::new();
    for (port, host) in ports(model, workload) {
        let path = path(workload, port);
        match rules.iter_mut().find(|rule| rule.host.as_deref() == Some(host)) {
            Some(rule) => rule.http.get_or_insert_default().paths.push(path),
            None => rules.push(IngressRule {
                host: Some(host.to_owned()),
                http: Some(HTTPIngressRuleValue { paths: vec![path] }),
            }),
        }
    }
    let web = &model.target.web;
    let tls = web.tls.as_ref().map(|secret| IngressTLS {
        hosts: Some(rules.iter().filter_map(|rule| rule.host.clone()).collect()),
        secret_name: Some(secret_name(model, &model.secrets[secret.value])),
    });
    Ingress {
        metadata: labels::side_meta(model, workload),
        spec: Some(IngressSpec {
            ingress_class_name: web.class.as_ref().map(|class| class.value.to_string()),
            rules: Some(rules),
            tls: tls.map(|tls| vec![tls]),
            default_backend: None,
        }),
        status: None,
    }
}

fn path(workload: &Workload, port: &Port) -> HTTPIngressPath {
    HTTPIngressPath {
        path: Some(port.path.value.to_string()),
        path_type: "Prefix".into(),
        backend: IngressBackend {
            service: Some(IngressServiceBackend {
                name: workload.name.to_string(),
                port: Some(port::of_backend(port)),
            }),
            resource: None,
        },
    }
}
