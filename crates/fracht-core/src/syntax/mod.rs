//! Parses the text of a stack file into a tree. The only module that uses the TOML crate.

mod duplicate;
mod errors;
mod events;
mod repair;
mod sections;
mod unclosed;

use std::collections::HashSet;
use std::ops::Range;
use std::sync::Arc;

use rayon::iter::{IntoParallelIterator as _, ParallelIterator as _};
use rustc_hash::FxBuildHasher;
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue, Error};

use crate::diag::Sink;
use crate::origin::Layer;
use crate::source::{FileId, Places, Span};
use crate::tree::{Entries, Entry, Node, Value};
use repair::{Moves, Repaired};

/// Parses a TOML 1.1 document. Every syntax error is reported; the values that it affects become tainted.
pub(crate) fn parse(text: &str, file: FileId, sink: &mut Sink) -> Node {
    let root = |entries| Node {
        value: Value::Table(Arc::new(entries)),
        span: Span::new(file, 0..0),
        layer: Layer::Stack,
        under: None,
    };
    match events::entries(text, file, events::TOGETHER) {
        Some(entries) => root(entries),
        None => root(document(text, file, sink)),
    }
}

/// Parses a whole document, with its errors.
fn document(text: &str, file: FileId, sink: &mut Sink) -> Entries {
    let (table, errors) = DeTable::parse_recoverable(text);
    if errors.is_empty() {
        let mut convert = Convert { file, repaired: None, keys: HashSet::default() };
        return convert.table(table.into_inner());
    }
    let (repaired, rest) = Repaired::of(text);
    errors::report(text, file, &repaired, &rest, sink);
    let places =
        repaired.broken().chain(rest.iter().filter_map(Error::span).map(|at| repaired.old_range(at)));
    let broken = Places::of(places.map(|range| Span::new(file, range)));
    // Of a line of which nothing is left, the key may be any.
    let sections = sections::starts(text, repaired.lost()).into_iter().collect();
    let (table, _) = DeTable::parse_recoverable(&repaired.text);
    let broken =
        Arc::new(Broken { places: broken, sections, moves: repaired.is_changed().then(|| repaired.moved()) });
    let mut convert = Convert { file, repaired: Some(broken), keys: HashSet::default() };
    convert.table(table.into_inner())
}

/// What is broken in a text.
struct Broken {
    /// The places of broken lines and values.
    places: Places,
    /// The bytes at which the headers of sections start of which a line was lost.
    sections: HashSet<usize, FxBuildHasher>,
    /// Where the bytes of the repaired text are in the text.
    moves: Option<Moves>,
}

/// From this many entries on, a table is read by several threads.
const WORTH_THREADS: usize = 500;

struct Convert {
    file: FileId,
    /// What is broken, if anything is.
    repaired: Option<Arc<Broken>>,
    /// The keys so far: services repeat them, so each is stored once.
    keys: HashSet<Arc<str>, FxBuildHasher>,
}

impl Convert {
    /// The place of some bytes of the text that is parsed.
    fn span(&self, range: Range<usize>) -> Span {
        let moves = self.repaired.as_ref().and_then(|broken| broken.moves.as_ref());
        Span::new(self.file, moves.map_or(range.clone(), |moves| moves.old_range(range)))
    }

    fn is_broken(&self, span: Span) -> bool {
        self.repaired.as_ref().is_some_and(|broken| broken.places.overlap(span))
    }

    fn key(&mut self, name: &str) -> Arc<str> {
        if let Some(known) = self.keys.get(name) {
            return Arc::clone(known);
        }
        let key: Arc<str> = name.into();
        self.keys.insert(Arc::clone(&key));
        key
    }

