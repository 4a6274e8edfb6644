//! The rule language: the model, reading it from TOML with positions, compiling patterns and rule sets.

mod change;
mod checker;
mod clauses;
mod example;
mod key;
mod link;
mod message;
mod model;
mod paths;
mod problem;
mod query;
mod read;
mod read_link;
mod set;
mod table;
mod values;
mod words;

pub use crate::pattern::{Hole, Pattern, PatternError};
pub use change::{ChangeMatch, Fault, Subject};
pub use checker::{Checker, ReportForm};
pub(crate) use key::Step;
pub use key::{KEYED, KeyMatch};
pub use link::{Collection, FileOf, Link, Meeting, Within};
pub(crate) use link::{may_mean, meant_name, own_name};
pub(crate) use message::shorten;
pub use model::{
    Beyond, Clause, CodeMatch, Example, ExampleFile, Filter, Form, Matcher, Measure, MeasureMatch, NameFault,
    NameMatch, Names, NodeTest, Place, Relation, Rule, RuleSide, Severity, SuppressionFault, TextMatch, TreeMatch,
    Zone,
};
pub use paths::{PathSet, is_rule_file, usually_generated};
pub use problem::{Problem, nearest};
pub(crate) use problem::{Problems, near};
pub(crate) use query::{Item, PlainQuery, Shape, Test};
pub(crate) use read::{digest, read_rule};
pub(crate) use set::Prefilter;
pub use set::{LanguageSet, RuleSet};
pub(crate) use table::Table;
pub(crate) use values::{one_of, parse_size, path_set};
pub(crate) use words::Needs;
