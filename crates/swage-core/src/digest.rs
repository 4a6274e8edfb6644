//! Digests that distinguish texts: the beginning of SHA-256 (FIPS 180-4).

use sha2::{Digest, Sha256};

/// A digest that only has to distinguish texts.
pub fn text_digest(text: &[u8]) -> u64 {
    short_digest(&[text])
}

/// The first eight bytes of SHA-256, for digests that only have to distinguish texts.
pub(crate) fn short_digest(parts: &[&[u8]]) -> u64 {
    let mut hash = Sha256::new();
    for part in parts {
        hash.update((part.len() as u64).to_le_bytes());
        hash.update(part);
    }
    let bytes: [u8; 32] = hash.finalize().into();
    u64::from_be_bytes([bytes[0], bytes[1], bytes[2], bytes[3], bytes[4], bytes[5], bytes[6], bytes[7]])
}

/// A text without its white space.
pub(crate) fn without_white_space(text: &[u8]) -> Vec<u8> {
    text.iter().copied().filter(|b| !b.is_ascii_whitespace()).collect()
}
