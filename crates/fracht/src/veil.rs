//! Hides the values of a stack's secrets in what containers and the engine write.

use aho_corasick::{AhoCorasick, MatchKind};
use fracht_cluster::SecretValues;

/// What stands for a value.
const STARS: &str = "***";

/// The shortest value that is hidden: shorter ones are in ordinary words.
const SHORTEST: usize = 4;

/// Knows the values of secrets.
#[derive(Default)]
pub(crate) struct Veil(Option<AhoCorasick>);

impl Veil {
    /// A veil over some values. Of one with several lines, each line is hidden as well.
    pub(crate) fn over(values: &SecretValues) -> Self {
        Self::hiding(values.values().flat_map(|keys| keys.values()))
    }

    fn hiding<'v>(values: impl Iterator<Item = &'v Vec<u8>>) -> Self {
        let mut texts: Vec<String> = Vec::new();
        for value in values {
            let text = String::from_utf8_lossy(value);
            texts.extend(text.lines().map(|line| line.trim().to_owned()));
            // As it is inside an address.
            texts.extend(text.lines().map(|line| fracht_engine::transport::encoded(line.trim())));
        }
        texts.retain(|text| text.len() >= SHORTEST);
        texts.sort();
        texts.dedup();
        let search = AhoCorasick::builder().match_kind(MatchKind::LeftmostLongest).build(&texts);
        Self(search.ok().filter(|_| !texts.is_empty()))
    }

    /// A text without the values.
    pub(crate) fn cover(&self, text: &str) -> String {
        let Some(search) = &self.0 else { return text.to_owned() };
        let mut out = String::with_capacity(text.len());
        search.replace_all_with(text, &mut out, |_, _, out| {
            out.push_str(STARS);
            true
        });
        out
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    #[test]
    fn values_are_hidden_wherever_they_are() {
        let keys = BTreeMap::from([
            ("password".to_owned(), b"gull@harbour".to_vec()),
            ("key".to_owned(), b"-----BEGIN-----\nabcdef\n-----END-----\n".to_vec()),
            ("pin".to_owned(), b"12".to_vec()),
        ]);
        let veil = Veil::hiding(keys.values());
        let text = "login gull@harbour, url gull%40harbour, abcdef, 12 boats";
        assert_eq!(veil.cover(text), "login ***, url ***, ***, 12 boats");
        assert_eq!(Veil::default().cover("gull"), "gull");
    }
}
