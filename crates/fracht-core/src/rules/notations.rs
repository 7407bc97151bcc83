//! What the notations of shells and of other tools leave in a text that a program gets as it is.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use super::written::{Kind, Owner, Written, commands};
use crate::grammar::reference;
use crate::model::{Config, Container, Model, Part};
use crate::source::Span;

/// What is left in a text, and what to do about it.
pub(super) struct Leftover {
    pub(super) range: Range<usize>,
    pub(super) label: &'static str,
    pub(super) mend: Mend,
}

/// How to mend a leftover.
pub(super) enum Mend {
    /// Write something else in its place.
    Instead(String),
    /// Do something else.
    Help(String),
}

const REFER: &str =
    "refer to what it stands for, for example `{input.NAME}`; for a literal text, allow it with a reason";

/// What another notation left in a text.
pub(super) fn leftover<'m>(
    model: &'m Model,
    text: &Written<'m>,
    variables: &mut Variables<'m>,
) -> Option<Leftover> {
    // In a text with references `${NAME}` is no reference, and reported as such.
    let is_read = !text.kind.is_file() && text.takes_references()
        || matches!(text.kind, Kind::PlainLine | Kind::Command);
    if !text.text.contains(['$', '{', '%', '@', '_']) || !is_read || text.kind == Kind::Label {
        return None;
    }
    match (text.owner, text.kind) {
        (Owner::Container(..), Kind::Argument | Kind::Command) if has_shell(text) => return None,
        // A program may replace them in its own files; the lines of a config become variables as they are.
        (Owner::Table(..), kind) if !kind.is_line() => return None,
        _ => {}
    }
    dollars(text, |name| variables.of(model, text.owner).contains(name))
        .or_else(|| braces(text))
        .or_else(|| signs(&text.text))
}

/// Whether a shell reads an argument, or a word of a command.
fn has_shell(text: &Written<'_>) -> bool {
    let Owner::Container(workload, sidecar) = text.owner else { return false };
    let container = sidecar.map_or(&workload.main, |sidecar| &sidecar.container);
    let is_shell = |word: &str| {
        let name = word.rsplit('/').next().unwrap_or_default();
        ["sh", "bash", "ash", "dash", "zsh", "-c", "-ec", "-lc", "-ce"].contains(&name)
    };
    if text.kind == Kind::Command {
        let mut commands = commands(container);
        let own = commands.find(|command| command.iter().any(|word| word.span() == Some(text.span)));
        return own.into_iter().flatten().any(|word| is_shell(&word.value));
    }
    container.program.iter().chain(&container.args).flatten().any(|word| is_shell(&word.plain_text()))
}

/// `${NAME}`, `$(NAME)` and `$NAME` that nobody replaces.
fn dollars(text: &Written<'_>, mut is_defined: impl FnMut(&str) -> bool) -> Option<Leftover> {
    let whole = &*text.text;
    for (at, _) in whole.match_indices('$') {
        let rest = whole.get(at + 1..)?;
        let inner = rest.strip_prefix('{').and_then(|rest| rest.split_once('}')).map(|(inner, _)| inner);
        if let Some(inner) = inner.filter(|inner| text.takes_references() && reference::parse(inner).is_ok())
        {
            let (range, mend) = (at..at + inner.len() + 3, Mend::Instead(format!("{{{inner}}}")));
            return Some(Leftover { range, label: "`$` stays in front of the value", mend });
        }
        // An escaped one, and what a shell computes.
        if whole.get(..at)?.ends_with(['$', '\\']) {
            continue;
        }
        let close = match rest.chars().next() {
            Some('{') if !is_replaced(text) => '}',
            Some('(') => ')',
            _ => match bare(text, at, &mut is_defined) {
                Some(found) => return Some(found),
                None => continue,
            },
        };
        let inner = rest.get(1..)?;
        let Some(end) = inner.find(close) else { continue };
        let name = inner.get(..end)?;
        let bare = name.split([':', '?']).next().unwrap_or_default().trim_end_matches('-');
        let is_variable = !bare.is_empty() && bare.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        let is_name = is_variable && !bare.starts_with(|c: char| c.is_ascii_digit());
        // With two braces it is meant literally.
        if !is_name || inner.starts_with('{') || close == ')' && bare.len() < name.len() {
            continue;
        }
        let (label, mend) = match text.kind {
            Kind::Command => (NOT_READ, Mend::Help(LET_A_SHELL.into())),
            _ if is_defined(bare) => continue,
            _ if close == ')' => ("no variable of this name", Mend::Help(REFER.into())),
            _ => ("nothing replaces `${…}` here", Mend::Help(REFER.into())),
        };
        return Some(Leftover { range: at..at + end + 3, label, mend });
    }
    None
}

