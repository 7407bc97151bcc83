//! Patterns of paths: `*` and `?` stand for characters of one name, `**` for any folders, `[a-z]` for one of some
//! characters, and `{a,b}` for one of several texts.

use super::invalid::Invalid;

/// The most texts that the braces of one pattern may stand for.
const MOST_TEXTS: usize = 256;

/// A pattern of paths.
#[derive(Clone, Debug)]
pub struct Glob {
    /// Without braces: each has its names.
    texts: Vec<Vec<Name>>,
}

/// The pattern of one name in a path.
#[derive(Clone, Debug)]
enum Name {
    /// `**`: any folders, also none.
    AnyFolders,
    /// A name.
    Of(Vec<Token>),
}

/// A part of a name.
#[derive(Clone, Debug)]
enum Token {
    Char(char),
    /// `?`.
    Any,
    /// `*`.
    AnyRun,
    /// `[a-z]`, or `[!a-z]` if it is negated.
    Class {
        ranges: Vec<(char, char)>,
        negated: bool,
    },
}

impl Glob {
    /// Reads a pattern.
    ///
    /// # Errors
    /// Why it is invalid.
    pub fn parse(pattern: &str) -> Result<Self, Invalid> {
        let texts = without_braces(pattern)?;
        let names = |text: String| {
            let name = |name: &str| match name {
                "**" => Ok(Name::AnyFolders),
                name => tokens(name).map(Name::Of),
            };
            split_names(&text).into_iter().map(name).collect::<Result<Vec<Name>, Invalid>>()
        };
        Ok(Self { texts: texts.into_iter().map(names).collect::<Result<_, _>>()? })
    }

    /// Whether a path, with `/` between its names, matches.
    pub fn matches(&self, path: &str) -> bool {
        let path: Vec<&str> = path.split('/').collect();
        self.texts.iter().any(|names| names_match(names, &path))
    }

    /// How many names a path has at most that matches; `None` for any number.
    pub fn depth(&self) -> Option<usize> {
        let any = |name: &Name| matches!(name, Name::AnyFolders);
        let depths = self.texts.iter().map(|names| (!names.iter().any(any)).then_some(names.len()));
        depths.collect::<Option<Vec<usize>>>().and_then(|depths| depths.into_iter().max())
    }
}

/// The texts that a pattern with braces stands for. Braces may be within braces.
fn without_braces(pattern: &str) -> Result<Vec<String>, Invalid> {
    let (mut done, mut open) = (Vec::new(), vec![pattern.to_owned()]);
    while let Some(text) = open.pop() {
        if done.len() + open.len() > MOST_TEXTS {
            return Err("too many alternatives in braces".into());
        }
        match braces(&text)? {
            None => done.push(text),
            Some((start, items, end)) => {
                let (before, after) = (text.get(..start), text.get(end..));
                let whole = |item: &String| {
                    format!("{}{item}{}", before.unwrap_or_default(), after.unwrap_or_default())
                };
                open.extend(items.iter().map(whole));
            }
        }
    }
    Ok(done)
}

/// The first braces of a text: the byte of the opening one, the items, and the byte after the closing one.
fn braces(text: &str) -> Result<Option<(usize, Vec<String>, usize)>, Invalid> {
    let (mut depth, mut start, mut items) = (0_usize, 0, Vec::new());
    let mut chars = text.char_indices();
    let mut in_class = false;
    while let Some((at, c)) = chars.next() {
        let mut from_item = |c: char| {
            if let Some(item) = items.last_mut().filter(|_| depth > 0) {
                String::push(item, c);
            }
        };
        match c {
            '\\' => {
                from_item(c);
                if let Some((_, escaped)) = chars.next() {
                    from_item(escaped);
                }
                continue;
            }
            '[' => in_class = true,
            ']' => in_class = false,
            _ if in_class => {}
            '{' => {
                depth += 1;
                if depth == 1 {
                    start = at;
                    items.push(String::new());
                    continue;
                }
            }
            '}' if depth > 0 => {
                depth -= 1;
                if depth == 0 {
                    return Ok(Some((start, items, at + 1)));
                }
            }
            '}' => return Err("a brace is closed that was not opened".into()),
            ',' if depth == 1 => {
                items.push(String::new());
                continue;
            }
            _ => {}
        }
        if let Some(item) = items.last_mut().filter(|_| depth > 0) {
            item.push(c);
        }
    }
    if depth > 0 { Err("a brace is not closed".into()) } else { Ok(None) }
}

/// The names of a pattern. A slash in brackets is no end of a name, and matches nothing.
fn split_names(text: &str) -> Vec<&str> {
    let (mut in_class, mut escaped) = (false, false);
    text.split(move |c: char| {
        let plain = !std::mem::take(&mut escaped);
        match c {
            '\\' if plain => escaped = true,
            '[' if plain => in_class = true,
            ']' if plain => in_class = false,
            '/' => return !in_class,
            _ => {}
        }
        false
    })
    .collect()
}

