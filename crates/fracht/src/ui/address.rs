//! External addresses as text. Parts that only the cluster knows are in capitals.

use fracht_core::plan::external::ExternalAddress;

/// The placeholder for a port number that the cluster chooses.
pub(crate) const PICKED: &str = "PICKED-PORT";

/// An address: `localhost:8000`, `ANY-NODE:30055`, `https://tides.example/`.
pub(crate) fn shown(address: &ExternalAddress) -> String {
    match address {
        ExternalAddress::Machine(number) => format!("localhost:{number}"),
        ExternalAddress::Node(Some(number)) => format!("ANY-NODE:{number}"),
        ExternalAddress::Node(None) => format!("ANY-NODE:{PICKED}"),
        ExternalAddress::Balancer(number) => format!("OWN-ADDRESS:{number}"),
        ExternalAddress::Web { tls, host, path } => {
            format!("{}://{host}{path}", if *tls { "https" } else { "http" })
        }
    }
}

/// All addresses of a port: one, or the first and the number of the last; `None` without addresses.
pub(crate) fn range(addresses: &[ExternalAddress]) -> Option<String> {
    match addresses {
        [] => None,
        [one] => Some(shown(one)),
        [first, .., last] => {
            let last = shown(last);
            Some(format!("{} to {}", shown(first), last.rsplit(':').next().unwrap_or_default()))
        }
    }
}

/// The name of an address of the web entry.
pub(crate) fn host(addresses: &[ExternalAddress]) -> Option<&str> {
    addresses.iter().find_map(|address| match address {
        ExternalAddress::Web { host, .. } => Some(&**host),
        _ => None,
    })
}

/// The line of a hosts file for a name of the web entry.
pub(crate) fn hosts_line(name: &str) -> String {
    format!("ENTRY-ADDRESS {name}")
}
