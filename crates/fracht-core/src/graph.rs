//! The order of a directed graph: its waves, and its cycles with every edge.

/// An edge, with a number by which the caller knows it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Edge {
    /// The node that must come first.
    pub(crate) to: usize,
    /// The caller's number for the edge.
    pub(crate) label: usize,
}

/// A graph of `edges.len()` nodes. An edge leads from a node to one that must come before it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Graph {
    /// The edges of each node.
    pub(crate) edges: Vec<Vec<Edge>>,
}

/// An edge of a cycle, with the node that it starts from.
pub(crate) type Step = (usize, Edge);

impl Graph {
    fn edges_of(&self, node: usize) -> &[Edge] {
        self.edges.get(node).map_or(&[], Vec::as_slice)
    }

    /// The wave of each node, from 1: one more than the last wave of the nodes before it. `None` for
    /// a node that is in a cycle or depends on one. Time is linear in nodes and edges.
    pub(crate) fn waves(&self) -> Vec<Option<usize>> {
        let count = self.edges.len();
        let mut waiting: Vec<usize> = self.edges.iter().map(Vec::len).collect();
        let mut followers = vec![Vec::new(); count];
        for (node, edges) in self.edges.iter().enumerate() {
            for edge in edges {
                if let Some(list) = followers.get_mut(edge.to) {
                    list.push(node);
                }
            }
        }
        let mut wave = vec![1; count];
        let mut placed = vec![None; count];
        let mut ready: Vec<usize> = (0..count).filter(|n| waiting.get(*n) == Some(&0)).collect();
        while let Some(node) = ready.pop() {
            let own = wave.get(node).copied().unwrap_or(1);
            if let Some(slot) = placed.get_mut(node) {
                *slot = Some(own);
            }
            for follower in followers.get(node).into_iter().flatten() {
                if let Some(wave) = wave.get_mut(*follower) {
                    *wave = (*wave).max(own + 1);
                }
                if let Some(left) = waiting.get_mut(*follower) {
                    *left -= 1;
                    if *left == 0 {
                        ready.push(*follower);
                    }
                }
            }
        }
        placed
    }

    /// Cycles that share no node, until no cycle is left. Time is linear in nodes and edges for
    /// each cycle found, at most `most` of them.
    pub(crate) fn cycles(&self, most: usize) -> Vec<Vec<Step>> {
        let mut cycles = Vec::new();
        let mut cut = self.clone();
        while cycles.len() < most {
            let waves = cut.waves();
            let Some(start) = waves.iter().position(Option::is_none) else { break };
            let cycle = cut.walk(start, &waves);
            for (node, _) in &cycle {
                if let Some(edges) = cut.edges.get_mut(*node) {
                    edges.clear();
                }
            }
            cycles.push(cycle);
        }
        cycles
    }

    /// Walks from a node without a wave along nodes without a wave until a node repeats. The walk ends:
    /// each such node has an edge to another one.
    fn walk(&self, start: usize, waves: &[Option<usize>]) -> Vec<Step> {
        let mut seen_at = vec![None; self.edges.len()];
        let mut path: Vec<Step> = Vec::new();
        let mut node = start;
        loop {
            if let Some(Some(first)) = seen_at.get(node) {
                return path.split_off(*first);
            }
            if let Some(slot) = seen_at.get_mut(node) {
                *slot = Some(path.len());
            }
            let next = self.edges_of(node).iter().find(|edge| waves.get(edge.to) == Some(&None));
            let Some(next) = next else { return path };
            path.push((node, *next));
            node = next.to;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn graph(count: usize, edges: &[(usize, usize)]) -> Graph {
        let mut graph = Graph { edges: vec![Vec::new(); count] };
        for (label, (from, to)) in edges.iter().enumerate() {
            graph.edges[*from].push(Edge { to: *to, label });
        }
        graph
    }

    #[test]
    fn a_cycle_has_every_edge_and_no_dependents() {
        let graph = graph(5, &[(0, 1), (1, 2), (2, 3), (3, 1), (4, 4)]);
        let cycles = graph.cycles(10);
        let nodes: Vec<Vec<usize>> =
            cycles.iter().map(|c| c.iter().map(|(node, _)| *node).collect()).collect();
        assert_eq!(nodes, [vec![1, 2, 3], vec![4]]);
        let labels: Vec<usize> = cycles[0].iter().map(|(_, edge)| edge.label).collect();
        assert_eq!(labels, [1, 2, 3]);
        assert_eq!(graph.waves(), [None; 5]);
    }

    #[test]
    fn a_chain_of_a_hundred_thousand_needs_no_recursion() {
        let edges: Vec<_> = (1..100_000).map(|node| (node, node - 1)).collect();
        let chain = graph(100_000, &edges);
        assert_eq!(chain.waves().last(), Some(&Some(100_000)));
        let mut ring = edges;
        ring.push((0, 99_999));
        assert_eq!(graph(100_000, &ring).cycles(3)[0].len(), 100_000);
    }

    proptest! {
        /// Every node is in a later wave than its predecessors, and in the earliest possible one.
        #[test]
        fn every_node_is_in_a_later_wave_than_its_dependencies(edges in prop::collection::vec((0_usize..30, 0_usize..30), 0..80)) {
            let forward: Vec<_> =
                edges.into_iter().filter(|(a, b)| a != b).map(|(a, b)| (a.max(b), a.min(b))).collect();
            let graph = graph(30, &forward);
            prop_assert!(graph.cycles(1).is_empty());
            let waves = graph.waves();
            for node in 0..30 {
                let before = graph.edges[node].iter().map(|edge| waves[edge.to].unwrap()).max();
                prop_assert_eq!(waves[node], Some(before.unwrap_or(0) + 1));
            }
        }

        /// Whatever the edges are, each cycle is closed, and without the cycles every node has a wave.
        #[test]
        fn cycles_are_closed(edges in prop::collection::vec((0_usize..12, 0_usize..12), 0..40)) {
            let graph = graph(12, &edges);
            let cycles = graph.cycles(100);
            prop_assert_eq!(cycles.is_empty(), graph.waves().iter().all(Option::is_some));
            for cycle in &cycles {
                for (index, (_, edge)) in cycle.iter().enumerate() {
                    prop_assert_eq!(edge.to, cycle[(index + 1) % cycle.len()].0);
                }
            }
        }
    }
}
