//! The seal of a snapshot: a hash over every byte of the file, so that any change after the build is seen.

use sha2::{Digest, Sha256};

use crate::model::hex;

/// The text in the place of the seal while the hash is computed.
pub const BLANK: &str = "0000000000000000000000000000000000000000000000000000000000000000";

const MARK: &str = "\"seal\": \"";

/// Puts the seal in its place.
pub fn close(mut text: String) -> String {
    let seal = hex(&Sha256::digest(text.as_bytes()));
    let at = text.find(MARK).expect("the writer left the place") + MARK.len();
    text.replace_range(at..at + BLANK.len(), &seal);
    text
}

/// Whether the text is what was sealed.
pub fn holds(text: &str) -> bool {
    let Some(at) = text.find(MARK).map(|at| at + MARK.len()) else { return false };
    let Some(seal) = text.get(at..at + BLANK.len()) else { return false };
    let mut hash = Sha256::new();
    hash.update(&text[..at]);
    hash.update(BLANK);
    hash.update(&text[at + BLANK.len()..]);
    hex(&hash.finalize()) == seal
}
