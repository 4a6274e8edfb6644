//! Rules on the change itself: its size, its files, and what is written about it.
//!
//! Rules on changes look at figures and texts that the caller gathered, never at the repository. So they can be tested
//! with made-up changes, and the same rule gives the same answer for a branch, for a patch in a mail and for a proposal
//! on a host.

use regex::bytes::Regex;

use super::keys::{Choice, Holds, Key, Keys, SIZE, words};
use super::paths::PathSet;
use super::problem::Problems;
use super::table::Table;
use super::values::{one_of, path_set, regex, size};
use crate::diff::Kind;

/// What is looked at, and what is demanded of it.
#[derive(Debug)]
pub struct ChangeMatch {
    /// What is looked at.
    pub subject: Subject,
    /// What makes a finding of it.
    pub fault: Fault,
    /// For paths: only when more lines than this are added to them.
    pub added_over: Option<u64>,
    /// Only files to which one of these happens; any when empty.
    pub kinds: Vec<Kind>,
}

/// A part or a figure of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Subject {
    /// How many files.
    Files,
    /// How many added and removed lines.
    Lines,
    /// How many commits, without merges.
    Commits,
    /// Each file that it leaves, by its bytes.
    FileSize,
    /// Each binary file that it adds or alters.
    Binary,
    /// Each file that it adds and that looks as if a program made it, where that keeps findings from being listed.
    Generated,
    /// The files that it touches.
    Paths,
    /// The title under which it is offered.
    Title,
    /// The text with which it is offered.
    Description,
    /// The first line of each commit's message.
    Subject,
    /// The whole message of each commit.
    Message,
    /// The author of each commit, as `Name <address>`.
    Author,
}

impl Subject {
    /// All, with the words that rules use for them.
    pub const ALL: [(&'static str, Subject); 12] = [
        ("files", Subject::Files),
        ("lines", Subject::Lines),
        ("commits", Subject::Commits),
        ("file-size", Subject::FileSize),
        ("binary", Subject::Binary),
        ("generated", Subject::Generated),
        ("paths", Subject::Paths),
        ("title", Subject::Title),
        ("description", Subject::Description),
        ("subject", Subject::Subject),
        ("message", Subject::Message),
        ("author", Subject::Author),
    ];

    /// Whether it is something written, of which a length or an expression can be asked.
    fn is_text(self) -> bool {
        use Subject::{Author, Description, Message, Subject as Line, Title};
        matches!(self, Title | Description | Line | Message | Author)
    }
}

/// What makes a finding.
#[derive(Debug)]
pub enum Fault {
    /// A figure, a size in bytes, or a length in characters over this; of a description or message, the longest line.
    Over(u64),
    /// A length in characters under this.
    Under(u64),
    /// A text in which this matches.
    Has(Regex),
    /// A text in which this doesn't match.
    MustMatch(Regex),
    /// Files are touched, and none of these is.
    Without(PathSet),
    /// That it is there at all.
    There,
}

impl ChangeMatch {
    /// The gaps of a message that a finding can fill in.
    pub(super) fn gaps(&self) -> Vec<&'static str> {
        let figure = matches!(self.fault, Fault::Over(_) | Fault::Under(_)) || self.added_over.is_some();
        let figure = figure || self.subject == Subject::Generated;
        let (path, commit) = match self.subject {
            Subject::FileSize | Subject::Binary | Subject::Generated | Subject::Paths => (true, false),
            Subject::Subject | Subject::Message | Subject::Author => (false, true),
            Subject::Files | Subject::Lines | Subject::Commits | Subject::Title | Subject::Description => {
                (false, false)
            }
        };
        let named = [(figure, "value"), (figure, "limit"), (path, "path"), (commit, "commit")];
        named.into_iter().filter(|(known, _)| *known).map(|(_, name)| name).collect()
    }
}

/// What is demanded of a change; of each part, what can be.
pub(super) static CHANGE: Keys =
    Keys::one_of("change", "What is demanded of the change itself.", &[&FIGURE, &FILE_SIZE, &THERE, &PATHS, &TEXT]);

/// A figure of the whole change.
static FIGURE: Keys =
    Keys::new("change_figure", "A figure of the change.", || FIGURE_KEYS.iter().chain([&KINDS_KEY]).collect());
/// The keys of a rule on a figure.
static FIGURE_KEYS: [Key; 2] = [
    Key::required("change", Holds::OneOf(|| vec!["files", "lines", "commits"]), "What is counted."),
    Key::required("over", Holds::Number, "The most that is allowed."),
];
/// Files that are too large.
static FILE_SIZE: Keys =
    Keys::new("change_file_size", "The size of a file.", || FILE_SIZE_KEYS.iter().chain([&KINDS_KEY]).collect());
