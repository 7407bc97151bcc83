//! Containers: of services, tasks and sidecars.

mod env;
mod expansion;
mod probe;
pub(crate) mod security;
pub(crate) mod storage;
pub(crate) mod token;

use std::collections::BTreeMap;
use std::sync::Arc;

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::grammar::quantity::{Bounds, Quantity as Amount};
use fracht_core::model::{BeforeStop, Container as Definition, Fetch, Sidecar, Workload};
use fracht_core::origin::Sourced;

use self::env::Environment;
use crate::api::{
    Container, ContainerPort, ExecAction, Lifecycle, LifecycleHandler, Map, ResourceRequirements,
    SleepAction, Str,
};
use crate::facts::ClusterFacts;
use crate::port;

/// The main container of a workload.
pub(crate) fn main(facts: &ClusterFacts<'_>, workload: &Workload) -> Container {
    let ports = workload.ports().iter().filter(|port| port.sidecar.is_none()).map(port::of_container);
    let mut main = Container {
        ports: ports.collect(),
        security_context: security::of_container(&workload.main, security::filters_whole_pod(workload)),
        ..container(facts, workload, &workload.main, &workload.name, None)
    };
    main.volume_mounts.extend(token::mount(workload, &workload.main));
    main
}

/// The sidecars of a workload, in the order in which they start: init containers that keep running, or that run once.
pub(crate) fn sidecars(facts: &ClusterFacts<'_>, workload: &Workload) -> Vec<Container> {
    let whole_pod = security::filters_whole_pod(workload);
    let mut ports: BTreeMap<usize, Vec<ContainerPort>> = BTreeMap::new();
    for port in workload.ports() {
        if let Some(sidecar) = port.sidecar {
            ports.entry(sidecar.index()).or_default().push(port::of_container(port));
        }
    }
    let sidecar = |(index, sidecar): (usize, &Sidecar)| Container {
        restart_policy: (!sidecar.once).then(|| "Always".into()),
        ports: ports.remove(&index).unwrap_or_default(),
        security_context: security::of_container(&sidecar.container, whole_pod),
        ..container(facts, workload, &sidecar.container, &sidecar.name, Some(&sidecar.name))
    };
    workload.sidecars.iter().enumerate().map(sidecar).collect()
}

fn container(
    facts: &ClusterFacts<'_>,
    workload: &Workload,
    definition: &Definition,
    name: &Arc<str>,
    sidecar: Option<&str>,
) -> Container {
    let mut env = Environment::new(facts.model, definition);
    let mut arguments = |texts: &Option<Box<[_]>>| {
        texts.as_ref().map(|texts| texts.iter().map(|text| env.argument(text).into()).collect())
    };
    let (command, args) = (arguments(&definition.program), arguments(&definition.args));
    let probes = probe::probes(workload, definition);
    Container {
        name: name.into(),
        image: definition.image.value.text().into(),
        image_pull_policy: definition.fetch.map(|fetch| fetch_policy(fetch.value).into()),
        command,
        args,
        working_dir: definition.workdir.as_ref().map(|workdir| (&workdir.value).into()),
        env_from: env.sources(),
        env: env.finish(),
        resources: resources(definition),
        startup_probe: probes.startup,
        readiness_probe: probes.readiness,
        liveness_probe: probes.liveness,
        lifecycle: definition.before_stop.as_ref().map(|before| lifecycle(&before.value)),
        volume_mounts: storage::mounts(facts.model, sidecar, definition),
        ..Container::default()
    }
}

/// The name of a policy of fetching in the API.
fn fetch_policy(fetch: Fetch) -> &'static str {
    match fetch {
        Fetch::Always => "Always",
        Fetch::Missing => "IfNotPresent",
        Fetch::Never => "Never",
    }
}

fn resources(container: &Definition) -> Option<ResourceRequirements> {
    let side = |pick: fn(&Bounds) -> Option<&Amount>| {
        let amount = |name: &'static str, bounds: &Option<Sourced<Bounds>>| {
            let amount = pick(&bounds.as_ref()?.value)?;
            Some((name, Str::from(&amount.text)))
        };
        let amounts = [amount("cpu", &container.cpu), amount("memory", &container.memory)];
        amounts.into_iter().flatten().collect::<Map>()
    };
    let all = ResourceRequirements {
        requests: side(|bounds| bounds.request.as_ref()),
        limits: side(|bounds| bounds.limit.as_ref()),
    };
    (all != ResourceRequirements::default()).then_some(all)
}

fn lifecycle(before: &BeforeStop) -> Lifecycle {
    let handler = match before {
        BeforeStop::Run(command) => LifecycleHandler {
            exec: Some(ExecAction { command: command.iter().map(|word| (&word.value).into()).collect() }),
            ..LifecycleHandler::default()
        },
        BeforeStop::Wait(time) => LifecycleHandler {
            sleep: Some(SleepAction { seconds: whole_seconds(*time).into() }),
            ..LifecycleHandler::default()
        },
    };
    Lifecycle { pre_stop: handler }
}
