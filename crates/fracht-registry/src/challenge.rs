//! What a registry asks for before it answers: the `WWW-Authenticate` header (RFC 9110, section 11), with a token of
//! another server (`Bearer`, RFC 6750) or with the login itself (`Basic`, RFC 7617).

/// A challenge.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Challenge {
    /// The login itself.
    Basic,
    /// A token.
    Bearer {
        /// The URL of the server that makes it.
        realm: String,
        /// For what it is made.
        service: Option<String>,
        /// What it allows.
        scope: Option<String>,
    },
}

impl Challenge {
    /// Reads the header; `None` for a scheme that is not known.
    pub(crate) fn parse(header: &str) -> Option<Self> {
        let (scheme, rest) = header.trim().split_once(' ').unwrap_or((header.trim(), ""));
        if scheme.eq_ignore_ascii_case("basic") {
            return Some(Self::Basic);
        }
        if !scheme.eq_ignore_ascii_case("bearer") {
            return None;
        }
        let (mut realm, mut service, mut scope) = (None, None, None);
        for (key, value) in parameters(rest) {
            match key.to_ascii_lowercase().as_str() {
                "realm" => realm = Some(value),
                "service" => service = Some(value),
                "scope" => scope = Some(value),
                _ => {}
            }
        }
        Some(Self::Bearer { realm: realm?, service, scope })
    }
}

/// `key=value` pairs with commas between them; a value may be in quotes.
fn parameters(text: &str) -> Vec<(String, String)> {
    let mut pairs = Vec::new();
    let mut rest = text;
    while let Some((key, after)) = rest.split_once('=') {
        let key = key.trim_matches([' ', ',', '\t']).to_owned();
        let (value, left) = match after.strip_prefix('"') {
            Some(quoted) => {
                let mut value = String::new();
                let mut chars = quoted.char_indices();
                let mut end = quoted.len();
                while let Some((at, c)) = chars.next() {
                    match c {
                        '"' => {
                            end = at + 1;
                            break;
                        }
                        '\\' => value.extend(chars.next().map(|(_, c)| c)),
                        c => value.push(c),
                    }
                }
                (value, quoted.get(end..).unwrap_or_default())
            }
            None => {
                let end = after.find(',').unwrap_or(after.len());
                let (value, left) = after.split_at(end);
                (value.trim().to_owned(), left)
            }
        };
        pairs.push((key, value));
        rest = left;
    }
    pairs
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn challenges_are_read() {
        let bearer = |realm: &str, service: Option<&str>, scope: Option<&str>| {
            Some(Challenge::Bearer {
                realm: realm.to_owned(),
                service: service.map(str::to_owned),
                scope: scope.map(str::to_owned),
            })
        };
        for (header, challenge) in [
            ("Basic realm=\"x\"", Some(Challenge::Basic)),
            ("basic", Some(Challenge::Basic)),
            (
                "Bearer realm=\"https://auth.example/token\",service=\"registry.example\",scope=\"repository:a/b:pull,push\"",
                bearer(
                    "https://auth.example/token",
                    Some("registry.example"),
                    Some("repository:a/b:pull,push"),
                ),
            ),
            (
                "bearer  realm=https://a.example, error=\"a \\\"b\\\"\"",
                bearer("https://a.example", None, None),
            ),
            ("Bearer service=\"x\"", None),
            ("Negotiate", None),
            ("Bearer realm=\"never ends", bearer("never ends", None, None)),
        ] {
            assert_eq!(Challenge::parse(header), challenge, "{header}");
        }
    }
}
