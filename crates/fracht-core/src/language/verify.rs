//! The check of shapes: walks what was written beside the language and reports what does not fit.
//!
//! It sees the file before layers are merged, so that a mistake is found once however many targets
//! there are. What must be there is left to the readers: a target states only a difference.

use super::shape::{Grammar, Shape, TableShape};
use crate::diag::suggest::{listing, nearest};
use crate::diag::{Diagnostic, Sink};
use crate::grammar::name::NameKind;
use crate::grammar::reference;
use crate::source::{Sources, Span};
use crate::tree::{Entries, Node, Value};

/// Reports every key and value of `node` that does not fit `table`.
pub(crate) fn verify(table: &'static TableShape, node: &Node, sources: &Sources, sink: &mut Sink) {
    if let Some(entries) = node.table() {
        Walk { sources, sink }.table(table, entries);
    }
}

/// Lists of texts that a process is started with.
const PROCESS_TEXTS: [&str; 3] = ["args", "program", "run"];

struct Walk<'a> {
    sources: &'a Sources,
    sink: &'a mut Sink,
}

impl Walk<'_> {
    fn table(&mut self, table: &'static TableShape, entries: &Entries) {
        for (name, entry) in entries {
            match table.keys.iter().find(|key| *key.name == **name) {
                Some(key) => self.value(&key.shape, &entry.node, key.name),
                None => self.unknown_key(table, name, entry.key_span),
            }
        }
    }

    fn unknown_key(&mut self, table: &TableShape, name: &str, span: Span) {
        if self.sink.counts_only("unknown-key", span) {
            return;
        }
        let names = || table.keys.iter().map(|key| key.name);
        let what = table.what;
        let mut problem = Diagnostic::new("unknown-key", format!("`{name}` is not a key of {what}."))
            .at(span, "unknown key");
        match nearest(name, names()) {
            Some(near) => problem = problem.fix(span, near, format!("write `{near}`")),
            None => problem = problem.help("Remove it, or use one of the keys that are allowed here."),
        }
        // All of them, however many there are: the right one may be any.
        let all: Vec<&str> = names().collect();
        self.sink.push(problem.help(format!("The keys of {what} are {}.", all.join(", "))));
    }

    fn value(&mut self, shape: &'static Shape, node: &Node, key: &str) {
        match (shape, &node.value) {
            // Variables, arguments and keys of configs are looked at as a whole, by a rule of their own.
            (shape, Value::Text(text))
                if text.contains('\0')
                    && !matches!(shape, Shape::Setting | Shape::ShortOr(..))
                    && !PROCESS_TEXTS.contains(&key) =>
            {
                self.nul(node.span, key);
            }
            (_, Value::Tainted)
            | (Shape::Text | Shape::Plain | Shape::Kept(_), Value::Text(_))
            | (Shape::Boolean, Value::Boolean(_))
            | (Shape::Setting, Value::Text(_) | Value::Integer(_) | Value::Float | Value::Boolean(_)) => {}
            (Shape::Any, value) => self.any(value, node, key),
            (Shape::Number(least, most), Value::Integer(number)) => {
                if number < least || number > most {
                    self.out_of_range(node.span, key, *number, (*least, *most));
                }
            }
            // What a text with references comes to is known when it is read.
            (Shape::TextOf(_), Value::Text(text)) if text.contains(['{', '}']) => {}
            (Shape::Small(grammar) | Shape::TextOf(grammar), Value::Text(text)) => {
                self.small(grammar, text, node.span, key);
            }
            (Shape::Small(grammar), Value::Integer(_) | Value::Float) if grammar.number => {
                let text = self.sources.text(node.span).to_owned();
                self.small(grammar, &text, node.span, key);
            }
            (Shape::Word(words), Value::Text(text)) => {
                if !words.contains(&&**text) {
                    self.wrong_word(words, text, node.span, key);
                }
            }
            (Shape::Name(kind), Value::Text(text)) => self.name(*kind, text, node.span),
            (Shape::Reference(kinds), Value::Text(text)) => {
                self.reference(kinds, text, node.span, key);
            }
            (Shape::List(of) | Shape::OneOrList(of), Value::List(items)) => {
                for item in items.iter() {
                    self.value(of, item, key);
                }
            }
            (Shape::Map(names, of), Value::Table(entries)) => {
                for (name, entry) in entries.iter() {
                    self.name(*names, name, entry.key_span);
                    // Notes take any text, and are started with no process.
                    if key == "note" && entry.node.text().is_some_and(|text| text.contains('\0')) {
                        self.nul(entry.node.span, name);
                    }
                    self.value(of, &entry.node, name);
                }
            }
            (Shape::Table(table) | Shape::Kept(table) | Shape::ShortOr(_, table), Value::Table(entries)) => {
                self.table(table, entries);
            }
            (Shape::OneOrList(of), _) => self.value(of, node, key),
            (Shape::ShortOr(short, _), value) if !matches!(value, Value::List(_)) => {
                self.value(short, node, key);
            }
            _ => self.wrong_type(shape, node, key),
        }
    }

    fn nul(&mut self, span: Span, key: &str) {
        self.sink.push(
            Diagnostic::new("bad-value", format!("`{key}` has a NUL character"))
                .at(span, "ends there for every program")
                .help("remove it"),
        );
    }

    /// A value of any shape: dates are not among those of JSON, which it becomes.
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
        if self.sink.counts_only("wrong-type", node.span) {
            return;
        }
        let found = node.value.kind();
        let mut problem =
            Diagnostic::new("wrong-type", format!("`{key}` takes {}, not {found}.", shape.noun()))
                .at(node.span, format!("this is {found}"));
        let written = self.sources.text(node.span);
        problem = match (shape, &node.value) {
            (Shape::List(_), Value::Text(_)) => {
                problem.fix(node.span, format!("[{written}]"), "make it a list of one")
            }
            (Shape::Text | Shape::Plain, Value::Integer(_) | Value::Float | Value::Boolean(_)) => {
                problem.fix(node.span, format!("\"{written}\""), "put it in quotes")
            }
            (Shape::Number(..), Value::Text(text)) if text.parse::<i64>().is_ok() => {
                problem.fix(node.span, text.to_string(), "write it without quotes")
            }
            (Shape::Boolean, Value::Text(text)) if matches!(&**text, "true" | "false") => {
                problem.fix(node.span, text.to_string(), "write it without quotes")
            }
            (Shape::Small(grammar) | Shape::TextOf(grammar), _) => {
                problem.help(format!("Write {}, such as {}.", grammar.what, grammar.example))
            }
            _ => problem.help(format!("It takes {}.", shape.words())),
        };
        self.sink.push(problem);
    }

    fn out_of_range(&mut self, span: Span, key: &str, number: i64, (least, most): (i64, i64)) {
        // The range of ports has a rule of its own: people look for it by that name.
        let port = (least, most) == (1, 65535);
        let rule = if port { "port-range" } else { "bad-value" };
        let what = if port { "a port number" } else { key };
        self.sink.push(
            Diagnostic::new(rule, format!("{number} is out of range for {what}."))
                .at(span, format!("not from {least} to {most}"))
                .help(format!("Write a number from {least} to {most}.")),
        );
    }

    fn small(&mut self, grammar: &Grammar, text: &str, span: Span, key: &str) {
        if let Err(reason) = (grammar.check)(text) {
            self.sink.push(
                Diagnostic::new(grammar.rule, format!("`{text}` is not {}.", grammar.what))
                    .at(span, format!("can't be `{key}`"))
                    .help(format!("{}.", capital(&reason)))
                    .help(format!("For example: {key} = {}", grammar.example)),
            );
        }
    }

    fn wrong_word(&mut self, words: &'static [&'static str], text: &str, span: Span, key: &str) {
        if self.sink.counts_only("bad-value", span) {
            return;
        }
        let problem = Diagnostic::new("bad-value", format!("`{key}` can't be `{text}`."))
            .at(span, "unknown word")
            .help(format!("It is one of {}.", listing(words.iter().copied())));
        self.sink.push(match nearest(text, words.iter().copied()) {
            Some(near) => problem.fix(span, format!("\"{near}\""), format!("write `{near}`")),
            None => problem,
        });
    }

    fn name(&mut self, kind: NameKind, name: &str, span: Span) {
        if let Err(problem) = kind.check(name) {
            let mut diagnostic = Diagnostic::new("bad-name", format!("`{name}` can't be a name here."))
                .at(span, "bad name")
                .help(format!("{}.", capital(problem.reason)));
            if let Some(instead) = problem.instead {
                let quote = if self.sources.text(span).starts_with(['"', '\'']) { "\"" } else { "" };
                let replacement = format!("{quote}{instead}{quote}");
                diagnostic = diagnostic.fix(span, replacement, format!("write `{instead}`"));
            }
            self.sink.push(diagnostic);
        }
    }

    fn reference(&mut self, kinds: &'static [&'static str], text: &str, span: Span, key: &str) {
        let problem =
            |message: String| Diagnostic::new("bad-value", message).at(span, format!("can't be at `{key}`"));
        let kinds_of = || listing(kinds.iter().copied());
        match reference::parse(text) {
            Ok(written) if kinds.contains(&written.kind) => {}
            Ok(written) => {
                let message = format!("A {} can't be used here.", written.kind);
                self.sink.push(problem(message).help(format!("It takes a {}.", kinds_of())));
            }
            Err(reason) => {
                let message = format!("`{text}` is not a reference.");
                let kind = kinds.first().copied().unwrap_or("volume");
                self.sink.push(
                    problem(message).help(format!("{}; for example \"{kind}.NAME\".", capital(reason))),
                );
            }
        }
    }
}

/// The sentence with a capital first letter, unless it begins with code or a number.
fn capital(sentence: &str) -> String {
    let mut chars = sentence.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().collect::<String>() + chars.as_str())
}
