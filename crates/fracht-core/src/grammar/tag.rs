//! Tags of images: which name one version, and which move.

/// Tags that name a branch or a channel, which moves.
const CHANNELS: &[&str] = &[
    "main",
    "master",
    "trunk",
    "develop",
    "development",
    "dev",
    "stable",
    "edge",
    "lts",
    "nightly",
    "canary",
    "current",
    "next",
    "beta",
    "alpha",
    "rolling",
    "release",
    "testing",
    "staging",
    "prod",
    "production",
    "snapshot",
    "head",
    "rc",
    "test",
    "newest",
    "default",
];

/// Why a tag moves; `None` for that of one version.
pub fn moves(tag: &str) -> Option<&'static str> {
    let small = tag.to_ascii_lowercase();
    let mut parts = small.split(['-', '_']);
    let first = parts.next().unwrap_or_default();
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let number = first.strip_prefix('v').unwrap_or(first);
    let rest: Vec<&str> = parts.collect();
    // A date, a commit or a number of a build says which one it is.
    let is_unique = |part: &&str| {
        let hex = part.len() >= 7 && part.bytes().all(|byte| byte.is_ascii_hexdigit());
        hex || digits(part) && part.len() >= 6
            || part.contains('.') && part.starts_with(|c: char| c.is_ascii_digit())
    };
    if rest.iter().any(is_unique) || is_unique(&number) && number.contains('.') || is_unique(&number) {
        return None;
    }
    if CHANNELS.contains(&first) && rest.iter().all(|part| !digits(part)) {
        return Some("a channel, not a version");
    }
    if digits(number) && number.len() < 6 {
        // `1-2` and `5-beta3` are versions of a kind of their own.
        let own = rest.iter().any(|part| part.starts_with(|c: char| c.is_ascii_digit()));
        return (!own).then_some("moves with each release of this major version");
    }
    let has_digit = small.bytes().any(|byte| byte.is_ascii_digit());
    let variant = [
        "alpine",
        "slim",
        "bookworm",
        "bullseye",
        "trixie",
        "jammy",
        "noble",
        "debian",
        "ubuntu",
        "fpm",
        "apache",
        "full",
        "minimal",
        "jre",
        "jdk",
        "distroless",
        "scratch",
        "windowsservercore",
        "management",
    ];
    let is_variant =
        |part: &str| variant.iter().any(|name| part.trim_end_matches(|c: char| c.is_ascii_digit()) == *name);
    (is_variant(first) && rest.iter().all(|part| is_variant(part)) && (!has_digit || !small.contains('.')))
        .then_some("a variant without a version")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_that_move_are_told_from_versions() {
        for tag in [
            "main",
            "stable",
            "edge",
            "lts",
            "5",
            "v2",
            "16-alpine",
            "alpine",
            "lts-slim",
            "bookworm",
            "dev",
            "alpine3",
        ] {
            assert!(moves(tag).is_some(), "{tag}");
        }
        for tag in [
            "1.0",
            "16.4",
            "v2.1.0",
            "16.4-alpine",
            "1.27-alpine3.20",
            "2024-05-01",
            "20240501",
            "c0ffee1",
            "main-c0ffee1",
            "1.0-rc1",
            "r42",
            "jammy-20240501",
            "release-1.2",
            "content-0123456789ab",
            "8u412",
            "1-2",
        ] {
            assert_eq!(moves(tag), None, "{tag}");
        }
    }
}
