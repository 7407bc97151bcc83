//! Names of objects that are made of other names.

use fracht_core::digest::short;

/// The longest name of a label (RFC 1123, section 2.1), which is what most objects take.
pub(crate) const LABEL: usize = 63;

/// `name`, shortened to `most` bytes if need be: the end gives way to a digest of the whole, so that two
/// long names never become one.
pub(crate) fn fitted(name: &str, most: usize) -> String {
    if name.len() <= most {
        return name.to_owned();
    }
    let digest = short(name.as_bytes());
    let keep = most.saturating_sub(digest.len() + 1);
    let kept: String = name.chars().take(keep).collect();
    format!("{}-{digest}", kept.trim_end_matches(['-', '.', '_']))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn long_names_fit_and_stay_apart(a in "[a-z][a-z0-9-]{0,90}[a-z0-9]", b in "[a-z0-9]{1,9}") {
            let long = format!("{a}{b}");
            let fit = fitted(&long, LABEL);
            prop_assert!(fit.len() <= LABEL);
            prop_assert!(!fit.ends_with('-'));
            prop_assert_eq!(fit == long, long.len() <= LABEL);
            prop_assert_ne!(fitted(&format!("{long}{}", "x".repeat(63)), LABEL),
                            fitted(&format!("{long}{}", "y".repeat(63)), LABEL));
        }
    }
}
