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

/// The bytes of a file of secrets that must not be shown: all but the names of keys.
pub(crate) fn secrets(text: &str) -> Vec<Range<usize>> {
    let (settings, broken) = lines::parse(text);
    let shown = settings.into_iter().map(|setting| setting.key_at);
    let of_broken = broken.into_iter().map(|line| {
        let broken = text.get(line.at.clone()).unwrap_or_default();
        let key = broken.find('=').unwrap_or_else(|| key_of(broken));
        line.at.start..line.at.start + key
    });
    let mut shown: Vec<Range<usize>> = shown.chain(of_broken).collect();
    shown.sort_by_key(|range| range.start);
    let is_sign = |byte: u8| matches!(byte, b'=' | b'\n' | b'\r' | b' ' | b'#' | b'"' | b'\'');
    let mut hidden = Vec::new();
    let mut at = 0;
    for range in shown.into_iter().chain(std::iter::once(text.len()..text.len())) {
        let between = text.as_bytes().get(at..range.start).unwrap_or_default();
        let lead = between.iter().take_while(|byte| is_sign(**byte)).count();
        let tail = between.iter().skip(lead).rev().take_while(|byte| is_sign(**byte)).count();
        hidden.push(at + lead..range.start - tail);
        at = range.end;
    }
    hidden.retain(|range| !range.is_empty());
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
