//! The types of single values in the table.

use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use serde_json::Value;

/// What a value is, in words.
pub(super) fn found(value: &Value) -> &'static str {
    match value {
        Value::Null => "empty",
        Value::Bool(_) => "true or false",
        Value::Number(_) => "a number",
        Value::String(_) => "a text",
        Value::Array(_) => "a list",
        Value::Object(_) => "a map",
    }
}

/// What a value must be, in words, if it does not have the type.
pub(super) fn expected(value: &Value, of: &'static str) -> Option<&'static str> {
    let text = |check: fn(&str) -> bool| value.as_str().is_some_and(check);
    let int32 = || value.as_i64().is_some_and(|number| i32::try_from(number).is_ok());
    if let Some(exactly) = of.strip_prefix("is:") {
        return (value != exactly).then_some(exactly);
    }
    let (fits, expected) = match of {
        "text" => (value.is_string(), "a text"),
        "bool" => (value.is_boolean(), "true or false"),
        "int32" => (int32(), "a whole number up to 32 bits"),
        "int64" => (value.as_i64().is_some(), "a whole number up to 64 bits"),
        "number" => (value.is_number(), "a number"),
        "int-or-text" => (value.is_string() || int32(), "a whole number or a text"),
        "quantity" => (value.is_number() || text(is_quantity), "an amount such as 500m or 2Gi"),
        "time" | "micro-time" => (text(is_time), "a time such as 2030-01-31T08:00:00Z"),
        "base64" => (value.is_null() || text(|text| BASE64_STANDARD.decode(text).is_ok()), "bytes in base64"),
        _ => (true, ""),
    };
    (!fits).then_some(expected)
}

/// Whether a text is an amount: a signed decimal number with a suffix (Quantity in the API).
fn is_quantity(text: &str) -> bool {
    const SUFFIXES: [&str; 16] =
        ["", "n", "u", "m", "k", "M", "G", "T", "P", "E", "Ki", "Mi", "Gi", "Ti", "Pi", "Ei"];
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    let end = unsigned.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(unsigned.len());
    let (number, suffix) = unsigned.split_at(end);
    let is_number = number.contains(|c: char| c.is_ascii_digit()) && number.matches('.').count() <= 1;
    let exponent = suffix.strip_prefix(['e', 'E']).map(|rest| rest.strip_prefix(['+', '-']).unwrap_or(rest));
    let is_exponent =
        exponent.is_some_and(|rest| !rest.is_empty() && rest.chars().all(|c| c.is_ascii_digit()));
    is_number && (SUFFIXES.contains(&suffix) || is_exponent)
}

/// Whether a text is a point in time (RFC 3339, section 5.6).
fn is_time(text: &str) -> bool {
    let Some((date, time)) = text.split_once(['T', 't', ' ']) else { return false };
    let number = |text: &str, digits: usize, most: u32| {
        let all = text.len() == digits && text.bytes().all(|byte| byte.is_ascii_digit());
        text.parse::<u32>().ok().filter(|number| all && *number <= most)
    };
    let parts: Vec<&str> = date.split('-').collect();
    let [year, month, day] = parts.as_slice() else { return false };
    let (Some(year), Some(month), Some(day)) =
        (number(year, 4, 9999), number(month, 2, 12), number(day, 2, 31))
    else {
        return false;
    };
    let leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    let days = match month {
        2 if leap => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    };
    if month == 0 || day == 0 || day > days {
        return false;
    }
    let zone = time.find(['Z', 'z', '+', '-']).unwrap_or(time.len());
    let (clock, zone) = time.split_at(zone);
    let (clock, fraction) = clock.split_once('.').unwrap_or((clock, "0"));
    let clock: Vec<&str> = clock.split(':').collect();
    let [hour, minute, second] = clock.as_slice() else { return false };
    let offset = match zone {
        "Z" | "z" => true,
        _ => zone.strip_prefix(['+', '-']).and_then(|zone| zone.split_once(':')).is_some_and(
            |(hours, minutes)| number(hours, 2, 23).is_some() && number(minutes, 2, 59).is_some(),
        ),
    };
    let fraction = !fraction.is_empty() && fraction.bytes().all(|byte| byte.is_ascii_digit());
    // A minute may have a leap second.
    let clock =
        number(hour, 2, 23).is_some() && number(minute, 2, 59).is_some() && number(second, 2, 60).is_some();
    offset && fraction && clock
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_and_amounts() {
        for (text, fits) in [
            ("2030-01-31T08:00:00Z", true),
            ("2028-02-29T23:59:60.123456+02:00", true),
            ("2030-02-29T08:00:00Z", false),
            ("2030-01-31T24:00:00Z", false),
            ("2030-13-01T08:00:00Z", false),
            ("2030-01-31T08:00Z", false),
            ("2030-01-31T08:00:00", false),
            ("2030-01-31", false),
            ("+030-01-31T08:00:00Z", false),
        ] {
            assert_eq!(is_time(text), fits, "{text}");
        }
        for (text, fits) in [
            ("1", true),
            ("-1.5Gi", true),
            (".5", true),
            ("1e3", true),
            ("2E", true),
            ("100m", true),
            ("", false),
            ("Gi", false),
            ("1.2.3", false),
            ("2 cores", false),
            ("1gb", false),
            ("1e", false),
        ] {
            assert_eq!(is_quantity(text), fits, "{text}");
        }
    }
}
