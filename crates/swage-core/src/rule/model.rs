//! Rules as values.

use std::fmt;
use std::sync::{Arc, OnceLock};

use regex::bytes::Regex;
use serde::{Deserialize, Serialize};
use tree_sitter::Query;

use super::change::ChangeMatch;
use super::checker::Checker;
use super::key::KeyMatch;
use super::link::Link;
use super::paths::{PathSet, is_rule_file, is_wanted};
use super::query::PlainQuery;
use crate::change::Change;
use crate::lang::{Class, Language};
use crate::pattern::{Hole, Pattern, PatternError};

/// How grave a finding is: the levels of SARIF 2.1.0, section 3.27.10.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// It must be dealt with.
    Error,
    /// It should be dealt with.
    Warning,
    /// It is worth knowing.
    Note,
}

impl Severity {
    /// All, gravest first.
    pub const ALL: [Severity; 3] = [Severity::Error, Severity::Warning, Severity::Note];

    /// The word for it in files and output.
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// One thing to look for.
#[derive(Debug, Clone)]
pub struct Rule {
    /// Its name, of lower-case letters, digits and hyphens.
    pub id: String,
    /// How grave its findings are.
    pub severity: Severity,
    /// What it demands, in a line.
    pub title: String,
    /// What a finding says; `{HOLE}`, `{match}`, `{name}`, `{value}` and `{limit}` are filled in.
    pub message: String,
    /// Why, and what to do.
    pub help: Option<String>,
    /// Free words.
    pub tags: Vec<String>,
    /// Which side of a change it looks at.
    pub side: RuleSide,
    /// Only these paths; all when `None`.
    pub paths: Option<PathSet>,
    /// Never these paths.
    pub skip_paths: Option<PathSet>,
    /// Ways to match; a place that any of them finds is a finding.
    pub clauses: Arc<Vec<Clause>>,
    /// What it looks at besides single files.
    pub beyond: Option<Arc<Beyond>>,
    /// What it finds is never shown whole.
    pub secret: bool,
    /// It leaves files alone that a program makes.
    pub skip_generated: bool,
    /// Nearer layers leave it as it is.
    pub locked: bool,
    /// Comments of a change may suppress it although it is locked.
    pub suppressible: bool,
    /// Its tests.
    pub examples: Vec<Example>,
    /// The file or the pack that it comes from, as the user knows it.
    pub origin: String,
    /// What it looks for, as it is written in that file.
    pub written: String,
    /// Where the rule of an outer layer comes from whose place it takes.
    pub replaces: Option<String>,
    /// What nearer layers changed, in order: the key, and the file that did.
    pub changed: Vec<(&'static str, String)>,
    /// A fingerprint of all that decides what it finds and says.
    pub digest: [u8; 32],
    /// A fingerprint of `match` as it was read.
    pub definition: [u8; 32],
}

impl Rule {
    /// Whether the rule looks at files with this path.
    pub fn wants_path(&self, path: &[u8]) -> bool {
        is_wanted(path, self.paths.as_ref(), self.skip_paths.as_ref())
    }

    /// Whether the rule looks at rule files where their paths are among its own.
    pub fn names_rule_files(&self) -> bool {
        self.paths.as_ref().is_some_and(PathSet::names_rule_files)
    }

    /// Whether it is about files that a change breaks, which is told of both sides together.
    pub fn is_about_syntax(&self) -> bool {
        self.clauses.iter().any(|clause| matches!(clause.matcher, Matcher::Syntax))
    }

    /// A number that stands for its id where many refer to it.
    pub fn mark(&self) -> u64 {
        crate::digest::text_digest(self.id.as_bytes())
    }

    /// Whether it must read files with this path.
    pub fn reads_path(&self, path: &[u8]) -> bool {
        self.wants_path(path)
            && (!is_rule_file(path) || self.names_rule_files())
            && self.link().is_none_or(|link| link.wants_path(path))
    }

    /// What must hold between facts of many files, when that is what it is about.
    pub fn link(&self) -> Option<&Link> {
        match self.beyond.as_deref() {
            Some(Beyond::Link(link)) => Some(link),
            Some(Beyond::Change(_) | Beyond::Checker(_)) | None => None,
        }
    }

