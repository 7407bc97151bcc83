//! `[stack]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::origin::At;
use crate::tree::Node;

/// The stack's name and title.
pub(super) fn read(reader: &mut Reader<'_>, root: &Node) -> (At<Arc<str>>, Option<At<Arc<str>>>) {
    let unnamed = || At::defaulted(Arc::from("stack"), "nothing else");
    let Some(entry) = root.table().and_then(|entries| entries.get("stack")) else {
        reader.sink.push(
            Diagnostic::new("missing-key", "The stack has no name.")
                .at(root.span, "")
                .help("Begin the file with a table: [stack] and below it name = \"my-stack\"."),
        );
        return (unnamed(), None);
    };
    let fields = Fields::of(entry, reader);
    let name = fields.plain(reader, "name");
    if name.is_none() && fields.lacks("name") {
        reader.missing("The stack", fields.span, "name", "\"my-stack\"");
    }
    (name.unwrap_or_else(unnamed), fields.plain(reader, "title"))
}