    fn table(&mut self, table: DeTable<'_>) -> Entries {
        let mut entries: Vec<_> = table.into_iter().collect();
        // The parser sorts by name; the tree keeps the order of the file.
        entries.sort_by_key(|(key, _)| key.span().start);
        let mut converted = Entries::default();
        if entries.len() < WORTH_THREADS {
            converted.extend(entries.into_iter().map(|(key, value)| self.entry(&key, value)));
            return converted;
        }
        // Large tables are those of services, which can be read independently.
        let mut chunks: Vec<Vec<_>> = Vec::new();
        let mut rest = entries.into_iter().peekable();
        while rest.peek().is_some() {
            chunks.push(rest.by_ref().take(WORTH_THREADS).collect());
        }
        let chunks: Vec<Vec<_>> = chunks
            .into_par_iter()
            .map(|chunk| {
                let repaired = self.repaired.clone();
                let mut own = Self { file: self.file, repaired, keys: HashSet::default() };
                chunk.into_iter().map(|(key, value)| own.entry(&key, value)).collect()
            })
            .collect();
        converted.extend(chunks.into_iter().flatten());
        converted
    }

    fn entry(&mut self, key: &Spanned<DeString<'_>>, value: Spanned<DeValue<'_>>) -> (Arc<str>, Entry) {
        let key_span = self.span(key.span());
        let name = self.key(key.get_ref());
        if self.is_broken(key_span) {
            return (name, Entry::with_broken_key(key_span));
        }
        (name, Entry { key_span, node: self.value(value) })
    }

