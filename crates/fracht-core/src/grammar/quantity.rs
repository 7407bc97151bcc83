//! Sizes and CPU quantities, and ranges of them.
//!
//! Units are those of the Kubernetes resource model: bytes with `Ki Mi Gi Ti` (powers of 1024) or
//! `k M G T` (powers of 1000); CPU as integers, fractions, or thousandths with `m`.
//! A range is `request..limit`, `request..` or `..limit`; a single value is both.

use std::fmt;
use std::sync::Arc;

use super::invalid::Invalid;

const BYTE_UNITS: [(&str, u64); 9] = [
    ("Ki", 1 << 10),
    ("Mi", 1 << 20),
    ("Gi", 1 << 30),
    ("Ti", 1 << 40),
    ("k", 1000),
    ("M", 1_000_000),
    ("G", 1_000_000_000),
    ("T", 1_000_000_000_000),
    ("", 1),
];

/// A quantity as written, with its size for comparisons.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Quantity {
    /// The text as written, which objects contain unchanged.
    pub text: Arc<str>,
    /// The size in bytes, or in thousandths of a CPU.
    pub size: u64,
}

impl fmt::Display for Quantity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// A request and a limit.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Bounds {
    /// The request, which a node reserves.
    pub request: Option<Quantity>,
    /// The limit.
    pub limit: Option<Quantity>,
}

impl Bounds {
    /// Whether the request is larger than the limit.
    pub fn is_inverted(&self) -> bool {
        matches!((&self.request, &self.limit), (Some(request), Some(limit)) if request.size > limit.size)
    }
}

/// A number of bytes in the largest binary unit that shows it well, with at most one decimal: `1.5Gi`.
pub fn show_bytes(bytes: u64) -> String {
    let unit = BYTE_UNITS.into_iter().take(4).rev().find(|(_, factor)| bytes >= *factor);
    let Some((unit, factor)) = unit else { return bytes.to_string() };
    let tenths = (u128::from(bytes) * 10).div_ceil(u128::from(factor));
    match (tenths / 10, tenths % 10) {
        (whole, 0) => format!("{whole}{unit}"),
        (whole, tenth) => format!("{whole}.{tenth}{unit}"),
    }
}

