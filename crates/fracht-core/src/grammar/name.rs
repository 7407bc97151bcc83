//! The formats of names: services, ports, variables, keys, paths.

use super::invalid::Invalid;

/// The kinds of names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NameKind {
    /// A service, task or volume …: a label that begins with a letter (RFC 1035, section 2.3.1).
    Label,
    /// A port: a service name of RFC 6335, section 5.1.
    Port,
    /// An environment variable.
    Variable,
    /// A key of a config or a secret.
    Key,
    /// An absolute path in a container.
    Path,
    /// A folder in a container, which may be the root.
    Folder,
    /// A label or annotation of the cluster, `prefix/name`; the prefix may be left out.
    Qualified,
    /// The value of a label (Kubernetes API conventions), not empty: the name of a node is one.
    LabelValue,
    /// An existing object of the cluster: a subdomain (RFC 1123), which may have dots.
    Object,
    /// A gateway: its name, or `namespace/name` for a gateway of another namespace.
    Gateway,
    /// A namespace of the cluster: a label (RFC 1123), which may begin with a digit.
    Namespace,
    /// A rule.
    Rule,
}

impl NameKind {
    /// Checks a name.
    ///
    /// # Errors
    /// Why the name is invalid, what to write, and a valid name near it if one is easy to find.
    pub fn check(self, name: &str) -> Result<(), NameProblem> {
        match self {
            // Whether the rule exists is checked elsewhere.
            Self::Label | Self::Rule => label(name, 63),
            Self::Port => port(name),
            Self::Variable => variable(name),
            Self::Key => key(name),
            Self::Folder if name == "/" => Ok(()),
            Self::Path | Self::Folder => path(name),
            Self::Qualified => qualified(name),
            Self::LabelValue if is_label_value(name) && !name.is_empty() => Ok(()),
            Self::LabelValue => problem(
                "not the value of a label",
                "use 1 to 63 letters, digits, -, _ and ., with a letter or digit at both ends",
                None,
            ),
            Self::Object => object(name),
            Self::Gateway => match name.split_once('/') {
                Some((namespace, name)) => namespaced(namespace).and_then(|()| object(name)),
                None => object(name),
            },
            Self::Namespace => namespaced(name),
        }
    }

    /// What such a name is called in the reference.
    pub fn words(self) -> &'static str {
        match self {
            Self::Label => "name",
            Self::Port => "port name",
            Self::Variable => "variable",
            Self::Key => "key of a config or secret",
            Self::Path | Self::Folder => "absolute path",
            Self::Qualified => "label name",
            Self::LabelValue => "label value",
            Self::Object => "name of an existing object",
            Self::Gateway => "name, or namespace/name",
            Self::Namespace => "namespace",
            Self::Rule => "rule",
        }
    }

    /// A valid name, as in a stack file.
    pub fn example(self) -> &'static str {
        match self {
            Self::Label | Self::Object | Self::Gateway | Self::Namespace | Self::LabelValue => "tides",
            Self::Port => "http",
            Self::Variable => "LOG_LEVEL",
            Self::Key => "REGION",
            Self::Path | Self::Folder => "/data",
            Self::Qualified => "team",
            Self::Rule => "unused",
        }
    }

    /// The regular expression of such names, for schemas.
    pub fn pattern(self) -> &'static str {
        match self {
            Self::Label | Self::Rule => "^[a-z]([a-z0-9-]{0,61}[a-z0-9])?$",
            Self::Port => "^(?=.*[a-z])[a-z0-9]([a-z0-9-]{0,13}[a-z0-9])?$",
            Self::Variable => "^[A-Za-z_][A-Za-z0-9_.-]*$",
            Self::Key => "^[A-Za-z0-9._-]{1,253}$",
            Self::Path | Self::Folder => "^/[^:]*$",
            Self::LabelValue => "^[A-Za-z0-9]([A-Za-z0-9._-]{0,61}[A-Za-z0-9])?$",
            Self::Object => "^[a-z0-9]([a-z0-9-]*[a-z0-9])?(\\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$",
            Self::Gateway => "^([a-z0-9-]+/)?[a-z0-9]([a-z0-9.-]*[a-z0-9])?$",
            Self::Namespace => "^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$",
            Self::Qualified => "^([a-z0-9.-]{1,253}/)?[A-Za-z0-9]([A-Za-z0-9._-]{0,61}[A-Za-z0-9])?$",
        }
    }
}

/// Why a name is invalid, and a valid one near it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameProblem {
    /// What is not allowed, in a few words.
    pub label: &'static str,
    /// What to write, in the imperative.
    pub reason: &'static str,
    /// A valid name that is near the invalid one.
    pub instead: Option<String>,
}

impl std::fmt::Display for NameProblem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.label, self.reason)
    }
}

impl std::error::Error for NameProblem {}

fn problem(label: &'static str, reason: &'static str, instead: Option<String>) -> Result<(), NameProblem> {
    Err(NameProblem { label, reason, instead })
}

