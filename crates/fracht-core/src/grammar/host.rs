//! Host names (RFC 1123, section 2.1), addresses, and blocks of addresses (RFC 4632).

use std::net::IpAddr;

/// Checks a host name: labels of letters, digits and `-` with dots between them, small letters only.
///
/// # Errors
/// What is wrong with the text.
pub fn name(text: &str) -> Result<(), String> {
    let label = |label: &str| {
        let edge = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit();
        label.len() <= 63
            && label.starts_with(edge)
            && label.ends_with(edge)
            && label.chars().all(|c| edge(c) || c == '-')
    };
    // A name whose last label is a number is an address that is wrong, or soon to be taken for one.
    let number = text.rsplit('.').next().is_some_and(|last| last.bytes().all(|b| b.is_ascii_digit()));
    if text.len() <= 253 && text.split('.').all(label) && !number {
        return Ok(());
    }
    Err(if text.contains("://") {
        "a host is a name alone, without https:// and without a path".into()
    } else if text.contains(':') {
        "a host is a name alone; the port is another key".into()
    } else {
        "a host name has labels of a-z, 0-9 and - with dots between them, such as feed.buoys.example".into()
    })
}

/// Reads an address.
///
/// # Errors
/// What is wrong with the text.
pub fn address(text: &str) -> Result<IpAddr, String> {
    text.parse().map_err(|_| "an address is such as 192.0.2.10 or 2001:db8::1; a name is a `host`".into())
}

/// Checks a block of addresses.
///
/// # Errors
/// What is wrong with the text.
pub fn block(text: &str) -> Result<(), String> {
    let (address, bits) = text.split_once('/').unwrap_or((text, ""));
    let most = match address.parse::<IpAddr>() {
        Ok(IpAddr::V4(_)) => 32,
        Ok(IpAddr::V6(_)) => 128,
        Err(_) => 0,
    };
    let right = most > 0 && bits.parse::<u8>().is_ok_and(|bits| bits <= most);
    if right { Ok(()) } else { Err("a block of addresses is such as 192.0.2.10/32 or 2001:db8::/64".into()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hosts_addresses_and_blocks_are_told_apart() {
        for text in ["tides.example", "a", "feed-1.buoys.example", "1.example"] {
            assert!(name(text).is_ok(), "{text}");
        }
        for text in ["", "A.example", "a..b", "-a.example", "https://a.example", "a:80", "192.0.2.10", "a_b"]
        {
            assert!(name(text).is_err(), "{text}");
        }
        assert!(address("192.0.2.10").is_ok() && address("2001:db8::1").is_ok());
        assert!(address("a.example").is_err() && address("192.0.2").is_err());
        assert!(block("192.0.2.0/24").is_ok() && block("2001:db8::/64").is_ok());
        for text in ["192.0.2.10", "192.0.2.0/33", "a/8", "/8"] {
            assert!(block(text).is_err(), "{text}");
        }
    }
}
