//! The odd names of a file: those that are defined nowhere, imported for nothing, or defined a second time before their first
//! definition was used.

use std::cell::LazyCell;

use foldhash::{HashMap, HashMapExt, HashSet};
use memchr::memmem::Finder;
use tree_sitter::Node;

use super::{Field, Gathered, Import, Use, has_word};
use crate::pattern::Children;

/// Statements of files that run whenever they are loaded, under no condition.
const RUN_AT_ONCE: [&str; 3] = ["expression_statement", "lexical_declaration", "variable_declaration"];

/// As many unused imports may be forgotten in a file of which they are most.
const MOST_IDLE: usize = 3;

impl<'t> Gathered<'t, '_> {
    /// The uses of names that are defined nowhere.
    pub(super) fn undefined(&self, globals: &dyn Fn(&str) -> bool) -> Vec<&Use<'t>> {
        let rules = self.tables.rules;
        if self.open || !rules.is_closed(self) {
            return Vec::new();
        }
        let looked_up = LazyCell::new(|| rules.looked_up(self.source));
        let is_lost = |used: &&Use<'t>| {
            let text = self.names[used.name as usize];
            !self.is_bound(used.name, used.scope)
                && !self.tested.contains(text)
                && !rules.is_known(text)
                && !globals(text)
                && !looked_up.contains(text.as_bytes())
        };
        self.uses.iter().filter(is_lost).collect()
    }

    /// Whether any of these uses is in a statement that runs whenever the file is loaded, under no condition.
    pub(super) fn are_used_at_once(&self, uses: &[&Use<'t>]) -> bool {
        let outside: Vec<_> = uses.iter().filter(|used| used.scope == 0).collect();
        let holds_one = |statement: Node<'_>| {
            let next = outside.partition_point(|used| used.node.start_byte() < statement.start_byte());
            RUN_AT_ONCE.contains(&statement.kind())
                && outside.get(next).is_some_and(|used| used.node.end_byte() <= statement.end_byte())
        };
        !outside.is_empty() && self.lists.first().is_some_and(|root| Children::named(*root).any(holds_one))
    }

    /// Whether these uses show that the file is a piece of another: it imports nothing, and lacks several names.
    pub(super) fn is_piece(&self, uses: &[&Use<'t>]) -> bool {
        const SEVERAL: usize = 3;
        self.imports.is_empty() && uses.iter().map(|used| used.name).collect::<HashSet<_>>().len() >= SEVERAL
    }

    /// The imports of names that nothing else in the file mentions.
    pub(super) fn unused_imports(&self) -> Vec<Node<'t>> {
        // How often each name is met beyond its imports.
        let mut counts = vec![0isize; self.names.len()];
        self.mentions.iter().for_each(|(_, name)| counts[*name as usize] += 1);
        self.imports.iter().for_each(|import| counts[import.name as usize] -= 1);
        let rendered = |import: &&Import<'_>| {
            let name = Finder::new(self.names[import.name as usize]);
            self.texts.iter().any(|range| has_word(&self.source[range.clone()], &name))
        };
        let idle = self.imports.iter().filter(|import| !import.excused && counts[import.name as usize] <= 0);
        // A statement may import thousands.
        let mut last = None;
        let idle = idle.filter(|import| !rendered(import)).filter(|import| {
            let (statement, excused) = match last {
                Some((statement, excused)) if statement == import.statement => (statement, excused),
                _ => (import.statement, self.tables.rules.is_excused(import.statement, self.source)),
            };
            last = Some((statement, excused));
            !excused
        });
        let mut idle: Vec<Node<'t>> = idle.map(|import| import.node).collect();
        // A file that uses few of the names that it imports has them for others to take.
        let hands_on = || {
            let most = idle.len() > MOST_IDLE && 2 * idle.len() > self.imports.len();
            most || self.lists.first().is_some_and(|root| self.tables.rules.hands_on(*root))
        };
        if !idle.is_empty() && hands_on() {
            idle.clear();
        }
        idle
    }

    /// The names of definitions that take the place of one before them that nothing has used.
    pub(super) fn defined_twice(&self) -> Vec<Node<'t>> {
        let mut found = Vec::new();
        for list in &self.lists {
            let before = |end: usize| self.definitions.partition_point(|at| *at < end);
            if before(list.end_byte()) - before(list.start_byte()) < 2 {
                continue;
            }
            let mut last: HashMap<String, (Node<'t>, bool)> = HashMap::new();
            let definitions = Children::named(*list).filter_map(|child| self.tables.rules.definition(self, child));
            for (name, node, plain) in definitions {
                let Some((before, was_plain)) = last.insert(name.clone(), (node, plain)) else { continue };
                let from = self.mentions.partition_point(|(at, _)| *at < before.end_byte());
                let to = self.mentions.partition_point(|(at, _)| *at < node.start_byte());
                let is_same = |mention: &u32| self.names[*mention as usize] == name;
                let used = self.mentions[from..to.max(from)].iter().any(|(_, mention)| is_same(mention));
                if plain && was_plain && !used {
                    found.extend(self.field(node, Field::Name));
                }
            }
        }
        found
    }
}
