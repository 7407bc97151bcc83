//! The rule on settings that are empty or were never filled in.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use super::Rule;
use super::written::{self, Kind, Owner, Written};
use crate::cover;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::reference;
use crate::model::{Config, Container, Model, Part};
use crate::source::{Sources, Span};

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
    "todo",
    "fixme",
    "tbd",
    "xxx",
    "xxxx",
    "xxxxx",
    "replaceme",
    "replace me",
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
    &['c', 'C', 'f', 'F', 'i', 'I', 'n', 'N', 'r', 'R', 't', 'T', 'x', 'X', 'y', 'Y'];

/// Whether a whole value is a placeholder.
fn is_whole(text: &str) -> bool {
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

const DOLLAR: &str = "`$` stays in front of the value";

/// `${NAME}` and `$(NAME)` that nobody defines, and references in two braces.
fn leftover(text: &Written<'_>, mut is_defined: impl FnMut(&str) -> bool) -> Option<Left> {
    let whole = &*text.text;
    for (at, _) in whole.match_indices('$') {
        let rest = whole.get(at + 1..)?;
        let reference = rest.strip_prefix('{').and_then(|rest| rest.split_once('}'));
        let reference =
            reference.filter(|(inner, _)| text.takes_references() && reference::parse(inner).is_ok());
        if let Some((inner, _)) = reference {
            return Some(Left { range: at..at + inner.len() + 3, what: DOLLAR });
        }
        let Some((close, what)) = (match rest.chars().next() {
            Some('{') if !text.takes_references() => Some(('}', "nothing replaces `${…}` here")),
            Some('(') => Some((')', "no variable of this name")),
            _ => None,
        }) else {
            continue;
        };
        // An escaped one, and what a shell computes.
        if whole.get(..at)?.ends_with(['$', '\\']) {
            continue;
        }
        let inner = rest.get(1..)?;
        let Some(end) = inner.find(close) else { continue };
        let name = inner.get(..end)?;
        let bare = name.split([':', '?']).next().unwrap_or_default().trim_end_matches('-');
        let is_variable = !bare.is_empty() && bare.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        let is_name = is_variable && !bare.starts_with(|c: char| c.is_ascii_digit());
        // With two braces it is meant literally.
        let is_name = is_name && !inner.starts_with('{');
        if is_name && (close == '}' || bare.len() == name.len()) && !is_defined(bare) {
            return Some(Left { range: at..at + end + 3, what });
        }
    }
    for (at, _) in whole.match_indices("{{") {
        let inner = whole.get(at + 2..)?;
        let Some(end) = inner.find("}}") else { continue };
        if reference::parse(inner.get(..end)?.trim()).is_ok() {
            return Some(Left { range: at..at + end + 4, what: "two braces are literal ones" });
        }
    }
    None
}

/// The names of the variables of a container; `None` if some cannot be known.
fn variables(model: &Model, container: &Container) -> BTreeSet<String> {
    let own = container.env.iter().map(|variable| variable.name.to_string());
    let used = container.uses.iter().flat_map(|used| {
        model.used_keys(used).into_iter().filter_map(move |part| match part {
            Part::Config(_, key) | Part::Secret(_, key) => Some(used.variable(&key)),
            _ => None,
        })
    });
    own.chain(used).collect()
}

/// Whether a shell reads the arguments of a container.
fn has_shell(container: &Container) -> bool {
    let words = || container.program.iter().chain(&container.args).flatten();
    words().any(|text| {
        let word = text.plain_text();
        let name = word.rsplit('/').next().unwrap_or_default();
        ["sh", "bash", "ash", "dash", "zsh", "-c", "-ec", "-lc", "-ce"].contains(&name)
    })
}

pub(super) fn placeholder_left(model: &Model, sources: &Sources, sink: &mut Sink) {
    let mut variables = Variables::default();
    for text in written::all(model, sources) {
        let named = !text.name.is_empty();
        if text.text.is_empty() && named && !matches!(text.kind, Kind::Default | Kind::Label) {
            let place = text.place(0..0);
            let place = if text.kind == Kind::Line { place } else { text.span };
            let problem = Diagnostic::new(&PLACEHOLDER_LEFT, format!("{} is empty", text.words()))
                .at(place, "empty value")
                .help("set a value, or remove the line");
            sink.push(text.owner.owns(problem));
            continue;
        }
        let in_file = text.kind == Kind::File || text.text.contains('\n');
        // A program may be called `todo`.
        let is_word = text.kind == Kind::Argument && text.text.chars().all(|c| c.is_ascii_lowercase());
        let found = placeholder(&text.text, in_file)
            .filter(|_| !is_word)
            .filter(|left| !is_in_comment(&text.text, left.range.start))
            .map(|left| (left, "write the value, or refer to one: `{secret.NAME/KEY}`, `{input.NAME}`"))
            .or_else(|| Some((unreplaced(model, &text, &mut variables)?, "refer to what it stands for, for example `{input.NAME}`; for a literal text, allow it with a reason")));
        let is_secret = || !cover::in_clear(text.name, &text.before, &text.text).is_empty();
        // A secret has been reported as such.
        let Some((left, help)) = found.filter(|_| !is_secret()) else { continue };
        let problem = Diagnostic::new(&PLACEHOLDER_LEFT, format!("{} still has a placeholder", text.words()))
            .at(text.place(left.range.clone()), left.what);
        let written = text.text.get(left.range.clone());
        let inner = written.and_then(|one| one.strip_prefix("{{")?.strip_suffix("}}"));
        let inner =
            inner.or_else(|| written?.strip_prefix("${")?.strip_suffix('}').filter(|_| left.what == DOLLAR));
        let problem = match inner {
            Some(inner) if text.is_exact() => problem.fix(
                text.place(left.range.clone()),
                format!("{{{}}}", inner.trim()),
                "write the reference in single braces",
            ),
            _ => problem.help(help),
        };
        sink.push(text.owner.owns(problem));
    }
}

/// The names of the variables of the container or config whose texts are looked at.
#[derive(Default)]
struct Variables<'m> {
    of: Option<Span>,
    names: BTreeSet<String>,
    /// The configs, to find one by its name.
    configs: BTreeMap<&'m str, &'m Config>,
}

