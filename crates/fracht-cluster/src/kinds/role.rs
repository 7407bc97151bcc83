//! Role (rbac.authorization.k8s.io/v1): the permissions of a workload, and those of its start gates, which read what
//! they wait for.

use std::sync::Arc;

use fracht_core::model::{Condition, Model, Right, Workload, WorkloadId};

use crate::api::{PolicyRule, Role, Str};
use crate::facts::ClusterFacts;
use crate::gate::{DEPLOYMENTS, STATEFUL_SETS, asked};
use crate::labels;
use crate::name::{for_purpose, side_name, workload_name};

/// The holder of a Role's permissions.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Holder {
    /// The workload itself.
    Workload,
    /// Its start gates.
    Gate,
}

impl Holder {
    /// The name of the role and of its binding.
    pub(crate) fn name(self, model: &Model, workload: &Workload) -> String {
        match self {
            Self::Workload => side_name(model, workload),
            Self::Gate => for_purpose(model, &workload.name, "gate"),
        }
    }

    /// The holders of a workload that have permissions.
    pub(crate) fn of(workload: &Workload) -> impl Iterator<Item = Self> {
        let own = (!workload.rights.is_empty()).then_some(Self::Workload);
        let gate = asked(workload).next().map(|_| Self::Gate);
        own.into_iter().chain(gate)
    }
}

pub(crate) fn role(facts: &ClusterFacts<'_>, workload: &Workload, holder: Holder) -> Role {
    let rules = match holder {
        Holder::Workload => workload.rights.iter().map(right).collect(),
        Holder::Gate => rules_of_gates(facts, workload),
    };
    let labels = labels::of_service(facts.model, workload);
    Role::new(labels::meta(facts.model, holder.name(facts.model, workload), labels), rules)
}

/// The rules of the gates: they may read the objects that they ask for, and nothing else.
fn rules_of_gates(facts: &ClusterFacts<'_>, workload: &Workload) -> Vec<PolicyRule> {
    let model = facts.model;
    let names = |condition: Condition, name: &dyn Fn(WorkloadId) -> Option<Str>| -> Vec<Str> {
        let awaited = asked(workload).filter(|after| after.condition == condition);
        awaited.filter_map(|after| name(after.on)).collect()
    };
    let rollouts = |stable: bool| {
        names(Condition::Current, &|on| {
            let service = &model.workloads[on];
            (model.has_stable_names(service) == stable).then(|| workload_name(model, service).into())
        })
    };
    let rules = [
        ("batch", "jobs", names(Condition::Done, &|on| facts.job_name(on).cloned())),
        ("apps", DEPLOYMENTS, rollouts(false)),
        ("apps", STATEFUL_SETS, rollouts(true)),
    ];
    let rules = rules.into_iter().filter(|(.., names)| !names.is_empty());
    rules
        .map(|(group, resource, resource_names)| PolicyRule {
            api_groups: vec![group.into()],
            resources: vec![resource.into()],
            resource_names,
            verbs: vec!["get".into()],
        })
        .collect()
}

fn right(right: &Right) -> PolicyRule {
    let texts = |texts: &[Arc<str>]| texts.iter().map(Into::into).collect();
    PolicyRule {
        api_groups: vec![(&right.group).into()],
        resources: vec![(&right.on.value).into()],
        resource_names: texts(&right.only),
        verbs: texts(&right.may),
    }
}
