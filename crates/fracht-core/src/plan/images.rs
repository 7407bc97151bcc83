//! The images of a stack: which there are, who uses each, and in which order those that are built here are built.

use std::collections::BTreeMap;

use crate::grammar::image::Image;
use crate::grammar::platform::Platform;
use crate::grammar::tag::moves;
use crate::model::{BuildId, Condition, Model, Sidecar, TargetKind, Workload};

/// The images of a model.
#[derive(Clone, Debug)]
pub struct ImagePlan<'m> {
    /// Every image once, in the order of the stack; those of start gates, and those of builds that only other builds
    /// use, follow.
    pub images: Vec<UsedImage<'m>>,
    /// The builds, each after those that it takes from.
    pub builds: Vec<BuildId>,
}

/// An image and who uses it.
#[derive(Clone, Debug)]
pub struct UsedImage<'m> {
    /// The image.
    pub image: &'m Image,
    /// The build that makes it here; `None` for one that is taken from a registry.
    pub build: Option<BuildId>,
    /// Whether it always is the same one.
    pub pin: Pin,
    /// The platforms that its users ask for, each once.
    pub platforms: Vec<Platform>,
    /// Who uses it.
    pub users: Vec<ImageUser<'m>>,
}

/// Whether a reference always means the same image.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pin {
    /// By its digest.
    Digest,
    /// By its tag, as long as nobody reuses that.
    Version,
    /// Not at all: its tag moves, or it has none.
    Floating,
}

/// A user of an image.
#[derive(Clone, Copy, Debug)]
pub enum ImageUser<'m> {
    /// A container: the main one, or a sidecar.
    Container(&'m Workload, Option<&'m Sidecar>),
    /// The start gates of a service or task.
    Gate(&'m Workload),
    /// Another build, which takes from it.
    Build(BuildId),
}

impl Pin {
    /// Whether an image is pinned.
    pub fn of(image: &Image) -> Self {
        match image.tag() {
            _ if image.digest().is_some() => Self::Digest,
            Some(tag) if tag != "latest" && moves(tag).is_none() => Self::Version,
            _ => Self::Floating,
        }
    }

    /// It as a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Digest => "digest",
            Self::Version => "version",
            Self::Floating => "floating",
        }
    }
}

impl UsedImage<'_> {
    /// Whether a registry has it, or should have it: not an image that is built here for this machine alone.
    pub fn is_in_registry(&self, model: &Model) -> bool {
        self.build.is_none_or(|build| model.builds[build].has_registry)
    }
}

impl ImageUser<'_> {
    /// Its name: `service.api`, `service.api.beside.exporter`, `gate of service.api`, `build.app`.
    pub fn words(&self, model: &Model) -> String {
        match self {
            Self::Container(workload, None) => workload.reference(),
            Self::Container(workload, Some(sidecar)) => {
                format!("{}.beside.{}", workload.reference(), sidecar.name)
            }
            Self::Gate(workload) => format!("gate of {}", workload.reference()),
            Self::Build(build) => format!("build.{}", model.builds[*build].name),
        }
    }
}

impl<'m> ImagePlan<'m> {
    /// The images of `model`.
    pub fn of(model: &'m Model) -> Self {
        let mut images = Images { list: Vec::new(), places: BTreeMap::new() };
        for workload in &model.workloads {
            let platform = workload.platform.as_ref().map(|platform| &platform.value);
            let main = std::iter::once((None, &workload.main));
            let sidecars = workload.sidecars.iter().map(|sidecar| (Some(sidecar), &sidecar.container));
            for (sidecar, container) in main.chain(sidecars) {
                let user = ImageUser::Container(workload, sidecar);
                images.add(&container.image.value, container.build, platform, user);
            }
        }
        if model.target.on.value == TargetKind::Cluster {
            let gate = &model.target.gate;
            for workload in &model.workloads {
                let platform = workload.platform.as_ref().map(|platform| &platform.value);
                let mut waits = workload.after.iter().map(|after| after.condition);
                let gates = [
                    (&gate.ready.value, waits.clone().any(|condition| condition == Condition::Ready)),
                    (&gate.done.value, waits.any(Condition::asks_api)),
                ];
                for (image, _) in gates.into_iter().filter(|(_, is_used)| *is_used) {
                    images.add(image, None, platform, ImageUser::Gate(workload));
                }
            }
        }
        for (id, build) in model.builds.entries() {
            for base in &build.takes {
                if let Some(image) = &model.builds[*base].image {
                    images.add(image, Some(*base), None, ImageUser::Build(id));
                }
            }
        }
        Self { images: images.list, builds: build_order(model) }
    }
}

/// Collects images.
struct Images<'m> {
    list: Vec<UsedImage<'m>>,
    places: BTreeMap<&'m str, usize>,
}

impl<'m> Images<'m> {
    fn add(
        &mut self,
        image: &'m Image,
        build: Option<BuildId>,
        platform: Option<&Platform>,
        user: ImageUser<'m>,
    ) {
        let place = *self.places.entry(image.text()).or_insert(self.list.len());
        if place == self.list.len() {
            let pin = Pin::of(image);
            self.list.push(UsedImage { image, build, pin, platforms: Vec::new(), users: Vec::new() });
        }
        let Some(used) = self.list.get_mut(place) else { return };
        used.build = used.build.or(build);
        used.users.push(user);
        if let Some(platform) = platform.filter(|platform| !used.platforms.contains(platform)) {
            used.platforms.push(*platform);
        }
    }
}

/// The builds, each after those that it takes from; in a cycle, in the order of the stack.
fn build_order(model: &Model) -> Vec<BuildId> {
    let mut order: Vec<BuildId> = Vec::new();
    let mut seen = vec![false; model.builds.len()];
    for (id, _) in model.builds.entries() {
        let mut stack = vec![(id, false)];
        while let Some((id, is_after)) = stack.pop() {
            if is_after {
                order.push(id);
            } else if let Some(seen @ false) = seen.get_mut(id.index()) {
                *seen = true;
                stack.push((id, true));
                stack.extend(model.builds[id].takes.iter().rev().map(|base| (*base, false)));
            }
        }
    }
    order
}
