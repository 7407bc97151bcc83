//! The order of everything in a diagram: by name, so that the order of the tables in the file says nothing about it.

use std::collections::{BTreeMap, BTreeSet};

use super::{Diagram, Sign};

impl Diagram {
    /// Sorts boxes, networks and rows.
    pub(super) fn sort(&mut self) {
        let mut order: Vec<usize> = (0..self.nodes.len()).collect();
        let nodes = &self.nodes;
        let key = |index: usize| {
            let node = nodes.get(index)?;
            Some((node.kind, &node.name, node.line.as_ref().map(|line| &line.whole)))
        };
        // Two ways in can have one address until the cluster chooses: what they lead to tells them apart.
        let leads = |index: usize| {
            let link = self.links.iter().find(|link| link.from == index)?;
            Some((&nodes.get(link.to)?.name, link.port))
        };
        order.sort_by(|a, b| key(*a).cmp(&key(*b)).then_with(|| leads(*a).cmp(&leads(*b))));
        let places = inverse(&order);
        self.nodes = order.iter().filter_map(|old| self.nodes.get(*old)).cloned().collect();
        let place = |old: usize, places: &[usize]| places.get(old).copied().unwrap_or(old);
        for link in &mut self.links {
            (link.from, link.to) = (place(link.from, &places), place(link.to, &places));
        }
        let mut order: Vec<usize> = (0..self.groups.len()).collect();
        order
            .sort_by_key(|index| self.groups.get(*index).map(|group| (group.is_default, group.name.clone())));
        let places = inverse(&order);
        self.groups = order.iter().filter_map(|old| self.groups.get(*old)).cloned().collect();
        self.groups.iter_mut().enumerate().for_each(|(index, group)| group.color = index);
        for node in &mut self.nodes {
            node.groups.iter_mut().for_each(|group| *group = place(*group, &places));
            node.groups.sort_unstable();
            node.rows.sort_by(|a, b| {
                (a.sign != Sign::Time, a.sign, &a.name).cmp(&(b.sign != Sign::Time, b.sign, &b.name))
            });
        }
    }

    /// Removes the networks that nothing in the picture is in.
    pub(super) fn drop_unused_groups(&mut self) {
        let used: BTreeSet<usize> = self.nodes.iter().flat_map(|node| node.groups.iter().copied()).collect();
        let places: BTreeMap<usize, usize> = used.iter().enumerate().map(|(new, old)| (*old, new)).collect();
        for node in &mut self.nodes {
            node.groups = node.groups.iter().filter_map(|old| places.get(old).copied()).collect();
        }
        let mut index = 0;
        self.groups.retain(|_| {
            index += 1;
            used.contains(&(index - 1))
        });
    }
}

/// For each old index, the new one.
fn inverse(order: &[usize]) -> Vec<usize> {
    let mut places = vec![0; order.len()];
    for (new, old) in order.iter().enumerate() {
        if let Some(slot) = places.get_mut(*old) {
            *slot = new;
        }
    }
    places
}
