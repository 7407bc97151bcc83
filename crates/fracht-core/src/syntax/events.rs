//! Builds the tree of a valid file straight from the events of the parser, without a document in between.
//!
//! Whatever is invalid or unusual (a table that is extended after others, a date) ends it: then the whole document is
//! parsed, which knows all rules and reports all errors.

use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::Arc;

use rustc_hash::FxBuildHasher;
use toml_parser::decoder::{Encoding, ScalarKind};
use toml_parser::lexer::TokenKind;
use toml_parser::parser::{EventReceiver, RecursionGuard, ValidateWhitespace, parse_document};
use toml_parser::{ErrorSink, ParseError, Raw, Source, Span as Range};

use crate::origin::Layer;
use crate::source::{FileId, Span};
use crate::tree::{Entries, Entry, Node, Value};

/// How deep lists and tables may be nested, as in the parser of whole documents.
const DEEPEST: u32 = 80;

/// How many tokens are parsed together: all of a large file would need many times its size.
pub(super) const TOGETHER: usize = 4096;

/// The most bytes of a value that others are likely to repeat.
const SHORT: usize = 32;

/// The entries of a file; `None` for one that has errors or is unusual. About `together` tokens are parsed together.
pub(super) fn entries(text: &str, file: FileId, together: usize) -> Option<Entries> {
    let source = Source::new(text);
    let mut build = Build {
        source,
        file,
        failed: false,
        texts: HashSet::default(),
        keys: Vec::new(),
        frames: Vec::new(),
        spare: Vec::new(),
        root: Entries::default(),
        current: Entries::default(),
        header: None,
        arrays: Vec::new(),
    };
    let mut errors = Failed(false);
    let mut valid = ValidateWhitespace::new(&mut build, source);
    let mut guarded = RecursionGuard::new(&mut valid, DEEPEST);
    let (mut tokens, mut depth) = (Vec::new(), 0_usize);
    for token in source.lex() {
        tokens.push(token);
        match token.kind() {
            TokenKind::LeftSquareBracket | TokenKind::LeftCurlyBracket => depth += 1,
            TokenKind::RightSquareBracket | TokenKind::RightCurlyBracket => depth = depth.saturating_sub(1),
            // Outside of brackets, the end of a line is the end of all that is open.
            TokenKind::Newline if depth == 0 && tokens.len() >= together => {
                parse_document(&tokens, &mut guarded, &mut errors);
                tokens.clear();
                if errors.0 {
                    return None;
                }
            }
            _ => {}
        }
    }
    parse_document(&tokens, &mut guarded, &mut errors);
    build.finish(errors.0)
}

/// Notes that there is an error.
struct Failed(bool);

impl ErrorSink for Failed {
    fn report_error(&mut self, _: ParseError) {
        self.0 = true;
    }
}

/// A key with its place.
#[derive(Clone)]
struct Key {
    name: Arc<str>,
    span: Span,
}

/// A header that has begun: `[` or `[[`.
struct Header {
    start: usize,
    is_array: bool,
    /// The whole header, and its keys; empty until it ends.
    span: Option<Span>,
    path: Vec<Key>,
}

/// An open list or inline table.
enum Frame {
    List {
        start: usize,
        items: Vec<Node>,
    },
    Table {
        start: usize,
        entries: Entries,
        /// How many keys were open before it.
        keys: usize,
    },
}

/// A list of tables under headers `[[…]]`, which is put into the tree at the end.
struct TableList {
    path: Vec<Key>,
    items: Vec<Node>,
}

struct Build<'s> {
    source: Source<'s>,
    file: FileId,
    failed: bool,
    /// The keys and short values so far: services repeat them, so each is stored once.
    texts: HashSet<Arc<str>, FxBuildHasher>,
    /// The keys that wait for their value.
    keys: Vec<Key>,
    frames: Vec<Frame>,
    /// Empty tables with space, for inline tables that are open.
    spare: Vec<Entries>,
    root: Entries,
    /// The entries of the table under the last header.
    current: Entries,
    header: Option<Header>,
    arrays: Vec<TableList>,
}

