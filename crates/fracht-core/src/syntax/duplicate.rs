//! Finds the first definition of a key that is defined twice.
//!
//! The parser reports only the second one. Each second key is renamed and the text is parsed again: then the first
//! one is in the same table, under the old name.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

/// For each second key, the place of the first one, if it is found.
pub(super) fn first_places(text: &str, second: &[Range<usize>]) -> Vec<(Range<usize>, Option<Range<usize>>)> {
    if second.is_empty() {
        return Vec::new();
    }
    let renamed = Renamed::new(text, second);
    let (table, _) = DeTable::parse_recoverable(&renamed.text);
    let mut found = vec![None; second.len()];
    search(table.get_ref(), &renamed, text, &mut found);
    second.iter().cloned().zip(found).collect()
}

/// The text with a new name for each second key, and how far each one moves the text after it.
struct Renamed<'a> {
    text: String,
    second: &'a [Range<usize>],
    /// Byte in the new text from which on it is the old one moved by the number.
    moves: Vec<(usize, isize)>,
}

impl<'a> Renamed<'a> {
    fn new(old: &str, second: &'a [Range<usize>]) -> Self {
        let mut order: Vec<usize> = (0..second.len()).collect();
        order.sort_by_key(|index| second.get(*index).map(|range| range.start));
        let mut renamed = Self { text: String::with_capacity(old.len()), second, moves: Vec::new() };
        let mut at = 0;
        for index in order {
            let Some(range) = second.get(index).filter(|range| range.start >= at) else { continue };
            renamed.text.push_str(old.get(at..range.start).unwrap_or_default());
            renamed.text.push_str(&new_name(index));
            at = range.end;
            renamed.moves.push((renamed.text.len(), renamed.text.len().cast_signed() - at.cast_signed()));
        }
        renamed.text.push_str(old.get(at..).unwrap_or_default());
        renamed
    }

    /// The old place of a range of the new text.
    fn old(&self, range: Range<usize>) -> Range<usize> {
        let moved = self.moves.iter().rev().find(|(from, _)| *from <= range.start);
        let by = moved.map_or(0, |(_, by)| *by);
        let back = |at: usize| at.saturating_add_signed(-by);
        back(range.start)..back(range.end)
    }
}

fn new_name(index: usize) -> String {
    format!("fracht-second-{index}")
}

fn search(table: &DeTable<'_>, renamed: &Renamed<'_>, text: &str, found: &mut [Option<Range<usize>>]) {
    for (key, value) in table {
        let index = key.get_ref().strip_prefix("fracht-second-").and_then(|n| n.parse::<usize>().ok());
        if let Some(index) = index
            && let Some(range) = renamed.second.get(index)
            && let Some(slot) = found.get_mut(index)
        {
            let name = text.get(range.clone()).unwrap_or_default().trim_matches(['"', '\'']);
            let first = table.iter().find(|(key, _)| key.get_ref() == name);
            *slot = first.map(|(key, value)| match value.get_ref() {
                // A table under a header: the header says more than the last of its keys.
                DeValue::Table(_) => renamed.old(value.span()),
                _ => renamed.old(key.span()),
            });
        }
        search_value(value.get_ref(), renamed, text, found);
    }
}

fn search_value(value: &DeValue<'_>, renamed: &Renamed<'_>, text: &str, found: &mut [Option<Range<usize>>]) {
    match value {
        DeValue::Table(table) => search(table, renamed, text, found),
        DeValue::Array(array) => {
            for item in array {
                search_value(item.get_ref(), renamed, text, found);
            }
        }
        _ => {}
    }
}
