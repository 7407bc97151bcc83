//! Where a field of a YAML document is written.

use std::collections::HashMap;
use std::ops::Range;

use saphyr_parser::{Event, Marker, Parser};

/// The places of the fields of a document.
pub(super) struct Places<'t> {
    text: &'t str,
    /// The bytes of the key of each field and of each item, by its path.
    by_path: HashMap<String, Range<usize>>,
}

impl<'t> Places<'t> {
    pub(super) fn of(text: &'t str) -> Self {
        let mut by_path = HashMap::new();
        let mut open: Vec<Open> = Vec::new();
        // A mark counts characters; marks come in their order.
        let (mut rest, mut count) = (text.chars(), 0);
        let mut byte_of = |mark: Marker| {
            while count < mark.index() && rest.next().is_some() {
                count += 1;
            }
            text.len() - rest.as_str().len()
        };
        for event in Parser::new_from_str(text) {
            let Ok((event, span)) = event else { break };
            match &event {
                Event::SequenceEnd | Event::MappingEnd => {
                    open.pop();
                    continue;
                }
                Event::Scalar(..) | Event::Alias(_) | Event::SequenceStart(..) | Event::MappingStart(..) => {}
                _ => continue,
            }
            // What this node is: an item, a key, or the value of one, which has its place.
            let (own, has_place) = match open.last_mut() {
                None => (String::new(), false),
                Some(Open::List(list, index)) => {
                    *index += 1;
                    (format!("{list}[{}]", *index - 1), true)
                }
                Some(Open::Map(map, key @ None)) => {
                    let Event::Scalar(name, ..) = &event else { break };
                    let dot = if map.is_empty() { "" } else { "." };
                    (key.insert(format!("{map}{dot}{name}")).clone(), true)
                }
                Some(Open::Map(_, key)) => (key.take().unwrap_or_default(), false),
            };
            if has_place {
                let start = byte_of(span.start);
                let end = if matches!(event, Event::Scalar(..)) { byte_of(span.end) } else { start + 1 };
                // Of a key in several lines, the first one.
                let line = text.get(start..end).and_then(|key| key.find('\n'));
                by_path.insert(own.clone(), start..line.map_or(end, |line| start + line));
            }
            match event {
                Event::SequenceStart(..) => open.push(Open::List(own, 0)),
                Event::MappingStart(..) => open.push(Open::Map(own, None)),
                _ => {}
            }
        }
        Self { text, by_path }
    }

    /// The bytes of the key of a field, or of the nearest one above it; the first line of the document if it has none of
    /// them. `path` is such as `spec.containers[0].image`.
    pub(super) fn field(&self, path: &str) -> Range<usize> {
        let ends = path.rmatch_indices(['.', '[']).map(|(end, _)| end);
        let mut above = std::iter::once(path.len()).chain(ends).filter_map(|end| path.get(..end));
        above.find_map(|path| self.by_path.get(path).cloned()).unwrap_or_else(|| of_document(self.text))
    }
}

/// The line that says of which kind an object is.
pub(super) fn of_kind(text: &str) -> Range<usize> {
    let kinds = text.match_indices("kind").filter_map(|(at, kind)| {
        let start = text.get(..at)?.rfind('\n').map_or(0, |end| end + 1);
        let before = text.get(start..at)?;
        let is_key = before.chars().all(|c| " {\"'".contains(c));
        let rest = text.get(at + kind.len()..)?.trim_start_matches(['"', '\'']);
        let end = rest.find(['\n', ',', '}']).unwrap_or(rest.len());
        let end = text.len() - rest.len() + rest.get(..end)?.trim_end().len();
        (is_key && rest.starts_with(':')).then_some((before.len(), at..end))
    });
    // That of the object itself, and not of something in it.
    kinds.min_by_key(|(indent, _)| *indent).map_or_else(|| of_document(text), |(_, range)| range)
}

/// The line where a text stops being YAML; of one that is YAML, its first line that is no comment and no marker.
pub(super) fn of_document(text: &str) -> Range<usize> {
    let broken = Parser::new_from_str(text).find_map(|event| Some(event.err()?.marker().line()));
    let mut at = 0;
    let lines = text.split_inclusive('\n').map(|line| {
        let from = at + line.len() - line.trim_start().len();
        at += line.len();
        (from, line.trim())
    });
    let lines: Vec<(usize, &str)> = lines.collect();
    let says = |(_, line): &&(usize, &str)| !line.is_empty() && !line.starts_with('#') && *line != "---";
    let line = match broken {
        // The end of the text is behind its last line.
        Some(line) => lines.iter().take(line).rev().find(says),
        None => lines.iter().find(says),
    };
    line.map_or(0..0, |(from, line)| *from..from + line.len())
}

/// A list or a map that is open, with its path.
enum Open {
    /// The index of the next item.
    List(String, usize),
    /// The path of the key whose value is next.
    Map(String, Option<String>),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fields_are_found_by_their_paths() {
        let text = "# a Pod\nkind: Pod\nmetadata: {name: \"ü\", labels: {\"a.b/c\": x}}\nspec:\n  containers:\n  - name: a\n  \
                    - env:\n    - name: A\n      value: 1\n      nam: x\n";
        let places = Places::of(text);
        for (path, line, found) in [
            ("kind", 2, "kind"),
            ("metadata.labels.a.b/c", 3, "\"a.b/c\""),
            ("spec.containers", 5, "containers"),
            ("spec.containers[0].image", 6, "name: a"),
            ("spec.containers[1].env[0].nam", 10, "nam"),
            ("spec.containers[1].env[0].value", 9, "value"),
            ("status.x", 2, "kind: Pod"),
        ] {
            let range = places.field(path);
            assert_eq!(text[..range.start].matches('\n').count() + 1, line, "{path}");
            assert!(found.starts_with(&text[range.clone()]) && !range.is_empty(), "{path}: {}", &text[range]);
        }
        assert_eq!(Places::of("a: [").field("a"), 0..1);
        assert_eq!(Places::of("").field("a"), 0..0);
        assert_eq!(of_kind("a:\n  kind: B\nkind: Pod\n"), 13..22);
        assert_eq!(of_kind("{\"kind\": \"Pod\", \"a\": 1}"), 2..14);
        assert_eq!(of_document("# x\n---\na: 1\n"), 8..12);
        assert_eq!(of_document("a: 1\nb: ]\nc: 1\n"), 5..9);
        assert_eq!(of_document("a: 1\nb: [\n\n"), 5..9);
    }
}
