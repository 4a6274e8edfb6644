//! Reading one rule. Every mistake is noted with its place; nothing is guessed.
//!
//! A rule is read by hand from TOML's syntax tree and not through a deserialiser. A deserialiser stops at the first
//! mistake and knows its place roughly; an author of rules wants all mistakes of a file at once, each with its line,
//! its column and what to write instead. It also can't compile a pattern for the languages that are three keys further
//! up.
//!
//! The order matters in two places only: languages come before the match, because patterns are compiled for them, and the
//! match before the message, because that may name only what the match captures.

use std::sync::Arc;

use sha2::{Digest, Sha256};

use super::change::{CHANGE, read_change};
use super::checker::{CHECKER, read_checker};
use super::clauses::{CLAUSE, read_clauses};
use super::example::{EXAMPLE, read_example};
use super::keys::{Holds, Key, Keys, words};
use super::model::{Clause, ProjectWide, Provenance, Rule, Severity};
use super::problem::{At, Problems, nearest};
use super::read_link::{LINK, read_link};
use super::table::Table;
use super::values::{AREAS_KEY, LANGUAGES_KEY, PATH_KEYS, languages, one_of, path_set, skipped_areas};
use crate::lang::Language;
use crate::sides::Side;

/// A rule.
pub(crate) static RULE: Keys =
    Keys::new("rule", "A rule.", || RULE_KEYS.iter().chain([&LANGUAGES_KEY, &AREAS_KEY]).chain(&PATH_KEYS).collect());
/// The keys of a rule, beside its languages and paths.
static RULE_KEYS: [Key; 16] = [
    Key::required("id", Holds::Form("^[a-z0-9][a-z0-9-]{0,63}$"), "Its name."),
    Key::required("severity", Holds::OneOf(severity_words), "How grave its findings are."),
    Key::required("title", Holds::String, "What it demands, in a line."),
    Key::required(
        "message",
        Holds::String,
        "What a finding says; {HOLE}, {match}, {name}, {value} and {limit} are filled in.",
    ),
    Key::required("match", Holds::Table(&MATCH), "What it looks for."),
    Key::new("help", Holds::String, "Why, and what to do."),
    Key::new("limitations", Holds::String, "What it doesn't see."),
    Key::new("tags", Holds::Strings, "Words of your own; findings of rules tagged `security` come first."),
    Key::new("side", Holds::OneOf(|| words(&SIDES)), "`old` for what a change takes away."),
    Key::new("examples", Holds::Tables(&EXAMPLE), "Its tests."),
    Key::new("locked", Holds::Flag, "Nearer layers leave it as it is."),
    Key::new("suppressible", Holds::Flag, "Comments of a change may suppress it although it is locked."),
    Key::new("secret", Holds::Flag, "What it finds is never shown whole."),
    Key::new("skip_generated", Holds::Flag, "It skips generated files."),
    Key::new("skip_explained", Holds::Flag, "It skips what a comment right above it or after it on its line explains."),
    Key::new("skip_templated", Holds::Flag, "It skips what a template fills in, and what a template's comment holds."),
];
/// The four kinds of rules: on code, across files, on the change, and with a program of the project.
static MATCH: Keys = Keys::one_of("match", "What a rule looks for.", &[&CLAUSE, &LINK, &CHANGE, &CHECKER]);
/// The words for the sides of a change.
const SIDES: [(&str, Side); 2] = [("new", Side::New), ("old", Side::Old)];

/// The words for severities.
pub(crate) fn severity_words() -> Vec<&'static str> {
    Severity::ALL.map(Severity::word).to_vec()
}