impl Build<'_> {
    fn span(&self, range: Range) -> Span {
        Span::new(self.file, range.start()..range.end())
    }

    fn from(&self, start: usize, end: Range) -> Span {
        Span::new(self.file, start..end.end())
    }

    fn shared(&mut self, text: &str) -> Arc<str> {
        if let Some(known) = self.texts.get(text) {
            return Arc::clone(known);
        }
        let text: Arc<str> = text.into();
        self.texts.insert(Arc::clone(&text));
        text
    }

    /// Takes a complete value: an item of the innermost list, or the value of the last key.
    fn value(&mut self, value: Node) {
        let bytes = self.source.input().as_bytes();
        let is_set = match self.frames.last_mut() {
            Some(Frame::List { items, .. }) => {
                items.push(value);
                return;
            }
            Some(Frame::Table { entries, keys, .. }) => {
                let keys = *keys;
                let is_set = set(bytes, entries, self.keys.get(keys..).unwrap_or_default(), value);
                self.keys.truncate(keys);
                is_set
            }
            None => {
                let is_set = set(bytes, &mut self.current, &self.keys, value);
                self.keys.clear();
                is_set
            }
        };
        self.failed |= !is_set;
    }

    fn open_header(&mut self, range: Range, is_array: bool) {
        self.close_table();
        self.keys.clear();
        self.header = Some(Header { start: range.start(), is_array, span: None, path: Vec::new() });
    }

    fn close_header(&mut self, range: Range) {
        let path = std::mem::take(&mut self.keys);
        let span = self.header.as_ref().map(|header| self.from(header.start, range));
        if let Some(header) = &mut self.header {
            header.path = path;
            header.span = span;
        }
    }

    /// Puts the table under the last header into the tree.
    fn close_table(&mut self) {
        let current = self.current.take();
        let Some(header) = self.header.take() else {
            // The entries before the first header.
            self.root = current;
            return;
        };
        let Some(span) = header.span else {
            self.failed = true;
            return;
        };
        let table = node(Value::Table(Arc::new(current)), span);
        let is_set = if header.is_array {
            self.add_to_list(header.path, table)
        } else {
            set(self.source.input().as_bytes(), &mut self.root, &header.path, table)
        };
        self.failed |= !is_set;
    }

    /// Adds a table to a list of tables. Returns whether it could be added.
    fn add_to_list(&mut self, path: Vec<Key>, table: Node) -> bool {
        let is_same = |list: &&mut TableList| {
            list.path.len() == path.len()
                && list.path.iter().zip(&path).all(|(one, other)| one.name == other.name)
        };
        if let Some(list) = self.arrays.iter_mut().find(is_same) {
            list.items.push(table);
            return true;
        }
        let empty = node(Value::List(Arc::from([])), table.span);
        let is_set = set(self.source.input().as_bytes(), &mut self.root, &path, empty);
        self.arrays.push(TableList { path, items: vec![table] });
        is_set
    }

    fn finish(mut self, failed: bool) -> Option<Entries> {
        self.close_table();
        let mut root = std::mem::take(&mut self.root);
        for TableList { path, items } in std::mem::take(&mut self.arrays) {
            let (last, parents) = path.split_last()?;
            let entry = below(self.source.input().as_bytes(), &mut root, parents)?.get_mut(&last.name)?;
            entry.node.value = Value::List(items.into());
        }
        (!failed && !self.failed && self.frames.is_empty() && self.keys.is_empty()).then_some(root)
    }
}

/// The entries of the table at a path below `entries`; `None` if something else is there. Tables on the way that are
/// missing are added. `bytes` are those of the file.
fn below<'e>(bytes: &[u8], mut entries: &'e mut Entries, path: &[Key]) -> Option<&'e mut Entries> {
    for key in path {
        let table = || entry(key.span, node(Value::Table(Arc::default()), key.span));
        let Node { value: Value::Table(table), span, .. } =
            &mut entries.get_or_insert_shared(&key.name, table).node
        else {
            return None;
        };
        // An inline table is complete.
        if bytes.get(span.start as usize) == Some(&b'{') {
            return None;
        }
        entries = Arc::get_mut(table)?;
    }
    Some(entries)
}

/// Sets a value at a path below `entries`. Returns whether it could be set.
fn set(bytes: &[u8], entries: &mut Entries, path: &[Key], value: Node) -> bool {
    let Some((last, parents)) = path.split_last() else { return false };
    let Some(entries) = below(bytes, entries, parents) else { return false };
    entries.add_shared(&last.name, entry(last.span, value))
}

