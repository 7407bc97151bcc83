//! Digests: what changes with a content and with nothing else.

use std::fmt::Write as _;

use sha2::{Digest as _, Sha256};

/// The first eight hex digits of the SHA-256 of `bytes`: enough to keep names apart.
pub(crate) fn short_digest(bytes: &[u8]) -> String {
    hex(bytes, 4)
}

/// The first sixteen hex digits of the SHA-256 of `bytes`: enough to see a change by.
pub(crate) fn content_digest(bytes: &[u8]) -> String {
    hex(bytes, 8)
}

fn hex(bytes: &[u8], most: usize) -> String {
    Sha256::digest(bytes).iter().take(most).fold(String::new(), |mut out, byte| {
        // Writing to a string can't fail.
        let _ = write!(out, "{byte:02x}");
        out
    })
}
