//! Times at which a task runs: `"on demand"`, or five fields as crontab has them (IEEE Std 1003.1, `crontab`),
//! with the steps and names of days and months that are common beside them:
//!
//! ```text
//! minute  hour  day of the month  month  day of the week
//! 0-59    0-23  1-31              1-12   0-7, 0 and 7 being Sunday
//! field = part { "," part }
//! part  = ( "*" | value [ "-" value ] ) [ "/" step ]
//! ```

use std::sync::Arc;

/// When a task runs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Schedule {
    /// When somebody asks for it.
    OnDemand,
    /// At the times of these five fields.
    Times(Arc<str>),
}

struct Field {
    what: &'static str,
    least: u32,
    most: u32,
    names: &'static [&'static str],
}

const MONTHS: [&str; 12] =
    ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const DAYS: [&str; 7] = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"];

const FIELDS: [Field; 5] = [
    Field { what: "the minute", least: 0, most: 59, names: &[] },
    Field { what: "the hour", least: 0, most: 23, names: &[] },
    Field { what: "the day of the month", least: 1, most: 31, names: &[] },
    Field { what: "the month", least: 1, most: 12, names: &MONTHS },
    Field { what: "the day of the week", least: 0, most: 7, names: &DAYS },
];

/// Reads a schedule.
///
/// # Errors
/// What is wrong with the text.
pub fn parse(text: &str) -> Result<Schedule, String> {
    if text == "on demand" {
        return Ok(Schedule::OnDemand);
    }
    let fields: Vec<&str> = text.split_whitespace().collect();
    if fields.len() != FIELDS.len() {
        return Err(format!(
            "a schedule has five fields, minute hour day month weekday, such as 15 3 * * *, or is \"on demand\"; \
             here are {}",
            fields.len()
        ));
    }
    for (field, text) in FIELDS.iter().zip(&fields) {
        field.check(text)?;
    }
    Ok(Schedule::Times(fields.join(" ").into()))
}

impl Field {
    fn check(&self, text: &str) -> Result<(), String> {
        text.split(',').try_for_each(|part| self.part(part))
    }

    fn part(&self, part: &str) -> Result<(), String> {
        let Self { what, least, most, .. } = self;
        let (range, step) = part.split_once('/').map_or((part, None), |(range, step)| (range, Some(step)));
        if let Some(step) = step {
            let number = step.parse::<u32>().ok().filter(|step| *step > 0 && step <= most);
            number.ok_or_else(|| format!("`{part}` is no step of {what}: write */N, N from 1 to {most}"))?;
        }
        if range == "*" {
            return Ok(());
        }
        let (from, to) = range.split_once('-').map_or((range, None), |(from, to)| (from, Some(to)));
        let wrong = || format!("`{part}` is not {what}: it is {least} to {most}, or * for any");
        let from = self.value(from).ok_or_else(wrong)?;
        match to.map(|to| self.value(to)) {
            Some(None) => Err(wrong()),
            Some(Some(to)) if to < from => Err(format!("`{part}` runs backwards")),
            None | Some(Some(_)) => Ok(()),
        }
    }

    fn value(&self, text: &str) -> Option<u32> {
        let named = self.names.iter().position(|name| text.eq_ignore_ascii_case(name));
        if let Some(index) = named {
            return u32::try_from(index).ok().map(|index| index + self.least);
        }
        let digits = !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
        text.parse().ok().filter(|number| digits && (self.least..=self.most).contains(number))
    }
}

/// Checks that a text looks like the name of a time zone (IANA): `UTC`, `Europe/Berlin`.
///
/// # Errors
/// What is wrong with the text.
pub fn zone(text: &str) -> Result<(), String> {
    let part = |part: &str| {
        part.starts_with(|c: char| c.is_ascii_uppercase())
            && part.chars().all(|c| c.is_ascii_alphanumeric() || "_+-".contains(c))
    };
    if text.split('/').all(part) && text.split('/').count() <= 3 && !text.eq_ignore_ascii_case("local") {
        Ok(())
    } else {
        Err("a time zone is a name such as UTC or Europe/Berlin".into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn good_schedules_are_read() {
        for text in
            ["15 3 * * *", "*/5 * * * *", "0 0 1,15 jan-mar Mon-FRI", "0 9-17/2 * * 7", "  1 2  3 4 5 "]
        {
            assert!(parse(text).is_ok(), "{text}: {:?}", parse(text));
        }
        assert_eq!(parse("on demand"), Ok(Schedule::OnDemand));
        assert_eq!(parse(" 1 2  3 4 5 "), Ok(Schedule::Times("1 2 3 4 5".into())));
    }

    #[test]
    fn bad_schedules_say_which_field_is_wrong() {
        for (text, part) in [
            ("", "five fields"),
            ("@daily", "five fields"),
            ("60 * * * *", "`60` is not the minute"),
            ("* 24 * * *", "the hour"),
            ("* * 0 * *", "day of the month"),
            ("* * * 13 *", "the month"),
            ("* * * * 8", "day of the week"),
            ("*/0 * * * *", "no step"),
            ("9-5 * * * *", "backwards"),
            ("mon * * * *", "the minute"),
            ("+1 * * * *", "the minute"),
            ("1,,2 * * * *", "the minute"),
        ] {
            let reason = parse(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
    }

    #[test]
    fn zones_look_like_names_of_zones() {
        for text in ["UTC", "Europe/Berlin", "America/Argentina/Buenos_Aires", "Etc/GMT+1"] {
            assert!(zone(text).is_ok(), "{text}");
        }
        for text in ["", "local", "Local", "berlin", "Europe/", "+01:00"] {
            assert!(zone(text).is_err(), "{text}");
        }
    }
}
