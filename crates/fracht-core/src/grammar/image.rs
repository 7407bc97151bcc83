//! Image references, by the grammar of the OCI distribution specification 1.1:
//! `[registry/]repository[:tag][@digest]`.

use std::fmt;
use std::sync::Arc;

use super::invalid::Invalid;

/// An image reference.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Image {
    /// The whole reference.
    text: Arc<str>,
    ends: Ends,
}

/// Where the parts of a reference end, in bytes; a part that is missing ends where the one before it does. Before the
/// digest there are less than 400 bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Ends {
    registry: u16,
    repository: u16,
    tag: u16,
}

impl Image {
    fn part(&self, from: u16, to: u16) -> &str {
        self.text.get(from.into()..to.into()).unwrap_or_default()
    }

    /// The whole reference.
    pub fn text(&self) -> &Arc<str> {
        &self.text
    }

    /// The registry, as a host with an optional port; `None` for the cluster's default.
    pub fn registry(&self) -> Option<&str> {
        Some(self.part(0, self.ends.registry)).filter(|registry| !registry.is_empty())
    }

    /// The repository, such as `tidedesk/gateway`.
    pub fn repository(&self) -> &str {
        let repository = self.part(self.ends.registry, self.ends.repository);
        repository.strip_prefix('/').unwrap_or(repository)
    }

    /// The tag.
    pub fn tag(&self) -> Option<&str> {
        self.part(self.ends.repository, self.ends.tag).strip_prefix(':')
    }

    /// The digest, such as `sha256:…`.
    pub fn digest(&self) -> Option<&str> {
        self.text.get(self.ends.tag.into()..)?.strip_prefix('@')
    }

    /// The reference without its digest.
    pub fn floating(&self) -> &str {
        self.part(0, self.ends.tag)
    }

    /// The reference by its digest alone, if it has one: as engines take it.
    pub fn exact(&self) -> String {
        match self.digest() {
            Some(digest) => format!("{}@{digest}", self.part(0, self.ends.repository)),
            None => self.text.to_string(),
        }
    }

    /// The reference with a digest, in place of its own if it has one.
    ///
    /// # Errors
    /// Why the digest is invalid.
    pub fn with_digest(&self, digest: &str) -> Result<Self, Invalid> {
        parse(&format!("{}@{digest}", self.floating()))
    }

    /// Whether the reference always means the same image: it has a digest, or a tag other than `latest`.
    pub fn is_pinned(&self) -> bool {
        self.digest().is_some() || self.tag().is_some_and(|tag| tag != "latest")
    }

    /// The reference with another tag, and without a digest.
    pub fn tagged(&self, tag: &str) -> String {
        format!("{}:{tag}", self.part(0, self.ends.repository))
    }
}

impl fmt::Display for Image {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// Checks a registry, optionally with the start of a repository.
///
/// # Errors
/// Why the text is invalid.
pub fn registry(text: &str) -> Result<(), Invalid> {
    if text.contains("://") {
        return Err("a registry is a host name alone, without https://".into());
    }
    if text.ends_with('/') {
        return Err("must not end with a slash".into());
    }
    if text.contains('@') {
        return Err("a registry has no digest".into());
    }
    match parse(&format!("{text}/image")) {
        Ok(_) => Ok(()),
        Err(_) => Err("not a host name, maybe with :port and a lowercase path".into()),
    }
}

/// The digest algorithms of container engines, with their number of hex digits.
const DIGESTS: [(&str, usize); 3] = [("sha256", 64), ("sha384", 96), ("sha512", 128)];
/// The most bytes of a registry and a repository together.
const MOST_BYTES: usize = 255;

/// Reads an image reference.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Image, Invalid> {
    parse_shared(text.into())
}