/// Reads a rule. `file` is where it is.
/// Long because each key has a line of its own here.
pub(crate) fn read_rule(table: &mut Table<'_, '_>, file: &str, p: &mut Problems<'_>) -> Option<Rule> {
    let before = p.list.len();
    let id = table.required_string("id", "a rule", p);
    // Mistakes name the rule as soon as its id is known.
    let name = id.as_ref().map_or("a rule".to_owned(), |id| format!("rule `{}`", id.value));
    // Ids are file names, URL parts and words of suppressions, so they are kept simple.
    if let Some(id) = &id {
        let good = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        if !id.value.chars().all(good) || id.value.starts_with('-') || id.value.len() > 64 {
            p.at(
                id.at,
                format!("`{}` can't be a rule's id", id.value),
                Some("use at most 64 lower-case letters, digits and hyphens".into()),
            );
        }
    }
    let severity = table
        .required_string("severity", &name, p)
        .and_then(|s| one_of(&s, "severity", Severity::ALL.map(|s| (s.word(), s)), p));
    let title = table.required_string("title", &name, p);
    let message = table.required_string("message", &name, p);
    let help = table.string("help", p).map(|h| h.value.trim().to_owned());
    let limitations = table.string("limitations", p).map(|l| l.value.trim().to_owned());
    let locked = table.flag("locked", p).unwrap_or(false);
    let suppressible = table.flag("suppressible", p).unwrap_or(false);
    let tags = table.strings("tags", p).unwrap_or_default().into_iter().map(|t| t.value).collect();
    let languages = languages(table, p);
    let paths = path_set(table, "paths", p);
    let skip_paths = path_set(table, "skip_paths", p);
    let skip_areas = skipped_areas(table, p).unwrap_or_default();
    let side = table.string("side", p).and_then(|s| one_of(&s, "side", SIDES, p)).unwrap_or(Side::New);
    let secret = table.flag("secret", p).unwrap_or(false);
    let skip_generated = table.flag("skip_generated", p).unwrap_or(false);
    let skip_explained = table.flag("skip_explained", p).unwrap_or(false);
    let skip_templated = table.flag("skip_templated", p).unwrap_or(false);
    // A rule looks for something in each file, across files, or at the change: the first fills `clauses`, a link both.
    let (mut clauses, mut project_wide) = (Vec::new(), None);
    // The text as it was written is shown by `rules show`; the digest of its meaning decides whether a cached result
    // holds.
    let (written, definition) = (table.as_written("match", p), table.digest("match"));
    if table.has("match") {
        if let Some(mut found) = table.table("match", p) {
            (clauses, project_wide) = read_match(&mut found, languages.as_deref(), &name, p);
            found.finish(p);
        }
    } else {
        // Asked for so that a misspelt `match` gets it as a suggestion.
        table.table("match", p);
        p.at(table.at, format!("{name} needs `match`"), Some("say what to look for in a table [rule.match]".into()));
    }
    // What the message names is kept with each fact, since the file isn't at hand when facts meet.
    if let (Some(ProjectWide::Link(link)), Some(message)) = (&mut project_wide, &message) {
        let named = super::message::placeholders(&message.value).map(str::to_owned);
        let more: Vec<String> = named.filter(|name| !link.kept.contains(name)).collect();
        link.kept.extend(more);
    }
    if let Some(message) = &message {
        check_message(message, &clauses, project_wide.as_ref(), p);
    }
    // Examples are read even after a mistake, which may be in them as well.
    let mut examples = Vec::new();
    for mut example in table.tables("examples", p) {
        examples.extend(read_example(&mut example, p));
        example.finish(p);
    }
    // A rule with a mistake in it is no rule: half of one would find half.
    if p.list.len() > before {
        return None;
    }
    // The digest takes the whole rule, so it is filled in last.
    let mut rule = Rule {
        id: id?.value.into(),
        severity: severity?,
        title: title?.value,
        message: message?.value,
        help,
        limitations,
        tags,
        side,
        paths,
        skip_paths,
        skip_areas,
        clauses: Arc::new(clauses),
        project_wide: project_wide.map(Arc::new),
        secret,
        skip_generated,
        skip_explained,
        skip_templated,
        locked,
        suppressible,
        examples,
        provenance: Provenance { origin: file.to_owned(), written, ..Provenance::default() },
        definition,
        digest: [0; 32],
    };
    rule.digest = digest(&rule);
    Some(rule)
}

/// What a rule looks for: in each file, or in the project as a whole.
fn read_match(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> (Vec<Clause>, Option<ProjectWide>) {
    // The key that is there says which kind it is; all others are unknown then.
    if table.has("collect") {
        let (clauses, link) = read_link(table, languages, name, p).unzip();
        return (clauses.unwrap_or_default(), link.map(ProjectWide::Link));
    }
    if table.has("change") {
        return (Vec::new(), read_change(table, name, p).map(ProjectWide::Change));
    }
    if table.has("checker") {
        return (Vec::new(), read_checker(table, name, p).map(ProjectWide::Checker));
    }
    (read_clauses(table, languages, name, p), None)
}

impl Rule {
    /// The same rule, leaving files alone that a program makes.
    pub(crate) fn skipping_generated(mut self, skip: bool) -> Self {
        self.skip_generated |= skip;
        self.digest = digest(&self);
        self
    }
}

/// All that decides what the rule finds and says; paths are left out, they only decide where it looks.
pub(crate) fn digest(rule: &Rule) -> [u8; 32] {
    let mut hash = Sha256::new();
    for text in [&rule.id, rule.severity.word(), &rule.message] {
        // With the length before it no two rules run into each other.
        hash.update((text.len() as u64).to_le_bytes());
        hash.update(text);
    }
    hash.update([rule.secret, rule.skip_generated, rule.skip_explained, rule.skip_templated].map(u8::from));
    // Areas are paths, but tests may also be between other code.
    rule.skip_areas.iter().for_each(|area| hash.update(area.word()));
    for name in rule.clauses.iter().flat_map(|clause| clause.languages.iter().map(|language| language.name)) {
        hash.update(name);
        hash.update([0]);
    }
    // The match as it was written, without its layout and comments.
    hash.update(rule.definition);
    hash.finalize().into()
}

/// Placeholders of a message must be ones that the rule fills in.
fn check_message(message: &At<String>, clauses: &[Clause], project_wide: Option<&ProjectWide>, p: &mut Problems<'_>) {
    let mut known = vec!["match"];
    match project_wide {
        Some(ProjectWide::Link(link)) => known.extend(link.on.iter().map(String::as_str)),
        Some(ProjectWide::Change(change)) => known.extend(change.gaps()),
        Some(ProjectWide::Checker(_)) => known.extend(["message", "id"]),
        None => {}
    }
    // Each way of a match has its own; one that a way lacks says so in the finding.
    known.extend(clauses.iter().flat_map(|clause| clause.matcher.placeholders()));
    // A placeholder that nothing fills in would be shown as it is, to somebody who can't know what it means.
    for word in super::message::placeholders(&message.value) {
        // Where the match couldn't be read, which placeholders it has isn't known.
        let readable = !clauses.is_empty() || project_wide.is_some();
        if readable && !known.contains(&word) {
            p.at(
                message.at,
                format!("nothing fills in `{{{word}}}` in the message"),
                Some(nearest(word, known.iter().copied())),
            );
        }
    }
}
