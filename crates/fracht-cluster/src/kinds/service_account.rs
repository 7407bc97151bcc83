//! `ServiceAccount` (core/v1) of a workload with permissions.

use fracht_core::model::{Model, Workload};

use crate::api::ServiceAccount;
use crate::labels;

pub(crate) fn service_account(model: &Model, workload: &Workload) -> ServiceAccount {
    // Pods set for themselves whether they get a token.
    ServiceAccount::new(labels::side_meta(model, workload), Some(false))
}
