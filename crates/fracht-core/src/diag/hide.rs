//! Which parts of a line of a file must not be shown, whether or not the line could be read.
//!
//! A message about a broken or misplaced line shows that line; a password on it has no business on the
//! screen. What counts is the name before a `=`.

use std::ops::Range;

use crate::rules::is_secret_name;

/// The parts of a text that look like the value of a secret, in bytes. References to secrets are shown.
pub fn secret_looking(text: &str) -> Vec<Range<usize>> {
    let mut ranges = Vec::new();
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        for (at, _) in line.match_indices('=') {
            let (before, after) =
                (line.get(..at).unwrap_or_default(), line.get(at + 1..).unwrap_or_default());
            let word = |c: char| c.is_ascii_alphanumeric() || "_-.".contains(c);
            let before = before.trim_end_matches([' ', '\t', '"', '\'']);
            let name = before.rsplit(|c| !word(c)).next().unwrap_or_default();
            let name = name.rsplit('.').next().unwrap_or_default();
            let value = after.trim_start();
            if !is_secret_name(name) || is_harmless(value) {
                continue;
            }
            let from = start + at + 1 + after.len() - value.len();
            ranges.push(from..from + value.trim_end().len());
        }
        start += line.len();
    }
    ranges
}

/// A table, or nothing but a reference.
fn is_harmless(value: &str) -> bool {
    let inner = value.trim_start_matches(['"', '\'']);
    value.starts_with('{')
        || value.is_empty()
        || inner.starts_with("{secret.")
        || inner.starts_with("{config.")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_of_secret_names_are_found_on_good_and_broken_lines() {
        let shown = |text: &str| {
            let mut shown = text.to_owned();
            for range in secret_looking(text) {
                shown.replace_range(range.clone(), &"*".repeat(range.len()));
            }
            shown
        };
        for (line, want) in [
            ("env.DB_PASSWORD = \"gull\"", "env.DB_PASSWORD = ******"),
            ("DB_PASSWORD=gull and kelp\nA=1", "DB_PASSWORD=*************\nA=1"),
            ("env = { API_KEY = 'x', A = 1 }", "env = { API_KEY = ************"),
            ("env.\"db.token\" = \"t\"", "env.\"db.token\" = ***"),
            ("env.DB_PASSWORD = \"{secret.db/password}\"", "env.DB_PASSWORD = \"{secret.db/password}\""),
            ("key.password = { env = \"PW\" }", "key.password = { env = \"PW\" }"),
            ("LOG_LEVEL = \"info\"", "LOG_LEVEL = \"info\""),
        ] {
            assert_eq!(shown(line), want);
        }
    }
}