fn node(value: Value, span: Span) -> Node {
    Node { value, span, layer: Layer::Stack, under: None }
}

fn entry(key_span: Span, node: Node) -> Entry {
    Entry { key_span, node }
}

/// Whether a text is a key that needs no quotes.
fn is_bare(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-' || byte == b'_')
}

/// The content of a string in double quotes that stands as it is; `None` if it has to be decoded.
fn plain_string(raw: &str) -> Option<&str> {
    let inner = raw.strip_prefix('"')?.strip_suffix('"')?;
    // Without an early end, several bytes are compared at once.
    let special =
        inner.bytes().fold(false, |special, byte| special | matches!(byte, 0..0x20 | 0x7f | b'\\' | b'"'));
    (!special).then_some(inner)
}

impl EventReceiver for Build<'_> {
    fn std_table_open(&mut self, span: Range, _: &mut dyn ErrorSink) {
        self.open_header(span, false);
    }

    fn std_table_close(&mut self, span: Range, _: &mut dyn ErrorSink) {
        self.close_header(span);
    }

    fn array_table_open(&mut self, span: Range, _: &mut dyn ErrorSink) {
        self.open_header(span, true);
    }

    fn array_table_close(&mut self, span: Range, _: &mut dyn ErrorSink) {
        self.close_header(span);
    }

    fn inline_table_open(&mut self, span: Range, _: &mut dyn ErrorSink) -> bool {
        let (entries, keys) = (self.spare.pop().unwrap_or_default(), self.keys.len());
        self.frames.push(Frame::Table { start: span.start(), entries, keys });
        true
    }

    fn inline_table_close(&mut self, span: Range, _: &mut dyn ErrorSink) {
        match self.frames.pop() {
            Some(Frame::Table { start, mut entries, .. }) => {
                self.value(node(Value::Table(Arc::new(entries.take())), self.from(start, span)));
                self.spare.push(entries);
            }
            _ => self.failed = true,
        }
    }

    fn array_open(&mut self, span: Range, _: &mut dyn ErrorSink) -> bool {
        self.frames.push(Frame::List { start: span.start(), items: Vec::new() });
        true
    }

    fn array_close(&mut self, span: Range, _: &mut dyn ErrorSink) {
        match self.frames.pop() {
            Some(Frame::List { start, items }) => {
                self.value(node(Value::List(items.into()), self.from(start, span)));
            }
            _ => self.failed = true,
        }
    }

    fn simple_key(&mut self, span: Range, encoding: Option<Encoding>, errors: &mut dyn ErrorSink) {
        let Some(raw) = self.source.get(span) else {
            self.failed = true;
            return;
        };
        let name = if encoding.is_none() && is_bare(raw.as_str()) {
            self.shared(raw.as_str())
        } else {
            let mut decoded = Cow::Borrowed("");
            Raw::new_unchecked(raw.as_str(), encoding, span).decode_key(&mut decoded, errors);
            self.shared(&decoded)
        };
        let span = self.span(span);
        self.keys.push(Key { name, span });
    }

    fn scalar(&mut self, span: Range, encoding: Option<Encoding>, errors: &mut dyn ErrorSink) {
        let place = self.span(span);
        let Some(raw) = self.source.get(span) else {
            self.failed = true;
            return;
        };
        if encoding == Some(Encoding::BasicString)
            && let Some(text) = plain_string(raw.as_str())
        {
            let text = if text.len() <= SHORT { self.shared(text) } else { text.into() };
            self.value(node(Value::Text(text), place));
            return;
        }
        let raw = Raw::new_unchecked(raw.as_str(), encoding, span);
        let mut decoded = Cow::Borrowed("");
        let value = match raw.decode_scalar(&mut decoded, errors) {
            ScalarKind::String => Value::Text(decoded.into()),
            ScalarKind::Boolean(value) => Value::Boolean(value),
            // Larger than any bound of the language, so that the check of shapes reports it.
            ScalarKind::Integer(radix) => {
                Value::Integer(i64::from_str_radix(&decoded, radix.value()).unwrap_or(i64::MAX))
            }
            ScalarKind::Float => Value::Float,
            // A date may be impossible.
            ScalarKind::DateTime => {
                self.failed = true;
                Value::Date
            }
        };
        self.value(node(value, place));
    }

    fn error(&mut self, _: Range, _: &mut dyn ErrorSink) {
        self.failed = true;
    }
}
