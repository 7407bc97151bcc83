//! `ServiceAccount` (core/v1), Role and `RoleBinding` (rbac.authorization.k8s.io/v1) of start gates: they
//! may read the Jobs that they wait for, and nothing else.

use fracht_core::model::{Model, Workload, WorkloadId};
use k8s_openapi::api::core::v1::ServiceAccount;
use k8s_openapi::api::rbac::v1::{PolicyRule, Role, RoleBinding, RoleRef, Subject};

use crate::gate::awaited_tasks;
use crate::labels;
use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;

/// The name of the three objects.
pub(crate) fn gate_name(workload: &Workload) -> String {
    fitted(&format!("{}-gate", workload.name), LABEL)
}

pub(crate) fn account(model: &Model, workload: &Workload) -> ServiceAccount {
    ServiceAccount {
        metadata: labels::meta(model, gate_name(workload), labels::of_part(model, &workload.name)),
        automount_service_account_token: Some(false),
        ..ServiceAccount::default()
    }
}

pub(crate) fn role(rendering: &Rendering<'_>, id: WorkloadId) -> Role {
    let model = rendering.model();
    let workload = &model.workloads[id];
    let jobs = awaited_tasks(workload).map(|task| rendering.job_name(task).to_owned()).collect();
    Role {
        metadata: labels::meta(model, gate_name(workload), labels::of_part(model, &workload.name)),
        rules: Some(vec![PolicyRule {
            api_groups: Some(vec!["batch".into()]),
            resources: Some(vec!["jobs".into()]),
            resource_names: Some(jobs),
            verbs: vec!["get".into()],
            non_resource_urls: None,
        }]),
    }
}

pub(crate) fn binding(model: &Model, workload: &Workload) -> RoleBinding {
    let name = gate_name(workload);
    RoleBinding {
        metadata: labels::meta(model, name.clone(), labels::of_part(model, &workload.name)),
        role_ref: RoleRef {
            api_group: "rbac.authorization.k8s.io".into(),
            kind: "Role".into(),
            name: name.clone(),
        },
        subjects: Some(vec![Subject {
            kind: "ServiceAccount".into(),
            name,
            namespace: Some(model.target.namespace.value.to_string()),
            api_group: None,
        }]),
    }
}
