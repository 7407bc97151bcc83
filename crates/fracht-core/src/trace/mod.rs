//! Traces a value through the layers that set it.

mod derived;

use std::sync::Arc;

use crate::cover::{Cover, STARS};
use crate::diag::Sink;
use crate::diag::unknown::nearest;
use crate::grammar::reference::References;
use crate::grammar::{path, quoted};
use crate::language::target::TARGET_TABLE;
use crate::language::{ROOT, Shape, Short, TableShape, root};
use crate::model::{Content, Model, Part, Text};
use crate::ordered_map::OrderedMap;
use crate::origin::Layer;
use crate::resolve::{Context, Symbols};
use crate::source::{Sources, Span};
use crate::tree::{Node, Value};

/// A value that is not a table, with all layers that set it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leaf {
    /// The path of the value.
    pub path: String,
    /// The text with its references resolved. Secrets and values that are known only at run time stay in braces.
    pub means: Option<String>,
    /// The layers that set the value, the one in use first. Never empty.
    pub steps: Vec<Step>,
}

impl Leaf {
    /// The value as it will be, in one line: resolved, without quotes, with stars in place of secrets.
    pub fn value(&self) -> &str {
        let written = self.steps.first().map_or("", |step| unquoted(&step.value));
        self.means.as_deref().unwrap_or(written)
    }
}

/// The value that one layer sets.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// The layer.
    pub layer: Layer,
    /// Where it is written.
    pub span: Span,
    /// The value as written, in one line, with stars in place of secrets.
    pub value: String,
    /// The line on which it starts, with stars in place of secrets.
    pub line: String,
}

/// The result of a trace.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trace {
    /// The values at or below the path that are set, in the order of the file.
    Written(Vec<Leaf>),
    /// The path is a key that is not set: its default, in words.
    Default(&'static str),
    /// The path does not exist.
    Nothing {
        /// The part of the path that exists; may be empty.
        reached: String,
        /// The nearest existing path.
        near: Option<String>,
    },
}

/// The data that a trace works on.
pub(crate) struct Traced<'a> {
    pub(crate) tree: &'a Node,
    pub(crate) target: Option<&'a Node>,
    pub(crate) symbols: &'a Symbols,
    pub(crate) model: &'a Model,
    pub(crate) sources: &'a Sources,
    /// Decides what may be shown.
    pub(crate) cover: Cover<'a>,
}