    /// What is demanded of the change itself, when that is what it is about.
    pub fn change(&self) -> Option<&ChangeMatch> {
        match self.beyond.as_deref() {
            Some(Beyond::Change(change)) => Some(change),
            Some(Beyond::Link(_) | Beyond::Checker(_)) | None => None,
        }
    }

    /// The outside program that finds for it, when there is one.
    pub fn checker(&self) -> Option<&Checker> {
        match self.beyond.as_deref() {
            Some(Beyond::Checker(checker)) => Some(checker),
            Some(Beyond::Link(_) | Beyond::Change(_)) | None => None,
        }
    }

    /// Its message with the gaps filled in; a secret is shown only as far as may be.
    pub(crate) fn say(&self, value: impl Fn(&str) -> Option<String>) -> String {
        super::message::fill(&self.message, |gap| {
            value(gap).map(|text| if self.secret { super::message::mask(&text) } else { text })
        })
    }

    /// The languages that the rule names, in no order and without doubles.
    pub fn languages(&self) -> Vec<&'static Language> {
        let mut all: Vec<_> = self.clauses.iter().flat_map(|w| w.languages.iter().copied()).collect();
        all.sort_by_key(|l| l.name);
        all.dedup();
        all
    }
}

/// What a rule looks at besides single files.
#[derive(Debug)]
pub enum Beyond {
    /// Facts of many files, which its ways collect.
    Link(Link),
    /// The change itself.
    Change(ChangeMatch),
    /// What an outside program finds.
    Checker(Checker),
}

/// Which side of a change a rule looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleSide {
    /// What is there after the change.
    New,
    /// What the change takes away.
    Old,
}

/// One way to match, with its filters.
#[derive(Debug)]
pub struct Clause {
    /// Only these languages; all when empty.
    pub languages: Vec<&'static Language>,
    /// What to look for.
    pub matcher: Matcher,
    /// The collection of the rule's link that takes what it matches, by index.
    pub collection: Option<usize>,
    /// Filters on where it stands and what is in it; all must let it through.
    pub filters: Vec<Arc<Filter>>,
}

/// What to look for.
#[derive(Debug)]
pub enum Matcher {
    /// A regular expression on lines.
    Text(TextMatch),
    /// Plain code with holes.
    Code(CodeMatch),
    /// A tree-sitter query.
    Tree(TreeMatch),
    /// A figure of a definition over a limit.
    Measure(MeasureMatch),
    /// A path of keys in data.
    Key(KeyMatch),
    /// Names that are at odds with their definitions, or in one of their roles.
    Names(NameMatch),
    /// Comments that parse as code.
    CommentedCode,
    /// Comments that allow a finding and are at fault.
    Suppression(SuppressionFault),
    /// Files that parsed whole before the change and don't after it.
    Syntax,
}

/// Names, told by the scopes of the language or by where they stand.
#[derive(Debug, Clone)]
pub struct NameMatch {
    /// Which of them.
    pub which: Names,
    /// What the name must match.
    pub name: Option<Regex>,
    /// Names that are defined outside of what can be seen.
    pub globals: Vec<String>,
}

/// Which names are looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Names {
    /// Those with a fault.
    Faulty(NameFault),
    /// Of functions and classes, where those are defined.
    Defined,
    /// Wherever they refer to something.
    Used,
}

impl Names {
    /// All, with the words that rules use for them.
    pub const ALL: [(&'static str, Names); 5] = [
        ("undefined", Names::Faulty(NameFault::Undefined)),
        ("defined-twice", Names::Faulty(NameFault::DefinedTwice)),
        ("unused-import", Names::Faulty(NameFault::UnusedImport)),
        ("defined", Names::Defined),
        ("used", Names::Used),
    ];

    /// The word that rules use for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, which)| *which == self).map_or("", |(word, _)| word)
    }

    /// Whether names of a language can be found so.
    pub fn are_known_in(self, language: &Language) -> bool {
        match self {
            Names::Faulty(_) => language.has_scopes,
            Names::Defined | Names::Used => language.knows_roles(),
        }
    }
}

/// What may be wrong with a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum NameFault {
    /// It is used and defined nowhere.
    Undefined,
    /// It is defined, and defined again before anything used it.
    DefinedTwice,
    /// It is imported and not used.
    UnusedImport,
}

/// What may be wrong with a comment that allows a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SuppressionFault {
    /// It gives no reason.
    Unreasoned,
    /// There is nothing to allow.
    Unused,
}

