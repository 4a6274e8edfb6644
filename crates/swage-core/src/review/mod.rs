//! From a change and rules to a [`Review`], of which every output is a function.

mod change_rules;
mod copies;
mod counts;
mod cross_file;
mod examination;
mod examine;
mod example;
mod excerpt;
mod file;
mod finding;
mod fixes;
mod foreign;
mod licences;
mod model;
mod path;
mod readable;
mod settled;
mod short_keys;
mod unexamined;
mod written;

pub use counts::{Counts, FindingCounts};
pub use examination::{CheckerReport, Examination, Fixes, Progress};
pub use examine::{examine, scan_tree};
pub use example::{Tried, try_example};
pub use finding::{Anchor, ExcerptLine, Finding, Fix, FixEdit, Marker, Proof, Related, Settled, Standing, Suppressed};
pub use model::{ChangeKind, FileEntry, Review, RuleEntry};
pub use path::Path;
pub use settled::{offered, settle_findings};
pub use short_keys::ShortKeys;
pub use written::Written;
