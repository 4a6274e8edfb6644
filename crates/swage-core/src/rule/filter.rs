//! Conditions on the place of a match: what is around it, in it, and right before it.

use regex::bytes::Regex;

use super::matchers::{CodeMatch, read_code};
use super::problem::Problems;
use super::table::Table;
use super::values::{one_of, regex};
use crate::lang::{Class, LANGUAGES, Language};

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
    /// The node right behind the match, where it begins on the line on which the match ends.
    FollowedBy,
    /// No such node right behind the match.
    NotFollowedBy,
    /// Not the match itself.
    Unless,
    /// Something before the match in its function.
    Earlier,
    /// Nothing of the kind before the match in its function.
    NotEarlier,
    /// A path to the end of the function on which it stands.
    PathWith,
    /// A path to the end of the function without it.
    PathWithout,
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

pub(super) fn read_filters(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Vec<Filter> {
    let mut filters = Vec::new();
    for (key, relation) in [
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
    ] {
        let mut any = Vec::new();
        for mut place in table.tables(key, p) {
            if let Some(what) = read_place(&mut place, languages, relation, p) {
                let nearest = place.flag("nearest", p).unwrap_or(false);
                let around = matches!(relation, Relation::EnclosedBy | Relation::NotEnclosedBy);
                let of_class = matches!(what, NodeTest::Definition { .. } | NodeTest::Node(_));
                if nearest && !(around && of_class) {
                    let hint = "use it in `enclosed_by` and `not_enclosed_by`, with `definition` or `node`".to_owned();
                    p.at(place.at, "`nearest` has no meaning here", Some(hint));
                }
                any.push(Place { what, nearest, filters: read_filters(&mut place, languages, p) });
            }
            place.finish(p);
        }
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
    let class = one_of(&class, "definition", [("function", Class::Function), ("class", Class::Class)], p)?;
    let name = table.string("name", p).and_then(|n| regex(&n, p));
    Some(NodeTest::Definition { class, name })
}
