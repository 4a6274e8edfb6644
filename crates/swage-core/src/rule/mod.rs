//! The rule language: the model, reading it from TOML with positions, compiling patterns and rule sets.

mod areas;
mod change;
mod checker;
mod clauses;
mod compiled;
mod example;
mod filter;
mod fix;
mod keys;
mod link;
mod matchers;
mod message;
mod model;
mod paths;
mod problem;
mod read;
mod read_link;
mod set;
mod table;
mod values;
mod words;

pub use self::areas::Area;
pub use self::change::{ChangeMatch, Fault, Subject};
pub use self::checker::{Checker, ReportForm};
pub(crate) use self::checker::{TIMEOUT_KEY, read_command, read_timeout};
pub use self::compiled::LanguageSet;
pub(crate) use self::compiled::{Entry, Prefilter};
pub use self::filter::{Filter, NodeTest, PlaceFilter, Relation};
pub use self::fix::{EditAction, EditTemplate, FixTemplate, Removal};
pub(crate) use self::keys::{Choice, Holds, Key, Keys, SIZE, words};
pub use self::link::{Collection, FileOf, Link, Meeting, Within};
pub(crate) use self::link::{IMPORTED_FROM, may_mean, meant_name, own_name};
pub use self::matchers::{
    AskedBelow, CodeMatch, Extent, Figure, Matcher, Plan, Signs, SuppressionFault, SyntaxFault, Zone,
};
pub(crate) use self::matchers::{
    Below, Counting, Frame, FunctionFinder, Gather, Gathered, KindSet, Match, ParsedFile, TooMany, may_be_between_same,
};
pub(crate) use self::message::{parts as template_parts, shorten};
pub use self::model::{Clause, Example, ExampleFile, FileFigures, ProjectWide, Provenance, Rule, Severity};
pub use self::paths::{Origin, PathSet, is_rule_file, usually_generated, usually_vendored};
pub use self::problem::{Problem, nearest};
pub(crate) use self::problem::{Problems, near};
pub(crate) use self::read::{RULE, digest, read_rule, severity_words};
pub use self::set::RuleSet;
pub(crate) use self::table::{Table, parse as parse_toml};
pub(crate) use self::values::{AREAS_KEY, PATH_KEYS, one_of, path_set, size, skipped_areas};
pub(crate) use self::words::Needs;
pub use crate::pattern::{Hole, Pattern, PatternError};
