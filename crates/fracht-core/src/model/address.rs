//! The addresses that a service or a task gets: in its own texts, and in the values of configs and secrets.

use std::sync::Arc;

use super::{Address, Container, Model, Mounted, Part, Text, UseSource, Workload};
use crate::grammar::reference::{self, Piece};
use crate::origin::Origin;
use crate::source::{Sources, Span};

/// An address in the value of a key.
#[derive(Clone, Debug)]
pub struct KeyAddress {
    /// The key.
    pub key: Arc<str>,
    /// The address.
    pub address: Address,
    /// Where it is written: the reference, if it can be found in the value, else the value.
    pub origin: Origin,
}

/// The most addresses of a config or a secret that count. One with more lists them for another purpose.
const MOST: usize = 100;

/// Collects addresses, each once for a key, the first ones of very many.
#[derive(Default)]
pub(crate) struct KeyAddresses(Vec<KeyAddress>);

impl KeyAddresses {
    /// Adds those of a value.
    pub(crate) fn add(&mut self, key: &Arc<str>, text: &Text, sources: &Sources) {
        if text.parts.iter().all(|part| part.address().is_none()) {
            return;
        }
        let places = places(text, sources);
        for (index, part) in text.parts.iter().enumerate() {
            let Some(address) = part.address() else { continue };
            let is_new = |known: &KeyAddress| known.key != *key || known.address != address;
            if self.0.len() < MOST && self.0.iter().all(is_new) {
                let origin = places.get(index).map_or(text.origin, |place| text.origin.of_part(*place));
                self.0.push(KeyAddress { key: Arc::clone(key), address, origin });
            }
        }
    }

    /// The collected ones.
    pub(crate) fn list(self) -> Vec<KeyAddress> {
        self.0
    }
}

/// The places of the parts of a text, references without their braces; none if the text is not written as it is.
fn places(text: &Text, sources: &Sources) -> Vec<Span> {
    let Some(span) = text.origin.span() else { return Vec::new() };
    let written = sources.text(span);
    let mut end = 0;
    let pieces = reference::pieces(written);
    let places = pieces.iter().map(|piece| {
        let range = match piece {
            Piece::Braces(_, range) => range.clone(),
            Piece::Plain(_) | Piece::Stray(_) => end..end,
        };
        end = range.end;
        span.part(range.start, range.end)
    });
    let places: Vec<Span> = places.collect();
    if places.len() == text.parts.len() { places } else { Vec::new() }
}

impl Model {
    /// The addresses that a workload gets for sure, each with its place: in its texts, and in single keys of configs and
    /// secrets that it mounts or refers to.
    pub fn addresses<'m>(&'m self, workload: &'m Workload) -> impl Iterator<Item = (Address, Origin)> {
        let texts = workload.texts().map(|(_, text)| text);
        let own = texts
            .flat_map(|text| text.parts.iter().filter_map(move |part| Some((part.address()?, text.origin))));
        let keys = workload.containers().flat_map(|container| self.single_keys(container));
        own.chain(keys.flat_map(|(all, key)| {
            let wanted = all.iter().filter(move |found| found.key == *key);
            wanted.map(|found| (found.address, found.origin))
        }))
    }

    /// The addresses in configs and secrets that a workload takes whole, of which it may not need all.
    pub fn addresses_of_whole<'m>(&'m self, workload: &'m Workload) -> impl Iterator<Item = Address> {
        let mounts = workload.containers().flat_map(|container| &container.mounts);
        let mounts = mounts.filter_map(|mount| match mount.what {
            Mounted::Config(id, None) => Some(UseSource::Config(id)),
            Mounted::Secret(id, None) => Some(UseSource::Secret(id)),
            _ => None,
        });
        let uses = workload.containers().flat_map(|container| &container.uses).map(|used| used.source);
        mounts.chain(uses).flat_map(|source| self.addresses_in(source)).map(|found| found.address)
    }

    fn addresses_in(&self, source: UseSource) -> &[KeyAddress] {
        match source {
            UseSource::Config(id) => &self.configs[id].addresses,
            UseSource::Secret(id) => &self.secrets[id].addresses,
        }
    }

    /// The single keys of configs and secrets that a container mounts or refers to, with the addresses of each table.
    fn single_keys<'m>(
        &'m self,
        container: &'m Container,
    ) -> impl Iterator<Item = (&'m [KeyAddress], &'m Arc<str>)> {
        let mounts = container.mounts.iter().filter_map(|mount| match &mount.what {
            Mounted::Config(id, Some(key)) => Some((UseSource::Config(*id), key)),
            Mounted::Secret(id, Some(key)) => Some((UseSource::Secret(*id), key)),
            _ => None,
        });
        let parts = container.texts().flat_map(|(_, text)| &text.parts);
        let parts = parts.filter_map(|part| match part {
            Part::Config(id, key) => Some((UseSource::Config(*id), key)),
            Part::Secret(id, key) => Some((UseSource::Secret(*id), key)),
            _ => None,
        });
        mounts.chain(parts).map(|(source, key)| (self.addresses_in(source), key))
    }
}
