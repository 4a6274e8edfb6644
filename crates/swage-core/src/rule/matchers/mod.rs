//! Ways to match, one file each.
//!
//! A matcher is read from the table `match` of a rule, gives names to what it captures, and compiles, for files of one
//! language, to a [`Plan`]: what scanning does to find its places. Scanning carries plans out and knows no matcher by name.
//! To add one, write its file with a [`Reader`] and list that in [`READERS`]; CONTRIBUTING has a worked example.

mod below;
mod code;
mod commented_code;
mod key;
mod measure;
mod names;
mod plan;
mod repeated;
mod signs;
mod suppression;
mod syntax;
mod text;
mod text_formats;
mod tree;

use std::any::Any;
use std::fmt::Debug;
use std::sync::Arc;

pub use self::below::AskedBelow;
pub(crate) use self::below::{Below, KindSet};
pub use self::code::CodeMatch;
pub(super) use self::code::{KEYS as CODE_KEYS, read_code};
pub(crate) use self::measure::{Counting, Frame};
pub use self::plan::{Figure, Plan, Zone};
pub(crate) use self::plan::{
    FileFinder, FunctionFinder, Gather, Gathered, Match, NodeFinder, OnMatch, ParsedFile, TooMany,
};
pub use self::signs::Signs;
pub(crate) use self::signs::may_be_between_same;
pub use self::suppression::SuppressionFault;
pub use self::syntax::SyntaxFault;
pub(super) use self::syntax::SyntaxMatch;
use super::keys::Key;
use super::problem::Problems;
use super::table::Table;
use super::words::Word;
use crate::lang::{LANGUAGES, Language};
use crate::pattern::PatternError;

/// All ways to match, in the order in which errors list them.
pub(super) const READERS: [Reader; 10] = [
    text::READER,
    code::READER,
    tree::READER,
    key::READER,
    measure::READER,
    names::READER,
    repeated::READER,
    commented_code::READER,
    suppression::READER,
    syntax::READER,
];

/// How a matcher is read.
pub(super) struct Reader {
    /// The keys that it reads, that one first.
    pub keys: &'static [Key],
    /// Reads it; languages that the rule doesn't name are filled in where the matcher works in some only. `None` when
    /// something is wrong, which has been noted then.
    pub read: Read,
}

impl Reader {
    /// The key whose presence asks for it.
    pub fn key(&self) -> &'static str {
        self.keys[0].name
    }
}

/// Reads the keys of a table for the rule with a name.
type Read = fn(&mut Table<'_, '_>, &mut Languages, &str, &mut Problems<'_>) -> Option<Arc<dyn Matcher>>;

/// The languages that a clause names; all when `None`.
pub(super) type Languages = Option<Vec<&'static Language>>;

/// One way to match, as a rule asks for it.
pub trait Matcher: Any + Debug + Send + Sync {
    /// The names under which it captures texts, which filters know and on which facts can be joined.
    fn captures(&self) -> Vec<&str>;

    /// The names that a message may hold, in addition to `match`.
    fn placeholders(&self) -> Vec<&str> {
        self.captures()
    }

    /// What a message shows for a name that captured nothing.
    fn absent(&self) -> &'static str {
        ""
    }

    /// What must be known to find its places.
    fn extent(&self) -> Extent {
        Extent::Piece
    }

    /// Lists of words, of each of which one is somewhere in a file where anything is found, though not in the match.
    #[expect(private_interfaces, reason = "matchers are made here only")]
    fn words_beside(&self) -> Vec<Vec<Word>> {
        Vec::new()
    }

    /// What scanning does in files of a language, or of none; `None` when nothing can be found in such files.
    ///
    /// # Errors
    /// When what the rule asks for can't be said in the language.
    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError>;
}

/// How much must be known to find what a matcher looks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Extent {
    /// A line.
    Line,
    /// A piece of a file that holds the place.
    Piece,
    /// The whole file.
    File,
    /// What became of the other rules' findings, or of both sides of a change.
    Review,
}

/// A matcher made ready for files of one language.
#[derive(Debug)]
pub struct Compiled {
    /// What scanning does.
    pub plan: Plan,
    /// Lists of words, of each of which one is in every match.
    pub(crate) words: Vec<Vec<Word>>,
}

/// Notes languages in which a matcher finds nothing, and fills in the others where the rule names none.
fn limit_languages(
    languages: &mut Languages,
    works_in: impl Fn(&Language) -> bool,
    refusal: impl Fn(&Language) -> String,
    at: usize,
    p: &mut Problems<'_>,
) {
    let all = || LANGUAGES.iter().copied().filter(|language| works_in(language));
    for language in languages.iter().flatten().filter(|language| !works_in(language)) {
        let known = all().map(|language| language.name).collect::<Vec<_>>().join(", ");
        p.at(at, refusal(language), Some(format!("name some of {known} under `languages`")));
    }
    if languages.is_none() {
        *languages = Some(all().collect());
    }
}

/// Notes that a rule matches code and doesn't say of which language.
fn need_languages(languages: &Languages, at: usize, name: &str, p: &mut Problems<'_>) {
    if languages.is_none() {
        let all = LANGUAGES.iter().map(|language| language.name).collect::<Vec<_>>().join(", ");
        let what = format!("{name} matches code and so needs `languages`");
        p.at(at, what, Some(format!("list some of {all}")));
    }
}
