//! Refuses YAML that readers understand differently.
//!
//! A passed file is read here by one parser and in the cluster by another. Where parsers of YAML 1.1 and 1.2 differ, or
//! skip text that others keep, a document could mean one thing in the check and another one in the cluster.

use std::collections::HashSet;

use saphyr_parser::{Event, Parser, ScalarStyle};

/// What parsers understand differently in the text of a file: the line, from 1, and the reason.
pub(crate) fn in_text(text: &str) -> Option<(usize, &'static str)> {
    text.split('\n').enumerate().find_map(|(index, line)| {
        let line = line.strip_suffix('\r').unwrap_or(line);
        let marker = line.strip_prefix("---").or_else(|| line.strip_prefix("..."));
        let what = if marker.is_some_and(|rest| rest.starts_with('\t')) {
            "a tab follows the marker of a document; write a space"
        } else if line.starts_with('%') {
            "it has a directive; leave out the line that begins with %"
        } else if line.contains(['\u{85}', '\u{2028}', '\u{2029}', '\r']) {
            "it has a line break that not every reader takes for one; write it as an escape"
        } else if line.contains(|c: char| c.is_control() && c != '\t') {
            "it has a control character; write it as an escape"
        } else if line.contains('\u{feff}') {
            "it has a byte-order mark inside the text; remove it"
        } else {
            return None;
        };
        Some((index + 1, what))
    })
}

/// What parsers understand differently in a document; `None` also for a document that is not YAML.
pub(crate) fn in_document(text: &str) -> Option<String> {
    // The keys of each open map, and whether the next node is one; `None` for a list.
    let mut open: Vec<Option<(HashSet<String>, bool)>> = Vec::new();
    for event in Parser::new_from_str(text) {
        let Ok((event, _)) = event else { return None };
        let is_key = open.last().and_then(Option::as_ref).is_some_and(|(_, is_key)| *is_key);
        let tag = match &event {
            Event::Scalar(.., tag) | Event::SequenceStart(_, tag) | Event::MappingStart(_, tag) => {
                tag.as_ref()
            }
            _ => None,
        };
        if let Some(tag) = tag {
            return Some(format!(
                "it has a tag (`{}{}`); write the value without it",
                tag.handle, tag.suffix
            ));
        }
        match &event {
            Event::Scalar(key, style, ..) if is_key => {
                if key == "<<" && *style == ScalarStyle::Plain {
                    return Some("it has a merge key (`<<`); write out what it stands for".to_owned());
                }
                if let Some(Some((keys, _))) = open.last_mut()
                    && !keys.insert(key.to_string())
                {
                    return Some(format!("it has the key `{key}` twice in one place; keep one of the two"));
                }
            }
            Event::MappingStart(..) | Event::SequenceStart(..) | Event::Alias(_) if is_key => {
                return Some("it has a key that is not a string; write a string".to_owned());
            }
            _ => {}
        }
        match event {
            Event::MappingStart(..) => open.push(Some((HashSet::new(), true))),
            Event::SequenceStart(..) => open.push(None),
            Event::MappingEnd | Event::SequenceEnd => {
                open.pop();
                flip(&mut open);
            }
            Event::Scalar(..) | Event::Alias(_) => flip(&mut open),
            _ => {}
        }
    }
    None
}

/// Notes the end of a node: in a map, a value follows a key and a key follows a value.
fn flip(open: &mut [Option<(HashSet<String>, bool)>]) {
    if let Some(Some((_, is_key))) = open.last_mut() {
        *is_key = !*is_key;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_that_parsers_read_differently_is_found() {
        for (text, part) in [
            ("a: 1\na: 2\n", "`a` twice"),
            ("a: {b: 1, \"b\": 2}\n", "`b` twice"),
            ("{\"a\": 1, \"a\": 2}", "`a` twice"),
            ("a: &x {b: 1}\nc:\n  <<: *x\n", "merge key"),
            ("a: !!str 1\n", "tag"),
            ("a: !own [1]\n", "tag"),
            ("? [a]\n: 1\n", "not a string"),
        ] {
            assert!(in_document(text).is_some_and(|what| what.contains(part)), "{text}");
        }
        for text in
            ["a: {b: 1}\nc: {b: 1}\n", "- a: 1\n- a: 1\n", "a: '<<'\nb: <<\n", "a: &x 1\nb: *x\n", ": ["]
        {
            assert_eq!(in_document(text), None, "{text}");
        }
        for (text, line) in [
            ("a: 1\n---\tb: 2\n", 2),
            ("%YAML 1.1\n---\na: 1\n", 1),
            ("a: \"x\u{85}y\"\n", 1),
            ("a: b\u{2028}c\n", 1),
            ("a: 1\rb: 2\n", 1),
            ("a: b\0c\n", 1),
            ("a: 1\n---\n\u{feff}b: 2\n", 3),
        ] {
            assert_eq!(in_text(text).map(|(line, _)| line), Some(line), "{text:?}");
        }
        assert_eq!(in_text("a: 1\r\n--- # next\r\nb:\t2\r\n...\r\n"), None);
    }
}
