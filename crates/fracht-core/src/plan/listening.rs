//! What listens on this machine, and which ports of a stack it keeps from being opened.

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};
use std::sync::Arc;

use super::ports::{PortOwner, PortPlan, TakenElsewhere};
use crate::model::{Model, Protocol};

/// What listens on a machine.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Listening {
    /// The listeners, sorted by port, protocol and address.
    pub listeners: Vec<Listener>,
    /// What could not be read, as sentences.
    pub unread: Vec<String>,
}

/// A socket that listens.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Listener {
    /// The port number.
    pub port: u16,
    /// The transport protocol.
    pub protocol: Protocol,
    /// The address; unspecified for all addresses of its family.
    pub address: IpAddr,
    /// Set if a socket at all IPv6 addresses leaves those of IPv4 alone.
    pub only_ipv6: bool,
    /// The program.
    pub program: Program,
}

/// The program of a socket, as far as the system tells it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Program {
    /// Its name and the number of its process.
    Known(Arc<str>, u32),
    /// It is in a container of this name.
    Container(Arc<str>),
    /// It belongs to another user, whose name or number this is.
    OfUser(Arc<str>),
    /// Nothing is known.
    Unknown,
}

impl Program {
    /// The program in words.
    pub fn words(&self) -> String {
        match self {
            Self::Known(name, process) => format!("{name} (process {process})"),
            Self::Container(name) => format!("container {name}"),
            Self::OfUser(user) => format!("a program of user {user}"),
            Self::Unknown => "an unknown program".to_owned(),
        }
    }
}

/// A listener keeps a port of a stack from being opened on localhost.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct InUse<'l> {
    /// The port.
    pub port: PortOwner,
    /// Its number.
    pub number: u16,
    /// Its protocol.
    pub protocol: Protocol,
    /// The listener.
    pub listener: &'l Listener,
    /// How it gets in the way.
    pub how: Obstacle,
    /// A number that is free in the stack and on the machine.
    pub free: Option<u16>,
}

/// How a listener gets in the way of a port at the same number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Obstacle {
    /// The port cannot be opened at 127.0.0.1.
    Taken,
    /// It can be opened, but clients of `localhost` may reach the listener at `::1` instead.
    Shadow,
}

impl Listener {
    /// How it gets in the way of a port at its number on localhost; `None` if both can be used.
    pub fn obstacle(&self) -> Option<Obstacle> {
        let address = match self.address {
            IpAddr::V6(address) => address.to_ipv4_mapped().map_or(self.address, IpAddr::V4),
            IpAddr::V4(_) => self.address,
        };
        match address {
            IpAddr::V4(Ipv4Addr::UNSPECIFIED | Ipv4Addr::LOCALHOST) => Some(Obstacle::Taken),
            IpAddr::V6(Ipv6Addr::UNSPECIFIED) if !self.only_ipv6 => Some(Obstacle::Taken),
            IpAddr::V6(Ipv6Addr::UNSPECIFIED | Ipv6Addr::LOCALHOST) => Some(Obstacle::Shadow),
            _ => None,
        }
    }

    /// Where it listens: `0.0.0.0:5432`, `[::1]:5432`.
    pub fn place(&self) -> String {
        std::net::SocketAddr::new(self.address, self.port).to_string()
    }
}

impl Listening {
    /// The numbers that cannot be used on localhost.
    pub fn taken(&self) -> TakenElsewhere {
        let taken = self.listeners.iter().filter(|listener| listener.obstacle().is_some());
        taken.map(|listener| (listener.protocol, listener.port)).collect()
    }

    /// The open ports of a stack whose numbers are in use, each with the listener that is most in the way.
    pub fn clashes<'l>(&'l self, model: &Model, plan: &PortPlan) -> Vec<InUse<'l>> {
        let free = plan.free(model, &self.taken());
        let mut at_number: BTreeMap<(Protocol, u16), Vec<&Listener>> = BTreeMap::new();
        for listener in &self.listeners {
            at_number.entry((listener.protocol, listener.port)).or_default().push(listener);
        }
        let mut clashes = Vec::new();
        for entry in &plan.entries {
            let (Some(port), Some(owner)) = (entry.port(model), entry.owner(model)) else { continue };
            for number in &entry.at {
                let here = at_number.get(&(port.protocol, *number)).into_iter().flatten();
                let found = here.filter_map(|listener| Some((*listener, listener.obstacle()?)));
                let Some((listener, how)) = found.min_by_key(|(_, how)| *how == Obstacle::Shadow) else {
                    continue;
                };
                clashes.push(InUse {
                    port: owner,
                    number: *number,
                    protocol: port.protocol,
                    listener,
                    how,
                    free: free.after(port.protocol, *number),
                });
            }
        }
        clashes
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whether a listener takes a port at 127.0.0.1, by its address.
    #[test]
    fn only_what_localhost_reaches_is_in_the_way() {
        for (address, only_ipv6, expected) in [
            ("0.0.0.0", false, Some(Obstacle::Taken)),
            ("127.0.0.1", false, Some(Obstacle::Taken)),
            ("::", false, Some(Obstacle::Taken)),
            ("::ffff:0.0.0.0", false, Some(Obstacle::Taken)),
            ("::ffff:127.0.0.1", false, Some(Obstacle::Taken)),
            ("::", true, Some(Obstacle::Shadow)),
            ("::1", false, Some(Obstacle::Shadow)),
            ("127.0.0.53", false, None),
            ("192.0.2.7", false, None),
            ("2001:db8::7", false, None),
        ] {
            let listener = Listener {
                port: 5432,
                protocol: Protocol::Tcp,
                address: address.parse().unwrap(),
                only_ipv6,
                program: Program::Unknown,
            };
            assert_eq!(listener.obstacle(), expected, "{address}");
        }
    }
}