impl Traced<'_> {
    /// The result of a trace. `target.KEY` is a key of the target itself.
    pub(crate) fn trace(&self, keys: &[String]) -> Trace {
        let answer = self.exactly(keys);
        if !matches!(answer, Trace::Nothing { .. }) {
            return answer;
        }
        // A name with dots may have been written without quotes.
        let joined = (0..keys.len()).flat_map(|from| (from + 2..=keys.len()).map(move |to| (from, to)));
        let joined = joined.filter_map(|(from, to)| {
            let name = keys.get(from..to)?.join(".");
            let path = keys.iter().take(from).cloned().chain([name]).chain(keys.iter().skip(to).cloned());
            Some(path.collect::<Vec<String>>())
        });
        let found = joined.map(|keys| self.exactly(&keys)).find(|answer| matches!(answer, Trace::Written(_)));
        found.unwrap_or(answer)
    }

    fn exactly(&self, keys: &[String]) -> Trace {
        let mut written = self.written(keys);
        if let Trace::Written(leaves) = &mut written {
            self.add_overridden(keys, leaves);
        }
        let derived = self.derived(keys);
        if derived.is_empty() {
            return written;
        }
        let mut leaves = if let Trace::Written(leaves) = written { leaves } else { Vec::new() };
        leaves.extend(derived);
        Trace::Written(leaves)
    }

    /// The values that are set at or below a path.
    fn written(&self, keys: &[String]) -> Trace {
        let (mut node, mut shape, rest): (Option<&Node>, Option<Shape>, &[String]) = match keys {
            [first, rest @ ..] if first == root::TARGET.name() => {
                (self.target, Some(Shape::Table(&TARGET_TABLE)), rest)
            }
            _ => (Some(self.tree), Some(Shape::Table(&ROOT)), keys),
        };
        let mut reached: Vec<&str> = keys.iter().take(keys.len() - rest.len()).map(String::as_str).collect();
        let mut default = None;
        for key in rest {
            let names = self.names(node, shape);
            let table = shape.and_then(|shape| shape.table());
            let known = table.and_then(|table| table.field(key));
            let in_map = shape.is_some_and(|shape| shape.is_named());
            let short = table.and_then(|table| table.short);
            let stands_for = matches!(short, Some(Short::Key(field)) if field.key().name == key);
            let next = match node {
                Some(node) if node.table().is_none() && stands_for => Some(node),
                Some(Node { value: Value::List(items), .. }) => {
                    key.parse().ok().and_then(|number: usize| items.get(number.checked_sub(1)?))
                }
                Some(node) => node.at(&[key.as_str()]),
                None => None,
            };
            default = known.map(|known| known.key().default);
            if next.is_none() && (in_map || known.is_none()) {
                let near = nearest(key, names.iter().map(String::as_str));
                let near = near.map(|near| path::show(reached.iter().copied().chain([near])));
                return Trace::Nothing { reached: path::show(reached), near };
            }
            reached.push(key);
            (node, shape) = (next, shape.and_then(|shape| shape.below(key)));
        }
        let Some(node) = node else { return Trace::Default(default.unwrap_or("none")) };
        let mut leaves = Vec::new();
        let mut at: Vec<String> = keys.to_vec();
        self.leaves(node, &mut at, &mut leaves);
        Trace::Written(leaves)
    }

    /// The names that can follow a path.
    fn names(&self, node: Option<&Node>, shape: Option<Shape>) -> Vec<String> {
        let written = node.and_then(Node::table).into_iter().flat_map(OrderedMap::keys);
        let known = shape.and_then(|shape| shape.table()).into_iter().flat_map(TableShape::names);
        let is_root = std::ptr::eq(node.map_or(std::ptr::null(), std::ptr::from_ref), self.tree);
        let target = is_root.then_some(root::TARGET.name());
        let known = known.chain(target).map(str::to_owned);
        written.map(ToString::to_string).chain(known).collect()
    }

    fn leaves(&self, node: &Node, at: &mut Vec<String>, leaves: &mut Vec<Leaf>) {
        match &node.value {
            Value::Table(entries) => {
                for (name, entry) in entries.iter() {
                    // In broken text, a value may look like a key.
                    let hidden = self.cover.hides(entry.key_span);
                    at.push(if hidden { STARS.to_owned() } else { name.to_string() });
                    self.leaves(&entry.node, at, leaves);
                    at.pop();
                }
            }
            // Tables under `[[…]]` headers: the line of the header shows none of their values.
            Value::List(items) if self.sources.text(node.span).starts_with("[[") => {
                for (number, item) in (1..).zip(items.iter()) {
                    at.push(number.to_string());
                    self.leaves(item, at, leaves);
                    at.pop();
                }
            }
            _ => leaves.push(self.leaf(node, at)),
        }
    }

    fn leaf(&self, node: &Node, at: &[String]) -> Leaf {
        let mut steps = Vec::new();
        let mut next = Some(node);
        while let Some(node) = next {
            steps.push(self.step_at(node.span, node.layer));
            next = node.under.as_deref();
        }
        Leaf { path: path::show(at.iter().map(String::as_str)), means: self.means(node), steps }
    }

    fn step_at(&self, span: Span, layer: Layer) -> Step {
        let value = one_line(&self.cover.source(span.file, span.range()).text);
        let file = self.sources.file(span.file);
        let line = file.map_or(0..0, |file| file.line_range(file.line_of(span.start)));
        let line = one_line(&self.cover.source(span.file, line).text);
        Step { layer, span, value, line }
    }

    /// The text of a node with its references resolved.
    fn means(&self, node: &Node) -> Option<String> {
        let shown = |text: &&Arc<str>| text.contains('{') && !self.cover.hides(node.span);
        let written = node.text().filter(shown)?;
        let mut sink = Sink::default();
        let context = Context { symbols: self.symbols, sources: self.sources };
        let text = context.text(written, node.origin(), (References::All, &""), &mut sink);
        (!text.is_plain())
            .then(|| self.cover.value(&text.parts.iter().map(|part| self.shown(part)).collect::<String>()))
    }

    /// A text as it will be, with secrets and what only the cluster knows in braces.
    pub(crate) fn text(&self, text: &Text) -> String {
        let resolved = || text.parts.iter().map(|part| self.shown(part)).collect::<String>();
        self.value(text.origin.span(), resolved)
    }

    /// A value at a place as it is, with stars in place of secrets.
    pub(crate) fn value(&self, span: Option<Span>, value: impl Fn() -> String) -> String {
        match span.filter(|span| self.cover.hides(*span)) {
            Some(span) => unquoted(&one_line(&self.cover.source(span.file, span.range()).text)).to_owned(),
            None => self.cover.value(&value()),
        }
    }

    /// The value of a part, with secrets in braces.
    fn shown(&self, part: &Part) -> String {
        match part {
            Part::Plain(text) | Part::Known { text, .. } => text.to_string(),
            Part::Unresolved => "?".to_owned(),
            Part::Config(id, key) => {
                let config = &self.model.configs[*id];
                let content = config.keys.get(key).map(|key| &key.content);
                let plain = content.and_then(|content| match content {
                    Content::Text(text) => {
                        let hidden = text.origin.span().is_some_and(|span| self.cover.hides(span));
                        (!hidden).then(|| text.plain())
                    }
                    Content::File { .. } | Content::Present => None,
                });
                plain.unwrap_or_else(|| format!("{{config.{}/{key}}}", config.name))
            }
            Part::Secret(id, key) => format!("{{secret.{}/{key}}}", self.model.secrets[*id].name),
            Part::Pod(field) => format!("{{pod.{}}}", field.words().replace(' ', "/")),
        }
    }
}

/// A value without the quotes around it.
fn unquoted(value: &str) -> &str {
    value.get(quoted::inner(value)).unwrap_or(value)
}

/// The text with each run of white space as one space.
fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