/// The parts of the pattern of a name.
fn tokens(name: &str) -> Result<Vec<Token>, Invalid> {
    let mut tokens = Vec::new();
    let mut rest = name.chars().peekable();
    while let Some(c) = rest.next() {
        tokens.push(match c {
            '*' => Token::AnyRun,
            '?' => Token::Any,
            '\\' => Token::Char(rest.next().ok_or("it ends with a backslash")?),
            '[' => {
                let negated = rest.next_if(|c| matches!(c, '!' | '^')).is_some();
                let (mut ranges, mut closed) = (Vec::new(), false);
                while let Some(mut first) = rest.next() {
                    // A bracket that comes first is one of the characters.
                    if first == ']' && !ranges.is_empty() {
                        closed = true;
                        break;
                    }
                    if first == '\\' {
                        first = rest.next().ok_or("a bracket is not closed")?;
                    }
                    let mut ahead = rest.clone();
                    let last = match (ahead.next(), ahead.next()) {
                        (Some('-'), Some(last)) if last != ']' => {
                            rest = ahead;
                            last
                        }
                        _ => first,
                    };
                    if last < first {
                        return Err("a range of characters is the wrong way round".into());
                    }
                    ranges.push((first, last));
                }
                if !closed {
                    return Err("a bracket is not closed".into());
                }
                Token::Class { ranges, negated }
            }
            c => Token::Char(c),
        });
    }
    Ok(tokens)
}

/// Whether the names of a path match. For each name of the pattern, the places in the path are kept that it may lead to.
fn names_match(names: &[Name], path: &[&str]) -> bool {
    let mut places = vec![0];
    for (index, name) in names.iter().enumerate() {
        places = match name {
            Name::AnyFolders => {
                let first = places.first().copied().unwrap_or(path.len());
                // At the end, it stands for at least one name.
                let is_last = index + 1 == names.len();
                if is_last && first < path.len() { vec![path.len()] } else { (first..path.len()).collect() }
            }
            Name::Of(tokens) => {
                let fits = |at: &usize| path.get(*at).is_some_and(|name| name_matches(tokens, name));
                places.into_iter().filter(fits).map(|at| at + 1).collect()
            }
        };
        if places.is_empty() {
            return false;
        }
    }
    places.contains(&path.len())
}

/// Whether a name matches. On a mismatch, the last `*` takes one character more.
fn name_matches(tokens: &[Token], name: &str) -> bool {
    let name: Vec<char> = name.chars().collect();
    let (mut token, mut at, mut last_run) = (0, 0, None);
    while at < name.len() {
        let next = name.get(at).copied().unwrap_or_default();
        let fits = match tokens.get(token) {
            Some(Token::AnyRun) => {
                last_run = Some((token, at));
                token += 1;
                continue;
            }
            Some(Token::Any) => true,
            Some(Token::Char(c)) => *c == next,
            Some(Token::Class { ranges, negated }) => {
                ranges.iter().any(|(first, last)| (*first..=*last).contains(&next)) != *negated
            }
            None => false,
        };
        if fits {
            (token, at) = (token + 1, at + 1);
        } else if let Some((run, taken)) = last_run {
            last_run = Some((run, taken + 1));
            (token, at) = (run + 1, taken + 1);
        } else {
            return false;
        }
    }
    tokens.iter().skip(token).all(|token| matches!(token, Token::AnyRun))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_match_paths() {
        for (pattern, matching, others) in [
            ("*.toml", &["a.toml", ".toml"][..], &["a.txt", "x/a.toml"][..]),
            ("x/*/c", &["x/b/c"], &["x/c", "x/a/b/c"]),
            ("x/**/c", &["x/c", "x/a/c", "x/a/b/c"], &["c", "x/a/b"]),
            ("**/c", &["c", "a/c", "a/b/c"], &["c/d"]),
            ("x/**", &["x/a", "x/a/b"], &["x", "y/a"]),
            ("a?c", &["abc", "aéc"], &["ac", "a/c"]),
            ("a*b*c", &["abc", "aXbYbZc"], &["ab", "abcd"]),
            ("[a-c]x[!0-9]", &["bxy"], &["dxy", "bx1"]),
            ("[]a]", &["]", "a"], &["b"]),
            ("{a,b{c,d}}.x", &["a.x", "bc.x", "bd.x"], &["b.x", "abc.x"]),
            ("\\*a", &["*a"], &["xa"]),
        ] {
            let glob = Glob::parse(pattern).unwrap();
            for path in matching {
                assert!(glob.matches(path), "{pattern} {path}");
            }
            for path in others {
                assert!(!glob.matches(path), "{pattern} {path}");
            }
        }
        for invalid in ["[", "[a", "{a", "a}", "a\\", "[b-a]"] {
            assert!(Glob::parse(invalid).is_err(), "{invalid}");
        }
        let many = "{a,b}".repeat(40);
        assert!(Glob::parse(&many).is_err());
        let (slow, long) = (Glob::parse(&"*a".repeat(30)).unwrap(), "a".repeat(5000) + "b");
        assert!(!slow.matches(&long));
        assert_eq!(
            (Glob::parse("a/{b,c/d}").unwrap().depth(), Glob::parse("a/**").unwrap().depth()),
            (Some(3), None)
        );
    }
}
