//! What objects have in common (meta/v1).

use super::{Map, Str, parts};

parts! {
    /// The identity of an object, and what is noted on it.
    Metadata {
        name: Option<Str>,
        namespace: Option<Str>,
        labels: Map,
        annotations: Map,
    }

    /// Selects objects by their labels. An empty selector selects all.
    LabelSelector {
        match_labels: Map,
    }
}
