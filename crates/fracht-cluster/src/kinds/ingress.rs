//! Ingress (networking.k8s.io/v1) of a service with web ports.

use std::sync::Arc;

use fracht_core::model::{Model, Port, Reach, Workload};

use crate::api::{
    HttpIngressPath, HttpIngressRuleValue, Ingress, IngressBackend, IngressRule, IngressServiceBackend,
    IngressSpec, IngressTls, Metadata, Str,
};
use crate::name::secret_name;
use crate::{labels, port};

/// The web ports of a workload, each with its host.
pub(crate) fn ports<'m>(
    model: &'m Model,
    workload: &'m Workload,
) -> impl Iterator<Item = (&'m Port, &'m Arc<str>)> {
    let open = workload.ports().iter().filter(|port| port.reach.value == Reach::Web);
    open.filter_map(|port| Some((port, model.web_host(port)?)))
}

pub(crate) fn ingress(model: &Model, workload: &Workload) -> Ingress {
    let mut rules: Vec<IngressRule> = Vec::new();
    for (port, host) in ports(model, workload) {
        let path = path(workload, port);
        match rules.iter_mut().find(|rule| *rule.host == **host) {
            Some(rule) => rule.http.paths.push(path),
            None => rules.push(IngressRule {
                host: Str::from(host),
                http: HttpIngressRuleValue { paths: vec![path] },
            }),
        }
    }
    let web = &model.target.web;
    let tls = web.tls.as_ref().map(|secret| IngressTls {
        hosts: rules.iter().map(|rule| rule.host.clone()).collect(),
        secret_name: secret_name(model, &model.secrets[secret.value]).into(),
    });
    let spec = IngressSpec {
        ingress_class_name: web.class.as_ref().map(|class| (&class.value).into()),
        tls: tls.into_iter().collect(),
        rules,
    };
    let annotations = labels::web_notes(model, ports(model, workload).map(|(port, _)| port));
    Ingress::new(Metadata { annotations, ..labels::side_meta(model, workload) }, spec)
}

fn path(workload: &Workload, port: &Port) -> HttpIngressPath {
    let service = IngressServiceBackend { name: (&workload.name).into(), port: port::of_backend(port) };
    HttpIngressPath {
        path: (&port.path.value).into(),
        path_type: "Prefix".into(),
        backend: IngressBackend { service },
    }
}
