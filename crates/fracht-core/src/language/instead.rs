//! What to write instead: for a key that a table does not have, and for a value of the wrong form.

use super::format::AnyFormat;
use super::shape::{AnyField, Key, Shape, Short, TableShape};
use super::trade::trade;
use super::verify::fits;
use super::{ROOT, target};
use crate::diag::Diagnostic;
use crate::diag::unknown::{listing, nearest};
use crate::grammar::word::Word;
use crate::source::{Sources, Span};
use crate::tree::{Node, Value};

/// What to do about a mistake.
pub(super) enum Instead {
    /// Write this text in its place, with the instruction for that.
    Write(String, String),
    /// Probably write this text in its place.
    Likely(String, String),
    /// Do this.
    Do(String),
}

impl Instead {
    /// Write a text in its place, which is shown if it is short.
    fn shown(text: String, title: &str) -> Self {
        const MOST: usize = 70;
        let title = if text.len() <= MOST { format!("{title}: `{text}`") } else { title.to_owned() };
        Self::Write(text, title)
    }

    /// A problem with this help for what is at a place.
    pub(super) fn help(self, problem: Diagnostic, span: Span) -> Diagnostic {
        match self {
            Self::Write(text, title) => problem.fix(span, text, title),
            Self::Likely(text, title) => problem.likely_fix(span, text, title),
            Self::Do(help) => problem.help(help),
        }
    }
}

/// What to write instead of a key that `table` does not have. `is_whole` tells whether the key is written alone, so that
/// it can be replaced.
pub(super) fn of_key(
    table: &'static TableShape,
    name: &str,
    node: &Node,
    is_whole: bool,
    sources: &Sources,
) -> Instead {
    let near = nearest(name, table.names());
    if let Some(field) = near.and_then(|near| table.field(near)).filter(|field| may_be(&field.shape(), node))
    {
        let near = field.key().name;
        return Instead::Write(near.into(), format!("did you mean `{near}`?"));
    }
    let is_container = table.field("env").is_some();
    let scalar = matches!(node.value, Value::Text(_)) || node.value.is_plain();
    if is_container && scalar && is_variable(name) && is_whole {
        return Instead::Write(format!("env.{name}"), format!("write `env.{name}`: a variable"));
    }
    if let Some((key, form)) = trade(table, name) {
        if is_whole && table.field(key).is_some_and(|field| fits(field, node, sources)) {
            return Instead::Likely(key.into(), format!("the key is `{key}`"));
        }
        return Instead::Do(if near.is_some() || key != name {
            format!("the key is `{key}`: write `{form}`")
        } else {
            format!("write `{form}`")
        });
    }
    if is_whole
        && std::ptr::eq(table, &raw const ROOT)
        && let Some(kind) = kind_of(node)
    {
        return Instead::Write(format!("{kind}.{name}"), format!("write `[{kind}.{name}]`"));
    }
    // A value of the wrong type is a mistake of its own.
    let near = || {
        let Key { name, example, .. } = table.field(near?)?.key();
        Some(format!("did you mean `{name}`, for example `{name} = {example}`?"))
    };
    let help = elsewhere(table, name).or_else(near);
    Instead::Do(help.unwrap_or_else(|| format!("valid keys: {}", listing(table.names()))))
}

/// The kind of a table whose header lacks it: that of which it has most keys.
fn kind_of(node: &Node) -> Option<&'static str> {
    let keys = node.table().filter(|keys| !keys.is_empty())?;
    let score = |field: &&'static dyn AnyField| {
        let Shape::Named(_, of) = field.shape() else { return 0 };
        let of = of.table().filter(|_| !["target", "pattern"].contains(&field.key().name));
        of.map_or(0, |of| keys.keys().filter(|key| of.field(key).is_some()).count())
    };
    // Of several with the same number, the first one.
    let best = ROOT.fields().max_by_key(|field| (score(field), std::cmp::Reverse(rank(field.key().name))))?;
    (score(&best) * 2 >= keys.len() && score(&best) > 0).then_some(best.key().name)
}

/// The kinds of tables, those that people write most first.
fn rank(kind: &str) -> usize {
    ["service", "task", "volume", "config", "secret"].iter().position(|known| *known == kind).unwrap_or(9)
}

