//! `$(NAME)` in variables, arguments and the commands of probes: the kubelet replaces it with the value of a variable.
//!
//! Its grammar, by its documentation and source: `$$` is a `$`; `$(NAME)` is the value of the variable, or stays as it
//! is where there is none; any other `$` stays, but of a letter behind it that is not ASCII only the first byte is
//! read, which spoils it. At the end of a text a `$` stays.

/// Appends a literal so that the expansion gives it back: `$` is doubled where it would be taken for something else. In a
/// variable or an argument every `$(` may name a variable.
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

/// A word of a probe's command, so that the expansion gives it back. There only variables of the container itself count:
/// the `$(command)` of a shell stays as it is unless a variable has that name.
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
        // What stands in `$(…)` is read as a name, and not looked at again.
        let inner = after.strip_prefix('(').and_then(|inner| inner.split_once(')'));
        rest = inner.map_or(after, |(_, behind)| behind);
    }
    word.to_owned()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    /// What the kubelet makes of a text, byte by byte as its source reads it.
    fn expanded(text: &str, value: impl Fn(&str) -> Option<String>) -> String {
        let bytes = text.as_bytes();
        let mut out: Vec<u8> = Vec::new();
        let mut at = 0;
        while at < bytes.len() {
            if bytes[at] != b'$' || at + 1 == bytes.len() {
                out.push(bytes[at]);
                at += 1;
                continue;
            }
            let rest = &text[at..];
            match bytes[at + 1] {
                b'$' => {
                    out.push(b'$');
                    at += 2;
                }
                b'(' => match rest.find(')') {
                    Some(end) => {
                        let name = &rest[2..end];
                        out.extend(value(name).unwrap_or_else(|| format!("$({name})")).bytes());
                        at += end + 1;
                    }
                    None => {
                        out.extend(b"$(");
                        at += 2;
                    }
                },
                // A byte is taken for a letter.
                byte => {
                    out.push(b'$');
                    out.extend(char::from(byte).to_string().bytes());
                    at += 2;
                }
            }
        }
        String::from_utf8_lossy(&out).into_owned()
    }

    fn value(name: &str) -> Option<String> {
        (name == "NAME" || name == "a").then(|| "<v>".to_owned())
    }

    #[test]
    fn texts_come_out_as_the_documentation_says() {
        for (text, out) in [
            ("$(NAME)", "<v>"),
            ("$$(NAME)", "$(NAME)"),
            ("$(OTHER)", "$(OTHER)"),
            ("$", "$"),
            ("$$", "$"),
            ("$x $1 ${y}", "$x $1 ${y}"),
            ("$(open", "$(open"),
            ("5 $€", "5 $â\u{fffd}\u{fffd}"),
        ] {
            assert_eq!(expanded(text, value), out, "{text}");
        }
    }

    #[test]
    fn every_dollar_is_written_so_that_it_comes_back() {
        for text in [
            "5 $€",
            "$é",
            "$$é",
            "$",
            "$$",
            "$$$",
            "a$",
            "$(NAME)",
            "$$(NAME)",
            "$(",
            "$)",
            "$x",
            "${HOME}",
            "$\u{0}",
            "$\n",
            "$(a$(NAME))",
            "€$",
            "$😀",
            "$$$€$",
        ] {
            let mut out = String::new();
            super::escape(&mut out, text, false);
            assert_eq!(expanded(&out, value), text, "{out}");
            assert_eq!(expanded(&super::command_word(text, |name| value(name).is_some()), value), text);
        }
        assert_eq!(super::command_word("test $(cat /x) = $HOME", |_| false), "test $(cat /x) = $HOME");
    }

    proptest! {
        #[test]
        fn every_literal_comes_out_as_it_went_in(parts in prop::collection::vec("[$(){aé}]{0,6}", 1..4)) {
            let mut composed = String::new();
            for (index, part) in parts.iter().enumerate() {
                let last = index + 1 == parts.len();
                super::escape(&mut composed, part, !last);
                composed.push_str(if last { "" } else { "$(NAME)" });
            }
            prop_assert_eq!(expanded(&composed, value), parts.join("<v>"));
            let word = super::command_word(&parts.concat(), |name| value(name).is_some());
            prop_assert_eq!(expanded(&word, value), parts.concat());
        }
    }
}
