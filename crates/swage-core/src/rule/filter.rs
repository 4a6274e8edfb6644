//! Conditions on the place of a match: what is around it, in it, and right before it.
//!
//! Filters ask about places by their relation to the match, and nest: the place of one may have filters itself. There is
//! no `or` between filters of a match, since every key takes a list of places of which one suffices, and `any` makes
//! several ways of a rule.

use regex::bytes::Regex;

use super::keys::{Choice, Holds, Key, Keys, words};
use super::matchers::{CODE_KEYS, CodeMatch, read_code};
use super::problem::Problems;
use super::table::Table;
use super::values::{DEFINITIONS, one_of, regex};
use crate::lang::{Class, LANGUAGES, Language};

/// A condition on the place of a match.
#[derive(Debug)]
pub struct Filter {
    /// Which relation is asked for.
    pub relation: Relation,
    /// Any of these must (or must not) be there.
    pub any: Vec<PlaceFilter>,
}

/// How a filter's place relates to the match.
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
    /// The node right before the match, or a comment between.
    PrecededBy,
    /// No such node right before the match.
    NotPrecededBy,
    /// The node right after the match, where it begins on the line on which the match ends.
    FollowedBy,
    /// No such node right after the match.
    NotFollowedBy,
    /// Not the match itself.
    Unless,
    /// Something before the match in its function.
    Earlier,
    /// Nothing of the kind before the match in its function.
    NotEarlier,
    /// A path to the end of the function on which it is.
    PathWith,
    /// A path to the end of the function without it.
    PathWithout,
}

impl Relation {
    /// Whether what it asks for lets a match be.
    pub fn excuses(self) -> bool {
        match self {
            Self::NotEnclosedBy
            | Self::NotEncloses
            | Self::NotPrecededBy
            | Self::NotFollowedBy
            | Self::Unless
            | Self::NotEarlier
            | Self::PathWithout => true,
            Self::EnclosedBy
            | Self::Encloses
            | Self::PrecededBy
            | Self::FollowedBy
            | Self::Earlier
            | Self::PathWith => false,
        }
    }
}

/// A place that a filter names, with filters of its own.
#[derive(Debug)]
pub struct PlaceFilter {
    /// What is there.
    pub what: NodeTest,
    /// Of what is around a match, only the innermost of its kind is looked at.
    pub nearest: bool,
    /// Where it is and what is in it, in turn; all must hold.
    pub filters: Vec<Filter>,
}

/// What is in a place.
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

/// The keys of the relations.
const RELATIONS: [(&str, Relation); 13] = [
    ("enclosed_by", Relation::EnclosedBy),
    ("not_enclosed_by", Relation::NotEnclosedBy),
    ("encloses", Relation::Encloses),
    ("not_encloses", Relation::NotEncloses),
    ("preceded_by", Relation::PrecededBy),
    ("not_preceded_by", Relation::NotPrecededBy),
    ("followed_by", Relation::FollowedBy),
    ("not_followed_by", Relation::NotFollowedBy),
    ("unless", Relation::Unless),
    ("earlier", Relation::Earlier),
    ("not_earlier", Relation::NotEarlier),
    ("path_with", Relation::PathWith),
    ("path_without", Relation::PathWithout),
];

/// The keys of filters, on a match and on the place of another filter.
pub(super) static FILTER_KEYS: [Key; 13] = [
    Key::new("enclosed_by", Holds::Tables(&PLACE), "What must be around the match."),
    Key::new("not_enclosed_by", Holds::Tables(&PLACE), "What must not be around the match."),
    Key::new("encloses", Holds::Tables(&PLACE), "What must be in the match."),
    Key::new("not_encloses", Holds::Tables(&PLACE), "What must not be in the match."),
    Key::new("preceded_by", Holds::Tables(&PLACE), "What must be right before the match."),
    Key::new("not_preceded_by", Holds::Tables(&PLACE), "What must not be right before the match."),
    Key::new("followed_by", Holds::Tables(&PLACE), "What must come right after the match, on its last line."),
    Key::new("not_followed_by", Holds::Tables(&PLACE), "What must not come right after the match, on its last line."),
    Key::new("unless", Holds::Tables(&PLACE), "What the match itself must not be."),
    Key::new("earlier", Holds::Tables(&PLACE), "What must end before the match in the nearest function around it."),
    Key::new(
        "not_earlier",
        Holds::Tables(&PLACE),
        "What must not end before the match in the nearest function around it.",
    ),
    Key::new("path_with", Holds::Tables(&PLACE), "What must be on a path from the match to the end of its function."),
    Key::new(
        "path_without",
        Holds::Tables(&PLACE),
        "What must be missing on a path from the match to the end of its function, or out of it.",
    ),
];

