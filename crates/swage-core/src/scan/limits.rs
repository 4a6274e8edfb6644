//! Limits on what is examined.

/// Limits on what is examined. What exceeds one is reported as not examined.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Limits {
    /// Most bytes of a file. By default, 2 MiB.
    pub file_size: u64,
    /// Most bytes of a diff. By default, no limit.
    pub patch_size: Option<u64>,
}

impl Default for Limits {
    fn default() -> Self {
        Self { file_size: 2 << 20, patch_size: None }
    }
}
