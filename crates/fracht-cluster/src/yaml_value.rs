//! Reads a YAML document into a value.

use std::borrow::Cow;
use std::collections::HashMap;

use fracht_core::grammar::invalid::Invalid;
use saphyr_parser::{Event, Parser, ScalarStyle, StrInput};
use serde_json::{Map, Number, Value};

/// The deepest nesting of lists and maps.
const DEEPEST: usize = 200;
/// The most values that aliases may repeat: few lines could stand for very many values.
const MOST_REPEATED: usize = 100_000;

/// The value of a document; null for an empty one. Its first line is `line` of the file, from 1.
///
/// # Errors
/// Why it cannot be read, without text of it, which may be secret.
pub(crate) fn read(text: &str, line: usize) -> Result<Value, Invalid> {
    let mut loader =
        Loader { line, events: Parser::new_from_str(text), anchors: HashMap::new(), repeated: 0 };
    let mut value = Value::Null;
    loop {
        match loader.next()? {
            Event::StreamEnd => return Ok(value),
            Event::Nothing | Event::StreamStart | Event::DocumentStart(_) | Event::DocumentEnd => {}
            event => value = loader.node(event, 0)?,
        }
    }
}

struct Loader<'t> {
    line: usize,
    events: Parser<'t, StrInput<'t>>,
    /// The values with an anchor, by its number.
    anchors: HashMap<usize, Value>,
    /// How many values aliases have repeated.
    repeated: usize,
}

impl<'t> Loader<'t> {
    fn next(&mut self) -> Result<Event<'t>, Invalid> {
        match self.events.next_event() {
            Some(Ok((event, _))) => Ok(event),
            Some(Err(error)) => {
                let line = (self.line + error.marker().line()).saturating_sub(1);
                Err(format!("not YAML ({}, at line {line})", error.info()).into())
            }
            None => Ok(Event::StreamEnd),
        }
    }

    fn node(&mut self, event: Event<'t>, depth: usize) -> Result<Value, Invalid> {
        if depth > DEEPEST {
            return Err("not YAML that can be read: nested too deeply".into());
        }
        let (anchor, value) = match event {
            Event::Alias(anchor) => {
                let value = self.anchors.get(&anchor).cloned();
                let value = value.ok_or("not YAML (an alias stands in what it repeats)")?;
                self.repeated += count(&value);
                if self.repeated > MOST_REPEATED {
                    return Err("not YAML that can be read: aliases repeat too much".into());
                }
                return Ok(value);
            }
            Event::Scalar(text, style, anchor, tag) => {
                let tag = tag.filter(|tag| tag.is_yaml_core_schema()).map(|tag| tag.suffix.clone());
                let value = match (style, tag.as_deref()) {
                    (_, Some("str")) => Value::String(text.into_owned()),
                    (ScalarStyle::Plain, _) | (_, Some(_)) => scalar(&text),
                    _ => Value::String(text.into_owned()),
                };
                (anchor, value)
            }
            Event::SequenceStart(anchor, _) => {
                let mut items = Vec::new();
                loop {
                    match self.next()? {
                        Event::SequenceEnd => break,
                        event => items.push(self.node(event, depth + 1)?),
                    }
                }
                (anchor, Value::Array(items))
            }
            Event::MappingStart(anchor, _) => (anchor, Value::Object(self.map(depth)?)),
            _ => return Err("not YAML (a value is missing)".into()),
        };
        if anchor > 0 {
            self.anchors.insert(anchor, value.clone());
        }
        Ok(value)
    }

    fn map(&mut self, depth: usize) -> Result<Map<String, Value>, Invalid> {
        let (mut fields, mut merged) = (Map::new(), Vec::new());
        loop {
            let (key, is_merge) = match self.next()? {
                Event::MappingEnd => break,
                Event::Scalar(key, style, ..) => {
                    let is_merge = key == "<<" && style == ScalarStyle::Plain;
                    (key.into_owned(), is_merge)
                }
                Event::Alias(anchor) => match self.anchors.get(&anchor) {
                    Some(Value::String(key)) => (key.clone(), false),
                    _ => return Err("not YAML that can be read: a key is not a text".into()),
                },
                _ => return Err("not YAML that can be read: a key is not a text".into()),
            };
            let event = self.next()?;
            let value = self.node(event, depth + 1)?;
            if is_merge {
                merged.push(value);
            } else if fields.insert(key, value).is_some() {
                return Err("not YAML (a key is twice in one map)".into());
            }
        }
        // Keys that are written override those of merged maps, and earlier maps override later ones.
        for value in merged {
            let maps = match value {
                Value::Array(maps) => maps,
                map => vec![map],
            };
            for map in maps {
                let Value::Object(more) = map else {
                    return Err("not YAML (a merge of what is no map)".into());
                };
                for (key, value) in more {
                    fields.entry(key).or_insert(value);
                }
            }
        }
        Ok(fields)
    }
}

