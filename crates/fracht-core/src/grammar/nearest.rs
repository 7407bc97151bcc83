//! Finds the name that is nearest to an unknown one.

use strsim::osa_distance;

/// The most pairs of letters that are compared in one search. With the most problems of one rule that are kept, it also
/// limits the time of a run. (One limit for all searches of a run would make what is found depend on threads.)
const MOST: usize = 100_000;

/// The name nearest to `wrong`, if one is near enough to be meant.
pub fn nearest<'a>(wrong: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // A third of the word may differ, at least one letter.
    let limit = (wrong.chars().count() / 3).max(1);
    let mut compared = 0;
    let mut near: Option<(usize, &str)> = None;
    for name in names {
        let parts = differing(wrong, name, limit);
        // A name costs something even if it is not compared.
        compared += parts.map_or(1, |(a, b)| a.len() * b.len() + 4);
        if compared > MOST {
            break;
        }
        let distance = parts.and_then(|(a, b)| distance(a, b, limit));
        near = near.into_iter().chain(distance.map(|distance| (distance, name))).min();
    }
    near.map(|(_, name)| name)
}

/// The parts of two words between their common start and their common end, ignoring case; `None` if their lengths differ
/// by more than `limit` letters, as most do.
fn differing<'w>(a: &'w str, b: &'w str, limit: usize) -> Option<(&'w str, &'w str)> {
    if !(a.is_ascii() && b.is_ascii()) {
        return Some((a, b));
    }
    if a.len().abs_diff(b.len()) > limit {
        return None;
    }
    let same = |(a, b): &(u8, u8)| a.eq_ignore_ascii_case(b);
    let from = a.bytes().zip(b.bytes()).take_while(same).count();
    let (a, b) = (a.get(from..).unwrap_or_default(), b.get(from..).unwrap_or_default());
    let behind = a.bytes().rev().zip(b.bytes().rev()).take_while(same).count();
    Some((a.get(..a.len() - behind).unwrap_or_default(), b.get(..b.len() - behind).unwrap_or_default()))
}

/// The number of changes from one word to the other, if it is at most `limit`.
fn distance(a: &str, b: &str, limit: usize) -> Option<usize> {
    // Comparing lengths is cheap, and most names already differ by more than the limit.
    let (most, least) = (a.len().max(b.len()), a.len().min(b.len()));
    let ascii = a.is_ascii() && b.is_ascii();
    // Both ends differ: one change covers two letters at most.
    if most - least > if ascii { limit } else { limit * 4 } || (ascii && limit == 1 && most > 2) {
        return None;
    }
    let distance =
        if ascii && least == 0 { most } else { osa_distance(&a.to_lowercase(), &b.to_lowercase()) };
    (distance <= limit).then_some(distance)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn only_a_near_name_is_suggested() {
        let names = ["gateway", "api", "db", "cache"];
        assert_eq!(nearest("gatway", names), Some("gateway"));
        assert_eq!(nearest("DB", names), Some("db"));
        assert_eq!(nearest("dp", names), Some("db"));
        assert_eq!(nearest("worker", names), None);
        assert_eq!(nearest("apu", ["api", "apt"]), Some("api"));
        assert_eq!(nearest("bd", names), Some("db"));
        assert_eq!(nearest("häfen", ["Hafen"]), Some("Hafen"));
    }

    proptest! {
        #[test]
        fn common_beginnings_and_ends_do_not_change_the_distance(a in "[abAB]{0,9}", b in "[abAB]{0,9}", limit in 1..4_usize) {
            let found = differing(&a, &b, limit).and_then(|(a, b)| distance(a, b, limit));
            let whole = osa_distance(&a.to_lowercase(), &b.to_lowercase());
            prop_assert_eq!(found, (whole <= limit).then_some(whole));
        }
    }

    #[test]
    fn comparisons_of_many_or_long_names_are_limited() {
        // Two such names would have 10^10 pairs of letters.
        let long = "ab".repeat(50_000);
        assert_eq!(nearest(&format!("x{long}x"), [&*format!("y{long}y"), "z"]), None);
        let long = |end: &str| "ba".repeat(50_000) + end;
        assert_eq!(nearest(&long("x"), [&*long("y")]), Some(&*long("y")), "what they share is not compared");
        let name = |index: usize| format!("{index:x<60}");
        let names: Vec<String> = (0..10_000).map(name).collect();
        let mut looked_at = 0;
        nearest(
            &"z".repeat(60),
            names.iter().map(|name| {
                looked_at += 1;
                name.as_str()
            }),
        );
        assert!((20..50).contains(&looked_at), "{looked_at}");
    }
}
