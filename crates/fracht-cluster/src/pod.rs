//! The pod template that services and tasks share.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::grammar::quantity::{Bounds, Quantity as Amount};
use fracht_core::model::{ConfigId, Mounted, Part, Workload};
use fracht_core::origin::At;
use k8s_openapi::api::core::v1::{
    Container, ContainerPort, PodSecurityContext, PodSpec, PodTemplateSpec, ResourceRequirements,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::env::Environment;
use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::{gate, labels, probe, rights, service, storage};

/// The template of a workload's pods. Only a task's one says what happens when it ends.
pub(crate) fn template(
    rendering: &Rendering<'_>,
    workload: &Workload,
    restart: Option<&str>,
) -> PodTemplateSpec {
    let (mut volumes, mounts) = storage::storage(rendering, workload);
    let token = gate::token_volume(workload);
    let account = token.as_ref().map(|_| rights::gate_name(workload));
    volumes.extend(token);
    let spec = PodSpec {
        // Nothing in a pod gets a key to the cluster that it did not ask for.
        automount_service_account_token: Some(false),
        enable_service_links: Some(false),
        service_account_name: account,
        restart_policy: restart.map(str::to_owned),
        security_context: security(workload),
        init_containers: filled(gate::gates(rendering, workload)),
        containers: vec![Container { volume_mounts: filled(mounts), ..container(rendering, workload) }],
        volumes: filled(volumes),
        ..PodSpec::default()
    };
    PodTemplateSpec {
        metadata: Some(ObjectMeta {
            labels: Some(labels::of_workload(rendering.model(), workload)),
            annotations: config_digests(rendering, workload),
            ..ObjectMeta::default()
        }),
        spec: Some(spec),
    }
}

fn container(rendering: &Rendering<'_>, workload: &Workload) -> Container {
    let mut env = Environment::new(rendering.model(), workload);
    let mut arguments = |texts: &Option<Vec<_>>| {
        texts.as_ref().map(|texts| texts.iter().map(|text| env.argument(text)).collect())
    };
    let (command, args) = (arguments(&workload.program), arguments(&workload.args));
    let probes = probe::probes(workload);
    Container {
        name: workload.name.to_string(),
        image: Some(workload.image.value.to_string()),
        command,
        args,
        working_dir: workload.workdir.as_ref().map(|workdir| workdir.value.to_string()),
        ports: filled(ports(workload)),
        env: filled(env.finish(workload)),
        resources: resources(workload),
        startup_probe: probes.startup,
        readiness_probe: probes.readiness,
        liveness_probe: probes.liveness,
        ..Container::default()
    }
}

fn ports(workload: &Workload) -> Vec<ContainerPort> {
    let port = |port: &fracht_core::model::Port| ContainerPort {
        name: Some(port.name.to_string()),
        container_port: i32::from(port.number.value),
        protocol: service::protocol(port.protocol),
        ..ContainerPort::default()
    };
    workload.ports().iter().map(port).collect()
}

fn resources(workload: &Workload) -> Option<ResourceRequirements> {
    let side = |pick: fn(&Bounds) -> Option<&Amount>| {
        let amount = |name: &str, bounds: &Option<At<Bounds>>| {
            let amount = pick(&bounds.as_ref()?.value)?;
            Some((name.to_owned(), Quantity(amount.text.clone())))
        };
        let amounts = [amount("cpu", &workload.cpu), amount("memory", &workload.memory)];
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

/// The user for every container of the pod, and the group that owns its volumes, so that it can write there.
fn security(workload: &Workload) -> Option<PodSecurityContext> {
    let user = workload.user.as_ref()?.value;
    let group = user.gid.unwrap_or(user.uid);
    let has_volume = workload.mounts.iter().any(|mount| matches!(mount.what, Mounted::Volume(_)));
    Some(PodSecurityContext {
        run_as_user: Some(user.uid.into()),
        run_as_group: user.gid.map(Into::into),
        run_as_non_root: (user.uid != 0).then_some(true),
        fs_group: (has_volume && group != 0).then_some(group.into()),
        ..PodSecurityContext::default()
    })
}

/// A digest for each config that the workload uses: a change restarts its pods, and no others.
/// The contents of secrets enter no digest: it could be guessed from.
fn config_digests(rendering: &Rendering<'_>, workload: &Workload) -> Option<BTreeMap<String, String>> {
    let mounted = workload.mounts.iter().filter_map(|mount| match mount.what {
        Mounted::Config(id, _) => Some(id),
        _ => None,
    });
    let parts = workload.texts().flat_map(|(_, text)| &text.parts);
    let referred = parts.filter_map(|part| match part {
        Part::Config(id, _) => Some(*id),
        _ => None,
    });
    let used: BTreeSet<ConfigId> = mounted.chain(referred).collect();
    let digest = |id: ConfigId| {
        let name = fitted(&format!("config-{}", rendering.model().configs[id].name), LABEL);
        (format!("fracht/{name}"), rendering.config_digest(id).to_owned())
    };
    (!used.is_empty()).then(|| used.into_iter().map(digest).collect())
}

/// The list, unless it is empty.
fn filled<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}
