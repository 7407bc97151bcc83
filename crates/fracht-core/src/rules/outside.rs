//! Rules on external services: whether a cluster can reach them.

use std::collections::BTreeSet;

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::host;
use crate::model::{Address, Model, Outside, OutsidePlace, TargetKind};

pub(super) static OUTSIDE_ADDRESS: Rule = Rule {
    name: "outside-address",
    summary: "An external service is at an address that a cluster cannot reach",
    why: "The cluster refuses the address, or the name leads back to itself.",
    fails: "[stack]\nname = \"s\"\n[outside.o]\naddress = \"127.0.0.1\"\nport.x = 80\n\
            [service.a]\nimage = \"a:1.0\"\nenv.X = \"{outside.o/x}\"\n",
    passes: "[stack]\nname = \"s\"\n[outside.o]\naddress = \"192.0.2.1\"\nport.x = 80\n\
             [service.a]\nimage = \"a:1.0\"\nenv.X = \"{outside.o/x}\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn outside_address(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for outside in &model.outsides {
        match &outside.place.value {
            OutsidePlace::Address(address) => {
                let Some(reason) = host::unreachable(*address) else { continue };
                let message = format!("a cluster cannot lead to `outside.{}` at {address}", outside.name);
                sink.push(
                    Diagnostic::new(&OUTSIDE_ADDRESS, message)
                        .at(outside.place.span(), reason)
                        .help("write an address that the nodes reach, for example `address = \"192.0.2.10\"`")
                        .help("or a name: `host = \"db.example\"`"),
                );
            }
            OutsidePlace::Host(name) => host_name(model, outside, name, sink),
            OutsidePlace::Service(name, namespace) => {
                own_service(model, (outside, name), namespace.is_some(), sink);
            }
        }
    }
}

fn host_name(model: &Model, outside: &Outside, name: &str, sink: &mut Sink) {
    let local = name == "localhost" || name.ends_with(".localhost");
    let namespace = &model.target.namespace.value;
    if local {
        let message = format!("a cluster cannot lead to `outside.{}` at {name}", outside.name);
        sink.push(
            Diagnostic::new(&OUTSIDE_ADDRESS, message)
                .at(outside.place.span(), "the container itself")
                .help("write the name that others on the network know it by"),
        );
    } else if is_itself(outside, name, namespace) {
        let own = format!("{}.{namespace}.svc.cluster.local", outside.name);
        let message = format!("`outside.{}` leads to itself", outside.name);
        sink.push(
            Diagnostic::new(&OUTSIDE_ADDRESS, message)
                .at(outside.place.span(), format!("the Service `{}` of this namespace", outside.name))
                .also(outside.span, "becomes a Service of the same name, and takes its place")
                .help(format!(
                    "give it another name, for example `[outside.shared-{}]`, and as its host `{own}`",
                    outside.name
                )),
        );
    }
}

/// Reports a Service that this stack makes itself: it is not one of another stack.
fn own_service(model: &Model, (outside, name): (&Outside, &str), is_elsewhere: bool, sink: &mut Sink) {
    let own = model.workloads.iter().find(|workload| *workload.name == *name);
    let Some(own) = own.filter(|_| !is_elsewhere) else { return };
    let message = format!("`outside.{}` names `{name}` of this stack", outside.name);
    sink.push(
        Diagnostic::new(&OUTSIDE_ADDRESS, message)
            .at(outside.place.span(), "not an external service")
            .also(own.span, "defined here")
            .help(format!("refer to it: `{{service.{name}}}`"))
            .help("or for one of another namespace, add `namespace = \"…\"`"),
    );
}

/// Whether a host name is that of the Service that the external service becomes (DNS for Services and Pods).
fn is_itself(outside: &Outside, host: &str, namespace: &str) -> bool {
    let Some(rest) = host.strip_prefix(&*outside.name) else { return false };
    let Some(rest) = rest.strip_prefix('.') else { return rest.is_empty() };
    let Some(rest) = rest.strip_prefix(namespace) else { return false };
    rest.is_empty() || rest == ".svc" || rest.starts_with(".svc.")
}

pub(super) static CLUSTER_ONLY: Rule = Rule {
    name: "cluster-only",
    severity: Severity::Warning,
    summary: "A machine target uses a service that is in a cluster",
    why: "Nothing answers at its address on this machine.",
    fails: "[stack]\nname = \"s\"\n[outside.o]\nservice = \"tides\"\nport.x = 80\n\
            [service.a]\nimage = \"a:1.0\"\nenv.X = \"{outside.o/x}\"\n[target.laptop]\non = \"machine\"\n",
    passes: "[stack]\nname = \"s\"\n[outside.o]\nservice = \"tides\"\nport.x = 80\n\
             [service.a]\nimage = \"a:1.0\"\nenv.X = \"{outside.o/x}\"\n[target.laptop]\non = \"machine\"\n\
             outside.o.host = \"tides.example\"\n",
    ..Rule::BASE
};

pub(super) fn cluster_only(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Machine {
        return;
    }
    let addresses = model.workloads.iter().flat_map(|workload| model.addresses(workload));
    let used: BTreeSet<_> = addresses
        .filter_map(|(address, _)| match address {
            Address::Outside(id, _) => Some(id),
            Address::Service(..) => None,
        })
        .collect();
    for id in used {
        let outside = &model.outsides[id];
        let OutsidePlace::Service(service, _) = &outside.place.value else { continue };
        let (name, target) = (&outside.name, &model.target.name);
        let message = format!("`outside.{name}` is in a cluster, but `target.{target}` is a machine");
        sink.push(
            Diagnostic::new(&CLUSTER_ONLY, message)
                .at(outside.place.span(), format!("a machine has no Service `{service}`"))
                .help(format!("say where it is for the machine: `target.{target}.outside.{name}.host = \"{name}.example\"`")),
        );
    }
}
