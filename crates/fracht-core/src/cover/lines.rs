//! Finds the parts of a settings file that must not be shown.

use std::ops::Range;

use super::{looks, may_be_secret};
use crate::grammar::lines;

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
        let key = broken.find('=').map_or(0, |equals| equals + 1);
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
