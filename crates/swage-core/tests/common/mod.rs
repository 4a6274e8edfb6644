//! Rules from their text, and what they find.
#![allow(dead_code, reason = "each test file uses its part")]

use std::sync::Arc;

use swage_core::change::{Content, Contents, Tree};
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::Limits;
use swage_core::scan::{Markers, scan};
use swage_core::sides::Sides;

/// The contents of a change's files.
pub struct Memory(pub Vec<Sides<Content>>);

impl Contents for Memory {
    fn sides(&self, index: usize) -> Sides<Content> {
        self.0[index].clone()
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Err("there is no tree here".to_owned())
    }
}

/// All of a file.
pub fn whole(text: &str) -> Content {
    Content::Whole { id: Some(text.to_owned()), bytes: text.as_bytes().to_vec() }
}

/// The rule with these keys; id, severity, title and message are given.
pub fn rule(keys: &str) -> Arc<Rule> {
    rule_saying("{match}", keys)
}

/// The same with a message of its own.
pub fn rule_saying(message: &str, keys: &str) -> Arc<Rule> {
    let source = format!("[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{message}\"\n{keys}\n");
    let file = read_rules("r.toml", &source, FileRole::Rules);
    let file = file.unwrap_or_else(|p| panic!("{}{source}", p.iter().map(|p| format!("{p}\n")).collect::<String>()));
    Arc::new(file.rules.into_iter().next().expect("a rule").0)
}

/// The rules of a TOML text, or its mistakes as text.
pub fn rules(source: &str) -> Result<Vec<Arc<Rule>>, String> {
    match read_rules("rules.toml", source, FileRole::Configuration) {
        Ok(file) => Ok(file.rules.into_iter().map(|(r, _)| Arc::new(r)).collect()),
        Err(problems) => Err(problems.iter().map(|p| format!("{p}\n")).collect()),
    }
}

/// `line:column message` of everything that a rule finds.
pub fn found(rule: &Arc<Rule>, path: &str, code: &str) -> String {
    let set = RuleSet::new(vec![rule.clone()]);
    let language = Language::of(path.as_bytes(), code.as_bytes());
    let scan = scan(code.as_bytes(), language, &set, &set.wanted(path.as_bytes()), &Limits::default(), Markers::Heeded);
    let rendered = scan.hits.iter().map(|h| format!("{} {}", h.span.expect("lines"), h.message));
    rendered.collect::<Vec<_>>().join(", ")
}
