//! Paths as they are shown.

use std::fmt;

use percent_encoding::{AsciiSet, CONTROLS, percent_encode};
use serde::Serialize;

/// A path for output: UTF-8 as it is, anything else percent-encoded.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct Path {
    /// The path with `/` between its components.
    pub text: String,
    /// Whether `text` is percent-encoded (RFC 3986, section 2.1) because the path isn't UTF-8.
    pub encoded: bool,
}

/// What is encoded in a path that isn't UTF-8, apart from the bytes above 0x7f.
const ENCODED: &AsciiSet = &CONTROLS.add(b'%').add(b' ');

impl Path {
    /// The path of these bytes.
    pub fn new(bytes: &[u8]) -> Self {
        match std::str::from_utf8(bytes) {
            Ok(text) => Self { text: text.to_owned(), encoded: false },
            Err(_) => Self { text: percent_encode(bytes, ENCODED).to_string(), encoded: true },
        }
    }
}

impl fmt::Display for Path {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}