/// The key of a table that is probably meant by one that it does not have.
pub(super) fn meant(table: &'static TableShape, name: &str) -> Option<&'static str> {
    nearest(name, table.names()).or_else(|| Some(trade(table, name)?.0))
}

/// Whether a value may be one of a shape: what has the wrong type there needs another form than another name.
fn may_be(shape: &Shape, node: &Node) -> bool {
    matches!(node.value, Value::Tainted) || shape.fits_type(&node.value)
}

/// Whether a name is written as that of a variable: in capitals, with an underscore or several letters.
fn is_variable(name: &str) -> bool {
    name.len() > 1
        && name.starts_with(|c: char| c.is_ascii_uppercase())
        && name.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_')
}

/// Where a key belongs that another table has: a table below, or one of the stack. Last, a word of the trade for a key of a
/// table below: `certificate` of a target is `web.tls`.
fn elsewhere(table: &'static TableShape, name: &str) -> Option<String> {
    // In a table below: `http` of a service is a key of its `health`.
    for field in table.fields() {
        let (below, named) = match field.shape() {
            Shape::Named(_, of) => (of.table(), ".NAME"),
            shape => (shape.table(), ""),
        };
        let owner = field.key().name;
        if let Some(own) = below.and_then(|below| below.field(name)).filter(|_| owner != "pattern") {
            let is_top =
                std::ptr::eq(table, &raw const ROOT) || named.is_empty() && table.field("service").is_some();
            let named = if is_top && named == ".NAME" { return top(name) } else { named };
            return Some(format!(
                "it belongs to `{owner}{named}`: write `{owner}{named}.{name} = {}`",
                own.key().example
            ));
        }
    }
    top(name).or_else(|| {
        table.fields().find_map(|field| {
            let (key, form) = trade(field.shape().table()?, name)?;
            let owner = field.key().name;
            Some(format!("the key is `{owner}.{key}`: write `{owner}.{form}`"))
        })
    })
}

/// The tables of a stack that have a key.
fn top(name: &str) -> Option<String> {
    let mut owners = Vec::new();
    for field in ROOT.fields().filter(|field| field.key().name != "pattern") {
        let owner = field.key().name;
        match field.shape() {
            Shape::Named(_, of) if of.table().is_some_and(|table| table.field(name).is_some()) => {
                owners.push(format!("`[{owner}.NAME]`"));
            }
            shape if shape.table().is_some_and(|table| table.field(name).is_some()) => {
                owners.push(format!("`[{owner}]`"));
            }
            _ => {}
        }
    }
    let kind = ROOT.field(name).map(|field| match field.shape() {
        Shape::Named(..) => format!("`{name}` is a table of the stack: write `[{name}.NAME]`"),
        _ => format!("`{name}` is a key of the stack file: write it before the first table"),
    });
    if !owners.is_empty() {
        owners.truncate(3);
        return Some(format!("`{name}` is a key of {}", owners.join(" or ")));
    }
    // A key of a target, at the top or in a service.
    let of_target = target::TARGET_TABLE.field(name).map(|_| format!("`{name}` is a key of `[target.NAME]`"));
    kind.or(of_target)
}

/// What to write instead of a value of the wrong type.
pub(super) fn of_type(shape: &Shape, node: &Node, key: &str, written: &str) -> Option<Instead> {
    let write = |text: String, title: &str| Some(Instead::Write(text, title.to_owned()));
    let short = shape.table().and_then(|table| table.short).map(Short::shape);
    match (short.as_ref().unwrap_or(shape), &node.value) {
        // `[[service.api]]`: an item of a list, where a table is meant.
        (_, Value::List(_)) if shape.table().is_some() && written.starts_with("[[") => {
            let name = written.trim_matches(['[', ']']);
            write(format!("[{name}]"), "write one bracket on each side")
        }
        (Shape::List(of) | Shape::OneOrList(of), Value::Text(text))
            if matches!(of, Shape::Text | Shape::Argument) && text.trim().contains(char::is_whitespace) =>
        {
            Some(command_line(text))
        }
        (Shape::List(of), value) if of.fits_type(value) => {
            Some(Instead::shown(format!("[{written}]"), "put it in a list"))
        }
        // `present = true`: a name is missing, and `true` is none.
        (Shape::Name(_), Value::Boolean(_)) => None,
        (Shape::String | Shape::Argument | Shape::Text | Shape::Name(_) | Shape::Word(_), value)
            if value.is_plain() =>
        {
            match shape {
                Shape::Word(words) => Some(Instead::Do(format!("use one of: {}", listing(words.iter())))),
                _ => write(format!("\"{written}\""), "put it in quotes"),
            }
        }
        (Shape::Integer(_), Value::Text(text)) if text.parse::<i64>().is_ok() => {
            write(text.to_string(), "remove the quotes")
        }
        (Shape::Integer(_), Value::Text(text)) if key_of_port(text).is_some() => {
            let (outer, inner) = key_of_port(text)?;
            Some(Instead::Do(format!(
                "write the number it listens on, `{inner}`; to open it: `{{ number = {inner}, reach = \"node\", at = {outer} }}`"
            )))
        }
        (Shape::Boolean, Value::Text(text)) => {
            let small = text.to_ascii_lowercase();
            let value = match small.as_str() {
                "true" | "yes" | "on" => "true",
                "false" | "no" | "off" => "false",
                _ => return None,
            };
            write(value.into(), if small == value { "remove the quotes" } else { "write true or false" })
        }
        (Shape::Formatted(format), Value::Integer(number)) => of_number(*format, *number),
        (Shape::Named(_, of), Value::List(items)) if key == "env" => variables(of, items),
        // `port = 8080`: the value of one, without its name.
        (Shape::Named(_, of), value) if key == "port" && of.fits_type(value) => {
            let text = format!("{{ http = {written} }}");
            Some(Instead::shown(text, "give the port a name"))
        }
        _ => None,
    }
}

/// `8080:80`, as the number outside and the one inside.
fn key_of_port(text: &str) -> Option<(u16, u16)> {
    let (outer, inner) = text.rsplit_once(':')?;
    let outer = outer.rsplit(':').next()?;
    Some((outer.parse().ok()?, inner.parse().ok()?))
}

/// A number for a format that needs a unit.
fn of_number(format: &dyn AnyFormat, number: i64) -> Option<Instead> {
    let unit = ["s", "Mi"].into_iter().find(|unit| format.check(&format!("{number}{unit}")).is_ok())?;
    let unit = if format.about().what.contains("duration") { "s" } else { unit };
    let text = format!("\"{number}{unit}\"");
    Some(Instead::Write(text.clone(), format!("write `{text}`")))
}

/// A command line as a list of words; one that needs a shell gets it.
fn command_line(text: &str) -> Instead {
    let quoted = |word: &str| format!("\"{}\"", word.replace('\\', "\\\\").replace('"', "\\\""));
    let text = text.trim();
    let needs_shell = text.contains(['|', '&', ';', '<', '>', '$', '`', '*', '"', '\'', '(', '\n', '\\']);
    let words: Vec<String> = if needs_shell {
        vec![quoted("sh"), quoted("-c"), quoted(&text.replace('\n', " "))]
    } else {
        text.split_whitespace().map(quoted).collect()
    };
    let title = if needs_shell { "let a shell read it" } else { "write each word as an item of a list" };
    Instead::shown(format!("[{}]", words.join(", ")), title)
}

/// `["LEVEL=info"]` as a table.
fn variables(of: &Shape, items: &[Node]) -> Option<Instead> {
    if !of.fits_type(&Value::Text("".into())) {
        return None;
    }
    let pairs = items.iter().map(|item| {
        let (name, value) = item.text()?.split_once('=')?;
        let plain = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        let quoted = format!("\"{}\"", value.replace('\\', "\\\\").replace('"', "\\\""));
        plain.then(|| format!("{name} = {quoted}"))
    });
    let pairs = pairs.collect::<Option<Vec<_>>>().filter(|pairs| !pairs.is_empty())?;
    Some(Instead::Write(format!("{{ {} }}", pairs.join(", ")), "write a table of names and values".into()))
}

/// Units as people write them, and ours.
const UNITS: &[(&[&str], &str)] = &[
    (&["KB", "kb", "KiB", "kib", "K", "ki"], "Ki"),
    (&["MB", "mb", "MiB", "mib", "m", "mi"], "Mi"),
    (&["GB", "gb", "GiB", "gib", "g", "gi"], "Gi"),
    (&["TB", "tb", "TiB", "tib", "t", "ti"], "Ti"),
    (&["min", "mins", "minute", "minutes", "M"], "m"),
    (&["sec", "secs", "second", "seconds", "S"], "s"),
    (&["hour", "hours", "hr", "hrs", "H"], "h"),
    (&["day", "days", "D"], "d"),
    (&["millis", "msec", "milliseconds"], "ms"),
];

/// The valid text that an invalid one is probably meant as.
pub(super) fn of_format(format: &dyn AnyFormat, text: &str) -> Option<String> {
    let bare: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let bare = bare.as_str();
    let lower = bare.to_lowercase();
    let no_scheme = lower.split_once("://").map_or(lower.as_str(), |(_, rest)| rest).trim_end_matches('/');
    let no_path = no_scheme.split('/').next().unwrap_or_default().trim_end_matches('.').to_owned();
    let candidates = [
        text.trim().to_owned(),
        bare.to_owned(),
        lower.clone(),
        bare.replace(',', "."),
        text.replace(['-', '_'], " "),
        no_scheme.trim_end_matches('.').to_owned(),
        no_path.clone(),
        no_path.split(':').next().unwrap_or_default().to_owned(),
        bare.replace('-', ".."),
        lower.replace("x86_64", "amd64").replace("aarch64", "arm64"),
        format!("linux/{lower}"),
        with_units(bare),
    ];
    let is_it =
        |candidate: &String| candidate != text && !candidate.is_empty() && format.check(candidate).is_ok();
    candidates.into_iter().find(is_it)
}

/// The text with our unit for each number.
fn with_units(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let of_letters = first.is_ascii_alphabetic();
        let end = rest.find(|c: char| c.is_ascii_alphabetic() != of_letters).unwrap_or(rest.len());
        let (word, behind) = rest.split_at(end);
        let ours = UNITS.iter().find(|(words, _)| words.contains(&word)).map(|(_, ours)| *ours);
        out.push_str(if of_letters { ours.unwrap_or(word) } else { word });
        rest = behind;
    }
    out
}

