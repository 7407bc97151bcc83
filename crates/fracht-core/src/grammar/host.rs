//! Host names (RFC 1123, section 2.1), IP addresses, and CIDR blocks (RFC 4632).

use super::invalid::Invalid;
use std::net::IpAddr;

/// Checks a host name: labels of lowercase letters, digits and `-`, separated by dots.
///
/// # Errors
/// Why the text is invalid.
pub fn name(text: &str) -> Result<(), Invalid> {
    let label = |label: &str| {
        let edge = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit();
        label.len() <= 63
            && label.starts_with(edge)
            && label.ends_with(edge)
            && label.chars().all(|c| edge(c) || c == '-')
    };
    // Programs read a name whose last label is a number as an IP address.
    let number = text.rsplit('.').next().is_some_and(|last| last.bytes().all(|b| b.is_ascii_digit()));
    if text.len() <= 253 && text.split('.').all(label) && !number {
        return Ok(());
    }
    Err(if text.contains("://") {
        "a host is a name alone, without https:// and without a path".into()
    } else if text.contains(':') {
        "a name only: the port is another key".into()
    } else {
        "only labels of a-z, 0-9 and -, with dots between them".into()
    })
}

/// Checks the host name of a web entry. Its first label may be `*`, which matches any one label.
///
/// # Errors
/// Why the text is invalid.
pub fn entry(text: &str) -> Result<(), Invalid> {
    if text.len() > 253 {
        return Err("more than 253 bytes".into());
    }
    name(text.strip_prefix("*.").unwrap_or(text))
}

/// Why an address cannot be an endpoint of a cluster; `None` if it can be (validation of `EndpointSlice`,
/// discovery.k8s.io/v1).
pub fn unreachable(address: IpAddr) -> Option<&'static str> {
    let mapped = matches!(address, IpAddr::V6(v6) if v6.to_ipv4_mapped().is_some());
    let local = match address {
        IpAddr::V4(v4) => v4.is_link_local(),
        IpAddr::V6(v6) => v6.is_unicast_link_local(),
    };
    if mapped {
        Some("an IPv4 address in the form of IPv6")
    } else if address.is_unspecified() {
        Some("any address, not one")
    } else if address.is_loopback() {
        Some("the container itself")
    } else if local {
        Some("an address of one link")
    } else if address.is_multicast() {
        Some("a multicast address")
    } else if address == IpAddr::V4(std::net::Ipv4Addr::BROADCAST) {
        Some("the broadcast address")
    } else {
        None
    }
}

/// Reads an IP address.
///
/// # Errors
/// Why the text is invalid.
pub fn address(text: &str) -> Result<IpAddr, Invalid> {
    text.parse().map_err(|_| "not an IP address: for a name use `host`".into())
}

/// Checks a CIDR block.
///
/// # Errors
/// Why the text is invalid.
pub fn block(text: &str) -> Result<(), Invalid> {
    let (address, bits) = text.split_once('/').unwrap_or((text, ""));
    let most = match address.parse::<IpAddr>() {
        Ok(IpAddr::V4(_)) => 32,
        Ok(IpAddr::V6(_)) => 128,
        Err(_) => 0,
    };
    let right = most > 0 && bits.parse::<u8>().is_ok_and(|bits| bits <= most);
    if right { Ok(()) } else { Err("not a CIDR block, for example 192.0.2.0/24".into()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hosts_addresses_and_blocks_are_distinguished() {
        for text in ["tides.example", "a", "feed-1.buoys.example", "1.example"] {
            assert!(name(text).is_ok(), "{text}");
        }
        for text in ["", "A.example", "a..b", "-a.example", "https://a.example", "a:80", "192.0.2.10", "a_b"]
        {
            assert!(name(text).is_err(), "{text}");
        }
        assert!(entry("*.tides.example").is_ok() && entry("tides.example").is_ok());
        for text in ["*", "*.", "a.*.example", "*a.example", "*.*.example"] {
            assert!(entry(text).is_err(), "{text}");
        }
        for text in ["192.0.2.1", "10.0.0.1", "2001:db8::1", "fd00::1", "100.64.0.1"] {
            assert_eq!(unreachable(text.parse().unwrap()), None, "{text}");
        }
        for text in [
            "127.0.0.1",
            "127.9.9.9",
            "0.0.0.0",
            "169.254.0.1",
            "169.254.255.255",
            "224.0.0.1",
            "239.1.1.1",
            "255.255.255.255",
            "::",
            "::1",
            "fe80::1",
            "febf::1",
            "ff02::1",
            "::ffff:192.0.2.1",
        ] {
            assert!(unreachable(text.parse().unwrap()).is_some(), "{text}");
        }
        assert!(address("192.0.2.10").is_ok() && address("2001:db8::1").is_ok());
        assert!(address("a.example").is_err() && address("192.0.2").is_err());
        assert!(block("192.0.2.0/24").is_ok() && block("2001:db8::/64").is_ok());
        for text in ["192.0.2.10", "192.0.2.0/33", "a/8", "/8"] {
            assert!(block(text).is_err(), "{text}");
        }
    }
}
