//! What a stack sets aside on its nodes, and how much more it may take: the requests and limits of all containers.

use crate::grammar::quantity::{Bounds, Quantity};
use crate::model::{Container, Model, Workload};
use crate::origin::Sourced;

/// A sum of sizes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sum {
    /// The sum of those that are set: bytes, or thousandths of a CPU.
    pub size: u64,
    /// How many containers set none.
    pub unset: u64,
}

/// The sizes of some containers together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sizes {
    /// CPU that is set aside.
    pub cpu_request: Sum,
    /// CPU that may be taken.
    pub cpu_limit: Sum,
    /// Memory that is set aside.
    pub memory_request: Sum,
    /// Memory that may be taken.
    pub memory_limit: Sum,
}

impl Sum {
    fn of(bounds: Option<&Sourced<Bounds>>, pick: fn(&Bounds) -> Option<&Quantity>) -> Self {
        match bounds.and_then(|bounds| pick(&bounds.value)) {
            Some(quantity) => Self { size: quantity.size, unset: 0 },
            None => Self { size: 0, unset: 1 },
        }
    }

    fn plus(self, other: Self) -> Self {
        Self { size: self.size.saturating_add(other.size), unset: self.unset.saturating_add(other.unset) }
    }

    fn times(self, count: u32) -> Self {
        let count = u64::from(count);
        Self { size: self.size.saturating_mul(count), unset: self.unset.saturating_mul(count) }
    }
}

impl Sizes {
    /// The sizes of one container. Without a request, a cluster sets the limit aside.
    fn of(container: &Container) -> Self {
        let (cpu, memory) = (container.cpu.as_ref(), container.memory.as_ref());
        let aside: fn(&Bounds) -> Option<&Quantity> =
            |bounds| bounds.request.as_ref().or(bounds.limit.as_ref());
        Self {
            cpu_request: Sum::of(cpu, aside),
            cpu_limit: Sum::of(cpu, |bounds| bounds.limit.as_ref()),
            memory_request: Sum::of(memory, aside),
            memory_limit: Sum::of(memory, |bounds| bounds.limit.as_ref()),
        }
    }

    /// The sizes of one pod: its container and its sidecars. One that runs once, and ends, counts where it needs more than
    /// what starts after it.
    pub fn of_pod(workload: &Workload) -> Self {
        let (mut running, mut highest) = (Self::default(), Self::default());
        for sidecar in &workload.sidecars {
            let own = Self::of(&sidecar.container);
            if sidecar.once {
                highest = highest.higher(running.plus(own));
            } else {
                running = running.plus(own);
            }
        }
        running.plus(Self::of(&workload.main)).higher(highest)
    }

    /// Of each size the higher one, with what is unset in `self`.
    fn higher(self, other: Self) -> Self {
        let higher = |own: Sum, other: Sum| Sum { size: own.size.max(other.size), ..own };
        Self {
            cpu_request: higher(self.cpu_request, other.cpu_request),
            cpu_limit: higher(self.cpu_limit, other.cpu_limit),
            memory_request: higher(self.memory_request, other.memory_request),
            memory_limit: higher(self.memory_limit, other.memory_limit),
        }
    }

    fn plus(self, other: Self) -> Self {
        Self {
            cpu_request: self.cpu_request.plus(other.cpu_request),
            cpu_limit: self.cpu_limit.plus(other.cpu_limit),
            memory_request: self.memory_request.plus(other.memory_request),
            memory_limit: self.memory_limit.plus(other.memory_limit),
        }
    }

    fn times(self, count: u32) -> Self {
        Self {
            cpu_request: self.cpu_request.times(count),
            cpu_limit: self.cpu_limit.times(count),
            memory_request: self.memory_request.times(count),
            memory_limit: self.memory_limit.times(count),
        }
    }

    /// The sizes of all services: with the fewest replicas, and with the most. Tasks come and go.
    pub fn of_services(model: &Model) -> (Self, Self) {
        let services = model.workloads.iter().filter_map(|workload| Some((workload, workload.service()?)));
        services.fold((Self::default(), Self::default()), |(least, most), (workload, service)| {
            let (pod, replicas) = (Self::of_pod(workload), service.replicas.value);
            (least.plus(pod.times(replicas.least())), most.plus(pod.times(replicas.most())))
        })
    }
}