/// A regular expression on lines.
#[derive(Debug)]
pub struct TextMatch {
    /// The expression, with `^` and `$` at line ends.
    pub regex: Regex,
    /// Where its matches must lie; empty for anywhere.
    pub zones: Vec<Zone>,
    /// Least bits of information a character of the place must have.
    pub min_entropy: Option<f64>,
    /// The form that the place must have.
    pub form: Option<Form>,
}

/// A form that a text can be told to have by its check digits or parts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A number with a check digit as on payment cards (ISO/IEC 7812-1).
    Luhn,
    /// A number with check digits as of bank accounts (ISO 13616).
    Mod97,
    /// A signed token of JSON (RFC 7519).
    Jwt,
}

impl Form {
    /// All, with the words that rules use for them.
    pub const ALL: [(&'static str, Form); 3] = [("luhn", Form::Luhn), ("mod97", Form::Mod97), ("jwt", Form::Jwt)];
}

/// A part of a file's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Zone {
    /// Neither comment nor string.
    Code,
    /// Inside a comment.
    Comment,
    /// Inside a string literal.
    String,
}

/// A code pattern, compiled for each language when it is first needed.
#[derive(Debug)]
pub struct CodeMatch {
    /// The pattern as it was written.
    pub code: String,
    /// Its holes.
    pub holes: Vec<Hole>,
    /// Only where it stands as a statement of its own, so that its value is unused.
    pub statement: bool,
    /// The compiled form for each of [`crate::lang::LANGUAGES`].
    pub(super) compiled: Vec<OnceLock<Result<Pattern, PatternError>>>,
}

impl CodeMatch {
    /// A pattern that is yet to be compiled.
    pub fn new(code: String, holes: Vec<Hole>, statement: bool) -> Self {
        Self { code, holes, statement, compiled: crate::lang::LANGUAGES.iter().map(|_| OnceLock::new()).collect() }
    }

    /// The pattern for a language.
    ///
    /// # Errors
    /// When the code doesn't parse as that language under any wrapper.
    pub fn pattern(&self, language: &'static Language) -> Result<&Pattern, &PatternError> {
        self.compiled[language.index()]
            .get_or_init(|| Pattern::compile(&self.code, &self.holes, self.statement, language))
            .as_ref()
    }
}

/// A tree-sitter query, compiled for each language when it is first needed. The place of a match is the capture `here`,
/// or else the first capture; filters look from the capture `whole`, or else from that place.
#[derive(Debug)]
pub struct TreeMatch {
    /// The query as it was written.
    pub query: String,
    /// The compiled form for each of [`crate::lang::LANGUAGES`].
    compiled: Vec<OnceLock<Result<Query, PatternError>>>,
    /// The same for where it is plain.
    plain: Vec<OnceLock<Option<PlainQuery>>>,
}

impl TreeMatch {
    /// A query that is yet to be compiled.
    pub fn new(query: String) -> Self {
        let count = crate::lang::LANGUAGES.len();
        Self {
            query,
            compiled: std::iter::repeat_with(OnceLock::new).take(count).collect(),
            plain: std::iter::repeat_with(OnceLock::new).take(count).collect(),
        }
    }

    /// The query for a language, when it is plain enough to do without the general engine.
    pub(crate) fn plain(&self, language: &'static Language) -> Option<&PlainQuery> {
        self.plain[language.index()].get_or_init(|| PlainQuery::read(&self.query, language)).as_ref()
    }

    /// The names of its captures, as they are written; doubles included.
    pub fn captures(&self) -> impl Iterator<Item = &str> {
        let in_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '?' | '!');
        // Every other piece between quotation marks is a string, in which nothing is captured.
        let code = self.query.split('"').step_by(2).flat_map(|piece| piece.split('@').skip(1));
        code.map(move |rest| &rest[..rest.find(|c| !in_name(c)).unwrap_or(rest.len())])
    }

    /// The query for a language.
    ///
    /// # Errors
    /// When the query isn't one for that language's grammar, or captures nothing.
    pub fn query(&self, language: &'static Language) -> Result<&Query, &PatternError> {
        let compile = || {
            let query = Query::new(&language.tables().grammar, &self.query).map_err(|e| PatternError {
                offset: e.offset.min(self.query.len()),
                message: format!("no query for {}: {}", language.name, query_fault(&e)),
            })?;
            if query.capture_names().is_empty() {
                let message = "the query captures nothing; name what is to be reported, such as @here".to_owned();
                return Err(PatternError { offset: 0, message });
            }
            Ok(query)
        };
        self.compiled[language.index()].get_or_init(compile).as_ref()
    }
}

