//! A number, or a percentage of the replicas: `1`, `"25%"`.

use super::invalid::Invalid;

/// A number or a percentage.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Share {
    /// A number.
    Number(u32),
    /// A percentage.
    Percent(u32),
}

impl Share {
    /// Whether it is 0.
    pub fn is_zero(self) -> bool {
        matches!(self, Self::Number(0) | Self::Percent(0))
    }
}

/// Reads a number or a percentage.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Share, Invalid> {
    let (digits, share) = match text.strip_suffix('%') {
        Some(digits) => (digits, true),
        None => (text, false),
    };
    let plain = !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit());
    match digits.parse::<u32>().ok().filter(|_| plain) {
        Some(number) if share && number <= 100 => Ok(Share::Percent(number)),
        Some(number) if !share && number <= 100_000 => Ok(Share::Number(number)),
        _ => Err("not an integer or a percentage".into()),
    }
}

/// Reads a percentage from 1 to 100.
///
/// # Errors
/// Why the text is invalid.
pub fn percent(text: &str) -> Result<u32, Invalid> {
    match parse(text) {
        Ok(Share::Percent(percent)) if percent > 0 => Ok(percent),
        _ => Err("not \"1%\" to \"100%\"".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_are_integers_or_percentages() {
        assert_eq!(parse("2"), Ok(Share::Number(2)));
        assert_eq!(parse("25%"), Ok(Share::Percent(25)));
        assert_eq!(percent("70%"), Ok(70));
        for text in ["", "%", "101%", "-1", "+1", "1.5", "100001"] {
            assert!(parse(text).is_err(), "{text}");
        }
        assert!(percent("0%").is_err() && percent("70").is_err());
    }
}
