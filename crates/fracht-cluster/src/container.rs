//! Containers: of services, tasks and sidecars.

use std::collections::BTreeMap;

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::grammar::quantity::{Bounds, Quantity as Amount};
use fracht_core::model::{BeforeStop, Container as Definition, Sidecar, Workload};
use fracht_core::origin::Sourced;
use k8s_openapi::api::core::v1::{
    Container, ContainerPort, ExecAction, Lifecycle, LifecycleHandler, ResourceRequirements, SleepAction,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::env::Environment;
use crate::rendering::Rendering;
use crate::{filled, port, probe, security, storage, token};

/// The main container of a workload.
pub(crate) fn main(rendering: &Rendering<'_>, workload: &Workload) -> Container {
    let ports = workload.ports().iter().filter(|port| port.sidecar.is_none()).map(port::of_container);
    let mut main = Container {
        ports: filled(ports.collect()),
        security_context: security::of_container(&workload.main, security::filters_whole_pod(workload)),
        ..container(rendering, workload, &workload.main, &workload.name, None)
    };
    if let Some(token) = token::mount(workload, &workload.main) {
        main.volume_mounts.get_or_insert_default().push(token);
    }
    main
}

/// The sidecars of a workload, in the order in which they start: init containers that keep running.
pub(crate) fn sidecars(rendering: &Rendering<'_>, workload: &Workload) -> Vec<Container> {
    let whole_pod = security::filters_whole_pod(workload);
    let mut ports: BTreeMap<usize, Vec<ContainerPort>> = BTreeMap::new();
    for port in workload.ports() {
        if let Some(sidecar) = port.sidecar {
            ports.entry(sidecar).or_default().push(port::of_container(port));
        }
    }
    let sidecar = |(index, sidecar): (usize, &Sidecar)| Container {
        restart_policy: Some("Always".into()),
        ports: ports.remove(&index),
        security_context: security::of_container(&sidecar.container, whole_pod),
        ..container(rendering, workload, &sidecar.container, &sidecar.name, Some(&sidecar.name))
    };
    workload.sidecars.iter().enumerate().map(sidecar).collect()
}

fn container(
    rendering: &Rendering<'_>,
    workload: &Workload,
    definition: &Definition,
    name: &str,
    sidecar: Option<&str>,
) -> Container {
    let mut env = Environment::new(rendering.model(), definition);
    let mut arguments = |texts: &Option<Vec<_>>| {
        texts.as_ref().map(|texts| texts.iter().map(|text| env.argument(text)).collect())
    };
    let (command, args) = (arguments(&definition.program), arguments(&definition.args));
    let probes = probe::probes(workload, definition);
    Container {
        name: name.to_owned(),
        image: Some(definition.image.value.to_string()),
        command,
        args,
        working_dir: definition.workdir.as_ref().map(|workdir| workdir.value.to_string()),
        env_from: filled(env.sources()),
        env: filled(env.finish()),
        resources: resources(definition),
        startup_probe: probes.startup,
        readiness_probe: probes.readiness,
        liveness_probe: probes.liveness,
        lifecycle: definition.before_stop.as_ref().map(|before| lifecycle(&before.value)),
        volume_mounts: filled(storage::mounts(rendering.model(), sidecar, definition)),
        ..Container::default()
    }
}

fn resources(container: &Definition) -> Option<ResourceRequirements> {
    let side = |pick: fn(&Bounds) -> Option<&Amount>| {
        let amount = |name: &str, bounds: &Option<Sourced<Bounds>>| {
            let amount = pick(&bounds.as_ref()?.value)?;
            Some((name.to_owned(), Quantity(amount.text.clone())))
        };
        let amounts = [amount("cpu", &container.cpu), amount("memory", &container.memory)];
        let amounts: BTreeMap<_, _> = amounts.into_iter().flatten().collect();
        (!amounts.is_empty()).then_some(amounts)
    };
    let (requests, limits) = (side(|b| b.request.as_ref()), side(|b| b.limit.as_ref()));
    (requests.is_some() || limits.is_some()).then_some(ResourceRequirements {
        requests,
        limits,
        claims: None,
    })
}

fn lifecycle(before: &BeforeStop) -> Lifecycle {
    let handler = match before {
        BeforeStop::Run(command) => LifecycleHandler {
            exec: Some(ExecAction { command: Some(command.iter().map(ToString::to_string).collect()) }),
            ..LifecycleHandler::default()
        },
        BeforeStop::Wait(time) => LifecycleHandler {
            sleep: Some(SleepAction { seconds: whole_seconds(*time).into() }),
            ..LifecycleHandler::default()
        },
    };
    Lifecycle { pre_stop: Some(handler), ..Lifecycle::default() }
}