fn query_fault(error: &tree_sitter::QueryError) -> String {
    use tree_sitter::QueryErrorKind::{Capture, Field, Language, NodeType, Predicate, Structure, Syntax};
    let what = error.message.lines().next().unwrap_or_default().trim_matches('"');
    match error.kind {
        NodeType => format!("the grammar has no node `{what}`"),
        Field => format!("the grammar has no field `{what}`"),
        Capture => format!("nothing captures `{what}`"),
        Structure => "nodes are never nested like this".to_owned(),
        Predicate => format!("the predicate can't be used: {what}"),
        Syntax | Language => "it doesn't parse here".to_owned(),
    }
}

/// A figure over a limit.
#[derive(Debug, Clone)]
pub struct MeasureMatch {
    /// The figure.
    pub measure: Measure,
    /// What is measured.
    pub of: Class,
    /// The most that is allowed.
    pub over: u64,
}

/// A figure of a definition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Measure {
    /// Declared parameters, the receiver aside.
    Parameters,
    /// Lines from the first to the last of the definition.
    Lines,
    /// The deepest nesting of loops and branches.
    Nesting,
    /// Loops and branches, those of inner functions aside.
    Branches,
}

impl Measure {
    /// The measures with the words that rules use for them.
    pub const ALL: [(&'static str, Measure); 4] = [
        ("parameters", Measure::Parameters),
        ("lines", Measure::Lines),
        ("nesting", Measure::Nesting),
        ("branches", Measure::Branches),
    ];
}

/// A condition on the place of a match.
#[derive(Debug)]
pub struct Filter {
    /// Which relation is asked for.
    pub relation: Relation,
    /// Any of these must (or must not) be there.
    pub any: Vec<Place>,
}

/// How a filter's place stands to the match.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Relation {
    /// A node around the match.
    EnclosedBy,
    /// No node around the match.
    NotEnclosedBy,
    /// A node inside the match.
    Encloses,
    /// No node inside the match.
    NotEncloses,
    /// The node right before the match, comments included.
    PrecededBy,
    /// No such node right before the match.
    NotPrecededBy,
    /// Not the match itself.
    Unless,
}

/// A place that a filter names, with filters of its own.
#[derive(Debug)]
pub struct Place {
    /// What stands there.
    pub what: NodeTest,
    /// Of what is around a match, only the innermost of its kind is looked at.
    pub nearest: bool,
    /// Where it stands and what is in it, in turn; all must hold.
    pub filters: Vec<Filter>,
}

/// What stands in a place.
#[derive(Debug)]
pub enum NodeTest {
    /// A definition of a class, perhaps with a name.
    Definition {
        /// `function` or `class`.
        class: Class,
        /// What its name must match.
        name: Option<Regex>,
    },
    /// Whatever matches a pattern.
    Code(CodeMatch),
    /// A node of a class.
    Node(Class),
    /// Text anywhere in the match; only inside, never around.
    Text(Regex),
}

/// A rule's own test.
#[derive(Debug, Clone)]
pub enum Example {
    /// Files with what must be reported in them; for links, with what was there before.
    Files {
        /// After the change.
        files: Vec<ExampleFile>,
        /// Before it; the same as after it when empty.
        before: Vec<ExampleFile>,
    },
    /// A change and how many findings it must give.
    Change {
        /// The change.
        change: Box<Change>,
        /// The bytes of each of its files.
        sizes: Vec<u64>,
        /// What it shows, for people.
        shown: String,
        /// How many findings there must be.
        findings: u64,
    },
}

impl Example {
    /// Its files after the change; none for a change without contents.
    pub fn files(&self) -> &[ExampleFile] {
        match self {
            Self::Files { files, .. } => files,
            Self::Change { .. } => &[],
        }
    }
}

/// A file of an example.
#[derive(Debug, Clone)]
pub struct ExampleFile {
    /// The path that it pretends to have.
    pub path: String,
    /// Its content.
    pub code: String,
    /// The lines that must be reported, 1-based; empty when nothing may be.
    pub lines: Vec<u64>,
}
