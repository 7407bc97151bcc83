//! Digests (SHA-256): what changes with a content and with nothing else.

use std::fmt::Write as _;

use sha2::{Digest as _, Sha256};

/// A digest of several pieces, in their order.
#[derive(Clone, Default)]
pub struct Digest(Sha256);

impl Digest {
    /// Takes in a piece. Its length is part of the digest: `a` and `bc` are not `ab` and `c`.
    pub fn piece(&mut self, bytes: &[u8]) {
        self.0.update(bytes.len().to_be_bytes());
        self.0.update(bytes);
    }

    /// The first hex digits, at most 64 of them, two for each byte.
    pub fn hex(self, digits: usize) -> String {
        self.0.finalize().iter().take(digits / 2).fold(String::new(), |mut out, byte| {
            // Writing to a string can't fail.
            let _ = write!(out, "{byte:02x}");
            out
        })
    }
}

/// Eight hex digits for one piece: enough to keep names apart.
pub fn short(bytes: &[u8]) -> String {
    let mut digest = Digest::default();
    digest.piece(bytes);
    digest.hex(8)
}
