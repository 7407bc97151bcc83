//! Looks at this machine: what listens on it.

mod process;
mod socket;

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::net::{IpAddr, Ipv4Addr, TcpListener, UdpSocket};
use std::time::Duration;

use fracht_core::files::reason;
use fracht_core::model::Protocol;
use fracht_core::plan::listening::{Listener, Listening, Program};
use fracht_core::plan::ports::TakenElsewhere;

use socket::Socket;

/// The tables of sockets (Linux, `proc(5)`): the file, the protocol, whether the system may lack it.
const TABLES: [(&str, Protocol, bool); 4] = [
    ("/proc/net/tcp", Protocol::Tcp, false),
    ("/proc/net/tcp6", Protocol::Tcp, true),
    ("/proc/net/udp", Protocol::Udp, false),
    ("/proc/net/udp6", Protocol::Udp, true),
];

/// The pauses before a number that seems to be taken is tried again.
const TRIES: [Duration; 3] =
    [Duration::from_millis(10), Duration::from_millis(30), Duration::from_millis(90)];

/// What listens on this machine. The numbers that are `wanted` are also tried, each for a moment, since no table tells
/// everything.
pub(crate) fn listening(wanted: &TakenElsewhere) -> Listening {
    let mut found = Listening::default();
    let mut sockets: Vec<(Protocol, Socket)> = Vec::new();
    for (path, protocol, may_lack) in TABLES {
        match fs::read_to_string(path) {
            Ok(text) => sockets.extend(socket::listening(&text, protocol).map(|socket| (protocol, socket))),
            Err(error) if may_lack && error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => found.unread.push(format!(
                "{path} cannot be read ({}), so programs are not known; each number of the stack was tried",
                reason(&error)
            )),
        }
    }
    let programs = process::owners(&sockets.iter().map(|(_, socket)| socket.inode).collect());
    let mut users = BTreeSet::new();
    for (protocol, socket) in sockets {
        let program = match programs.get(&socket.inode) {
            Some((name, process)) => Program::Known(name.as_str().into(), *process),
            None => {
                let user = process::user_name(socket.user);
                users.insert(user.clone());
                Program::OfUser(user.into())
            }
        };
        let Socket { address, port, .. } = socket;
        found.listeners.push(Listener { port, protocol, address, only_ipv6: false, program });
    }
    if !users.is_empty() {
        let users = users.into_iter().collect::<Vec<_>>().join(", ");
        let help = if rustix::process::geteuid().is_root() { "" } else { "; root can read them" };
        found.unread.push(format!("the programs of user {users} cannot be read{help}"));
    }
    for (protocol, number) in wanted {
        try_number(*protocol, *number, &mut found);
    }
    found.listeners.sort();
    found.listeners.dedup();
    found
}

/// Tries to listen at a number of 127.0.0.1, and notes what the tables do not tell.
fn try_number(protocol: Protocol, number: u16, found: &mut Listening) {
    let address = (Ipv4Addr::LOCALHOST, number);
    let bind = || match protocol {
        Protocol::Udp => UdpSocket::bind(address).map(drop),
        Protocol::Tcp | Protocol::Sctp => TcpListener::bind(address).map(drop),
    };
    if protocol == Protocol::Sctp {
        found.unread.push(format!("whether SCTP port {number} is in use cannot be read"));
        return;
    }
    let here = |listener: &&mut Listener| listener.port == number && listener.protocol == protocol;
    let mut tried = bind();
    for pause in TRIES {
        let is_taken = matches!(&tried, Err(error) if error.kind() == io::ErrorKind::AddrInUse);
        if !is_taken || found.listeners.iter_mut().any(|listener| here(&listener)) {
            break;
        }
        // No table has it: another run may be trying it at this very moment.
        std::thread::sleep(pause);
        tried = bind();
    }
    match tried {
        Ok(()) => {
            // So a socket at all addresses is at those of IPv6 alone.
            let all = found.listeners.iter_mut().filter(here);
            all.filter(|listener| listener.address.is_unspecified())
                .for_each(|listener| listener.only_ipv6 = true);
        }
        Err(error) if error.kind() == io::ErrorKind::AddrInUse => {
            if !found.listeners.iter_mut().filter(here).any(|listener| listener.obstacle().is_some()) {
                let address = IpAddr::V4(Ipv4Addr::LOCALHOST);
                let program = Program::Unknown;
                found.listeners.push(Listener { port: number, protocol, address, only_ipv6: false, program });
            }
        }
        Err(error) => {
            found.unread.push(format!("port {number} of localhost could not be tried: {}", reason(&error)));
        }
    }
}
