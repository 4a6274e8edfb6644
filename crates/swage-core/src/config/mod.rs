//! The configuration: `swage.toml` and rule files with the places of their mistakes, layers of them, and the packs that ship,
//! down to the rules and settings of a run.

mod file;
mod keys;
mod load;
pub mod packs;
mod schema;
mod settings;

pub use self::file::{Adjust, FileRole, RuleFile, read_rules};
pub use self::load::{FileReader, LoadError, Loaded, load};
pub use self::schema::schema;
pub use self::settings::{Config, NamedProgram, Owners, PeoplePolicy, Policy, Posting, Submodules};
use crate::rule::RuleSet;

impl Config {
    /// Rules with what the configuration says of names that are defined elsewhere and of files that
    /// nobody here writes.
    pub fn complete(&self, rules: RuleSet) -> RuleSet {
        let rules = rules.with_globals(self.globals.clone());
        let rules = match &self.generated {
            Some(generated) => rules.with_generated(generated.clone()),
            None => rules,
        };
        match &self.vendored {
            Some(vendored) => rules.with_vendored(vendored.clone()),
            None => rules,
        }
    }
}
