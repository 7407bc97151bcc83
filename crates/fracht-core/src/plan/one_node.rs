//! Services and tasks that must run on the same node: they mount a volume that only the pods of one node can mount. A
//! cluster does not take care of it: a pod on another node would wait for the volume forever.

use std::collections::BTreeMap;

use crate::model::{Access, Model, Mounted, VolumeId, WorkloadId};

/// The services and tasks that must share a node, each with the first volume of its group.
pub fn groups(model: &Model) -> BTreeMap<WorkloadId, VolumeId> {
    let mut mounted: BTreeMap<VolumeId, Vec<WorkloadId>> = BTreeMap::new();
    for (id, workload) in model.workloads.entries() {
        for mount in workload.containers().flat_map(|container| &container.mounts) {
            let Mounted::Volume(volume) = mount.what else { continue };
            let definition = &model.volumes[volume];
            // A folder on a node needs no attaching, so it ties no pods together.
            let attached = !definition.each.value && definition.node_folder.is_none();
            let known = mounted.entry(volume).or_default();
            if attached && definition.access.value == Access::OneNode && !known.contains(&id) {
                known.push(id);
            }
        }
    }
    let mut groups = Groups::default();
    for (volume, workloads) in mounted.iter().filter(|(_, workloads)| workloads.len() > 1) {
        for id in workloads {
            groups.join(*volume, *id);
        }
    }
    let members = std::mem::take(&mut groups.first_volume);
    members.into_iter().map(|(id, volume)| (id, groups.root(volume))).collect()
}

/// Groups of volumes. A workload that mounts several volumes joins their groups.
#[derive(Default)]
struct Groups {
    first_volume: BTreeMap<WorkloadId, VolumeId>,
    above: BTreeMap<VolumeId, VolumeId>,
}

impl Groups {
    fn join(&mut self, volume: VolumeId, workload: WorkloadId) {
        let first = *self.first_volume.entry(workload).or_insert(volume);
        let (one, other) = (self.root(first), self.root(volume));
        // The earlier volume names the group, so that adding a later one changes no label.
        if one != other {
            self.above.insert(one.max(other), one.min(other));
        }
    }

    fn root(&mut self, volume: VolumeId) -> VolumeId {
        let mut root = volume;
        while let Some(above) = self.above.get(&root) {
            root = *above;
        }
        // Shortens the path for the next search.
        let mut at = volume;
        while at != root {
            at = self.above.insert(at, root).unwrap_or(root);
        }
        root
    }
}
