//! The tables of sockets of Linux (`proc(5)`, `/proc/net/tcp` and its like).

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use fracht_core::model::Protocol;

/// A socket that listens.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Socket {
    /// Its address.
    pub(super) address: IpAddr,
    /// Its port.
    pub(super) port: u16,
    /// The number of the user that opened it.
    pub(super) user: u32,
    /// The number by which processes refer to it.
    pub(super) inode: u64,
}

/// The sockets of a table that listen. Lines that are not understood are left out: the first is a head.
pub(super) fn listening(table: &str, protocol: Protocol) -> impl Iterator<Item = Socket> {
    // TCP_LISTEN; a UDP socket that is not connected is in the state TCP_CLOSE (include/net/tcp_states.h).
    let state = if protocol == Protocol::Udp { "07" } else { "0A" };
    table.lines().filter_map(move |line| {
        let mut fields = line.split_ascii_whitespace().skip(1);
        let (address, port) = fields.next()?.split_once(':')?;
        let is_listening = fields.nth(1)? == state;
        // The queues, the timer and the time-outs stand before the user, and one more before the inode.
        let user = fields.nth(3)?.parse().ok()?;
        let inode = fields.nth(1)?.parse().ok()?;
        let port = u16::from_str_radix(port, 16).ok()?;
        is_listening.then_some(Socket { address: self::address(address)?, port, user, inode })
    })
}

/// An address in hexadecimal: words of 32 bits, each in the byte order of the machine.
fn address(text: &str) -> Option<IpAddr> {
    let word = |index: usize| {
        let digits = text.get(index * 8..index * 8 + 8)?;
        u32::from_str_radix(digits, 16).ok().map(u32::to_ne_bytes)
    };
    match text.len() {
        8 => word(0).map(|bytes| Ipv4Addr::from(bytes).into()),
        32 => {
            let words: Option<Vec<[u8; 4]>> = (0..4).map(word).collect();
            let bytes: [u8; 16] = words?.concat().try_into().ok()?;
            Some(Ipv6Addr::from(bytes).into())
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[cfg(target_endian = "little")]
    #[test]
    fn a_table_is_read() {
        let table = "  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode\n\
             0: 0100007F:1538 00000000:0000 0A 00000000:00000000 00:00000000 00000000   999        0 71 1 0 100 0\n\
             1: 0100007F:1539 0100007F:9C40 01 00000000:00000000 00:00000000 00000000     0        0 72 1 0 100 0\n\
             2: nonsense\n\
             3: 00000000000000000000000001000000:0050 00000000000000000000000000000000:0000 0A 00000000:00000000 \
             00:00000000 00000000     0        0 73 1 0 100 0\n";
        let found: Vec<_> = listening(table, Protocol::Tcp)
            .map(|socket| {
                let Socket { address, port, user, inode } = socket;
                (address.to_string(), port, user, inode)
            })
            .collect();
        assert_eq!(found, [("127.0.0.1".to_owned(), 5432, 999, 71), ("::1".to_owned(), 80, 0, 73)]);
        assert_eq!(listening(table, Protocol::Udp).count(), 0);
    }
}
