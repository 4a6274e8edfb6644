//! The corpus of slips, as its files have it.
#![allow(dead_code, reason = "each test file uses its part")]
#![expect(clippy::disallowed_methods, reason = "the corpus is read from files")]

use std::collections::BTreeMap;
use std::sync::Arc;

use swage_core::config::packs::{INTEGRITY, PACKS, Pack};
use swage_core::config::{FileRole, read_rules};
use swage_core::lang::Language;
use swage_core::review::try_example;
use swage_core::rule::{Example, ExampleFile, Problem, Rule};

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Kind {
    Slip,
    Neighbour,
    NotMet,
}

/// A piece of code and what must come of it.
pub struct Piece {
    pub kind: Kind,
    pub line: usize,
    /// Why a slip isn't met.
    pub reason: String,
    pub main: ExampleFile,
    pub beside: Vec<ExampleFile>,
    pub before: Vec<ExampleFile>,
}

fn pieces(text: &str) -> Vec<Piece> {
    let (mut kind, mut reason, mut all) = (None, String::new(), Vec::new());
    let (mut beside, mut before) = (Vec::new(), Vec::new());
    let mut lines = text.lines().enumerate();
    while let Some((number, line)) = lines.next() {
        match line {
            "## Slips" => kind = Some(Kind::Slip),
            "## Neighbours" => kind = Some(Kind::Neighbour),
            "## Not met" => kind = Some(Kind::NotMet),
            _ => {}
        }
        let Some(head) = line.strip_prefix("```") else {
            if !line.is_empty() {
                line.clone_into(&mut reason);
            }
            continue;
        };
        let code = lines.by_ref().map(|(_, line)| line).take_while(|line| *line != "```");
        let code = code.fold(String::new(), |code, line| code + line + "\n");
        let file =
            |path: &str, code: String| ExampleFile { path: path.to_owned(), code, lines: Vec::new(), fixed: None };
        match (head.strip_prefix('+'), head.strip_prefix('-')) {
            (Some(path), _) => beside.push(file(path, code)),
            (_, Some(path)) => before.push(file(path, code)),
            _ => all.push(Piece {
                kind: kind.expect("a heading before the first piece"),
                line: number + 1,
                reason: reason.clone(),
                main: file(head, code),
                beside: std::mem::take(&mut beside),
                before: std::mem::take(&mut before),
            }),
        }
    }
    all
}

impl Piece {
    /// Whether the rule reports anything in the piece itself.
    pub fn is_reported(&self, rule: &Arc<Rule>) -> bool {
        let files: Vec<ExampleFile> = [&self.main].into_iter().chain(&self.beside).cloned().collect();
        let mut before = self.before.clone();
        if !before.is_empty() {
            before.extend(files.iter().filter(|file| self.before.iter().all(|old| old.path != file.path)).cloned());
        }
        !try_example(rule, &Example::Files { files, before })[0].found.is_empty()
    }

    pub fn language(&self) -> &'static str {
        Language::of(self.main.path.as_bytes(), self.main.code.as_bytes()).map_or("text", |language| language.name)
    }
}

/// Every piece of a folder, with the rule that it is about.
pub fn all_pieces(folder: &str, rules: &BTreeMap<String, Arc<Rule>>) -> Vec<(Arc<Rule>, Piece)> {
    let folder = format!("{}/tests/{folder}", env!("CARGO_MANIFEST_DIR"));
    let mut files: Vec<_> = std::fs::read_dir(folder).expect("the corpus").map(|f| f.expect("a file").path()).collect();
    files.sort();
    let pieces = files.iter().flat_map(|path| {
        let id = path.file_stem().and_then(|stem| stem.to_str()).expect("a rule's name");
        let rule = rules.get(id).unwrap_or_else(|| panic!("no rule {id}"));
        let pieces = pieces(&std::fs::read_to_string(path).expect("a file of the corpus"));
        pieces.into_iter().map(|piece| (rule.clone(), piece))
    });
    pieces.collect()
}

/// The shipped rules by their names.
pub fn shipped_rules() -> BTreeMap<String, Arc<Rule>> {
    let read = |pack: &Pack| pack.read().unwrap_or_else(|all| panic!("{}", listed(&all)));
    let rules = PACKS.iter().chain([&INTEGRITY]).flat_map(read).map(Arc::new);
    rules.chain(rules_to_copy()).map(|rule| (rule.id.to_string(), rule)).collect()
}

/// The rules of the manual that no pack has.
pub fn rules_to_copy() -> Vec<Arc<Rule>> {
    let read = read_rules("audit.toml", include_str!("../../../../docs/audit.toml"), FileRole::Rules);
    let file = read.unwrap_or_else(|all| panic!("{}", listed(&all)));
    file.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect()
}

fn listed(problems: &[Problem]) -> String {
    problems.iter().map(|problem| format!("{problem}\n")).collect()
}
