//! The external number of a port: `8000`, `"auto"`, `"8000.."` or `"8000..8009"`.

use super::invalid::Invalid;
use std::fmt;

/// The external number of a port.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum At {
    /// This number.
    Fixed(u16),
    /// A free number, which Fracht chooses.
    Auto,
    /// The first free number from this one on.
    From(u16),
    /// One number per replica, from the first to the last.
    Range(u16, u16),
}

impl fmt::Display for At {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fixed(number) => write!(f, "{number}"),
            Self::Auto => f.write_str("auto"),
            Self::From(first) => write!(f, "{first}.."),
            Self::Range(first, last) => write!(f, "{first}..{last}"),
        }
    }
}

/// Reads the external number of a port.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<At, Invalid> {
    if text == "auto" {
        return Ok(At::Auto);
    }
    let number = |text: &str| -> Result<u16, Invalid> {
        let digits = text.bytes().all(|b| b.is_ascii_digit());
        let number = text.parse::<u16>().ok().filter(|number| digits && *number > 0);
        number.ok_or_else(|| "not 1 to 65535, \"auto\", \"8000..\" or \"8000..8009\"".into())
    };
    match text.split_once("..") {
        None => number(text).map(At::Fixed),
        Some((first, "")) => number(first).map(At::From),
        Some((first, last)) => match (number(first)?, number(last)?) {
            (first, last) if first <= last => Ok(At::Range(first, last)),
            (first, last) => Err(format!("reversed: did you mean {last}..{first}?").into()),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_round_trip() {
        for text in ["8000", "auto", "8000..", "8000..8009", "1..1"] {
            assert_eq!(parse(text).unwrap().to_string(), text);
        }
        for text in ["", "0", "65536", "..", "..8009", "8009..8000", "Auto", "+1"] {
            assert!(parse(text).is_err(), "{text}");
        }
    }
}
