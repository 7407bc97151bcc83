//! The check of shapes: reports every key and value of a stack file that the language does not allow.
//!
//! It checks each file before layers are merged, so that a mistake is reported once, however many targets there are.
//! The readers check required keys, since a target contains only the keys that it overrides.

use super::format::AnyFormat;
use super::instead;
use super::shape::{AnyField, IntegerBounds, Shape, TableShape, Words, example};
use crate::diag::reading::{BAD_NAME, BAD_VALUE, UNKNOWN_KEY, WRONG_TYPE};
use crate::diag::unknown::{listing, nearest};
use crate::diag::{Diagnostic, Sink};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{self, RefKind};
use crate::grammar::word::Word;
use crate::source::{Sources, Span};
use crate::tree::{Entries, Entry, Node, Value};

/// Reports every key and value of `node` that `table` does not allow. Returns whether something can be read as what it
/// is probably meant to be.
pub(crate) fn verify(table: &'static TableShape, node: &Node, sources: &Sources, sink: &mut Sink) -> bool {
    node.table().is_some_and(|entries| verify_table(table, entries, sources, sink))
}

/// The same for the keys of a table.
pub(super) fn verify_table(
    table: &'static TableShape,
    entries: &Entries,
    sources: &Sources,
    sink: &mut Sink,
) -> bool {
    let mut verify = Verify { field: None, is_recoverable: false, sources, sink };
    verify.table(table, entries);
    verify.is_recoverable
}

/// Reports what the value of a key does not allow.
pub(super) fn verify_value(field: &'static dyn AnyField, node: &Node, sources: &Sources, sink: &mut Sink) {
    let mut verify = Verify { field: None, is_recoverable: false, sources, sink };
    verify.value(&field.shape(), node, field.key().name);
}

/// Whether a key takes a value.
pub(crate) fn fits(field: &'static dyn AnyField, node: &Node, sources: &Sources) -> bool {
    let mut sink = Sink::default();
    verify_value(field, node, sources, &mut sink);
    sink.is_empty()
}

struct Verify<'a> {
    /// The key whose value is checked.
    field: Option<&'static dyn AnyField>,
    is_recoverable: bool,
    sources: &'a Sources,
    sink: &'a mut Sink,
}

