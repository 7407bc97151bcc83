//! Permission bits of files, in octal as `chmod` takes them (IEEE Std 1003.1): `"0440"`.

use super::invalid::Invalid;

/// Reads permission bits.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<u16, Invalid> {
    let digits = (3..=4).contains(&text.len()) && text.bytes().all(|b| (b'0'..=b'7').contains(&b));
    // Set-user, set-group and sticky bits have no meaning for a mounted file.
    let bits = u16::from_str_radix(text, 8).ok().filter(|bits| digits && *bits <= 0o777);
    bits.ok_or_else(|| "not three octal digits, maybe after a 0".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn modes_are_octal() {
        assert_eq!(parse("0555"), Ok(0o555));
        assert_eq!(parse("440"), Ok(0o440));
        for text in ["", "4", "0888", "1777", "rwx", "00555", "+44"] {
            assert!(parse(text).is_err(), "{text}");
        }
    }
}