/// How many values a value has.
fn count(value: &Value) -> usize {
    match value {
        Value::Array(items) => items.iter().map(count).sum::<usize>() + 1,
        Value::Object(fields) => fields.values().map(count).sum::<usize>() + 1,
        _ => 1,
    }
}

/// The value of a plain scalar: by the core schema (YAML 1.2.2, section 10.3.2), and with the words for true and false
/// and the underscores in numbers of YAML 1.1, which a cluster takes for them.
fn scalar(text: &str) -> Value {
    match text {
        "" | "~" | "null" | "Null" | "NULL" => return Value::Null,
        _ => {}
    }
    let is_one_of = |words: [&str; 4]| words.iter().any(|word| text.eq_ignore_ascii_case(word));
    if is_one_of(["true", "yes", "on", "y"]) {
        return Value::Bool(true);
    }
    if is_one_of(["false", "no", "off", "n"]) {
        return Value::Bool(false);
    }
    let plain = if text.contains('_') { Cow::Owned(text.replace('_', "")) } else { Cow::Borrowed(text) };
    number(&plain).map_or_else(|| Value::String(text.to_owned()), Value::Number)
}

fn number(text: &str) -> Option<Number> {
    let digits = text.strip_prefix(['+', '-']).unwrap_or(text);
    if !digits.starts_with(|c: char| c.is_ascii_digit() || c == '.') {
        return None;
    }
    let of_radix = |digits: &str, radix| u64::from_str_radix(digits, radix).ok().map(Number::from);
    if let Some(octal) = text.strip_prefix("0o") {
        return of_radix(octal, 8);
    }
    if let Some(hex) = text.strip_prefix("0x") {
        return of_radix(hex, 16);
    }
    if digits.bytes().all(|byte| byte.is_ascii_digit()) {
        let plain = text.strip_prefix('+').unwrap_or(text);
        return plain
            .parse::<i64>()
            .map(Number::from)
            .or_else(|_| plain.parse::<u64>().map(Number::from))
            .ok();
    }
    let of_float = |byte: u8| byte.is_ascii_digit() || matches!(byte, b'.' | b'e' | b'E' | b'+' | b'-');
    let has_digit = digits.bytes().any(|byte| byte.is_ascii_digit());
    (has_digit && digits.bytes().all(of_float)).then(|| text.parse::<f64>().ok())?.and_then(Number::from_f64)
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    #[test]
    fn documents_become_values() {
        for (text, value) in [
            ("", json!(null)),
            (
                "a: 1\nb: [x, 'y', 2.5, ~, true, \"3\"]\n",
                json!({ "a": 1, "b": ["x", "y", 2.5, null, true, "3"] }),
            ),
            (
                "a: &x {b: 1}\nc: *x\nd: {<<: *x, e: 2}\n",
                json!({ "a": { "b": 1 }, "c": { "b": 1 }, "d": { "e": 2, "b": 1 } }),
            ),
            ("a: |\n  x\n  y\nb: >-\n  x\n  y\n", json!({ "a": "x\ny\n", "b": "x y" })),
            (
                "a: yes\nb: 0o17\nc: 0x1f\nd: 1e3\ne: +5\nf: -0\n",
                json!({ "a": true, "b": 15, "c": 31, "d": 1000.0, "e": 5, "f": 0 }),
            ),
            (
                "a: 1.2.3\nb: 12:30\nc: 2030-01-31\nd: .\n",
                json!({ "a": "1.2.3", "b": "12:30", "c": "2030-01-31", "d": "." }),
            ),
            ("a: !!str 1\nb: !own x\n", json!({ "a": "1", "b": "x" })),
        ] {
            assert_eq!(read(text, 1).unwrap(), value, "{text}");
        }
        let deep = "[".repeat(DEEPEST + 10) + &"]".repeat(DEEPEST + 10);
        let laughs = (1..9).fold("a0: &a0 [x, x, x, x, x, x, x, x, x]\n".to_owned(), |text, n| {
            format!("{text}a{n}: &a{n} [{}]\n", vec![format!("*a{}", n - 1); 9].join(", "))
        });
        for broken in [
            "a: [\n",
            "a: 1\na: 2\n",
            "? [a]\n: 1\n",
            "a: *b\n",
            "a: &x [*x]\n",
            "\ta: 1\n b",
            &deep,
            &laughs,
        ] {
            let message = read(broken, 1).unwrap_err().to_string();
            assert!(message.starts_with("not YAML"), "{message}");
        }
    }
}
