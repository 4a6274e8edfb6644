//! What must hold for any input: matching against a plain reference, joining facts against a plain reference.

mod common;

use common::{found, rule_saying};
use proptest::prelude::*;
use swage_core::config::{FileRole, read_rules};
use swage_core::link::{LocatedFact, judge};
use swage_core::scan::{Fact, Span};

/// An argument of a pattern.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Part {
    /// This letter.
    Letter(char),
    /// A hole; those of one number take the same.
    One(usize),
    /// A hole for any run; those of one number take the same.
    Many(usize),
}

/// Whether the parts match the letters, with what the holes have taken: all ways are tried.
fn matches(parts: &[Part], letters: &[char], taken: &mut [Option<String>; 4]) -> bool {
    let Some((first, rest)) = parts.split_first() else { return letters.is_empty() };
    let (index, lengths) = match first {
        Part::Letter(letter) => return letters.first() == Some(letter) && matches(rest, &letters[1..], taken),
        Part::One(hole) => (*hole, 1..=1),
        Part::Many(hole) => (2 + hole, 0..=letters.len()),
    };
    lengths.filter(|length| *length <= letters.len()).any(|length| {
        let text: String = letters[..length].iter().collect();
        if taken[index].as_ref().is_some_and(|before| *before != text) {
            return false;
        }
        let before = taken[index].replace(text);
        let done = matches(rest, &letters[length..], taken);
        taken[index] = before;
        done
    })
}

fn part() -> impl Strategy<Value = Part> {
    prop_oneof![
        prop::sample::select(vec!['a', 'b', 'c']).prop_map(Part::Letter),
        (0usize..2).prop_map(Part::One),
        (0usize..2).prop_map(Part::Many),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..Default::default() })]

    /// Leaving out what can't match changes nothing about what does.
    #[test]
    fn lists_match_as_if_every_way_were_tried(
        parts in prop::collection::vec(part(), 1..7),
        letters in prop::collection::vec(prop::sample::select(vec!['a', 'b', 'c']), 0..8),
    ) {
        let name = |part: &Part| match part {
            Part::Letter(letter) => letter.to_string(),
            Part::One(hole) => format!("ONE{hole}"),
            Part::Many(hole) => format!("MANY{hole}"),
        };
        let pattern: Vec<String> = parts.iter().map(name).collect();
        let mut holes: Vec<String> = parts
            .iter()
            .filter(|part| !matches!(part, Part::Letter(_)))
            .map(|part| format!("holes.{} = {{ many = {} }}", name(part), matches!(part, Part::Many(_))))
            .collect();
        holes.sort();
        holes.dedup();
        let text = |list: &[String]| format!("f({})", list.join(", "));
        let keys = format!("languages = [\"python\"]\n[rule.match]\ncode = \"{}\"\n{}", text(&pattern), holes.join("\n"));
        let code = text(&letters.iter().map(char::to_string).collect::<Vec<_>>());
        let expected = matches(&parts, &letters, &mut [None, None, None, None]);
        prop_assert_eq!(found(&rule_saying("m", &keys), "a.py", &code) == "1:1 m", expected, "{} on {}", keys, code);
    }
}

/// A fact of the collection, with its text and its file.
fn fact() -> impl Strategy<Value = (usize, &'static str, &'static str, bool)> {
    let texts = prop::sample::select(vec!["low", "high", "slack"]);
    let paths = prop::sample::select(vec!["a.py", "b.py", "tide/a.py", "tide/c.py"]);
    (0usize..3, texts, paths, any::<bool>())
}

