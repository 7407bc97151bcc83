//! Digests (SHA-256): text that changes when some content changes, and only then.

use std::fmt::Write as _;

use sha2::{Digest as _, Sha256};

/// Computes the digest of several pieces, in their order.
#[derive(Clone, Default)]
pub struct Digest(Sha256);

impl Digest {
    /// Adds a piece. Its length is part of the digest, so that `a`, `bc` differs from `ab`, `c`.
    pub fn piece(&mut self, bytes: &[u8]) {
        self.0.update(bytes.len().to_be_bytes());
        self.0.update(bytes);
    }

    /// The first hex digits, at most 64 of them, two for each byte.
    pub fn hex(self, digits: usize) -> String {
        self.0.finalize().iter().take(digits / 2).fold(String::new(), |mut out, byte| {
            // Writing to a string cannot fail.
            let _ = write!(out, "{byte:02x}");
            out
        })
    }
}

/// The digest of a document as registries write it (OCI image specification 1.1).
pub fn sha256(bytes: &[u8]) -> String {
    let hash = Sha256::digest(bytes);
    hash.iter().fold("sha256:".to_owned(), |mut out, byte| {
        let _ = write!(out, "{byte:02x}");
        out
    })
}

/// Eight hex digits of the digest of one piece: enough to make names differ.
pub fn short(bytes: &[u8]) -> String {
    let mut digest = Digest::default();
    digest.piece(bytes);
    digest.hex(8)
}

/// `name`, cut to at most `most` bytes. The end is replaced by a digest of the whole, so that two long names stay
/// different.
pub fn shortened(name: &str, most: usize) -> String {
    if name.len() <= most {
        return name.to_owned();
    }
    let digest = short(name.as_bytes());
    let keep = most.saturating_sub(digest.len() + 1);
    let kept: String = name.chars().take(keep).collect();
    format!("{}-{digest}", kept.trim_end_matches(['-', '.', '_']))
}