impl<'m> Variables<'m> {
    fn of(&mut self, model: &'m Model, owner: Owner<'m>) -> &BTreeSet<String> {
        if self.of.replace(owner.span()) != Some(owner.span()) {
            self.names = match owner {
                Owner::Container(workload, sidecar) => {
                    variables(model, sidecar.map_or(&workload.main, |sidecar| &sidecar.container))
                }
                Owner::Table(_, name, _) => {
                    if self.configs.is_empty() {
                        self.configs = model.configs.iter().map(|config| (&*config.name, config)).collect();
                    }
                    let keys = self.configs.get(name).into_iter().flat_map(|config| config.keys.iter());
                    keys.map(|key| key.name.to_string()).collect()
                }
            };
        }
        &self.names
    }
}

/// What another notation left in a text that a program gets as it is.
fn unreplaced<'m>(model: &'m Model, text: &Written<'m>, variables: &mut Variables<'m>) -> Option<Left> {
    // In a text with references `${NAME}` is no reference, and reported as such.
    let replaced = text.takes_references() || text.kind == Kind::Line;
    if !text.text.contains(['$', '{']) || !replaced || text.kind == Kind::Label {
        return None;
    }
    match (text.owner, text.kind) {
        (Owner::Container(workload, sidecar), Kind::Argument) => {
            let container = sidecar.map_or(&workload.main, |sidecar| &sidecar.container);
            if has_shell(container) {
                return None;
            }
        }
        // A program may replace them in its own files; the lines of a config become variables as they are.
        (Owner::Table(..), kind) if kind != Kind::Line => return None,
        _ => {}
    }
    leftover(text, |name| variables.of(model, text.owner).contains(name))
}

fn is_in_comment(text: &str, at: usize) -> bool {
    let line = text.get(..at).unwrap_or_default().rsplit('\n').next().unwrap_or_default().trim_start();
    text.contains('\n') && ["#", ";", "//", "--", "<!--", "*"].iter().any(|sign| line.starts_with(sign))
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