/// The value of a word, or of the word that is probably meant.
pub(crate) fn likely<W: Word>(text: &str) -> Option<W> {
    let words: Vec<&'static str> = W::WORDS.iter().map(|(word, _)| *word).collect();
    W::of(text).or_else(|| W::of(of_word(text, &words)?))
}

/// Words of the states that a service or task can be waited for, as people write them, and ours.
pub(super) fn of_word(text: &str, words: &[&'static str]) -> Option<&'static str> {
    const MEANINGS: &[(&[&str], &str)] = &[
        (&["healthy", "serving", "available", "up"], "ready"),
        (&["completed", "complete", "finished", "succeeded", "success", "exited"], "done"),
        (&["running", "start", "start-up", "created"], "started"),
        (&["public", "external", "http", "https", "ingress", "internet"], "web"),
        (&["internal", "private", "none", "inside"], "stack"),
        (&["nodeport", "host", "machine"], "node"),
        (&["loadbalancer", "load-balancer", "lb"], "balancer"),
        (&["kubernetes", "k8s", "remote"], "cluster"),
        (&["local", "laptop", "localhost"], "machine"),
        (&["info", "note"], "hint"),
        (&["warn"], "warning"),
        (&["none", "false", "disabled", "ignore"], "off"),
        (&["restricted"], "strict"),
        (&["baseline", "default"], "normal"),
        (&["privileged"], "off"),
    ];
    let small = text.to_ascii_lowercase();
    let near = nearest(&small, words.iter().copied());
    let known = || MEANINGS.iter().filter(|(_, ours)| words.contains(ours));
    let mut meant = known().filter(|(meanings, _)| meanings.contains(&small.as_str()));
    let meant = meant.next_back().map(|(_, ours)| *ours).or_else(|| {
        let near = nearest(&small, known().flat_map(|(meanings, _)| meanings.iter().copied()))?;
        known().find(|(meanings, _)| meanings.contains(&near)).map(|(_, ours)| *ours)
    });
    near.and_then(|near| words.iter().copied().find(|word| *word == near)).or(meant)
}
