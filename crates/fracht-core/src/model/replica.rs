//! Names of replicas that keep their names: each replica has one, and one name leads to all of them. In a cluster these
//! are the pods of a `StatefulSet` (apps/v1) and its headless Service; on a machine the names are the same.

use crate::digest::{short, shortened};

/// The longest label (RFC 1123, section 2.1).
const LABEL: usize = 63;

/// The longest name that leaves room for the suffix that the cluster adds in labels of pods.
pub const LONGEST_SET: usize = LABEL - 11;

/// Which replicas a reference names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Which {
    /// One, counted from 0.
    One(u32),
    /// Each of them.
    All,
    /// Any of them, by the name that leads to all.
    Any,
}

impl Which {
    /// Reads a number, `all` or `any`.
    pub(crate) fn parse(text: &str) -> Option<Self> {
        match text {
            "all" => Some(Self::All),
            "any" => Some(Self::Any),
            number => {
                number.bytes().all(|byte| byte.is_ascii_digit()).then(|| number.parse().ok())?.map(Self::One)
            }
        }
    }
}

/// What the names of the replicas of a service start with.
pub fn set_name(service: &str) -> String {
    shortened(service, LONGEST_SET)
}

/// The name that leads to all replicas of a service, and is part of the name of each. No host of the stack has it.
pub fn pods_name(service: &str, is_host: impl Fn(&str) -> bool) -> String {
    unlike(shortened(&format!("{service}-pods"), LABEL), is_host)
}

/// The name of one replica, counted from 0; `pods` is the name that leads to all.
pub fn host(service: &str, index: u32, pods: &str) -> String {
    format!("{}-{index}.{pods}", set_name(service))
}

/// A name that no host of the stack has.
pub fn unlike(name: String, is_host: impl Fn(&str) -> bool) -> String {
    if is_host(&name) { shortened(&format!("{name}-{}", short(name.as_bytes())), LABEL) } else { name }
}
