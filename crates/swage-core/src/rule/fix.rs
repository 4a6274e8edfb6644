//! Fixes: the edits that a rule proposes for what it finds, written as templates.
//!
//! A fix is a template and not a program. It can say what takes the place of what was captured and nothing about anything
//! else, so a rule from elsewhere can't edit what it didn't match. Whether the result parses, and whether the finding is
//! gone and no other has come, is tried later, on the edited file, for every fix that is offered.

use super::keys::{Choice, Holds, Key, Keys, words};
use super::message::placeholders;
use super::problem::{At, Problems, nearest};
use super::table::Table;
use super::values::one_of;

/// What a rule proposes to do about a match.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FixTemplate {
    /// What it does, in a line.
    pub title: String,
    /// Its edits, which must not overlap.
    pub edits: Vec<EditTemplate>,
}

/// One edit of a fix.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EditTemplate {
    /// The hole whose place it is about; the match itself when `None`.
    pub at: Option<String>,
    /// What is done there.
    pub action: EditAction,
}

/// What an edit does. Texts have placeholders as messages do; their further lines are indented as the place is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum EditAction {
    /// Puts a text in the place.
    Rewrite(String),
    /// Takes the place away, with what belongs to it.
    Remove(Removal),
    /// Puts lines before the statement.
    InsertBefore(String),
    /// Puts lines after the statement.
    InsertAfter(String),
}

/// What is taken away.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Removal {
    /// The place itself.
    Text,
    /// The lines that it is on.
    Lines,
    /// The statement, with its lines; where a language needs one, an empty one takes its place.
    Statement,
    /// An element of a list, with its separator.
    Element,
    /// An imported name, with its statement when that imports nothing else.
    Import,
    /// An attribute, decorator or annotation.
    Attribute,
}

impl FixTemplate {
    /// The names that its texts and places refer to.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.edits.iter().flat_map(|edit| {
            let text = match &edit.action {
                EditAction::Rewrite(text) | EditAction::InsertBefore(text) | EditAction::InsertAfter(text) => text,
                EditAction::Remove(_) => "",
            };
            edit.at.as_deref().into_iter().chain(placeholders(text))
        })
    }
}

/// A fix with its place in the rule file.
pub(super) type PlacedFix = At<FixTemplate>;

/// The key of what a rule proposes.
pub(super) static FIX_KEY: Key = Key::new("fix", Holds::Table(&FIX), "What the rule proposes to do about a match.");

/// What a fix may be: one edit, or several.
static FIX: Keys = Keys {
    choice: Choice::One(|| vec!["rewrite", "remove", "insert_before", "insert_after", "edits"]),
    ..Keys::new("fix", "What the rule proposes to do about a match.", || FIX_KEYS.iter().chain(&EDIT_KEYS).collect())
};
/// The keys of a fix, beside those of a single edit.
static FIX_KEYS: [Key; 2] = [
    Key::new("title", Holds::String, "What the fix does, in a line."),
    Key::new("edits", Holds::Tables(&EDIT), "Several edits, which must not overlap."),
];
/// One of several edits.
static EDIT: Keys = Keys {
    choice: Choice::One(|| vec!["rewrite", "remove", "insert_before", "insert_after"]),
    ..Keys::new("edit", "One edit of a fix.", || EDIT_KEYS.iter().collect())
};
/// The keys of an edit.
static EDIT_KEYS: [Key; 5] = [
    Key::new("rewrite", Holds::String, "What takes the place; {NAME} is filled in as in messages."),
    Key::new("remove", Holds::OneOf(|| words(&REMOVALS)), "What is taken away."),
    Key::new("insert_before", Holds::String, "Lines to put before the statement."),
    Key::new("insert_after", Holds::String, "Lines to put after the statement."),
    Key::new("at", Holds::String, "The hole whose place is edited; the match when left out."),
];

/// The words for what is removed.
const REMOVALS: [(&str, Removal); 6] = [
    ("text", Removal::Text),
    ("lines", Removal::Lines),
    ("statement", Removal::Statement),
    ("element", Removal::Element),
    ("import", Removal::Import),
    ("attribute", Removal::Attribute),
];

/// Reads `fix`, when there is one.
pub(super) fn read_fix(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<PlacedFix> {
    let mut inner = table.table("fix", p)?;
    let at = inner.at;
    let title = inner.string("title", p).map(|title| title.value);
    let mut edits = Vec::new();
    if inner.has("edits") {
        for mut edit in inner.tables("edits", p) {
            edits.extend(read_edit(&mut edit, p));
            edit.finish(p);
        }
    } else {
        edits.extend(read_edit(&mut inner, p));
    }
    inner.finish(p);
    let title = title.or_else(|| edits.first().map(|edit| default_title(&edit.action)))?;
    (!edits.is_empty()).then_some(At { value: FixTemplate { title, edits }, at })
}

fn read_edit(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<EditTemplate> {
    let at = table.string("at", p).map(|at| at.value);
    let mut text = |key: &'static str, p: &mut Problems<'_>| {
        table.string(key, p).map(|text| text.value.trim_end_matches('\n').to_owned())
    };
    let mut actions = Vec::new();
    actions.extend(text("rewrite", p).map(EditAction::Rewrite));
    actions.extend(text("insert_before", p).map(EditAction::InsertBefore));
    actions.extend(text("insert_after", p).map(EditAction::InsertAfter));
    let removal = table.string("remove", p);
    let before = actions.len();
    actions
        .extend(removal.as_ref().and_then(|what| one_of(what, "part to remove", REMOVALS, p)).map(EditAction::Remove));
    // That mistake is noted already.
    let removal_is_unknown = removal.is_some() && actions.len() == before;
    if removal_is_unknown {
        return None;
    }
    if actions.len() != 1 {
        let hint =
            "give one of `rewrite`, `remove`, `insert_before` and `insert_after`, or several tables under `edits`";
        p.at(table.at, "an edit of a fix does one thing", Some(hint.to_owned()));
        return None;
    }
    Some(EditTemplate { at, action: actions.pop()? })
}

/// What a fix is called that has no title.
fn default_title(action: &EditAction) -> String {
    let text = match action {
        EditAction::Rewrite(text) => return format!("Write `{}`", text.lines().next().unwrap_or_default()),
        EditAction::Remove(Removal::Text | Removal::Lines) => "Remove it",
        EditAction::Remove(Removal::Statement) => "Remove the statement",
        EditAction::Remove(Removal::Element) => "Remove the element",
        EditAction::Remove(Removal::Import) => "Remove the import",
        EditAction::Remove(Removal::Attribute) => "Remove the attribute",
        EditAction::InsertBefore(_) | EditAction::InsertAfter(_) => "Add the missing lines",
    };
    text.to_owned()
}

/// Notes names in a fix that the match doesn't give.
pub(super) fn check_fix(fix: &PlacedFix, known: &[&str], p: &mut Problems<'_>) {
    for name in fix.value.names().filter(|name| *name != "match" && !known.contains(name)) {
        let names = if known.is_empty() {
            "the match gives no name but `match`".to_owned()
        } else {
            nearest(name, known.iter().copied())
        };
        let hint = format!("{names} (a brace that is code needs a space after it)");
        p.at(fix.at, format!("nothing gives `{name}` in the fix"), Some(hint));
    }
}
