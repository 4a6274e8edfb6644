//! The rule language: the model, reading it from TOML with positions, compiling patterns and rule sets.

mod config;
mod load;
mod message;
mod model;
pub(crate) mod pattern;
mod problem;
mod read;
mod set;
mod table;

pub use config::{Config, Limits, Policy};
pub use load::{FileReader, LoadError, Loaded, load};
pub(crate) use message::{fill, shorten};
pub use model::{
    Adjust, AllowanceFault, CodeMatch, Example, Filter, Matcher, Measure, MeasureMatch, Place, Relation, Rule,
    RuleSide, Severity, TextMatch, TreeMatch, Way, What, Zone,
};
pub use pattern::{Hole, Pattern, PatternError};
pub use problem::{Problem, nearest};
pub use read::{RuleFile, read_rules};
pub(crate) use set::{Entry, Needs};
pub use set::{LanguageSet, RuleSet};
