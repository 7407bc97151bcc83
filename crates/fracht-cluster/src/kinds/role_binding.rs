//! `RoleBinding` (rbac.authorization.k8s.io/v1): gives the permissions of a Role to the account of a workload.

use fracht_core::model::{Model, Workload};

use super::Holder;
use crate::api::{RoleBinding, RoleRef, Subject};
use crate::labels;
use crate::name::side_name;

pub(crate) fn role_binding(model: &Model, workload: &Workload, holder: Holder) -> RoleBinding {
    let name = holder.name(model, workload);
    let role = RoleRef {
        api_group: "rbac.authorization.k8s.io".into(),
        kind: "Role".into(),
        name: name.clone().into(),
    };
    let account = Subject {
        kind: "ServiceAccount".into(),
        name: side_name(model, workload).into(),
        namespace: (&model.target.namespace.value).into(),
    };
    RoleBinding::new(labels::meta(model, name, labels::of_service(model, workload)), role, vec![account])
}
