//! The rule on settings that are empty or were never filled in.

use std::ops::Range;

use super::Rule;
use super::notations::{Leftover, Mend, Variables, leftover};
use super::written::{self, Kind};
use crate::cover;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::Model;
use crate::source::Sources;

pub(super) static PLACEHOLDER_LEFT: Rule = Rule {
    name: "placeholder-left",
    severity: Severity::Warning,
    summary: "A setting is empty or still has a placeholder",
    why: "The program would use the placeholder as a real value.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.REGION = \"changeme\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.REGION = \"north\"\n",
    ..Rule::BASE
};

/// A placeholder in a text.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Left {
    range: Range<usize>,
    what: &'static str,
}

/// Words that stand for a value wherever they are.
const STARTS: &[&str] = &[
    "CHANGE_ME",
    "CHANGEME",
    "CHANGE-ME",
    "CHANGE_THIS",
    "CHANGETHIS",
    "SET_ME",
    "SETME",
    "REPLACE_",
    "REPLACEME",
    "REPLACE-ME",
    "INSERT_",
    "YOUR_",
    "FILL_ME",
];

/// Whole values that are placeholders, without signs.
const WHOLE: &[&str] = &[
    "changeme",
    "change me",
    "changeit",
    "change this",
    "changethis",
    "placeholder",
    "set me",
    "setme",
    "todo",
    "fixme",
    "tbd",
    "xxx",
    "xxxx",
    "xxxxx",
    "replaceme",
    "replace me",
    "replace this",
    "fill me in",
    "fillmein",
    "to be defined",
    "none yet",
    "insert here",
];

/// Last words of placeholders that start with `your`.
const OWN: &[&str] = &[
    "key", "password", "secret", "token", "domain", "host", "hostname", "name", "email", "region", "id",
    "url", "value", "here",
];

/// The first letters of all these words: most texts need no closer look.
const FIRST_LETTERS: &[char] =
    &['c', 'C', 'f', 'F', 'i', 'I', 'n', 'N', 'r', 'R', 't', 'T', 'x', 'X', 'y', 'Y', 'p', 'P', 's', 'S'];

/// Whether a whole value is a placeholder.
fn is_whole(text: &str) -> bool {
    if text == "…" || text.len() > 2 && text.chars().all(|c| matches!(c, '.' | '?' | '…')) {
        return true;
    }
    if !text.trim_start_matches(|c: char| !c.is_ascii_alphanumeric()).starts_with(FIRST_LETTERS) {
        return false;
    }
    let small = text.to_lowercase();
    let plain: String = small.chars().filter(|c| c.is_ascii_alphanumeric() || *c == ' ').collect();
    let yours = plain.starts_with("your ") && OWN.iter().any(|word| plain.ends_with(word))
        || small.starts_with("your-") && small.ends_with("-here");
    yours || WHOLE.contains(&plain.as_str())
}

/// A placeholder in a text; in a file only those that nobody writes for another reason.
fn placeholder(text: &str, in_file: bool) -> Option<Left> {
    if !in_file && is_whole(text.trim()) {
        return Some(Left { range: 0..text.len(), what: "a placeholder" });
    }
    let is_letter = |c: char| c.is_ascii_alphanumeric() || c == '_' || c == '-';
    let mut from = 0;
    for word in text.split_inclusive(|c: char| !is_letter(c)) {
        let (start, bare) = (from, word.trim_end_matches(|c: char| !is_letter(c)));
        from += word.len();
        if !bare.starts_with(FIRST_LETTERS) {
            continue;
        }
        let capitals = bare.chars().all(|c| !c.is_ascii_lowercase());
        let upper = bare.to_ascii_uppercase();
        let starts = STARTS.iter().any(|one| {
            let rest = upper.strip_prefix(one);
            rest.is_some_and(|rest| {
                rest.is_empty() || rest.starts_with(['_', '-']) || one.ends_with('_') && capitals
            })
        });
        let crosses = bare.len() >= 3 && bare.bytes().all(|byte| byte == b'x' || byte == b'X');
        let marks = capitals && ["TODO", "FIXME", "TBD", "XXX"].contains(&bare);
        let your = upper.starts_with("YOUR-") && upper.ends_with("-HERE");
        if starts && bare.len() >= 7 && (capitals || !in_file) || !in_file && (crosses || marks || your) {
            return Some(Left { range: start..start + bare.len(), what: "a placeholder" });
        }
    }
    let asks = |at: &usize| !text.get(..*at).is_some_and(|before| before.ends_with(char::is_alphanumeric));
    if let Some(at) = text.find("???").filter(|_| !in_file).filter(asks) {
        return Some(Left { range: at..at + 3, what: "a placeholder" });
    }
    in_angles(text, in_file)
}

