//! Finds the parts of a settings file that must not be shown.

use std::ops::Range;

use super::{looks, may_be_secret};
use crate::grammar::lines;

/// The bytes of the key at the start of a line without `=`: a name in capitals with something after it.
fn key_of(line: &str) -> usize {
    let lead = line.len() - line.trim_start().len();
    let rest = line.get(lead..).unwrap_or_default();
    let is_name = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
    let end = rest.find(|c| !is_name(c)).unwrap_or(0);
    let is_key = end > 1 && rest.starts_with(|c: char| c.is_ascii_uppercase());
    let parts = rest.get(end..).is_some_and(|rest| rest.starts_with([' ', '\t', ':']));
    if is_key && parts { lead + end + 1 } else { 0 }
}

/// The bytes that must not be shown: values that may be secret, and everything after the key of an invalid line.
pub(crate) fn hidden(text: &str) -> Vec<Range<usize>> {
    let (settings, broken) = lines::parse(text);
    let mut hidden = Vec::new();
    for setting in settings {
        if may_be_secret(&setting.key, &setting.value) {
            hidden.push(setting.value_at);
        }
    }
    for line in broken {
        let broken = text.get(line.at.clone()).unwrap_or_default();
        let key = broken.find('=').map_or_else(|| key_of(broken), |equals| equals + 1);
        hidden.push(line.at.start + key..line.at.end);
    }
    // Comments may contain old settings.
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        if let Some(comment) = line.find('#') {
            let from = start + comment;
            let hits = looks::hits(line.get(comment..).unwrap_or_default().trim_end());
            hidden.extend(hits.into_iter().map(|hit| from + hit.range.start..from + hit.range.end));
        }
        start += line.len();
    }
    hidden
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_broken_line_shows_its_key_and_nothing_else() {
        for (line, shown) in [
            ("MAIL_PW gull", "MAIL_PW "),
            ("MAIL_PW: gull", "MAIL_PW:"),
            ("DB_PASSWORD=\"gull", "DB_PASSWORD="),
            ("gull and kelp", ""),
            ("GULL", ""),
            ("Gull kelp", ""),
        ] {
            let hidden = hidden(line);
            assert_eq!(hidden, std::iter::once(shown.len()..line.len()).collect::<Vec<_>>(), "{line}");
        }
    }
}
