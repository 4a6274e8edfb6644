//! From a change and rules to a [`Review`], of which every output is a function.

mod change_rules;
mod counts;
mod cross_file;
mod examination;
mod examine;
mod example;
mod excerpt;
mod file;
mod fixes;
mod foreign;
mod model;
mod readable;
mod settled;
mod short_keys;
mod unexamined;
mod written;

pub use counts::{Counts, FindingCounts};
pub use examination::{CheckerReport, Examination, Fixes, Progress};
pub use examine::{examine, scan_tree};
pub use example::{Tried, try_example};
pub use model::{
    Anchor, ChangeKind, ExcerptLine, FileEntry, Finding, Fix, FixEdit, Marker, Path, Proof, Related, Review, RuleEntry,
    Settled, Standing, Suppressed,
};
pub use settled::{offered, settle_findings};
pub use short_keys::ShortKeys;
pub use written::Written;
