//! Where results of scans are kept.

use super::FileScan;

/// Keeps results of earlier scans. Losing or ignoring everything is allowed; inventing isn't.
pub trait Cache: Sync {
    /// What was kept under a name.
    fn get(&self, name: &[u8; 32]) -> Option<FileScan>;
    /// Keeps a result.
    fn put(&self, name: [u8; 32], scan: &FileScan);
}

/// Keeps nothing.
#[derive(Debug, Clone, Copy)]
pub struct NoCache;

impl Cache for NoCache {
    fn get(&self, _: &[u8; 32]) -> Option<FileScan> {
        None
    }
    fn put(&self, _: [u8; 32], _: &FileScan) {}
}
