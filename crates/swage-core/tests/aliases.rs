//! Aliases of YAML are what their anchors mark: the same is found in a document and in one that has everything written out.

use std::collections::BTreeSet;
use std::sync::{Arc, LazyLock};

use proptest::prelude::*;
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::RuleSet;
use swage_core::scan::{FileScan, Limits, Markers, Status, scan};

/// A value of a document.
#[derive(Debug, Clone)]
enum Value {
    Text(u8),
    List(Vec<Value>),
    /// Keys with values; `None` is the key that merges.
    Table(Vec<(Option<u8>, Value)>),
    /// What the anchor with this number marks, counted from the end of those that are before.
    Alias(usize),
    /// An anchor, and what it marks.
    Marked(Box<Value>),
}

fn value() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![(0u8..4).prop_map(Value::Text), (0usize..4).prop_map(Value::Alias)];
    leaf.prop_recursive(4, 24, 4, |inner| {
        let key = prop::option::weighted(0.8, 0u8..4);
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..3).prop_map(Value::List),
            prop::collection::vec((key, inner.clone()), 0..4).prop_map(Value::Table),
            inner.prop_map(|marked| Value::Marked(Box::new(marked))),
        ]
    })
}

/// A document in the making.
#[derive(Default)]
struct Document {
    /// What each anchor marks, written out, once it has ended.
    marked: Vec<Option<String>>,
    /// With anchors and aliases, and with everything written out.
    short: String,
    long: String,
}

impl Document {
    fn push(&mut self, text: &str) {
        self.short += text;
        self.long += text;
    }

    fn write(&mut self, value: &Value) {
        match value {
            Value::Text(n) => self.push(&format!("v{n}")),
            Value::List(items) => {
                self.push("[");
                for item in items {
                    self.write(item);
                    self.push(", ");
                }
                self.push("]");
            }
            Value::Table(pairs) => {
                self.push("{");
                for (key, value) in pairs {
                    match (key, value) {
                        (Some(key), value) => {
                            self.push(&format!("k{key}: "));
                            self.write(value);
                        }
                        // Only tables can be merged.
                        (None, value) => {
                            self.push("<<: ");
                            self.write(&Value::Table(vec![(Some(0), value.clone())]));
                        }
                    }
                    self.push(", ");
                }
                self.push("}");
            }
            Value::Alias(back) => {
                let at = self.marked.len().checked_sub(back + 1);
                match at.and_then(|at| Some((at, self.marked[at].clone()?))) {
                    Some((at, text)) => {
                        self.short += &format!("*a{at} ");
                        self.long += &text;
                    }
                    None => self.push("v9"),
                }
            }
            Value::Marked(value) => {
                // What an alias stands for has no anchor of its own.
                if let Value::Alias(_) | Value::Marked(_) = **value {
                    return self.write(value);
                }
                let (at, from) = (self.marked.len(), self.long.len());
                self.short += &format!("&a{at} ");
                self.marked.push(None);
                self.write(value);
                self.marked[at] = Some(self.long[from..].to_owned());
            }
        }
    }
}

fn scanned(set: &RuleSet, code: &str) -> FileScan {
    scan(code.as_bytes(), Language::by_name("yaml"), set, &set.wanted(b"a.yaml"), &Limits::default(), Markers::Heeded)
}

/// Rules on keys, each with this as its match and its index as its id.
fn rules(matches: &[String]) -> RuleSet {
    let head = "[[rule]]\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n";
    let rules = matches.iter().enumerate().map(|(id, keys)| format!("{head}id = \"{id}\"\nmatch = {{ {keys} }}\n"));
    let file = read_rules("r.toml", &rules.collect::<String>(), FileRole::Rules);
    let file = file.unwrap_or_else(|problems| panic!("{}", problems[0]));
    RuleSet::new(file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect())
}

/// Asks for each value at each of some paths.
static ON_PATHS: LazyLock<RuleSet> = LazyLock::new(|| {
    let paths = ["t0", "t1", "t1.k0", "**.k1", "t1.**.k2", "**.k0.k3", "t2.k1.**.k1"];
    let of_value = |path: &'static str| {
        move |value: u8| format!("key = \"{path}\", value = \"V\", holes.V = {{ text = '^v{value}$' }}")
    };
    rules(&paths.iter().flat_map(|path| (0..4).map(of_value(path))).collect::<Vec<_>>())
});

proptest! {
    /// However a document is written, the same values are at the same paths.
    #[test]
    fn an_alias_is_what_its_anchor_marks(values in prop::collection::vec(value(), 1..5)) {
        let mut document = Document::default();
        for (at, value) in values.iter().enumerate() {
            document.push(&format!("t{at}: "));
            document.write(value);
            document.push("\n");
        }
        let [short, long] = [&document.short, &document.long].map(|code| {
            let found = scanned(&ON_PATHS, code);
            // Rules speak once at an alias, whatever it stands for.
            (found.status, found.hits.into_iter().map(|hit| hit.rule).collect::<BTreeSet<_>>())
        });
        prop_assert_eq!(&short.0, &Status::Examined);
        prop_assert_eq!(short, long, "{}", document.short);
    }
}

#[test]
fn what_aliases_stand_for_is_bounded() {
    let level = |n: usize| format!("l{n}: &l{n} {{a: *l{p}, b: *l{p}, c: *l{p}, d: *l{p}}}\n", p = n - 1);
    let grown = |levels: usize| "l0: &l0 {bad: yes}\n".to_owned() + &(1..=levels).map(level).collect::<String>();
    let paths = rules(&["key = \"**.bad\"".to_owned()]);
    // At the key itself, and at each alias of the three levels.
    assert_eq!(scanned(&paths, &grown(3)).hits.len(), 1 + 3 * 4);
    let Status::NotExamined(why) = scanned(&paths, &grown(30)).status else { panic!("it is examined") };
    assert_eq!(why, "rule `0` would have to be tried in too many places");
    // What is in itself has no end; it is left out.
    assert_eq!(scanned(&paths, "a: &a {bad: 1, again: *a, list: [*a]}\n").hits.len(), 1);
    assert_eq!(scanned(&paths, "a: *a\nb: *none\nbad: 1\n").hits.len(), 1);
}

/// Each alias is looked up by its name: fifteen thousand times as many anchors would be two hundred million.
#[test]
fn many_anchors_are_each_looked_at_once() {
    let anchors: String = (0..15_000).map(|n| format!("k{n}: &a{n} x{n}\n")).collect();
    let aliases: String = (0..15_000).map(|n| format!("l{n}: *none\n")).collect();
    let found = scanned(&rules(&["key = \"bad\"".to_owned()]), &format!("{anchors}{aliases}bad: *a0\n"));
    assert_eq!((found.status, found.hits.len()), (Status::Examined, 1));
}