/// Thousandths of a CPU as a number: `1.25`, or `250m` below one.
pub fn show_cpu(thousandths: u64) -> String {
    if thousandths < 1000 {
        return format!("{thousandths}m");
    }
    let shown = format!("{}.{:03}", thousandths / 1000, thousandths % 1000);
    shown.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// Reads a size in bytes, such as `512Mi`.
///
/// # Errors
/// Why the text is invalid.
pub fn bytes(text: &str) -> Result<Quantity, Invalid> {
    let digits = text.len() - text.trim_start_matches(|c: char| c.is_ascii_digit()).len();
    let (number, unit) = text.split_at(digits);
    if number.is_empty() {
        return Err("not an integer and a unit".into());
    }
    let Some((_, factor)) = BYTE_UNITS.into_iter().find(|(name, _)| *name == unit) else {
        let guess = match unit.to_ascii_lowercase().as_str() {
            "b" => Some(String::new()),
            "kb" | "kib" | "ki" | "k" => Some("Ki".to_owned()),
            "mb" | "mib" | "mi" | "m" => Some("Mi".to_owned()),
            "gb" | "gib" | "gi" | "g" => Some("Gi".to_owned()),
            "tb" | "tib" | "ti" | "t" => Some("Ti".to_owned()),
            _ => None,
        };
        let units = "use Ki, Mi, Gi, Ti, k, M, G or T";
        return Err(match guess {
            Some(guess) => format!("unknown unit `{unit}`: did you mean {number}{guess}?").into(),
            None => format!("unknown unit `{unit}`: {units}").into(),
        });
    };
    let size = number.parse::<u64>().ok().and_then(|number| number.checked_mul(factor));
    let size = size.filter(|size| *size > 0).ok_or("must be more than 0 and fit in 64 bits")?;
    Ok(Quantity { text: text.into(), size })
}

/// Reads a CPU quantity, such as `250m`, `1` or `0.5`.
///
/// # Errors
/// Why the text is invalid.
pub fn cpu(text: &str) -> Result<Quantity, Invalid> {
    let wrong = || "not a number such as 0.5, or thousandths such as 250m".to_owned();
    let parse = |digits: &str| {
        let plain = !digits.is_empty() && digits.len() < 10 && digits.bytes().all(|b| b.is_ascii_digit());
        if plain { digits.parse::<u64>().map_err(|_| wrong()) } else { Err(wrong()) }
    };
    let size = if let Some(thousandths) = text.strip_suffix('m') {
        parse(thousandths)?
    } else if let Some((whole, fraction)) = text.split_once('.') {
        if fraction.is_empty() {
            return Err(wrong().into());
        }
        if fraction.len() > 3 {
            return Err("at most three decimals: the smallest unit is 1m".into());
        }
        parse(whole)? * 1000 + parse(&format!("{fraction:0<3}"))?
    } else {
        parse(text)? * 1000
    };
    if size == 0 {
        return Err("must be more than 0".into());
    }
    Ok(Quantity { text: text.into(), size })
}

/// Reads `a..b`, `a..`, `..b` or `a`; `one` reads each quantity.
fn bounds(text: &str, one: fn(&str) -> Result<Quantity, Invalid>) -> Result<Bounds, Invalid> {
    let Some((request, limit)) = text.split_once("..") else {
        let both = one(text)?;
        return Ok(Bounds { request: Some(both.clone()), limit: Some(both) });
    };
    let side = |text: &str| if text.is_empty() { Ok(None) } else { one(text).map(Some) };
    let bounds = Bounds { request: side(request)?, limit: side(limit)? };
    if bounds == Bounds::default() {
        return Err("a range needs at least one end".into());
    }
    Ok(bounds)
}

/// Reads a request and a limit in bytes, such as `128Mi..256Mi`.
///
/// # Errors
/// Why the text is invalid.
pub fn byte_bounds(text: &str) -> Result<Bounds, Invalid> {
    bounds(text, bytes)
}

/// Reads a request and a limit of CPU, such as `100m..1`.
///
/// # Errors
/// Why the text is invalid.
pub fn cpu_bounds(text: &str) -> Result<Bounds, Invalid> {
    bounds(text, cpu)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sums_are_shown_in_their_largest_unit() {
        for (size, shown) in
            [(0, "0"), (512, "512"), (1 << 20, "1Mi"), (1536 << 20, "1.5Gi"), (1025, "1.1Ki")]
        {
            assert_eq!(show_bytes(size), shown);
        }
        for (size, shown) in [(0, "0m"), (250, "250m"), (1000, "1"), (1250, "1.25"), (20_000, "20")] {
            assert_eq!(show_cpu(size), shown);
        }
        assert_eq!(show_bytes(u64::MAX), "16777216Ti");
    }

    #[test]
    fn valid_quantities_have_their_size() {
        assert_eq!(bytes("512Mi").unwrap().size, 512 << 20);
        assert_eq!(bytes("2G").unwrap().size, 2_000_000_000);
        assert_eq!(bytes("77").unwrap().size, 77);
        for (text, size) in [("250m", 250), ("1", 1000), ("0.5", 500), ("1.25", 1250)] {
            assert_eq!(cpu(text).unwrap().size, size, "{text}");
        }
        let range = byte_bounds("128Mi..256Mi").unwrap();
        assert!(!range.is_inverted());
        assert!(cpu_bounds("1..100m").unwrap().is_inverted());
        assert_eq!(cpu_bounds("..1").unwrap().request, None);
        assert_eq!(byte_bounds("1Gi").unwrap().limit.unwrap().text.as_ref(), "1Gi");
    }

    #[test]
    fn invalid_quantities_have_a_reason() {
        for (text, part) in [
            ("512MB", "did you mean 512Mi?"),
            ("12x", "`x`"),
            ("", "integer and a unit"),
            ("0", "more than 0"),
        ] {
            let reason = bytes(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
        for text in ["", "m", "1.", ".5", "-1", "1.2345", "1e3", "0", "0m", "99999999999999"] {
            assert!(cpu(text).is_err(), "{text}");
        }
        assert!(byte_bounds("..").is_err());
        assert!(byte_bounds("1Gi..x").is_err());
    }
}
