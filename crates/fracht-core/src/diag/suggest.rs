//! Names that would have been right: the nearest of them, or all.

pub(crate) use crate::grammar::nearest::nearest;

/// `a, b and c`, cut after the first thirty.
pub fn listing<'a>(names: impl IntoIterator<Item = &'a str>) -> String {
    const MOST: usize = 30;
    let names: Vec<&str> = names.into_iter().collect();
    match names.split_last() {
        None => "none".to_owned(),
        Some((only, [])) => (*only).to_owned(),
        Some(_) if names.len() > MOST => {
            let first: Vec<&str> = names.iter().take(MOST).copied().collect();
            format!("{} and {} more", first.join(", "), names.len() - MOST)
        }
        Some((last, others)) => format!("{} and {last}", others.join(", ")),
    }
}