proptest! {
    /// The join finds what comparing every fact with every other one finds.
    #[test]
    fn facts_meet_as_if_each_were_compared_with_each(
        mut facts in prop::collection::vec(fact(), 0..24),
        demand in 0usize..3,
        within in 0usize..3,
        excused in any::<bool>(),
    ) {
        let demands = ["must_meet = \"b\"", "must_not_meet = \"b\"", "unique = true"];
        let reaches = ["tree", "directory", "file"];
        let excuse = if excused { "unless_meets = \"c\"\n" } else { "" };
        let collect = ["a", "b", "c"].map(|n| format!("[rule.match.collect.{n}]\ntext = '{n}:(?P<X>\\w+)'\n")).concat();
        let keys = format!("[rule.match]\neach = \"a\"\n{}\nwithin = \"{}\"\n{excuse}{collect}", demands[demand], reaches[within]);
        let rule = rule_saying("m", &keys);
        let link = rule.link().expect("a link");
        facts.sort_by_key(|f| f.2);
        // Collections are in the order of their names.
        let kept: Vec<Fact> = (1u32..).zip(&facts).map(|(line, (collection, text, ..))| Fact {
            rule: rule.mark(),
            collection: *collection,
            values: vec![(*text).to_owned()],
            span: Span::from_numbers([line, 1, line, 2]).expect("from 1"),
            suppressed: None,
        }).collect();
        let held: Vec<LocatedFact<'_>> = kept.iter().zip(&facts).map(|(fact, (_, _, path, fresh))| LocatedFact {
            path: path.as_bytes(), fact, fresh: *fresh, touched: *fresh,
        }).collect();
        let place = |path: &'static str| match within {
            0 => "",
            1 => path.rsplit_once('/').map_or("", |(folder, _)| folder),
            _ => path,
        };
        let meets = |one: usize, collection: usize| -> Vec<usize> {
            let same = |other: &usize| facts[*other].0 == collection
                && facts[*other].1 == facts[one].1
                && place(facts[*other].2) == place(facts[one].2);
            (0..facts.len()).filter(same).collect()
        };
        let expected: Vec<usize> = (0..facts.len())
            .filter(|one| facts[*one].0 == 0)
            .filter(|one| !excused || meets(*one, 2).is_empty())
            .filter(|one| match demand {
                0 => meets(*one, 1).is_empty(),
                1 => !meets(*one, 1).is_empty(),
                _ => {
                    let all = meets(*one, 0);
                    // The first that was there before keeps the text, or else the first.
                    let keeper = all.iter().copied().find(|other| !facts[*other].3).unwrap_or(all[0]);
                    all.len() > 1 && keeper != *one
                }
            })
            .collect();
        let judged: Vec<usize> = judge(&rule, link, &held, None).into_iter().map(|(index, _)| index).collect();
        prop_assert_eq!(judged, expected, "{}", keys);
    }
}

/// Results are kept by the digest of their rule, so it must differ whenever the rule finds or says something else.
#[test]
fn digests_follow_what_rules_say() {
    let digest = |severity: &str, found: &str| {
        let source =
            format!("[[rule]]\nid = \"r\"\nseverity = \"{severity}\"\ntitle = \"t\"\nmessage = \"m\"\n{found}\n");
        let rules = read_rules("r.toml", &source, FileRole::Rules).unwrap_or_else(|p| panic!("{p:?}")).rules;
        rules[0].0.digest
    };
    let all = [
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = {} }",
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = { text = \"a\" } }",
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = { many = true } }",
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = {}, enclosed_by = { node = \"loop\" } }",
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = {}, enclosed_by = { node = \"branch\" } }",
        "languages = [\"python\"]\nmatch = { code = \"go(X)\", holes.X = {}, not_enclosed_by = { node = \"loop\" } }",
        "languages = [\"javascript\"]\nmatch = { code = \"go(X)\", holes.X = {} }",
        "match = { measure = \"lines\", over = 10 }",
        "match = { measure = \"lines\", over = 1 }",
        "skip_generated = true\nmatch = { measure = \"lines\", over = 1 }",
        "skip_explained = true\nmatch = { measure = \"lines\", over = 1 }",
        "skip_areas = [\"tests\"]\nmatch = { measure = \"lines\", over = 1 }",
    ];
    let mut seen = std::collections::HashSet::new();
    for found in all {
        assert!(seen.insert(digest("note", found)), "{found} has the digest of another");
    }
    assert!(seen.insert(digest("error", all[0])), "the severity is reported, too");
    let laid_out =
        "paths = [\"a/**\"]\nlanguages = [\"python\"]\n[rule.match]  # what it looks for\nholes.X = {}\ncode = 'go(X)'";
    assert_eq!(digest("note", laid_out), digest("note", all[0]), "layout and paths decide nothing");
}
