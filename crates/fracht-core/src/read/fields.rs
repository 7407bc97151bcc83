//! Reads the values of a table by the fields of the language.

use std::fmt::Display;
use std::sync::Arc;

use super::{Reader, quoted};
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, MISSING_KEY};
use crate::diag::unknown::nearest;
use crate::grammar;
use crate::grammar::invalid::Invalid;
use crate::grammar::reference::{self, Piece};
use crate::language::{AnyField, Field, Key, Shape, Short, Table, TableShape, Takes, Template, fits};
use crate::model::{Part, Replacement, Text};
use crate::origin::{Origin, Sourced};
use crate::resolve::{self, is_meant};
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

/// A table with fixed keys, or the value that is short for it.
#[derive(Clone, Copy)]
pub(super) struct Fields<'t> {
    form: Form<'t>,
    table: &'static TableShape,
    /// Where the table's name is written.
    pub(super) span: Span,
}

#[derive(Clone, Copy)]
enum Form<'t> {
    Table(&'t Entries, Signs),
    /// The value of this key.
    Key(&'static str, &'t Entry),
    /// A short form that is not the value of a key.
    Short(&'t Node),
    /// Neither. The check of shapes reports it.
    Neither,
}

/// What is known of the keys of a table at a glance: readers ask for many keys, of which a table has few.
#[derive(Clone, Copy)]
struct Signs(u64);

impl Signs {
    fn of(entries: &Entries) -> Self {
        Self(entries.keys().fold(0, |signs, key| signs | Self::sign(key)))
    }

    /// One of 64 signs, by the length and the ends of a key.
    fn sign(key: &str) -> u64 {
        let end = |byte: Option<&u8>| byte.copied().map_or(0, usize::from);
        let (first, last) = (end(key.as_bytes().first()), end(key.as_bytes().last()));
        1 << ((key.len() * 5 + first * 3 + last) % 64)
    }

    /// False if the table has no such key.
    fn may_have(self, key: &str) -> bool {
        self.0 & Self::sign(key) != 0
    }
}

/// The most keys of a table of few keys.
const FEW: usize = 12;

impl<'t> Fields<'t> {
    /// The fields of a value that is `table` or its short form. A value that is neither has no fields.
    pub(super) fn of(entry: &'t Entry, table: &'static TableShape, reader: &mut Reader<'_>) -> Self {
        let form = match (&entry.node.value, table.short) {
            (Value::Table(entries), _) => {
                if entries.values().any(Entry::has_broken_key) {
                    reader.taint();
                }
                Form::Table(entries, Signs::of(entries))
            }
            (Value::List(_) | Value::Tainted | Value::Date, _) | (_, None) => {
                reader.lose(&entry.node);
                Form::Neither
            }
            (_, Some(Short::Key(field))) => Form::Key(field.key().name, entry),
            (_, Some(Short::Value(_))) => Form::Short(&entry.node),
        };
        Self { form, table, span: entry.key_span }
    }

    /// Whether a line was lost whose key is not known.
    pub(super) fn has_lost_key(&self) -> bool {
        let lost = |entries: &Entries| entries.get("").is_some_and(Entry::has_broken_key);
        matches!(self.form, Form::Table(entries, _) if lost(entries)) || matches!(self.form, Form::Neither)
    }

    /// Whether a required key is missing. False for a value that is neither the table nor its short form.
    pub(super) fn lacks(&self, field: &dyn AnyField) -> bool {
        match self.form {
            Form::Table(entries, _) => !entries.contains_key(field.key().name),
            Form::Key(..) | Form::Short(_) | Form::Neither => false,
        }
    }

    /// Reports that `owner` has none of some keys, of which it must have one; the first one is the example. Nothing is
    /// reported if a misspelled key is near one of them, since that is reported already.
    pub(super) fn missing(&self, reader: &mut Reader<'_>, owner: &str, fields: &[&dyn AnyField]) {
        if !self.is_table() {
            return;
        }
        reader.taint();
        let Some(first) = fields.first().filter(|_| !self.misspells(fields)) else { return };
        let Key { name, example, .. } = first.key();
        reader.sink.push(
            Diagnostic::new(&MISSING_KEY, format!("`{name}` is missing in {}", quoted(owner)))
                .at(self.span, "required here")
                .help(format!("add it, for example `{name} = {example}`")),
        );
    }

    /// Reports that `owner` sets two keys of which it may have one: at the later one.
    pub(super) fn both(
        &self,
        reader: &mut Reader<'_>,
        owner: &str,
        one: &dyn AnyField,
        other: &dyn AnyField,
    ) {
        reader.taint();
        let entry = |field: &dyn AnyField| Some((field.key().name, self.entry(field)?));
        let mut set: Vec<_> = [entry(one), entry(other)].into_iter().flatten().collect();
        set.sort_by_key(|(_, entry)| (entry.node.layer, entry.key_span));
        let [(first, before), (second, entry)] = set.as_slice() else { return };
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("{} sets both `{first}` and `{second}`", quoted(owner)))
                .at(entry.key_span, format!("`{first}` is also set"))
                .also(before.key_span, format!("conflicts with `{second}`"))
                .help(format!("keep one of `{first}` and `{second}`")),
        );
    }

    /// Whether a misspelled or broken key may be meant as one of some keys. In a table of few keys any unknown one may.
    pub(super) fn misspells(&self, fields: &[&dyn AnyField]) -> bool {
        let Form::Table(entries, _) = self.form else { return false };
        let names = || fields.iter().map(|field| field.key().name);
        let is_small = self.table.names().take(FEW + 1).count() <= FEW;
        entries.iter().any(|(name, entry)| {
            entry.has_broken_key()
                || self.table.field(name).is_none() && (is_small || nearest(name, names()).is_some())
        })
    }

    /// Reports that `owner` lacks a required key.
    pub(super) fn require(&self, reader: &mut Reader<'_>, owner: &str, field: &dyn AnyField) {
        if self.lacks(field) {
            self.missing(reader, owner, &[field]);
        }
    }

    /// Whether it is a table.
    pub(super) fn is_table(&self) -> bool {
        matches!(self.form, Form::Table(..))
    }

    /// The short form, if it is not the value of a key.
    pub(super) fn short(&self) -> Option<&'t Node> {
        match self.form {
            Form::Short(node) => Some(node),
            _ => None,
        }
    }

    pub(super) fn entry(&self, field: &dyn AnyField) -> Option<&'t Entry> {
        let name = field.key().name;
        match self.form {
            Form::Table(entries, signs) => {
                if signs.may_have(name) {
                    entries.get(name)
                } else {
                    None
                }
            }
            Form::Key(key, entry) if key == name => Some(entry),
            _ => None,
        }
    }

    /// The entry of a key, if its value is valid: checks of how keys go together skip invalid values.
    pub(super) fn valid(&self, reader: &Reader<'_>, field: &'static dyn AnyField) -> Option<&'t Entry> {
        self.entry(field).filter(|entry| fits(field, &entry.node, &reader.sources))
    }

    /// Whether the value of one of some keys is invalid.
    pub(super) fn has_invalid(&self, reader: &Reader<'_>, fields: &[&'static dyn AnyField]) -> bool {
        fields.iter().any(|field| self.entry(*field).is_some() && self.valid(reader, *field).is_none())
    }

    pub(super) fn node(&self, field: &dyn AnyField) -> Option<&'t Node> {
        self.entry(field).map(|entry| &entry.node)
    }

    /// The value of a key; an invalid value is skipped and noted.
    pub(super) fn get<T>(&self, reader: &mut Reader<'_>, field: &'static Field<T>) -> Option<Sourced<T>> {
        reader.value(self.node(field)?, &field.takes)
    }

    /// The value of a key, or its default.
    pub(super) fn or_default<T: Default>(
        &self,
        reader: &mut Reader<'_>,
        field: &'static Field<T>,
    ) -> Sourced<T> {
        let read = self.get(reader, field);
        read.unwrap_or_else(|| Sourced::defaulted(field.default().unwrap_or_default()))
    }

    /// The values of a list, or a single value if the key accepts one; `None` if the key is not set.
    pub(super) fn list<T>(
        &self,
        reader: &mut Reader<'_>,
        field: &'static Field<T>,
    ) -> Option<Vec<Sourced<T>>> {
        let items = self.items(reader, field)?;
        Some(items.iter().filter_map(|item| reader.value(item, &field.takes)).collect())
    }

    /// The entries of a table with names of the author's own.
    pub(super) fn named(
        &self,
        reader: &mut Reader<'_>,
        field: &'static dyn AnyField,
    ) -> impl ExactSizeIterator<Item = (&'t Arc<str>, &'t Entry)> + use<'t> {
        let node = self.node(field);
        let entries = node.and_then(Node::table);
        if let (Some(node), None) = (node, entries) {
            reader.lose(node);
        }
        let list = entries.map_or(&[][..], Entries::list);
        list.iter().map(|(name, entry)| (name, entry))
    }

    /// The fields of a table that is the value of a key.
    pub(super) fn table(&self, reader: &mut Reader<'_>, field: &'static Field<Table>) -> Option<Self> {
        let (entry, table) = (self.entry(field)?, field.takes.shape().table()?);
        Some(Fields::of(entry, table, reader))
    }

    /// The nodes of a list of tables.
    pub(super) fn tables(&self, reader: &mut Reader<'_>, field: &'static Field<Table>) -> Vec<Entry> {
        let items = self.items(reader, field).unwrap_or_default();
        items.iter().map(|item| Entry { key_span: item.span, node: item.clone() }).collect()
    }

    /// A text with its references resolved.
    pub(super) fn text(&self, reader: &mut Reader<'_>, field: &'static Field<Template>) -> Option<Text> {
        reader.text(self.node(field)?, &field.takes, &format_args!("`{}`", field.name()))
    }

    /// A list of texts with their references resolved.
    pub(super) fn texts(
        &self,
        reader: &mut Reader<'_>,
        field: &'static Field<Template>,
    ) -> Option<Box<[Text]>> {
        let items = self.items(reader, field)?;
        Some(items.iter().filter_map(|item| reader.text(item, &field.takes, &field.name())).collect())
    }

    fn items(&self, reader: &mut Reader<'_>, field: &'static dyn AnyField) -> Option<&'t [Node]> {
        let node = self.node(field)?;
        match (&node.value, field.shape()) {
            (Value::List(items), Shape::List(_) | Shape::OneOrList(_)) => Some(items),
            (_, Shape::OneOrList(_)) => Some(std::slice::from_ref(node)),
            _ => {
                reader.lose(node);
                None
            }
        }
    }
}

