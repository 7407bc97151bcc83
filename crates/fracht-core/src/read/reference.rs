//! References of keys that name a table, or a key of a secret.

use std::sync::Arc;

use super::Reader;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, UNKNOWN_NAME};
use crate::diag::unknown::Unknown;
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word as _;
use crate::model::SecretId;
use crate::origin::Sourced;
use crate::source::Span;

impl Reader<'_> {
    /// Reports a table that does not exist, unless its kind could not be read at all, which has been reported.
    pub(super) fn unknown(&mut self, kind: RefKind, name: &str, span: Span) {
        self.taint();
        if !self.symbols.is_unread(kind) {
            Unknown::table(kind.word(), name, span).report(|| self.symbols.names(kind), self.sink);
        }
    }

    /// A secret that a reference names and that must have some keys. Errors are reported.
    pub(super) fn secret_with(
        &mut self,
        reference: &Sourced<Reference>,
        needed: &[&str],
    ) -> Option<Sourced<SecretId>> {
        let (name, span) = (&reference.value.name, reference.span()?);
        let Some((id, keys)) = self.symbols.secret(name) else {
            self.unknown(RefKind::Secret, name, span);
            return None;
        };
        let whole = !self.symbols.is_incomplete(RefKind::Secret, name);
        let missing = needed.iter().filter(|_| whole).find(|key| !keys.contains(**key));
        if let Some(key) = missing {
            self.taint();
            self.sink.push(
                Diagnostic::new(&UNKNOWN_NAME, format!("`secret.{name}` has no key `{key}`"))
                    .at(span, "requires that key")
                    .help(format!("add it to `secret.{name}`: `key.\"{key}\" = {{ file = \"…\" }}`"))
                    .help("or list it in `keys`, for an existing secret"),
            );
        }
        Some(Sourced { value: id, origin: reference.origin })
    }

    /// A key of a secret that a reference names. Errors are reported.
    pub(super) fn secret_key(&mut self, reference: &Sourced<Reference>) -> Option<(SecretId, Arc<str>)> {
        let span = reference.span()?;
        let Reference { name, part, .. } = &reference.value;
        let Some((id, keys)) = self.symbols.secret(name) else {
            self.unknown(RefKind::Secret, name, span);
            return None;
        };
        if let Some(key) = part.as_ref().and_then(|part| keys.get(part)) {
            return Some((id, Arc::clone(key)));
        }
        let is_whole = !self.symbols.is_incomplete(RefKind::Secret, name);
        let keys: Vec<Arc<str>> = keys.iter().map(Arc::clone).collect();
        let owner = format!("secret.{name}");
        self.taint();
        if !is_whole {
            return None;
        }
        let Some(part) = part else {
            let key = keys.first().map_or("KEY", |key| &**key);
            self.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{owner}` needs a key"))
                    .at(span, "`/KEY` is missing")
                    .help(format!("for example `\"{owner}/{key}\"`")),
            );
            return None;
        };
        let unknown = Unknown { what: "key", owner: Some(&owner), name: part, span, exact: false };
        let names: Vec<&str> = keys.iter().map(|key| &**key).collect();
        self.sink.push(unknown.among(names));
        None
    }
}