fn is_label(name: &str, most: usize) -> bool {
    let bytes = name.as_bytes();
    bytes.len() <= most
        && bytes.first().is_some_and(u8::is_ascii_lowercase)
        && bytes.last().is_some_and(|b| *b != b'-')
        && bytes.iter().all(|b| in_label(*b))
}

/// Whether a character may be in a label.
fn in_label(byte: u8) -> bool {
    byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-'
}

/// Turns any text into a label by removing invalid characters.
fn as_label(name: &str, most: usize) -> Option<String> {
    let kept: String = name
        .to_lowercase()
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
        .skip_while(|c| !c.is_ascii_lowercase())
        .take(most)
        .collect();
    let kept = kept.trim_end_matches('-').to_owned();
    is_label(&kept, most).then_some(kept)
}

fn label(name: &str, most: usize) -> Result<(), NameProblem> {
    if is_label(name, most) {
        return Ok(());
    }
    problem(
        "only a-z, 0-9 and -, a letter first",
        "use 1 to 63 of a-z, 0-9 and -; start with a letter, do not end with -",
        as_label(name, most),
    )
}

/// One part of a name with dots (RFC 1123, section 2.1).
fn is_subdomain_label(label: &str) -> bool {
    let edge = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit();
    label.starts_with(edge) && label.ends_with(edge) && label.chars().all(|c| edge(c) || c == '-')
}

fn object(name: &str) -> Result<(), NameProblem> {
    if name.len() <= 253 && name.split('.').all(is_subdomain_label) {
        return Ok(());
    }
    problem("not the name of an object", "use labels of a-z, 0-9 and -, with dots between them", None)
}

fn namespaced(name: &str) -> Result<(), NameProblem> {
    if name.len() <= 63 && is_subdomain_label(name) {
        return Ok(());
    }
    problem(
        "not the name of a namespace",
        "use 1 to 63 of a-z, 0-9 and -; do not start or end with -",
        as_label(name, 63),
    )
}

/// Checks a prefix of variables: letters, digits and `_`, not starting with a digit. A cluster accepts more, but programs
/// and shells do not.
///
/// # Errors
/// Why the prefix is invalid.
pub fn prefix(text: &str) -> Result<(), Invalid> {
    let is_word = text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if is_word && !text.starts_with(|c: char| c.is_ascii_digit()) {
        Ok(())
    } else {
        Err("use letters, digits and `_`, not starting with a digit".into())
    }
}

/// Whether only a cluster sets a label of pods (well-known labels of Kubernetes).
pub fn is_label_of_cluster(name: &str) -> bool {
    const PLAIN: [&str; 4] = ["pod-template-hash", "controller-revision-hash", "controller-uid", "job-name"];
    const PREFIXES: [&str; 3] = ["batch.kubernetes.io/", "statefulset.kubernetes.io/", "apps.kubernetes.io/"];
    PLAIN.contains(&name) || PREFIXES.iter().any(|prefix| name.starts_with(prefix))
}

/// Whether a text can be the value of a label (Kubernetes API conventions): at most 63 letters, digits, `-`, `_`
/// and `.`, with a letter or a digit at both ends; or nothing.
pub fn is_label_value(text: &str) -> bool {
    let edge = |c: char| c.is_ascii_alphanumeric();
    let inside = text.chars().all(|c| edge(c) || "-_.".contains(c));
    text.len() <= 63 && (text.is_empty() || text.starts_with(edge) && text.ends_with(edge)) && inside
}

fn port(name: &str) -> Result<(), NameProblem> {
    let bytes = name.as_bytes();
    let right = (1..=15).contains(&bytes.len())
        && bytes.iter().all(|b| in_label(*b))
        && bytes.iter().any(u8::is_ascii_lowercase)
        && !name.starts_with('-')
        && !name.ends_with('-')
        && !bytes.windows(2).any(|pair| pair == b"--");
    if right {
        return Ok(());
    }
    problem(
        "not the name of a port",
        "use 1 to 15 of a-z, 0-9 and single -, with at least one letter",
        as_label(name, 15).filter(|instead| !instead.contains("--")),
    )
}

fn variable(name: &str) -> Result<(), NameProblem> {
    let right = |first: bool, c: char| {
        c == '_' || c.is_ascii_alphabetic() || !first && (c.is_ascii_digit() || c == '.' || c == '-')
    };
    if !name.is_empty() && name.chars().enumerate().all(|(index, c)| right(index == 0, c)) {
        return Ok(());
    }
    let instead: String = name.chars().map(|c| if right(false, c) { c } else { '_' }).collect();
    problem(
        "not the name of a variable",
        "use letters, digits, _, . and -; start with a letter or _",
        instead.chars().next().is_some_and(|c| right(true, c)).then_some(instead),
    )
}