/// The same as [`parse`], of a text that others have as well.
///
/// # Errors
/// Why the text is invalid.
pub fn parse_shared(text: Arc<str>) -> Result<Image, Invalid> {
    let (rest, digest) = match text.split_once('@') {
        Some((rest, digest)) => (rest, Some(digest)),
        None => (&*text, None),
    };
    if let Some(digest) = digest {
        let hex = digest.split_once(':').filter(|(algorithm, _)| !algorithm.is_empty());
        let good = hex.is_some_and(|(algorithm, hex)| {
            let length = DIGESTS.iter().find(|(name, _)| *name == algorithm).map(|(_, length)| *length);
            hex.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b)) && length == Some(hex.len())
        });
        if !good {
            return Err("invalid digest: sha256, sha384 or sha512 and hex digits".into());
        }
    }
    let (registry, path) = match rest.split_once('/') {
        // The first part is a registry only if it looks like a host; otherwise it belongs to the repository.
        Some((host, path)) if host.contains(['.', ':']) || host == "localhost" => (Some(host), path),
        _ => (None, rest),
    };
    if registry.is_some_and(|host| !is_host(host)) {
        return Err("invalid registry: a host name, maybe with :port".into());
    }
    let (repository, tag) = match path.rsplit_once(':') {
        Some((repository, tag)) => (repository, Some(tag)),
        None => (path, None),
    };
    if let Some(tag) = tag {
        let good = tag.len() <= 128
            && !tag.is_empty()
            && !tag.starts_with(['.', '-'])
            && tag.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-'));
        if !good {
            return Err(format!("invalid tag `{tag}`: up to 128 letters, digits, _, . and -").into());
        }
    }
    let good = |part: &str| {
        // Most names have single signs between letters and digits.
        let mut letter_before = false;
        let simple = part.bytes().all(|byte| {
            let letter = byte.is_ascii_lowercase() || byte.is_ascii_digit();
            let fits = letter || letter_before && matches!(byte, b'.' | b'_' | b'-');
            letter_before = letter;
            fits
        });
        if simple && letter_before {
            return true;
        }
        let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit();
        part.starts_with(plain)
            && part.ends_with(plain)
            && part
                .split(plain)
                .all(|between| matches!(between, "" | "." | "_" | "__") || between.chars().all(|c| c == '-'))
    };
    if !repository.split('/').all(good) {
        let lower = repository.to_lowercase();
        return Err(if lower != repository && lower.split('/').all(good) {
            format!("the repository must be lowercase: {lower}").into()
        } else {
            "invalid repository: use a-z, 0-9, and single . _ - between them".into()
        });
    }
    if registry.map_or(0, |registry| registry.len() + 1) + repository.len() > MOST_BYTES {
        return Err("registry and repository: more than 255 bytes together".into());
    }
    let registry = registry.map_or(0, str::len);
    let repository = rest.len() - tag.map_or(0, |tag| tag.len() + 1);
    let end = |bytes| u16::try_from(bytes).unwrap_or(u16::MAX);
    let ends = Ends { registry: end(registry), repository: end(repository), tag: end(rest.len()) };
    Ok(Image { text, ends })
}

fn is_host(text: &str) -> bool {
    let (host, port) = text.split_once(':').map_or((text, None), |(host, port)| (host, Some(port)));
    let label = |label: &[u8]| match label {
        [first, .., last] => {
            first.is_ascii_alphanumeric()
                && last.is_ascii_alphanumeric()
                && label.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'-')
        }
        [only] => only.is_ascii_alphanumeric(),
        [] => false,
    };
    host.as_bytes().split(|byte| *byte == b'.').all(label)
        && port.is_none_or(|port| port.parse::<u16>().is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn valid_references_are_split_into_parts() {
        let digest = format!("sha256:{}", "0a".repeat(32));
        let cases = [
            ("a--b/c__d.e-f".to_owned(), (None, "a--b/c__d.e-f", None, None)),
            ("cache".to_owned(), (None, "cache", None, None)),
            ("base/cache:7.4".to_owned(), (None, "base/cache", Some("7.4"), None)),
            ("registry.example/a/b:1".to_owned(), (Some("registry.example"), "a/b", Some("1"), None)),
            ("localhost:5000/a".to_owned(), (Some("localhost:5000"), "a", None, None)),
            (format!("r.example/a:1@{digest}"), (Some("r.example"), "a", Some("1"), Some(&*digest))),
        ];
        for (text, (registry, repository, tag, digest)) in cases {
            let image = parse(&text).unwrap();
            assert_eq!((image.registry(), image.repository()), (registry, repository), "{text}");
            assert_eq!((image.tag(), image.digest()), (tag, digest), "{text}");
            assert_eq!(image.to_string(), text);
        }
        assert_eq!(parse("r.example/a:latest").unwrap().tagged("2"), "r.example/a:2");
        assert_eq!(parse("a").unwrap().tagged("2"), "a:2");
        assert_eq!((Image::default().registry(), Image::default().tag()), (None, None));
        assert!(!parse("cache:latest").unwrap().is_pinned());
        assert!(parse("cache:7").unwrap().is_pinned());
    }

    #[test]
    fn invalid_references_have_a_reason() {
        for (text, part) in [
            ("", "invalid repository"),
            ("Cache", "lowercase: cache"),
            ("a:b c", "invalid tag"),
            ("a@sha256:12", "invalid digest"),
            ("https://a.example/b", "invalid registry"),
            ("a//b", "invalid repository"),
            ("a..b", "invalid repository"),
            ("a._b", "invalid repository"),
            ("a___b", "invalid repository"),
            ("r.example/a-/b", "invalid repository"),
            (&format!("a@md5:{}", "0".repeat(32)), "sha256, sha384 or sha512"),
            (&format!("a@sha256:{}", "0".repeat(63)), "invalid digest"),
            (&format!("a@sha256:{}", "G".repeat(64)), "invalid digest"),
            (&format!("r.example/{}", "a".repeat(250)), "255 bytes"),
            ("-a.example/b", "invalid registry"),
            ("a..example/b", "invalid registry"),
            ("a.example:port/b", "invalid registry"),
        ] {
            let reason = parse(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
    }
}