impl Verify<'_> {
    fn table(&mut self, table: &'static TableShape, entries: &Entries) {
        for (name, entry) in entries {
            match table.field(name) {
                _ if entry.has_broken_key() => {}
                Some(field) => {
                    self.field = Some(field);
                    self.value(&field.shape(), &entry.node, field.key().name);
                }
                None => self.unknown_key(table, name, entry),
            }
        }
    }

    fn unknown_key(&mut self, table: &'static TableShape, name: &str, entry: &Entry) {
        let span = entry.key_span;
        self.is_recoverable = true;
        if self.sink.counts_only(&UNKNOWN_KEY, span) {
            return;
        }
        let what = table.what;
        let problem = Diagnostic::new(&UNKNOWN_KEY, format!("unknown key `{name}` in {what}"))
            .at(span, format!("not a key of {what}"));
        let is_whole = self.sources.text(span) == name;
        let instead = instead::of_key(table, name, &entry.node, is_whole, self.sources);
        self.sink.push(instead.help(problem, span));
    }

    fn value(&mut self, shape: &Shape, node: &Node, key: &str) {
        match (shape, &node.value) {
            (_, Value::Tainted) => {}
            (Shape::Table(table) | Shape::SecretSource(table), Value::Table(entries)) => {
                self.table(table, entries);
            }
            (Shape::Table(TableShape { short: Some(short), .. }), value)
                if !matches!(value, Value::List(_)) =>
            {
                if short.shape().fits_type(value) {
                    self.value(&short.shape(), node, key);
                } else {
                    self.wrong_type(shape, node, key);
                }
            }
            (Shape::List(of) | Shape::OneOrList(of), Value::List(items)) => {
                items.iter().for_each(|item| self.value(of, item, key));
            }
            (Shape::OneOrList(of), value) if of.fits_type(value) => self.value(of, node, key),
            (Shape::Named(kind, of), Value::Table(entries)) => {
                for (name, entry) in entries.iter().filter(|(_, entry)| !entry.has_broken_key()) {
                    self.name(*kind, name, entry.key_span);
                    self.value(of, &entry.node, name);
                }
            }
            (Shape::Any, value) => self.any(value, node, key),
            (shape, value) if shape.fits_type(value) => self.scalar(shape, node, key),
            _ => self.wrong_type(shape, node, key),
        }
    }

    /// A value of the right type.
    fn scalar(&mut self, shape: &Shape, node: &Node, key: &str) {
        let text = node.text().map_or("", |text| text);
        if shape.forbids_nul() && text.contains('\0') {
            return self.nul(node.span, key);
        }
        match (shape, &node.value) {
            (Shape::Integer(bounds), Value::Integer(number)) if !bounds.contain(*number) => {
                self.out_of_range(bounds, *number, node.span, key);
            }
            // A text with references is checked once these are resolved.
            (Shape::Template(_), Value::Text(text)) if reference::has_braces(text) => {}
            (Shape::Formatted(format) | Shape::Template(format), Value::Text(text)) => {
                self.format(*format, text, node.span, key);
            }
            (Shape::Formatted(format), _) => {
                self.format(*format, self.sources.text(node.span), node.span, key);
            }
            (Shape::Word(words), _) if !words.iter().any(|word| word == text) => {
                self.wrong_word(*words, text, node.span, key);
            }
            (Shape::Name(kind), _) => self.name(*kind, text, node.span),
            (Shape::Reference(kinds), _) => self.reference(kinds, text, node.span, key),
            _ => {}
        }
    }

    fn nul(&mut self, span: Span, key: &str) {
        self.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`{key}` has a NUL character"))
                .at(span, "ends there for every program")
                .help("remove it"),
        );
    }

    /// Checks a value of any shape. It becomes JSON, which has no dates.
    fn any(&mut self, value: &Value, node: &Node, key: &str) {
        match value {
            Value::Date => self.wrong_type(&Shape::Any, node, key),
            Value::Text(text) if text.contains('\0') => self.nul(node.span, key),
            Value::List(items) => items.iter().for_each(|item| self.any(&item.value, item, key)),
            Value::Table(entries) => {
                entries.values().for_each(|entry| self.any(&entry.node.value, &entry.node, key));
            }
            _ => {}
        }
    }

    fn wrong_type(&mut self, shape: &Shape, node: &Node, key: &str) {
        if self.sink.counts_only(&WRONG_TYPE, node.span) {
            return;
        }
        let (noun, found) = (shape.noun(), node.value.kind());
        let problem = Diagnostic::new(&WRONG_TYPE, format!("`{key}` must be {noun}, found {found}"))
            .at(node.span, format!("expected {noun}"));
        let written = self.sources.text(node.span);
        self.is_recoverable |= matches!(&node.value, Value::List(items) if items.len() == 1);
        self.sink.push(match instead::of_type(shape, node, key, written) {
            Some(instead) => instead.help(problem, node.span),
            None => problem.help(format!("for example `{key} = {}`", self.example(shape, key))),
        });
    }

    /// An example of a value of a key: that of its documentation, if it has one.
    fn example(&self, shape: &Shape, key: &str) -> String {
        match self.field {
            Some(field) if field.key().name == key => field.key().example.into(),
            _ => shape.example(),
        }
    }

    fn out_of_range(&mut self, bounds: &IntegerBounds, number: i64, span: Span, key: &str) {
        let IntegerBounds { least, most, rule } = bounds;
        self.sink.push(
            Diagnostic::new(rule, format!("`{key}` is out of range: {number}"))
                .at(span, format!("must be {least} to {most}"))
                .help(format!("write a number from {least} to {most}")),
        );
    }

    fn format(&mut self, format: &dyn AnyFormat, text: &str, span: Span, key: &str) {
        let Err(reason) = format.check(text) else { return };
        let about = format.about();
        let near = reason.near();
        let problem = Diagnostic::new(about.rule, format!("invalid `{key}`: `{text}`")).at(span, reason);
        self.sink.push(match near.map(str::to_owned).or_else(|| instead::of_format(format, text)) {
            Some(meant) => problem.fix(span, format!("\"{meant}\""), format!("write `{meant}`")),
            None => problem.help(format!("write {}, for example `{key} = {}`", about.what, about.example)),
        });
    }

    fn wrong_word(&mut self, words: Words, text: &str, span: Span, key: &str) {
        if self.sink.counts_only(&BAD_VALUE, span) {
            return;
        }
        let problem = Diagnostic::new(&BAD_VALUE, format!("invalid `{key}`: `{text}`"));
        let all: Vec<&'static str> = words.iter().collect();
        self.sink.push(match instead::of_word(text, &all) {
            Some(near) => problem.at(span, "not one of its words").fix(
                span,
                format!("\"{near}\""),
                format!("did you mean `{near}`?"),
            ),
            None => problem
                .at(span, "not one of its words")
                .help(format!("use one of: {}", listing(words.iter()))),
        });
    }

    fn name(&mut self, kind: NameKind, name: &str, span: Span) {
        let Err(problem) = kind.check(name) else { return };
        let diagnostic = Diagnostic::new(&BAD_NAME, format!("invalid name `{name}`")).at(span, problem.label);
        self.sink.push(match problem.instead {
            Some(instead) => {
                // A key without quotes has only these characters.
                let is_bare = instead.chars().all(|c| c.is_ascii_alphanumeric() || "-_".contains(c));
                let quoted = self.sources.text(span).starts_with(['"', '\'']);
                let quote = if quoted || !is_bare { "\"" } else { "" };
                diagnostic.fix(span, format!("{quote}{instead}{quote}"), format!("write `{instead}`"))
            }
            None => diagnostic.help(problem.reason),
        });
    }

    fn reference(&mut self, kinds: &[RefKind], text: &str, span: Span, key: &str) {
        let written = reference::parse(text);
        let kind = match &written {
            Ok(written) if kinds.contains(&written.kind) => return,
            Ok(written) => Some(written.kind.word()),
            Err(_) => None,
        };
        let message = match kind {
            Some(kind) => format!("`{key}` does not accept a {kind}"),
            None => format!("invalid `{key}`: `{text}`"),
        };
        let names = kinds.iter().map(|kind| format!("`{}.NAME`", kind.word())).collect::<Vec<_>>();
        let problem = Diagnostic::new(&BAD_VALUE, message)
            .at(span, format!("expected a reference such as `{}`", example(kinds)));
        self.sink.push(match repaired(text, kinds) {
            Some(repaired) => problem.fix(span, format!("\"{repaired}\""), format!("write `{repaired}`")),
            None => problem.help(format!("write {}", names.join(" or "))),
        });
    }
}