fn key(name: &str) -> Result<(), NameProblem> {
    let right = |c: char| c.is_ascii_alphanumeric() || "-_.".contains(c);
    let dots = name == "." || name.starts_with("..");
    if (1..=253).contains(&name.len()) && name.chars().all(right) && !dots {
        return Ok(());
    }
    let instead: String = name.chars().map(|c| if right(c) { c } else { '-' }).collect();
    problem(
        "not the name of a key",
        "use 1 to 253 letters, digits, -, _ and .; do not start with two dots",
        (!instead.is_empty() && !dots && instead.len() <= 253).then_some(instead),
    )
}

fn path(name: &str) -> Result<(), NameProblem> {
    let inside = name.strip_prefix('/');
    let mut steps = name.as_bytes().split(|byte| *byte == b'/');
    let right = inside.is_some_and(|rest| rest.bytes().any(|byte| byte != b'/'))
        && !name.bytes().any(|byte| matches!(byte, b':' | b'\0'))
        && !steps.any(|step| matches!(step, b".." | b"."));
    if right {
        return Ok(());
    }
    problem(
        "not an absolute path",
        "use an absolute path without `.`, `..` and `:`, and not the root",
        (inside.is_none() && !name.contains([':', '.']) && !name.is_empty()).then(|| format!("/{name}")),
    )
}

/// Checks the name of a label (Kubernetes API conventions): at most 63 characters, optionally after `host.name/`.
fn qualified(name: &str) -> Result<(), NameProblem> {
    let (prefix, rest) = name.rsplit_once('/').map_or((None, name), |(prefix, rest)| (Some(prefix), rest));
    let edge = |c: char| c.is_ascii_alphanumeric();
    let right = rest.len() <= 63
        && rest.starts_with(edge)
        && rest.ends_with(edge)
        && rest.chars().all(|c| edge(c) || "-_.".contains(c))
        && prefix.is_none_or(|prefix| super::host::name(prefix).is_ok());
    if right {
        return Ok(());
    }
    problem(
        "not the name of a label",
        "use 1 to 63 letters, digits, -, _ and ., after a host name and / if you like",
        None,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_checked_and_suggested() {
        let cases = [
            (NameKind::Label, "api", Ok(())),
            (NameKind::Label, "Api_Server", Err(Some("api-server"))),
            (NameKind::Label, "9lives", Err(Some("lives"))),
            (NameKind::Label, "-", Err(None)),
            (NameKind::Label, "", Err(None)),
            (NameKind::Port, "http", Ok(())),
            (NameKind::Port, "h2", Ok(())),
            (NameKind::Port, "8080", Err(None)),
            (NameKind::Port, "a-very-long-port-name", Err(Some("a-very-long-por"))),
            (NameKind::Port, "a--b", Err(None)),
            (NameKind::Variable, "LOG_LEVEL", Ok(())),
            (NameKind::Variable, "LOG LEVEL", Err(Some("LOG_LEVEL"))),
            (NameKind::Variable, "1ST", Err(None)),
            (NameKind::Key, "stations.csv", Ok(())),
            (NameKind::Key, "a/b", Err(Some("a-b"))),
            (NameKind::Key, "..", Err(None)),
            (NameKind::Path, "/var/lib/x", Ok(())),
            (NameKind::Path, "data", Err(Some("/data"))),
            (NameKind::Path, "/a/../b", Err(None)),
            (NameKind::Path, "/", Err(None)),
            (NameKind::Path, "/a\0", Err(None)),
            (NameKind::Path, "//", Err(None)),
            (NameKind::Folder, "/", Ok(())),
            (NameKind::Folder, "srv", Err(Some("/srv"))),
            (NameKind::LabelValue, "Node_1.example", Ok(())),
            (NameKind::LabelValue, "a.example/n1", Err(None)),
            (NameKind::LabelValue, "", Err(None)),
            (NameKind::Object, "wildcard.tides.example", Ok(())),
            (NameKind::Object, "9lives", Ok(())),
            (NameKind::Object, "a..b", Err(None)),
            (NameKind::Object, "a_b", Err(None)),
            (NameKind::Gateway, "9entry/public.tides", Ok(())),
            (NameKind::Gateway, "a.b/public", Err(Some("a-b"))),
            (NameKind::Gateway, "a/b/c", Err(None)),
            (NameKind::Namespace, "9lives", Ok(())),
            (NameKind::Namespace, "Tides", Err(Some("tides"))),
            (NameKind::Qualified, "harbour.example/Tier", Ok(())),
            (NameKind::Qualified, "tier", Ok(())),
            (NameKind::Qualified, "Harbour Example/tier", Err(None)),
            (NameKind::Qualified, "a/b/c", Err(None)),
        ];
        for (kind, name, want) in cases {
            let got = kind.check(name).map_err(|problem| problem.instead);
            assert_eq!(got, want.map_err(|instead| instead.map(str::to_owned)), "{kind:?} {name}");
        }
        assert!(NameKind::Label.check(&"a".repeat(63)).is_ok());
        assert!(NameKind::Label.check(&"a".repeat(64)).is_err());
    }
}
