//! Reading what a rule looks for in a file: ways to match, and filters on their places.

use std::sync::Arc;

use regex::bytes::RegexBuilder;

use super::key::{KEYED, read_key};
use super::model::{
    Clause, CodeMatch, Filter, Form, Matcher, Measure, MeasureMatch, NameMatch, Names, NodeTest, Place, Relation,
    SuppressionFault, TextMatch, TreeMatch, Zone,
};
use super::problem::Problems;
use super::table::Table;
use super::values::{bad_regex, languages, one_of, read_holes, regex};
use crate::lang::{Class, LANGUAGES, Language};
use crate::pattern::names_in_capitals;

/// A table with one way to match, or with several under `any`; filters and languages beside `any` hold for all of them.
pub(super) fn read_clauses(
    table: &mut Table<'_, '_>,
    outer: Option<&[&'static Language]>,
    name: &str,
    p: &mut Problems<'_>,
) -> Vec<Clause> {
    let own = if outer.is_none() || table.has("languages") { languages(table, p) } else { None };
    let languages = own.or_else(|| outer.map(<[_]>::to_vec));
    if !table.has("any") {
        return read_clause(table, languages, name, p).into_iter().collect();
    }
    let mut clauses = Vec::new();
    for mut inner in table.tables("any", p) {
        clauses.extend(read_clauses(&mut inner, languages.as_deref(), name, p));
        inner.finish(p);
    }
    let shared: Vec<Arc<Filter>> = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    clauses.iter_mut().for_each(|clause| clause.filters.extend(shared.iter().cloned()));
    clauses
}

fn read_clause(
    table: &mut Table<'_, '_>,
    mut languages: Option<Vec<&'static Language>>,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Clause> {
    const WAYS: [&str; 9] =
        ["text", "code", "tree", "key", "measure", "names", "commented_code", "suppression", "syntax"];
    let given: Vec<_> = WAYS.into_iter().filter(|w| table.has(w)).collect();
    let before = p.list.len();
    // So that they aren't called unknown when something else is wrong with them.
    WAYS.into_iter()
        .chain([
            "zones",
            "holes",
            "plain",
            "statement",
            "of",
            "over",
            "value",
            "globals",
            "name",
            "min_entropy",
            "form",
        ])
        .filter(|_| given.len() != 1)
        .for_each(|key| table.note(key));
    let matcher = match given.as_slice() {
        ["text"] => read_text(table, p).map(Matcher::Text),
        ["code"] => {
            let code = read_code(table, languages.as_deref(), p);
            needs_languages(languages.as_deref(), table.at, name, p);
            code.map(Matcher::Code)
        }
        ["tree"] => {
            needs_languages(languages.as_deref(), table.at, name, p);
            read_tree(table, languages.as_deref(), p).map(Matcher::Tree)
        }
        ["key"] => {
            for language in languages.iter().flatten().filter(|l| !KEYED.contains(&l.name)) {
                let what = format!("there are no keys in {}", language.name);
                p.at(table.at, what, Some(format!("name some of {} under `languages`", KEYED.join(", "))));
            }
            languages = languages.or_else(|| Some(KEYED.iter().filter_map(|name| Language::by_name(name)).collect()));
            read_key(table, p).map(Matcher::Key)
        }
        ["names"] => {
            let which = table.required_string("names", name, p);
            let globals = table.strings("globals", p).unwrap_or_default().into_iter().map(|g| g.value).collect();
            let of = table.string("name", p).and_then(|name| regex(&name, p));
            let which = which.and_then(|word| one_of(&word, "kind of names", Names::ALL, p));
            which.map(|which| {
                let told = || LANGUAGES.iter().copied().filter(|l| which.are_known_in(l));
                for language in languages.iter().flatten().filter(|l| !which.are_known_in(l)) {
                    let what = format!("`names = \"{}\"` isn't supported for {}", which.word(), language.name);
                    let list = told().map(|l| l.name).collect::<Vec<_>>().join(", ");
                    p.at(table.at, what, Some(format!("name some of {list} under `languages`")));
                }
                languages = languages.take().or_else(|| Some(told().collect()));
                Matcher::Names(NameMatch { which, name: of, globals })
            })
        }
        ["measure"] => read_measure(table, p).map(Matcher::Measure),
        ["commented_code"] => {
            table.flag("commented_code", p);
            Some(Matcher::CommentedCode)
        }
        ["suppression"] => {
            let faults = [("unused", SuppressionFault::Unused), ("unreasoned", SuppressionFault::Unreasoned)];
            let fault = table.required_string("suppression", name, p);
            fault.and_then(|f| one_of(&f, "fault of a suppression", faults, p)).map(Matcher::Suppression)
        }
        ["syntax"] => {
            let faults = [("broken", Matcher::Syntax)];
            let fault = table.required_string("syntax", name, p);
            fault.and_then(|f| one_of(&f, "fault of a file's syntax", faults, p))
        }
        [] => {
            p.at(
                table.at,
                format!("{name} doesn't say what to look for"),
                Some("give `text`, `code`, `tree`, `key`, `measure`, `names`, `commented_code` or `any`".into()),
            );
            None
        }
        several => {
            p.at(
                table.at,
                format!("{name} gives {} at once", several.join(" and ")),
                Some("put each into a table of its own under `any`".into()),
            );
            None
        }
    };
    let filters = read_filters(table, languages.as_deref(), p).into_iter().map(Arc::new).collect();
    if p.list.len() > before || languages.as_ref().is_some_and(Vec::is_empty) {
        return None;
    }
    Some(Clause { languages: languages.unwrap_or_default(), matcher: matcher?, collection: None, filters })
}

fn needs_languages(languages: Option<&[&'static Language]>, at: usize, name: &str, p: &mut Problems<'_>) {
    if languages.is_none() {
        p.at(
            at,
            format!("{name} matches code and so needs `languages`"),
            Some(format!("list some of {}", LANGUAGES.iter().map(|l| l.name).collect::<Vec<_>>().join(", "))),
        );
    }
}

fn read_filters(
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
        ("unless", Relation::Unless),
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
        if !any.is_empty() {
            filters.push(Filter { relation, any });
        }
    }
    filters
}

fn read_tree(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Option<TreeMatch> {
    let query = table.required_string("tree", "a tree match", p)?;
    let found = TreeMatch::new(query.value.clone());
    for language in languages.filter(|_| !p.shipped).unwrap_or_default() {
        if let Err(error) = found.query(language) {
            p.inside(&query, error.offset, error.message.clone(), "docs/rules.md shows how queries are written".into());
            return None;
        }
    }
    Some(found)
}

fn read_text(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<TextMatch> {
    let text = table.required_string("text", "a text match", p)?;
    let regex = match RegexBuilder::new(&text.value).multi_line(true).crlf(true).size_limit(4 << 20).build() {
        Ok(regex) => regex,
        Err(error) => {
            bad_regex(&text, &error, p);
            return None;
        }
    };
    if regex.is_match(b"") {
        p.at(
            text.at,
            "the expression matches the empty text and so every line",
            Some("make at least one part of it obligatory".into()),
        );
        return None;
    }
    let zones = table.strings("zones", p).unwrap_or_default();
    let zones = zones
        .iter()
        .filter_map(|z| {
            one_of(z, "zone", [("code", Zone::Code), ("comment", Zone::Comment), ("string", Zone::String)], p)
        })
        .collect();
    let min_entropy = table.fraction("min_entropy", p);
    let form = table.string("form", p).and_then(|f| one_of(&f, "form", Form::ALL, p));
    Some(TextMatch { regex, zones, min_entropy, form })
}

fn read_code(
    table: &mut Table<'_, '_>,
    languages: Option<&[&'static Language]>,
    p: &mut Problems<'_>,
) -> Option<CodeMatch> {
    let code = table.required_string("code", "a code match", p)?;
    let holes = read_holes(table, p);
    let statement = table.flag("statement", p).unwrap_or(false);
    let plain: Vec<String> = table.strings("plain", p).unwrap_or_default().into_iter().map(|s| s.value).collect();
    let is_keyword = |name: &str| languages.unwrap_or_default().iter().any(|l| l.is_keyword(name));
    let is_told =
        |name: &str| is_keyword(name) || plain.iter().any(|p| p == name) || holes.iter().any(|h| h.name == name);
    if let Some((at, name)) = names_in_capitals(&code.value).find(|(_, name)| !is_told(name)) {
        let hint =
            format!("declare it as holes.{name} = {{}}, or say plain = [\"{name}\"] when the code has that name");
        p.inside(&code, at, format!("`{name}` looks like a hole and isn't declared as one"), hint);
        return None;
    }
    let found = CodeMatch::new(code.value.clone(), holes, statement);
    for language in languages.filter(|_| !p.shipped).unwrap_or_default() {
        if let Err(error) = found.pattern(language) {
            let several = languages.is_some_and(|l| l.len() > 1) && !language.embedded.is_empty();
            let remedy = if several {
                format!(
                    "name the language of the pattern alone: its code inside of {} is examined as that language",
                    language.name
                )
            } else {
                format!("a pattern is plain {} code; declare its gaps under `holes`", language.name)
            };
            p.inside(&code, error.offset, error.message.clone(), remedy);
            return None;
        }
    }
    Some(found)
}

fn read_measure(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<MeasureMatch> {
    let measure = table.required_string("measure", "a measure match", p)?;
    let measure = one_of(&measure, "measure", Measure::ALL, p);
    let of = table.string("of", p).map_or(Some(Class::Function), |of| {
        one_of(&of, "definition", [("function", Class::Function), ("class", Class::Class)], p)
    });
    let over = table.number("over", p);
    if !table.has("over") {
        p.at(table.at, "a measure match needs `over`", Some("give the most that is allowed".into()));
    }
    if of == Some(Class::Class) && matches!(measure, Some(Measure::Nesting | Measure::Branches | Measure::Parameters)) {
        p.at(
            table.at,
            "only `lines` can be measured of a class",
            Some("leave `of` out, so that functions are measured".into()),
        );
        return None;
    }
    Some(MeasureMatch { measure: measure?, of: of?, over: over?.value })
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