/// The keys of a rule on sizes.
static FILE_SIZE_KEYS: [Key; 2] = [
    Key::required("change", Holds::OneOf(|| vec!["file-size"]), "Each file that the change leaves, by its bytes."),
    Key::required("over", SIZE, "The most that is allowed, such as \"2 MiB\"."),
];
/// Files that are at fault for being there.
static THERE: Keys = Keys::new("change_there", "Files that are reported for being there.", || {
    THERE_KEYS.iter().chain([&KINDS_KEY]).collect()
});
/// The keys of such a rule.
static THERE_KEYS: [Key; 1] = [Key::required("change", Holds::OneOf(|| vec!["binary", "generated"]), "Which files.")];
/// Files of which some go with others.
static PATHS: Keys =
    Keys::new("change_paths", "The files that the change touches.", || PATHS_KEYS.iter().chain([&KINDS_KEY]).collect());
/// The keys of a rule on paths.
static PATHS_KEYS: [Key; 3] = [
    Key::required("change", Holds::OneOf(|| vec!["paths"]), "The files that the change touches."),
    Key::new("without", Holds::Strings, "Files of which one must be touched, too."),
    Key::new("added_over", Holds::Number, "Only when more lines than this are added to them."),
];
/// What is written about the change.
static TEXT: Keys = Keys {
    choice: Choice::One(|| vec!["over", "under", "text", "must_match"]),
    ..Keys::new("change_text", "What is written about the change.", || TEXT_KEYS.iter().chain([&KINDS_KEY]).collect())
};
/// The keys of a rule on texts.
static TEXT_KEYS: [Key; 5] = [
    Key::required(
        "change",
        Holds::OneOf(|| vec!["title", "description", "subject", "message", "author"]),
        "Which text.",
    ),
    Key::new("over", Holds::Number, "Most characters; of a description or message, of its longest line."),
    Key::new("under", Holds::Number, "Least characters."),
    Key::new("text", Holds::String, "A regular expression that must match nothing in it."),
    Key::new("must_match", Holds::String, "A regular expression that must match in it."),
];
/// The key that all of them have.
static KINDS_KEY: Key = Key::new("kinds", Holds::SomeOf(|| words(&KINDS)), "Only files to which one of these happens.");
/// The words for what happens to a file.
const KINDS: [(&str, Kind); 5] = [
    ("added", Kind::Added),
    ("deleted", Kind::Deleted),
    ("modified", Kind::Modified),
    ("renamed", Kind::Renamed),
    ("copied", Kind::Copied),
];

/// Reads a match with `change`.
pub(super) fn read_change(table: &mut Table<'_, '_>, name: &str, p: &mut Problems<'_>) -> Option<ChangeMatch> {
    let before = p.list.len();
    let word = table.required_string("change", name, p)?;
    let subject = one_of(&word, "part of a change", Subject::ALL, p)?;
    // All conditions that are given; exactly one must be left at the end.
    let mut faults = Vec::new();
    if subject == Subject::FileSize {
        faults.extend(size(table, "over", p).map(Fault::Over));
    } else {
        faults.extend(table.number("over", p).map(|n| Fault::Over(n.value)));
    }
    faults.extend(table.number("under", p).map(|n| Fault::Under(n.value)));
    faults.extend(table.string("text", p).and_then(|t| regex(&t, p)).map(Fault::Has));
    faults.extend(table.string("must_match", p).and_then(|t| regex(&t, p)).map(Fault::MustMatch));
    faults.extend(path_set(table, "without", p).map(Fault::Without));
    let added_over = table.number("added_over", p);
    if let Some(count) = &added_over
        && subject != Subject::Paths
    {
        p.at(count.at, "`added_over` goes with `change = \"paths\"`", None);
    }
    let kinds = table.strings("kinds", p).unwrap_or_default();
    let kinds: Vec<Kind> = kinds.iter().filter_map(|k| one_of(k, "kind of change to a file", KINDS, p)).collect();
    if p.list.len() > before {
        return None;
    }
    // What each subject can be asked, for the error and for the check.
    let may = match subject {
        Subject::Files | Subject::Lines | Subject::Commits | Subject::FileSize => "over",
        Subject::Binary | Subject::Generated => "",
        Subject::Paths => "without",
        Subject::Title | Subject::Description | Subject::Subject | Subject::Message | Subject::Author => {
            "over, under, text or must_match"
        }
    };
    let optional = matches!(subject, Subject::Binary | Subject::Generated | Subject::Paths);
    let fits = |fault: &Fault| match fault {
        Fault::Over(_) => !optional,
        Fault::Under(_) | Fault::Has(_) | Fault::MustMatch(_) => subject.is_text(),
        Fault::Without(_) => subject == Subject::Paths,
        Fault::There => true,
    };
    if optional && faults.is_empty() {
        faults.push(Fault::There);
    }
    if faults.len() != 1 || !faults.iter().all(fits) {
        let what = format!("{name} must say what is wrong with the change's `{}`", word.value);
        let hint = if may.is_empty() { "it takes no condition".to_owned() } else { format!("give one of: {may}") };
        p.at(table.at, what, Some(hint));
        return None;
    }
    Some(ChangeMatch { subject, fault: faults.pop()?, added_over: added_over.map(|n| n.value), kinds })
}