static PLACE: Keys = Keys {
    choice: Choice::One(|| vec!["code", "definition", "node", "text"]),
    ..Keys::new("place", "What is in a place, with filters of its own.", || {
        CODE_KEYS.iter().chain(&PLACE_KEYS).chain(&FILTER_KEYS).collect()
    })
};
static PLACE_KEYS: [Key; 5] = [
    Key::new("definition", Holds::OneOf(|| words(&DEFINITIONS)), "A definition."),
    Key::new("name", Holds::String, "A regular expression on the definition's name."),
    Key::new("node", Holds::OneOf(|| words(&Class::ALL)), "A node of a class."),
    Key::new("text", Holds::String, "A regular expression on text in the match."),
    Key::new("nearest", Holds::Flag, "Only the innermost of its kind is looked at."),
];

/// Reads the filters of a match, or of the place of another filter. A mistake in one doesn't hide those in others.
pub(super) fn read_filters(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Vec<Filter> {
    let mut filters = Vec::new();
    for (key, relation) in RELATIONS {
        let mut any = Vec::new();
        for mut place in table.tables(key, p) {
            if let Some(what) = read_place(&mut place, languages, relation, p) {
                let nearest = place.flag("nearest", p).unwrap_or(false);
                // `nearest` chooses among the nodes around a match, of which there may be several of a class.
                let around = matches!(relation, Relation::EnclosedBy | Relation::NotEnclosedBy);
                let of_class = matches!(what, NodeTest::Definition { .. } | NodeTest::Node(_));
                if nearest && !(around && of_class) {
                    let hint = "use it in `enclosed_by` and `not_enclosed_by`, with `definition` or `node`".to_owned();
                    p.at(place.at, "`nearest` has no meaning here", Some(hint));
                }
                any.push(PlaceFilter { what, nearest, filters: read_filters(&mut place, languages, p) });
            }
            place.finish(p);
        }
        // The shapes of statements are written down for some languages only.
        let is_known = |language: &&Language| language.has_known_paths;
        if matches!(relation, Relation::PathWith | Relation::PathWithout)
            && !any.is_empty()
            && !languages.is_some_and(|all| all.iter().all(is_known))
        {
            let known: Vec<&str> = LANGUAGES.iter().copied().filter(is_known).map(|language| language.name).collect();
            let hint = format!("write `languages = [...]` beside the pattern, with some of {}", known.join(", "));
            p.at(table.at, format!("`{key}` is for languages whose paths are known"), Some(hint));
        }
        if !any.is_empty() {
            filters.push(Filter { relation, any });
        }
    }
    filters
}

/// What a place asks for: the key that is there decides.
fn read_place(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    relation: Relation,
    p: &mut Problems<'_>,
) -> Option<NodeTest> {
    if table.has("code") {
        return read_code(table, languages, p).map(NodeTest::Code);
    }
    if let Some(node) = table.string("node", p) {
        return one_of(&node, "node class", Class::ALL, p).map(NodeTest::Node);
    }
    if let Some(text) = table.string("text", p) {
        if matches!(relation, Relation::EnclosedBy | Relation::NotEnclosedBy) {
            p.at(
                text.at,
                "`text` can't be looked for around a match",
                Some("name a `definition`, a `node` class or `code`, or look inside with `encloses`".into()),
            );
        }
        return regex(&text, p).map(NodeTest::Text);
    }
    let class = table.required_string("definition", "a place without `code`, `node` or `text`", p)?;
    let class = one_of(&class, "definition", DEFINITIONS, p)?;
    let name = table.string("name", p).and_then(|n| regex(&n, p));
    Some(NodeTest::Definition { class, name })
}
