//! `ServiceAccount` (core/v1), Role and `RoleBinding` (rbac.authorization.k8s.io/v1): the permissions of a workload, and
//! those of its start gates, which read the Jobs that they wait for.

use fracht_core::model::{Model, Right, Workload, WorkloadId};
use k8s_openapi::api::core::v1::ServiceAccount;
use k8s_openapi::api::rbac::v1::{PolicyRule, Role, RoleBinding, RoleRef, Subject};

use crate::gate::awaited_tasks;
use crate::name::{for_purpose, side_name};
use crate::rendering::Rendering;
use crate::{filled, labels};

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

/// Whether a workload has an account of its own.
pub(crate) fn needs_account(workload: &Workload) -> bool {
    Holder::of(workload).next().is_some()
}

pub(crate) fn account(model: &Model, workload: &Workload) -> ServiceAccount {
    ServiceAccount {
        metadata: labels::side_meta(model, workload),
        // Pods set for themselves whether they get a token.
        automount_service_account_token: Some(false),
        ..ServiceAccount::default()
    }
}

pub(crate) fn role(rendering: &Rendering<'_>, id: WorkloadId, holder: Holder) -> Role {
    let model = rendering.model();
    let workload = &model.workloads[id];
    let rules = match holder {
        Holder::Workload => workload.rights.iter().map(right).collect(),
        Holder::Gate => vec![PolicyRule {
            api_groups: Some(vec!["batch".into()]),
            resources: Some(vec!["jobs".into()]),
            resource_names: Some(
                awaited_tasks(workload).map(|task| rendering.job_name(task).to_owned()).collect(),
            ),
            verbs: vec!["get".into()],
            non_resource_urls: None,
        }],
    };
    Role {
        metadata: labels::meta(model, holder.name(model, workload), labels::of_service(model, workload)),
        rules: Some(rules),
    }
}

fn right(right: &Right) -> PolicyRule {
    let texts = |texts: &[std::sync::Arc<str>]| texts.iter().map(ToString::to_string).collect();
    PolicyRule {
        api_groups: Some(vec![right.group.to_string()]),
        resources: Some(vec![right.on.value.to_string()]),
        resource_names: filled(texts(&right.only)),
        verbs: texts(&right.may),
        non_resource_urls: None,
    }
}

pub(crate) fn binding(model: &Model, workload: &Workload, holder: Holder) -> RoleBinding {
    let name = holder.name(model, workload);
    RoleBinding {
        metadata: labels::meta(model, name.clone(), labels::of_service(model, workload)),
        role_ref: RoleRef { api_group: "rbac.authorization.k8s.io".into(), kind: "Role".into(), name },
        subjects: Some(vec![Subject {
            kind: "ServiceAccount".into(),
            name: side_name(model, workload),
            namespace: Some(model.target.namespace.value.to_string()),
            api_group: None,
        }]),
    }
}