    fn value(&mut self, value: Spanned<DeValue<'_>>) -> Node {
        let span = self.span(value.span());
        let value = match value.into_inner() {
            DeValue::Table(table) => {
                let mut entries = self.table(table);
                let lost = |broken: &Arc<Broken>| broken.sections.contains(&span.range().start);
                if self.repaired.as_ref().is_some_and(lost) {
                    entries.insert(Arc::from(""), Entry::with_broken_key(span));
                }
                Value::Table(Arc::new(entries))
            }
            DeValue::Array(array) => Value::List(array.into_iter().map(|item| self.value(item)).collect()),
            _ if self.is_broken(span) || span.range().is_empty() => Value::Tainted,
            DeValue::String(text) => Value::Text(text.into()),
            DeValue::Integer(number) => {
                match i64::from_str_radix(number.as_str(), number.radix()) {
                    Ok(number) => Value::Integer(number),
                    // Larger than any bound of the language, so that the check of shapes reports it.
                    Err(_) => Value::Integer(i64::MAX),
                }
            }
            DeValue::Float(_) => Value::Float,
            DeValue::Boolean(value) => Value::Boolean(value),
            DeValue::Datetime(_) => Value::Date,
        };
        Node { value, span, layer: Layer::Stack, under: None }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diag::Diagnostic;
    use crate::source::{Sources, Syntax};

    fn parsed(text: &str) -> (Node, Vec<Diagnostic>, Sources) {
        let mut sources = Sources::default();
        let file = sources.add("/s/fracht.toml".as_ref(), "fracht.toml", text.into(), Syntax::Stack);
        let mut sink = Sink::default();
        let node = parse(text, file, &mut sink);
        (node, sink.take(), sources)
    }

    #[test]
    fn entries_keep_the_order_of_the_file_and_their_spans() {
        let (node, problems, sources) = parsed("[z]\nb.c = 1\na = 'x'\n[a]\n");
        assert_eq!(problems, []);
        let keys: Vec<&str> = node.table().unwrap().keys().map(|key| &**key).collect();
        assert_eq!(keys, ["z", "a"]);
        assert_eq!(sources.text(node.at(&["z", "a"]).unwrap().span), "'x'");
        assert_eq!(sources.location(node.at(&["z", "b", "c"]).unwrap().span), "fracht.toml:2");
    }

    #[test]
    fn syntax_errors_do_not_hide_each_other_and_taint_their_values() {
        let (node, problems, _) = parsed("[a]\nx = nonsense\ny = 2\n[b\nz = 3\n[c]\nw = 4\n");
        assert!(problems.len() >= 2, "{problems:#?}");
        assert!(matches!(node.at(&["a", "x"]).unwrap().value, Value::Tainted));
        assert!(matches!(node.at(&["a", "y"]).unwrap().value, Value::Integer(2)));
        assert!(matches!(node.at(&["c", "w"]).unwrap().value, Value::Integer(4)));
    }

    #[test]
    fn a_second_definition_shows_both_places() {
        let text = "[service.db]\nimage = 'a:1.0'\nport = { x = 1, x = 2 }\nimage = 'b:1.0'\n\
                    env.A = 1\nenv.A = 2\n[service.api]\n[service.db]\n";
        let (_, problems, sources) = parsed(text);
        let lines: Vec<_> = problems
            .iter()
            .map(|problem| {
                assert_eq!(problem.rule.name, "defined-twice");
                let line = |span| sources.position(span).line;
                (line(problem.primary.as_ref().unwrap().span), line(problem.related[0].span))
            })
            .collect();
        assert_eq!(lines, [(3, 3), (4, 2), (6, 5), (8, 1)]);
    }

    /// The tree from events and that of the document, and whether the document is valid. A tree from events is that of a
    /// valid document.
    fn both(text: &str) -> (Option<String>, bool) {
        let mut sources = Sources::default();
        let file = sources.add("/s/fracht.toml".as_ref(), "fracht.toml", text.into(), Syntax::Stack);
        let mut sink = Sink::default();
        let document = format!("{:?}", document(text, file, &mut sink).iter().collect::<Vec<_>>());
        let problems = sink.take();
        let shown = |all: Entries| format!("{:?}", all.iter().collect::<Vec<_>>());
        let events = events::entries(text, file, events::TOGETHER).map(shown);
        assert_eq!(events::entries(text, file, 1).map(shown), events, "{text}");
        if let Some(events) = &events {
            assert_eq!(problems, [], "{text}");
            assert_eq!(events, &document, "{text}");
        }
        (events, problems.is_empty())
    }

    #[test]
    fn events_give_the_tree_of_the_document() {
        for text in [
            "",
            "a = 1\n",
            "a.b.c = 'x'\na.b.d = [1, 'y', { z = 2.5, w.v = true }, [[], [{}]]]\n",
            "[a]\nb = \"x\\ty\"\n[a.c]\nd = \"\"\"\nlines\n\"\"\"\n[e.f.g]\n[e.f]\n",
            "[[t.p]]\nx = 1\n[[t.p]]\nx = 2\n[u]\n[[t.q]]\ny.z = 1\n",
            "\"q u\".'o' = 0x1F\n# comment\n[\"h.h\"] # more\nn = 99999999999999999999\n",
            "a = { b = 1,\n  c = [ # list\n 1,\n 2,\n ], }\n",
            "x.y = 1\n[x.z]\nw = 1\n",
        ] {
            let (events, valid) = both(text);
            assert!(valid, "{text}");
            // The table `e.f` comes after one below it.
            assert_eq!(events.is_some(), !text.contains("[e.f]"), "{text}");
        }
        for invalid in [
            "a = 1\na = 2\n",
            "[a]\n[a]\n",
            "a.b = 1\na = 2\n",
            "a = 1\na.b = 2\n",
            "a = {b = 1}\na.c = 2\n",
            "a = {b.c = 1, b = 2}\n",
            "[a]\nb.c = 1\n[a.b]\n",
            "a = [1]\n[a.b]\n",
            "a = [1]\n[[a]]\n",
            "[[a]]\n[a]\n",
            "a = {b = 1}\n[a.c]\n",
            "a = \"x\\q\"\n",
            "a = 1 2\n",
            "a =\n",
            "[a\n",
            "a = [1\n",
            "a = tru\n",
            "d = 2030-99-99\n",
            "a = 'x\n",
            "= 1\n",
            "a.\n",
            "[]\n",
            "[[a.b]\n",
            "a = 01\n",
            "a\u{1} = 1\n",
            "# \u{1}\n",
        ] {
            assert_eq!(both(invalid), (None, false), "{invalid}");
        }
    }

    proptest::proptest! {
        #[test]
        fn events_give_the_tree_of_any_document(
            lines in proptest::collection::vec(
                "(\\[\\[?[ab](\\.[abc]){0,2}\\]\\]?|[abc](\\.[abc]){0,2} = (1|'x'|\"y\\\\n\"|true|\\[1, 2\\]|\\{a = 1\\}|\\{a.b = 1, c = \\[\\]\\}))",
                0..9,
            ),
        ) {
            let (_, _) = both(&lines.join("\n"));
        }
    }
}