/// A label.
const NOT_READ: &str = "not replaced without a shell";

const LET_A_SHELL: &str = "let a shell read it: `[\"sh\", \"-c\", \"…\"]`";

/// `$NAME`, which only a shell replaces.
fn bare(text: &Written<'_>, at: usize, mut is_defined: impl FnMut(&str) -> bool) -> Option<Leftover> {
    let whole = &*text.text;
    let (before, rest) = (whole.get(..at)?, whole.get(at + 1..)?);
    let end = rest.find(|c: char| !is_capital(c)).unwrap_or(rest.len());
    let name = rest.get(..end)?;
    if name.len() < 2 || name.starts_with(|c: char| c.is_ascii_digit()) {
        return None;
    }
    let is_whole = before.is_empty() && end == rest.len();
    let label = NOT_READ;
    let (alone, mend) = match text.kind {
        Kind::Command => (true, Mend::Help(LET_A_SHELL.into())),
        Kind::Argument | Kind::Variable if is_defined(name) => {
            (is_whole || text.kind == Kind::Argument, Mend::Instead(format!("$({name})")))
        }
        Kind::Argument => (is_whole || before.ends_with('='), Mend::Help(REFER.into())),
        Kind::Variable => (is_whole, Mend::Help(REFER.into())),
        _ => return None,
    };
    alone.then_some(Leftover { range: at..at + 1 + end, label, mend })
}

fn is_capital(c: char) -> bool {
    c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_'
}

/// Whether all braces in a text are references: in a settings file, others stay as they are.
fn is_replaced(text: &Written<'_>) -> bool {
    text.takes_references() && !text.kind.is_line()
}

/// References and templates in two braces.
fn braces(text: &Written<'_>) -> Option<Leftover> {
    let whole = &*text.text;
    for (at, _) in whole.match_indices("{{") {
        let inner = whole.get(at + 2..)?;
        let Some(end) = inner.find("}}") else { continue };
        let (inner, range) = (inner.get(..end)?, at..at + end + 4);
        let label = "two braces are literal ones";
        if reference::parse(inner.trim()).is_ok() {
            let mend = Mend::Instead(format!("{{{}}}", inner.trim()));
            return Some(Leftover { range, label, mend });
        }
        let is_path = inner.chars().all(|c| c.is_alphanumeric() || " ._-$".contains(c));
        let spaced = inner.starts_with(' ') && inner.ends_with(' ') && !inner.trim().contains(' ');
        let is_template = is_path && (spaced || inner.trim_start().starts_with(['.', '$']));
        if is_replaced(text) && is_template && !whole.get(..at)?.ends_with('{') {
            let help = "write the value or a reference; for a literal `{{`, write `{{{{`".to_owned();
            return Some(Leftover { range, label, mend: Mend::Help(help) });
        }
    }
    None
}

/// `%NAME%`, `@@NAME@@` and `__NAME__`.
fn signs(text: &str) -> Option<Leftover> {
    for sign in ["@@", "__", "%"] {
        for (at, _) in text.match_indices(sign) {
            let inner = text.get(at + sign.len()..)?;
            let Some(end) = inner.find(sign) else { break };
            let name = inner.get(..end)?;
            let range = at..at + end + 2 * sign.len();
            let letters = name.chars().filter(char::is_ascii_uppercase).count();
            let is_name = letters >= 2 && name.chars().all(is_capital) && !name.starts_with('_');
            // `%LEVEL%` may be part of a format.
            let is_whole = range == (0..text.len());
            let around = |c: char| c.is_alphanumeric() || c == '_';
            let apart = !text.get(..at)?.ends_with(around) && !text.get(range.end..)?.starts_with(around);
            if is_name && apart && (sign != "%" || is_whole || name.contains('_')) {
                return Some(Leftover { range, label: "a placeholder", mend: Mend::Help(REFER.into()) });
            }
        }
    }
    None
}

/// The names of the variables of a container.
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

/// The names of the variables of the container or config whose texts are looked at.
#[derive(Default)]
pub(super) struct Variables<'m> {
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
