//! The nearest of the names that would have been right.

use strsim::osa_distance;

/// The most names that are compared: with very many mistakes and names each comparison counts.
const MOST: usize = 1_000;

/// The name nearest to `wrong`, if one is near enough to be what was meant.
pub(crate) fn nearest<'a>(wrong: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // A third of the word may differ, and one letter in any case.
    let limit = (wrong.chars().count() / 3).max(1);
    let close = |name: &'a str| {
        // Counting letters is cheap, and most names differ by more than the limit already in length.
        let most = if name.is_ascii() && wrong.is_ascii() { limit } else { limit * 4 };
        if name.len().abs_diff(wrong.len()) > most {
            return None;
        }
        let distance = osa_distance(&wrong.to_lowercase(), &name.to_lowercase());
        (distance <= limit).then_some((distance, name))
    };
    names.into_iter().take(MOST).filter_map(close).min().map(|(_, name)| name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_name_is_near_or_there_is_none() {
        let names = ["gateway", "api", "db", "cache"];
        assert_eq!(nearest("gatway", names), Some("gateway"));
        assert_eq!(nearest("DB", names), Some("db"));
        assert_eq!(nearest("dp", names), Some("db"));
        assert_eq!(nearest("worker", names), None);
        assert_eq!(nearest("apu", ["api", "apt"]), Some("api"));
    }
}
