//! Tags as versions: which are newer and of the same shape, and which are other variants of the same version.

use std::cmp::Ordering;

/// A tag as a version: `16.4-alpine3.20` has the numbers 16 and 4, and the variant `-alpine3.20`.
struct Version<'t> {
    prefix: &'t str,
    numbers: Vec<u64>,
    variant: &'t str,
}

impl<'t> Version<'t> {
    /// `None` for a tag without a number at its start, or with one that is too large to be one.
    fn of(tag: &'t str) -> Option<Self> {
        let prefix = if tag.starts_with('v') { "v" } else { "" };
        let rest = tag.strip_prefix(prefix)?;
        let end = rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
        let (numbers, variant) = rest.split_at(end);
        // A dot belongs to a number behind it.
        let numbers: Option<Vec<u64>> = numbers.split('.').map(|number| number.parse().ok()).collect();
        Some(Self { prefix, numbers: numbers?, variant })
    }

    /// Whether another one is written in the same way: as many numbers, and the same variant.
    fn has_shape_of(&self, other: &Self) -> bool {
        self.prefix == other.prefix
            && self.numbers.len() == other.numbers.len()
            && shape(self.variant) == shape(other.variant)
    }
}

/// A variant with a sign for each number: those of its base system change with versions.
fn shape(variant: &str) -> String {
    let is_number = |c: char| c.is_ascii_digit() || c == '.';
    let mut shape = String::new();
    for c in variant.chars() {
        match c {
            c if !is_number(c) => shape.push(c),
            _ if !shape.ends_with('#') => shape.push('#'),
            _ => {}
        }
    }
    shape
}

/// The newer tags of the same shape: the newest of the same major version, then the newest of all.
pub(crate) fn newer(tag: &str, tags: &[String]) -> Vec<String> {
    let Some(own) = Version::of(tag) else { return Vec::new() };
    let mut newest: [Option<(Version<'_>, &str)>; 2] = [None, None];
    for other in tags {
        let Some(version) = Version::of(other).filter(|version| version.has_shape_of(&own)) else { continue };
        // A date, or a version of another count.
        if version.numbers.cmp(&own.numbers) != Ordering::Greater || is_date(&version) != is_date(&own) {
            continue;
        }
        let is_same_major = version.numbers.first() == own.numbers.first();
        let [of_major, of_all] = &mut newest;
        let slot = if is_same_major { of_major } else { of_all };
        if slot.as_ref().is_none_or(|(best, _)| version.numbers > best.numbers) {
            *slot = Some((version, other));
        }
    }
    newest.into_iter().flatten().map(|(_, tag)| tag.to_owned()).collect()
}

fn is_date(version: &Version<'_>) -> bool {
    version.numbers.first().is_some_and(|first| *first > 1900)
}

/// The most variants that are compared.
const MOST_VARIANTS: usize = 4;

/// The tags of other variants of the same version, those that are usually small first.
pub(crate) fn variants<'t>(tag: &str, tags: &'t [String]) -> Vec<&'t str> {
    let Some(own) = Version::of(tag).filter(|own| own.variant.is_empty()) else { return Vec::new() };
    let mut found: Vec<&str> = Vec::new();
    for other in tags {
        let is_variant = Version::of(other).is_some_and(|version| {
            version.prefix == own.prefix
                && version.numbers == own.numbers
                && version.variant.starts_with('-')
                && !version.variant.contains(|c: char| c.is_ascii_digit())
        });
        if is_variant {
            found.push(other);
        }
    }
    let usual = ["slim", "alpine", "minimal", "micro", "light", "small", "distroless"];
    found.sort_by_key(|tag| (!usual.iter().any(|word| tag.contains(word)), tag.len(), *tag));
    found.truncate(MOST_VARIANTS);
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tags(text: &str) -> Vec<String> {
        text.split_whitespace().map(str::to_owned).collect()
    }

    #[test]
    fn newer_tags_have_the_same_shape() {
        let all = tags(
            "16 16.3 16.4 16.6 16.10 17.2 16.6-alpine 16.4-alpine3.19 16.6-alpine3.20 17.0-rc1 latest 2024.1 v16.9",
        );
        for (tag, newer_tags) in [
            ("16.4", "16.10 17.2"),
            ("16.10", "17.2"),
            ("17.2", ""),
            ("16", ""),
            ("16.4-alpine", "16.6-alpine"),
            ("16.4-alpine3.19", "16.6-alpine3.20"),
            ("v16.1", "v16.9"),
            ("latest", ""),
            ("99999999999999999999999.1", ""),
        ] {
            assert_eq!(newer(tag, &all).join(" "), newer_tags, "{tag}");
        }
    }

    #[test]
    fn variants_are_of_the_same_version() {
        let all = tags("16.4 16.4-slim 16.4-bookworm 16.6-slim 16.4-alpine3.20 16.4-alpine 16-slim");
        assert_eq!(variants("16.4", &all), ["16.4-slim", "16.4-alpine", "16.4-bookworm"]);
        assert_eq!(variants("16.4-slim", &all), Vec::<&str>::new());
    }
}