/// `<your key>`: words in angle brackets that are no tag.
fn in_angles(text: &str, in_file: bool) -> Option<Left> {
    let mut at = 0;
    while let Some(open) = text.get(at..)?.find('<').map(|open| at + open) {
        let inside = text.get(open + 1..)?;
        let close = inside.find(['>', '<', '\n'])?;
        at = open + 1 + close;
        let (inner, ends) = (inside.get(..close)?, inside.get(close..)?.starts_with('>'));
        let word = |c: char| c.is_alphanumeric() || " _-.'’".contains(c);
        let small = inner.to_lowercase();
        let known = [
            "your", "my ", "insert", "replace", "here", "password", "secret", "token", "key", "host", "name",
            "value", "user", "region", "domain", "change",
        ];
        let whole = open == 0 && open + close + 2 == text.trim_end().len();
        let closes = text.contains(&format!("</{inner}>")) || small.ends_with('/');
        if ends
            && inner.len() >= 2
            && inner.len() < 60
            && inner.chars().all(word)
            && !closes
            && (whole && !in_file
                || known.iter().any(|known| small.contains(known)) && (!in_file || small.starts_with("your")))
        {
            return Some(Left { range: open..open + close + 2, what: "a placeholder" });
        }
    }
    None
}

const WRITE: &str = "write the value, or refer to one: `{secret.NAME/KEY}`, `{input.NAME}`";

pub(super) fn placeholder_left(model: &Model, sources: &Sources, sink: &mut Sink) {
    let mut variables = Variables::default();
    for text in written::all(model, sources) {
        let named = !text.name.is_empty();
        if text.text.is_empty() && named && !matches!(text.kind, Kind::Default | Kind::Label) {
            let place = text.place(0..0);
            let place = if text.kind.is_line() { place } else { text.span };
            let problem = Diagnostic::new(&PLACEHOLDER_LEFT, format!("{} is empty", text.words()))
                .at(place, "empty value")
                .help("set a value, or remove the line");
            sink.push(text.owner.owns(problem));
            continue;
        }
        let in_file = text.kind.is_file() || text.text.contains('\n');
        // A program may be called `todo`.
        let is_word = text.kind == Kind::Argument && text.text.chars().all(|c| c.is_ascii_lowercase());
        let found = placeholder(&text.text, in_file)
            .filter(|_| !is_word)
            .filter(|left| !is_in_comment(&text.text, left.range.start))
            .map(|left| Leftover { range: left.range, label: left.what, mend: Mend::Help(WRITE.into()) })
            .or_else(|| leftover(model, &text, &mut variables));
        let is_secret = || !cover::in_clear(text.name, &text.before, &text.text).is_empty();
        // A secret has been reported as such.
        let Some(Leftover { range, label, mend }) = found.filter(|_| !is_secret()) else { continue };
        let place = text.place(range);
        let problem = Diagnostic::new(&PLACEHOLDER_LEFT, format!("{} still has a placeholder", text.words()))
            .at(place, label);
        let problem = match mend {
            Mend::Instead(instead) if text.is_exact() => {
                let title = format!("write `{instead}`");
                problem.fix(place, instead, title)
            }
            Mend::Instead(instead) => problem.help(format!("write `{instead}`")),
            Mend::Help(help) => problem.help(help),
        };
        sink.push(text.owner.owns(problem));
    }
}

fn is_in_comment(text: &str, at: usize) -> bool {
    text.contains('\n') && cover::is_comment(cover::line_before(text, at))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn placeholders_differ_from_values() {
        for text in [
            "changeme",
            "Change-Me!",
            "TODO",
            "<your region>",
            "your password",
            "your-token-here",
            "xxx",
            "https://xxx.example/",
            "REPLACE_WITH_KEY",
            "http://REPLACE_ME:80",
            "region-???",
            "key <your key> here",
            "YOUR_REGION",
        ] {
            assert!(placeholder(text, false).is_some(), "{text}");
        }
        for text in [
            "",
            "north",
            "<a href=x></a>",
            "todolist",
            "xx",
            "yours",
            "a < b > c",
            "<b>x</b>",
            "what?",
            "replacement",
            "x-replace",
            "insert",
            "maxxx5",
            "Your harbour",
            "Really???",
        ] {
            assert_eq!(placeholder(text, false), None, "{text}");
        }
        assert_eq!(placeholder("a: TODO later\nb: xxx\n", true), None);
        assert!(placeholder("a: REPLACE_WITH_KEY\n", true).is_some());
    }
}
