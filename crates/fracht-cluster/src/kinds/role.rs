//! Role (rbac.authorization.k8s.io/v1): the permissions of a workload, and those of its start gates, which read the Jobs
//! that they wait for.

use std::sync::Arc;

use fracht_core::model::{Model, Right, Workload};

use crate::api::{PolicyRule, Role};
use crate::facts::ClusterFacts;
use crate::gate::awaited_tasks;
use crate::labels;
use crate::name::{for_purpose, side_name};

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
        let gate = awaited_tasks(workload).next().map(|_| Self::Gate);
        own.into_iter().chain(gate)
    }
}

pub(crate) fn role(facts: &ClusterFacts<'_>, workload: &Workload, holder: Holder) -> Role {
    let jobs = || awaited_tasks(workload).filter_map(|task| facts.job_name(task).cloned());
    let rules = match holder {
        Holder::Workload => workload.rights.iter().map(right).collect(),
        Holder::Gate => vec![PolicyRule {
            api_groups: vec!["batch".into()],
            resources: vec!["jobs".into()],
            resource_names: jobs().collect(),
            verbs: vec!["get".into()],
        }],
    };
    let labels = labels::of_service(facts.model, workload);
    Role::new(labels::meta(facts.model, holder.name(facts.model, workload), labels), rules)
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
