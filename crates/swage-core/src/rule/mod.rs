//! The rule language: the model, reading it from TOML with positions, compiling patterns and rule sets.

mod change;
mod checker;
mod config;
mod example;
mod key;
mod link;
mod load;
mod message;
mod model;
mod paths;
mod problem;
mod query;
mod read;
mod set;
mod table;
mod values;
mod ways;
mod words;

pub use crate::pattern::{Hole, Pattern, PatternError};
pub use change::{ChangeMatch, Fault, Subject};
pub use checker::{Checker, ReportForm};
pub use config::{Config, Limits, Policy, Submodules};
pub(crate) use key::Step;
pub use key::{KEYED, KeyMatch};
pub use link::{Collection, FileOf, Link, Meeting, Within};
pub(crate) use link::{may_mean, meant_name, own_name};
pub use load::{FileReader, LoadError, Loaded, load};
pub(crate) use message::shorten;
pub use model::{
    Adjust, Beyond, CodeMatch, Example, ExampleFile, Filter, Form, Matcher, Measure, MeasureMatch, NameFault,
    NameMatch, Names, Place, Relation, Rule, RuleSide, Severity, SuppressionFault, TextMatch, TreeMatch, Way, What,
    Zone,
};
pub use paths::{PathSet, is_rule_file};
pub(crate) use problem::near;
pub use problem::{Problem, nearest};
pub(crate) use query::{Item, PlainQuery, Shape, Test};
pub(crate) use read::read_shipped;
pub use read::{RuleFile, read_rules};
pub(crate) use set::Gate;
pub use set::{LanguageSet, RuleSet};
pub(crate) use words::Needs;
