//! Reads `[stack]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::MISSING_KEY;
use crate::language::stack::{NAME, STACK, STACK_TABLE, TITLE};
use crate::origin::Sourced;
use crate::tree::Node;

/// The stack's name and title. In a stack that is not whole, they may be in a file that could not be read.
pub(super) fn read(
    reader: &mut Reader<'_>,
    root: &Node,
    is_whole: bool,
) -> (Sourced<Arc<str>>, Option<Sourced<Arc<str>>>) {
    let unnamed = || Sourced::defaulted(Arc::from("stack"));
    let Some(entry) = STACK.entry(root) else {
        if is_whole {
            reader.sink.push(
                Diagnostic::new(&MISSING_KEY, "the stack has no name")
                    .at(root.span, "`[stack]` is missing")
                    .help("start the file with `[stack]` and `name = \"my-stack\"`"),
            );
        }
        return (unnamed(), None);
    };
    let fields = Fields::of(entry, &STACK_TABLE, reader);
    let name = fields.get(reader, &NAME).or_else(|| {
        // Output shows the name even if it is invalid.
        let node = fields.node(&NAME)?;
        Some(Sourced { value: Arc::clone(node.text()?), origin: node.origin() })
    });
    fields.require(reader, "stack", &NAME);
    (name.unwrap_or_else(unnamed), fields.get(reader, &TITLE))
}
