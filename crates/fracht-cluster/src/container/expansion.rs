//! Escapes `$(NAME)` in variables, arguments and commands: the kubelet replaces it with the value of a variable.
//!
//! Its grammar, by documentation and source: `$$` becomes `$`; `$(NAME)` becomes the value of the variable, or stays if
//! there is no such variable; any other `$` stays, but a letter after it that is not ASCII is damaged, since only its
//! first byte is copied. At the end of a text, `$` stays.

/// Appends a text so that the expansion restores it: `$` is doubled where it would be replaced. In a variable or an
/// argument, every `$(` may name a variable.
pub(crate) fn escape(out: &mut String, literal: &str, reference_follows: bool) {
    let mut rest = literal;
    while let Some(at) = rest.find('$') {
        let (before, from_run) = rest.split_at(at);
        let after = from_run.trim_start_matches('$');
        let run = from_run.len() - after.len();
        let taken = after.starts_with(|next: char| next == '(' || !next.is_ascii());
        let doubled = run > 1 || taken || (after.is_empty() && reference_follows);
        out.push_str(before);
        out.extend(std::iter::repeat_n('$', if doubled { run * 2 } else { run }));
        rest = after;
    }
    out.push_str(rest);
}

/// A word of a command, escaped so that the expansion restores it. Only variables of the container itself count here:
/// the `$(command)` of a shell stays unchanged unless a variable has that name.
pub(crate) fn command_word(word: &str, is_variable: impl Fn(&str) -> bool) -> String {
    let mut rest = word;
    while let Some(at) = rest.find('$') {
        let after = rest.get(at + 1..).unwrap_or_default();
        let changes = match after.chars().next() {
            Some('$') => true,
            Some('(') => after
                .get(1..)
                .and_then(|inner| inner.split_once(')'))
                .is_some_and(|(name, _)| is_variable(name)),
            Some(next) => !next.is_ascii(),
            None => false,
        };
        if changes {
            return word.replace('$', "$$");
        }
        // The text in `$(…)` is a name and is not expanded again.
        let inner = after.strip_prefix('(').and_then(|inner| inner.split_once(')'));
        rest = inner.map_or(after, |(_, behind)| behind);
    }
    word.to_owned()
}
