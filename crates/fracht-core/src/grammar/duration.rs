//! Durations: `500ms`, `3s`, `10m`, `1h30m`, `2d`. Grammar: one or more pairs of an integer and a unit, larger units
//! first.

use super::invalid::Invalid;
use std::fmt;
use std::time::Duration;

/// Each unit with its milliseconds, larger units first.
const UNITS: [(&str, u64); 5] = [("d", 86_400_000), ("h", 3_600_000), ("m", 60_000), ("s", 1000), ("ms", 1)];

/// Reads a duration.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Duration, Invalid> {
    let mut rest = text;
    let mut total: u64 = 0;
    let mut last = u64::MAX;
    while !rest.is_empty() {
        let digits = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let (number, after) = rest.split_at(digits);
        let letters = after.len() - after.trim_start_matches(|c: char| c.is_ascii_alphabetic()).len();
        let (unit, after) = after.split_at(letters);
        if number.is_empty() {
            return Err("not a number and a unit".into());
        }
        if unit.is_empty() {
            return Err("unit missing: ms, s, m, h or d".into());
        }
        let Some((_, size)) = UNITS.into_iter().find(|(name, _)| *name == unit) else {
            return Err(format!("unknown unit `{unit}`: use d, h, m, s or ms").into());
        };
        if size >= last {
            return Err("larger units come first, each once: 1h30m".into());
        }
        let amount = number.parse::<u64>().ok().and_then(|number| number.checked_mul(size));
        total = amount
            .and_then(|amount| total.checked_add(amount))
            .filter(|total| *total <= 36_525 * 86_400_000)
            .ok_or("longer than 100 years")?;
        last = size;
        rest = after;
    }
    if last == u64::MAX {
        return Err("not a number and a unit".into());
    }
    Ok(Duration::from_millis(total))
}

/// Reads a duration longer than 0.
///
/// # Errors
/// Why the text is invalid.
pub fn some(text: &str) -> Result<Duration, Invalid> {
    parse(text).and_then(|time| if time.is_zero() { Err("must be longer than 0".into()) } else { Ok(time) })
}

/// Writes a duration as [`parse`] reads it.
pub fn show(duration: Duration) -> impl fmt::Display {
    struct Shown(u64);
    impl fmt::Display for Shown {
        fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            if self.0 == 0 {
                return f.write_str("0s");
            }
            let mut left = self.0;
            for (unit, size) in UNITS {
                let count = left / size;
                left %= size;
                if count > 0 {
                    write!(f, "{count}{unit}")?;
                }
            }
            Ok(())
        }
    }
    Shown(u64::try_from(duration.as_millis()).unwrap_or(u64::MAX))
}

/// The duration in seconds, rounded up, at least 1, as Kubernetes objects have it.
pub fn whole_seconds(duration: Duration) -> u32 {
    u32::try_from(duration.as_millis().div_ceil(1000).max(1)).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn valid_durations_round_trip() {
        for (text, millis) in
            [("500ms", 500), ("3s", 3000), ("1h30m", 5_400_000), ("2d", 172_800_000), ("0s", 0)]
        {
            let duration = parse(text).unwrap();
            assert_eq!(duration.as_millis(), millis, "{text}");
            assert_eq!(show(duration).to_string(), text);
        }
        assert_eq!(show(parse("90m").unwrap()).to_string(), "1h30m");
        assert_eq!(whole_seconds(parse("1s1ms").unwrap()), 2);
    }

    #[test]
    fn invalid_durations_have_a_reason() {
        for (text, part) in [
            ("", "number and a unit"),
            ("5", "unit missing"),
            ("5 s", "unit missing"),
            ("5x", "unknown unit `x`"),
            ("1m1h", "larger units"),
            ("1s1s", "each once"),
            ("-1s", "number and a unit"),
            ("1.5s", "unit missing"),
            ("99999999999999999999d", "100 years"),
        ] {
            let reason = parse(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
    }
}