impl Reader<'_> {
    /// The value of a node; an invalid value is skipped and noted, since the check of shapes reports it.
    pub(super) fn value<T>(&mut self, node: &Node, takes: &Takes<T>) -> Option<Sourced<T>> {
        let value = takes.read(&node.value, self.sources.text(node.span));
        if value.is_none() {
            self.lose(node);
        }
        Some(Sourced { value: value?, origin: node.origin() })
    }

    /// A text with its references resolved. Messages call it `place`.
    pub(super) fn text(&mut self, node: &Node, takes: &Takes<Template>, place: &dyn Display) -> Option<Text> {
        let text = self.resolved(node, takes, place)?;
        match takes.shape() {
            Shape::Template(format) if text.is_resolved() => {
                let checked = format.check(&text.plain_text());
                self.judged(&text, checked, place).map(|()| text)
            }
            _ => Some(text),
        }
    }

    /// A setting of a file with its references resolved.
    pub(super) fn setting(&mut self, value: &Arc<str>, origin: Origin) -> Text {
        let context = resolve::Context { symbols: &self.symbols, sources: &self.sources };
        let text = context.setting(value, origin, self.sink);
        if !text.is_resolved() {
            self.taint();
        }
        text
    }

    /// A secret from a file with its references resolved, and what they stand for. The references may be shown, the
    /// rest of the value may not.
    pub(super) fn secret(&mut self, value: &Arc<str>, origin: Origin) -> (Text, Vec<Replacement>) {
        let context = resolve::Context { symbols: &self.symbols, sources: &self.sources };
        let text = context.secret_setting(value, origin, self.sink);
        if !text.is_resolved() {
            self.taint();
        }
        let start = origin
            .span()
            .and_then(|span| Some((span, grammar::quoted::offset(self.sources.text(span), value)?)));
        let mut references = Vec::new();
        for (piece, part) in reference::pieces(value).iter().zip(&text.parts) {
            let Piece::Braces(inner, range) = piece else { continue };
            let span =
                start.map(|(span, offset)| span.part(offset + range.start - 1, offset + range.end + 1));
            if let Some(span) = span.filter(|_| is_meant(inner)) {
                self.publish(span);
            }
            if matches!(part, Part::Known { .. } | Part::Secret(..)) {
                let written = ["{", inner, "}"].concat().into();
                references.push(Replacement { written, part: part.clone(), span });
            }
        }
        (text, references)
    }

    /// A text with its references resolved, and the value that it is; `None` if it is none.
    pub(super) fn parsed<T>(
        &mut self,
        fields: &Fields<'_>,
        field: &'static Field<Template>,
        parse: fn(Arc<str>) -> Result<T, Invalid>,
    ) -> Option<Sourced<T>> {
        let place = format_args!("`{}`", field.name());
        let text = self.resolved(fields.node(field)?, &field.takes, &place).filter(Text::is_resolved)?;
        let value = self.judged(&text, parse(text.plain_shared()), &place)?;
        Some(Sourced { value, origin: text.origin })
    }

    /// A text with its references resolved, which may be invalid.
    fn resolved(&mut self, node: &Node, takes: &Takes<Template>, place: &dyn Display) -> Option<Text> {
        let written: Arc<str> = match &node.value {
            Value::Text(text) => Arc::clone(text),
            value if value.is_plain() && matches!(takes.shape(), Shape::Scalar(_)) => {
                self.sources.text(node.span).into()
            }
            _ => {
                self.lose(node);
                return None;
            }
        };
        let context = resolve::Context { symbols: &self.symbols, sources: &self.sources };
        let text = context.text(&written, node.origin(), (takes.references(), place), self.sink);
        if !text.is_resolved() {
            self.taint();
        }
        Some(text)
    }

    /// The value of a text. An invalid one is noted, and reported if it has references: the check of shapes reports
    /// all others.
    fn judged<T>(&mut self, text: &Text, value: Result<T, Invalid>, place: &dyn Display) -> Option<T> {
        value
            .map_err(|reason| {
                self.taint();
                if !text.is_plain() {
                    self.invalid(place, text, &reason);
                }
            })
            .ok()
    }

    /// Reports a text that is invalid once its references are resolved.
    fn invalid(&mut self, place: &dyn Display, text: &Text, reason: &str) {
        self.sink.push(
            Diagnostic::new(
                &BAD_VALUE,
                format!("{place} resolves to `{}`, which is not valid", text.plain()),
            )
            .at(text.origin.span(), reason)
            .help("change a value that it refers to"),
        );
    }
}