/// The reference to one of some kinds that a text may be meant as: without braces and blanks, with the kind misspelt.
fn repaired(text: &str, kinds: &[RefKind]) -> Option<String> {
    let bare: String = text.chars().filter(|c| !c.is_whitespace() && !"{}".contains(*c)).collect();
    let is_right = |text: &str| reference::parse(text).is_ok_and(|written| kinds.contains(&written.kind));
    if is_right(&bare) {
        return Some(bare);
    }
    let (kind, rest) = bare.split_once(['.', ':', '/'])?;
    let kind = nearest(kind, kinds.iter().map(|kind| kind.word()))?;
    Some(format!("{kind}.{rest}")).filter(|text| is_right(text))
}

impl Shape {
    /// Whether a value has the TOML type of the shape. Its content may still be invalid.
    pub(crate) fn fits_type(&self, value: &Value) -> bool {
        match self {
            Self::String
            | Self::Argument
            | Self::Text
            | Self::Template(_)
            | Self::Word(_)
            | Self::Name(_)
            | Self::Reference(_) => matches!(value, Value::Text(_)),
            Self::Scalar(_) => matches!(value, Value::Text(_)) || value.is_plain(),
            Self::Boolean => matches!(value, Value::Boolean(_)),
            Self::Integer(_) => matches!(value, Value::Integer(_)),
            Self::Formatted(format) => {
                let number = matches!(value, Value::Integer(_) | Value::Float);
                matches!(value, Value::Text(_)) || format.about().number && number
            }
            Self::OneOrList(of) => matches!(value, Value::List(_)) || of.fits_type(value),
            Self::List(_) => matches!(value, Value::List(_)),
            Self::Named(..) => matches!(value, Value::Table(_)),
            Self::Table(table) => {
                let short = table.short.is_some_and(|short| short.shape().fits_type(value));
                matches!(value, Value::Table(_)) || short
            }
            // A string is the secret itself, which the reader reports.
            Self::SecretSource(_) => matches!(value, Value::Table(_) | Value::Text(_)),
            Self::Any => !matches!(value, Value::Date),
        }
    }

    /// An example of a value, as in a stack file.
    fn example(&self) -> String {
        match self {
            Self::String | Self::Argument | Self::Text | Self::Scalar(_) => "\"text\"".into(),
            Self::Boolean => "true".into(),
            Self::Integer(bounds) => bounds.least.max(1).to_string(),
            Self::Formatted(format) | Self::Template(format) => format.about().example.into(),
            Self::Word(words) => format!("\"{}\"", words.iter().next().unwrap_or_default()),
            Self::Name(kind) => format!("\"{}\"", kind.example()),
            Self::Reference(kinds) => format!("\"{}\"", example(kinds)),
            Self::OneOrList(of) => of.example(),
            Self::List(of) => format!("[{}]", of.example()),
            Self::Named(kind, of) => format!("{{ {} = {} }}", kind.example(), of.example()),
            Self::Table(table) | Self::SecretSource(table) => match table.short {
                Some(short) => short.shape().example(),
                None => {
                    let key = table.fields().next().map(AnyField::key);
                    key.map_or_else(|| "{}".into(), |key| format!("{{ {} = {} }}", key.name, key.example))
                }
            },
            Self::Any => "1".into(),
        }
    }
}
