//! Tells a misspelt name of a service in a target, which looks like a new service without an image.

use super::Reader;
use crate::diag::Diagnostic;
use crate::diag::reading::MISSING_KEY;
use crate::diag::unknown::nearest;
use crate::language::container::{BUILD, IMAGE};
use crate::language::stack::{SERVICE, TASK};
use crate::language::workload::LIKE;
use crate::origin::Layer;
use crate::tree::Entry;

/// The name that is probably meant by one that a target adds, and the problem; `None` for a name that is new.
pub(super) fn misspelt(
    reader: &Reader<'_>,
    is_task: bool,
    name: &str,
    entry: &Entry,
) -> Option<(String, Diagnostic)> {
    let table = entry.node.table()?;
    let has = |name: &str| table.contains_key(name);
    let is_whole = has(IMAGE.name()) || has(BUILD.name()) || has(LIKE.name()) || has("");
    if is_whole || !matches!(entry.node.layer, Layer::Target(_)) {
        return None;
    }
    let near = nearest(name, reader.symbols.workload_names().filter(|other| *other != name))?;
    let kind = if is_task { &TASK } else { &SERVICE }.name();
    let problem = Diagnostic::new(&MISSING_KEY, format!("`image` is missing in `{kind}.{name}`"))
        .at(entry.key_span, "required here")
        .help(format!("did you mean `{near}`?"))
        .help(format!("or add an image, for example `image = {}`", IMAGE.key.example));
    Some((near.to_owned(), problem))
}
