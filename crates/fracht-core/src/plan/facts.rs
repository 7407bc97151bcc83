//! The facts about a stack for one target: the model and all that follows from it, computed once.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use super::one_node;
use super::order::Order;
use super::ports::PortPlan;
use super::reach::ReachPlan;
use crate::model::{Model, VolumeId, WorkloadId};

/// What is known about a stack for one target. Rules, commands and back ends take it from here, so that nothing is
/// computed twice, and all agree. What is known from elsewhere (images, what listens on this machine, other stacks)
/// becomes further fields.
#[derive(Debug)]
pub struct Facts {
    /// The model.
    pub model: Model,
    /// The start order.
    pub order: Order,
    /// The ports with their external numbers.
    pub ports: PortPlan,
    /// The services and tasks that must share a node, each with the first volume of its group.
    pub one_node: BTreeMap<WorkloadId, VolumeId>,
    reach: OnceLock<ReachPlan>,
}

impl Facts {
    /// The facts of a model.
    pub fn of(model: Model) -> Self {
        Self {
            order: Order::of(&model),
            ports: PortPlan::of(&model),
            one_node: one_node::groups(&model),
            reach: OnceLock::new(),
            model,
        }
    }

    /// What can reach what. Only few need it, so that it is computed when it is asked for.
    pub fn reach(&self) -> &ReachPlan {
        self.reach.get_or_init(|| ReachPlan::of(&self.model, &self.ports))
    }
}
