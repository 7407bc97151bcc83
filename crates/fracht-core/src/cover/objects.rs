//! Finds the parts of a file of objects that must not be shown, in YAML or in JSON.

use std::ops::Range;

use super::{looks, may_be_secret_name};

/// The bytes that must not be shown: what looks secret, the values of variables, and all values of a Secret.
pub(crate) fn hidden(text: &str) -> Vec<Range<usize>> {
    let mut hidden: Vec<Range<usize>> = looks::hits(text).into_iter().map(|hit| hit.range).collect();
    let mut at = 0;
    let mut document: Vec<(usize, &str)> = Vec::new();
    for line in text.split_inclusive('\n') {
        if line.starts_with("---") {
            add_values(&document, &mut hidden);
            document.clear();
        }
        document.push((at, line));
        at += line.len();
    }
    add_values(&document, &mut hidden);
    hidden
}

/// Keys whose values tell which object it is, or only how it is built.
const OPEN: &[&str] = &["kind", "apiVersion", "name", "namespace", "metadata", "type", "data", "stringData"];

fn add_values(document: &[(usize, &str)], hidden: &mut Vec<Range<usize>>) {
    let is_secret = document.iter().any(|(_, line)| {
        // In JSON, several keys may be on one line.
        line.split("kind")
            .skip(1)
            .any(|rest| rest.trim_start_matches(['"', '\'', ' ', ':']).starts_with("Secret"))
    });
    // Set behind the name of a variable that may be secret, whatever the key of its value is called.
    let mut of_secret = false;
    for (at, line) in document {
        let bare = line.trim_start_matches([' ', '-', '{', ',', '"', '\'']);
        let key_at = line.len() - bare.len();
        let end = bare.find(['"', '\'', ':', ' ', '\n']).unwrap_or(bare.len());
        let key = bare.get(..end).unwrap_or_default();
        let colon = bare.find(':').map(|colon| key_at + colon + 1);
        of_secret &= !line.trim_start().starts_with('-');
        let from = match colon {
            Some(colon) if is_secret && (!OPEN.contains(&key) || line.contains('{')) => Some(colon),
            Some(colon) if of_secret && key != "name" => Some(colon),
            // A text of several lines.
            None if is_secret || of_secret => Some(key_at),
            _ => None,
        };
        let behind = names(line).find(|(name, _)| may_be_secret_name(name)).map(|(_, end)| end);
        of_secret |= behind.is_some();
        let value = line.find("value").map(|value| value + "value".len());
        if let Some(from) = [from, behind, value].into_iter().flatten().min() {
            hidden.push(at + from..at + line.trim_end().len());
        }
    }
}

/// The names that a line gives to something, and where each ends: `- name: PASSWORD`, `{"name": "PASSWORD"`.
fn names(line: &str) -> impl Iterator<Item = (&str, usize)> {
    line.match_indices("name").filter_map(move |(at, name)| {
        let rest = line.get(at + name.len()..)?.trim_start_matches(['"', '\'', ' ', ':']);
        let name = rest.split(['"', '\'', ' ', ',', '}', '\n']).next()?;
        Some((name, line.len() - rest.len() + name.len()))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_of_secrets_are_hidden_and_keys_are_not() {
        for (text, shown) in [
            (
                "kind: Secret\nmetadata:\n  name: a\ndata:\n  key: gull\n",
                "kind: Secret\nmetadata:\n  name: a\ndata:\n  key:\n",
            ),
            (
                "data:\n  a: |\n    gull\n    kelp\nkind: \"Secret\"\n",
                "data:\n  a:\n    \n    \nkind: \"Secret\"\n",
            ),
            (
                "kind: ConfigMap\ndata:\n  a: b\n---\nkind: Secret\nstringData: {a: gull}\n",
                "kind: ConfigMap\ndata:\n  a: b\n---\nkind: Secret\nstringData:\n",
            ),
            ("{\"kind\": \"Secret\", \"data\": {\"a\": \"gull\"}}\n", "{\"kind\":\n"),
            ("kind: Pod\nenv:\n- name: A\n  value: gull\n", "kind: Pod\nenv:\n- name: A\n  value\n"),
            (
                "kind: Pod\nenv:\n- name: API_TOKEN\n  valeu: gull\n- name: B\n  valeu: gull\n",
                "kind: Pod\nenv:\n- name: API_TOKEN\n  valeu:\n- name: B\n  valeu: gull\n",
            ),
            ("env: [{name: API_TOKEN, valu: gull}]\n", "env: [{name: API_TOKEN\n"),
            ("[{name: a, env: [{name: DB_PW, valu: gull}]}]\n", "[{name: a, env: [{name: DB_PW\n"),
            ("kind: Pod\nargs: [\"--password=gull\"]\n", "kind: Pod\nargs: [\"--password=\"]\n"),
        ] {
            let mut out = text.to_owned();
            for range in super::super::message::merged(hidden(text)).into_iter().rev() {
                out.replace_range(range, "");
            }
            assert_eq!(out, shown);
        }
    }
}
