//! Names and their definitions, by the scopes of the language.
//!
//! One walk over the tree, parents first, gathers the scopes with the names that they bind, the uses of names, imports,
//! and definitions that stand side by side. Order within a scope is left aside: a name that is bound anywhere in a scope
//! is defined in all of it. Wherever there is doubt, the name counts as defined and as used, because a false alarm costs
//! more than a miss: a file that doesn't parse whole has no odd names, and one that imports everything of a module or
//! makes names while it runs has no undefined ones.

mod javascript;
mod python;

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use tree_sitter::{Node, Tree};

use crate::lang::{Language, Role};
use crate::rule::Names as Wanted;

/// The languages whose scopes are known.
pub const SCOPED: [&str; 4] = ["javascript", "python", "tsx", "typescript"];

/// What a language knows of scopes.
trait Rules {
    /// Looks at a node before its children: opens scopes, binds names, and marks names that are no uses.
    fn enter<'t>(&self, gathered: &mut Gathered<'t, '_>, node: Node<'t>);
    /// Whether a leaf is the use of a name.
    fn is_use(&self, node: Node<'_>) -> bool;
    /// Whether a leaf names something, in whatever role.
    fn is_mention(&self, node: Node<'_>) -> bool;
    /// Names that are there without a definition.
    fn is_known(&self, name: &str) -> bool;
    /// Whether all names of the file can be told.
    fn is_closed(&self, gathered: &Gathered<'_, '_>) -> bool;
    /// The definitions among a node's children, each with its name; what isn't one but defines its name again is `None`.
    fn definitions<'t>(&self, node: Node<'t>, source: &[u8]) -> Vec<(String, Node<'t>, bool)>;
}

/// What kind of scope it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    /// The file.
    Module,
    /// A function, which is where `var` and walrus names go.
    Function,
    /// The body of a class, whose names inner functions don't see.
    Class,
    /// A block or comprehension.
    Block,
}

struct Scope<'s> {
    parent: Option<usize>,
    kind: Kind,
    names: HashSet<&'s str>,
}

/// An imported name.
struct Import<'t, 's> {
    name: &'s str,
    node: Node<'t>,
    /// There is a reason for it to be there unused.
    excused: bool,
}

/// What one walk over a file gathers.
struct Gathered<'t, 's> {
    source: &'s [u8],
    scopes: Vec<Scope<'s>>,
    /// The scope of the node that is looked at.
    now: usize,
    /// Scopes that begin at nodes, by the nodes' ids.
    openings: HashMap<usize, usize>,
    /// Leaves that are names and no uses.
    marked: HashSet<usize>,
    uses: Vec<(&'s str, Node<'t>, usize)>,
    imports: Vec<Import<'t, 's>>,
    /// Every name in the order of its places.
    mentions: Vec<(usize, &'s str)>,
    /// Names that the code asks for whether they are there.
    tested: HashSet<&'s str>,
    /// Names come from where they can't be seen.
    open: bool,
    /// It imports or exports, so its names are its own.
    module: bool,
    /// Texts that may name things: strings and comments.
    texts: Vec<Range<usize>>,
    /// Nodes whose children may be definitions side by side.
    lists: Vec<Node<'t>>,
}

/// The names of a file.
pub(super) struct Names<'t, 's> {
    gathered: Gathered<'t, 's>,
    rules: &'static dyn Rules,
}

impl<'t, 's> Names<'t, 's> {
    /// Gathers them; `None` where the language's scopes aren't known or the file doesn't parse whole.
    pub fn of(source: &'s [u8], language: &Language, tree: &'t Tree) -> Option<Self> {
        let rules: &dyn Rules = match language.name {
            "python" => &python::Python,
            "javascript" | "typescript" | "tsx" => &javascript::JavaScript,
            _ => return None,
        };
        (!tree.root_node().has_error()).then(|| Self { gathered: gather(source, tree, rules), rules })
    }

    /// The names with a fault. `globals` are those that are defined where it can't be seen.
    pub fn with(&self, wanted: Wanted, globals: &dyn Fn(&str) -> bool) -> Vec<Node<'t>> {
        match wanted {
            Wanted::Undefined => self.gathered.undefined(self.rules, globals),
            Wanted::DefinedTwice => self.gathered.defined_twice(self.rules),
            Wanted::UnusedImport => self.gathered.unused_imports(),
            Wanted::Defined | Wanted::Used => Vec::new(),
        }
    }
}

/// All names of a file that define something, or that refer to something.
pub(super) fn in_role<'t>(tree: &'t Tree, language: &Language, role: Role) -> Vec<Node<'t>> {
    let mut found = Vec::new();
    let mut cursor = tree.walk();
    loop {
        let node = cursor.node();
        match role {
            // Definitions are few, so they are asked for their names.
            Role::Defines if language.tables().is_definition(node.kind_id()) => found.extend(language.defined_by(node)),
            Role::Defines => {}
            Role::Binds | Role::Refers if node.is_named() && language.role(node) == Some(role) => found.push(node),
            Role::Binds | Role::Refers => {}
        }
        if cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                found.dedup();
                return found;
            }
        }
    }
}

fn gather<'t, 's>(source: &'s [u8], tree: &'t Tree, rules: &dyn Rules) -> Gathered<'t, 's> {
    let module = Scope { parent: None, kind: Kind::Module, names: HashSet::new() };
    let mut gathered = Gathered {
        source,
        scopes: vec![module],
        now: 0,
        openings: HashMap::new(),
        marked: HashSet::new(),
        uses: Vec::new(),
        imports: Vec::new(),
        mentions: Vec::new(),
        tested: HashSet::new(),
        open: false,
        module: false,
        texts: Vec::new(),
        lists: vec![tree.root_node()],
    };
    let mut cursor = tree.walk();
    // The scopes around the node that the cursor is at.
    let mut around = Vec::new();
    loop {
        let node = cursor.node();
        around.push(gathered.now);
        if let Some(scope) = gathered.openings.get(&node.id()) {
            gathered.now = *scope;
        }
        if node.is_named() {
            rules.enter(&mut gathered, node);
            if node.child_count() == 0 && rules.is_mention(node) {
                let name = gathered.text(node);
                gathered.mentions.push((node.start_byte(), name));
                if rules.is_use(node) && !gathered.marked.contains(&node.id()) {
                    gathered.uses.push((name, node, gathered.now));
                }
            }
        }
        if cursor.goto_first_child() {
            continue;
        }
        loop {
            gathered.now = around.pop().unwrap_or(0);
            if cursor.goto_next_sibling() {
                break;
            }
            if !cursor.goto_parent() {
                return gathered;
            }
        }
    }
}

impl<'t, 's> Gathered<'t, 's> {
    fn text(&self, node: Node<'_>) -> &'s str {
        self.source.get(node.byte_range()).and_then(|bytes| std::str::from_utf8(bytes).ok()).unwrap_or_default()
    }

    /// Opens a scope at a node.
    fn open_at(&mut self, node: Node<'t>, kind: Kind) -> usize {
        self.scopes.push(Scope { parent: Some(self.now), kind, names: HashSet::new() });
        let scope = self.scopes.len() - 1;
        self.openings.insert(node.id(), scope);
        scope
    }

    /// Opens a scope at a node that is being entered.
    fn open_here(&mut self, node: Node<'t>, kind: Kind) -> usize {
        let scope = self.open_at(node, kind);
        self.now = scope;
        scope
    }

    /// Marks a leaf as no use.
    fn mark(&mut self, node: Node<'_>) {
        self.marked.insert(node.id());
    }

    /// Binds the name of a leaf.
    fn bind(&mut self, node: Node<'_>, scope: usize) {
        self.mark(node);
        let name = self.text(node);
        self.scopes[scope].names.insert(name);
    }

    /// The innermost scope around the present one that isn't a block.
    fn function(&self) -> usize {
        let mut scope = self.now;
        while let (Kind::Block, Some(parent)) = (self.scopes[scope].kind, self.scopes[scope].parent) {
            scope = parent;
        }
        scope
    }

    fn is_bound(&self, name: &str, from: usize) -> bool {
        let mut at = Some(from);
        while let Some(scope) = at {
            let seen = self.scopes[scope].kind != Kind::Class || scope == from;
            if seen && self.scopes[scope].names.contains(name) {
                return true;
            }
            at = self.scopes[scope].parent;
        }
        false
    }

    fn undefined(&self, rules: &dyn Rules, globals: &dyn Fn(&str) -> bool) -> Vec<Node<'t>> {
        if self.open || !rules.is_closed(self) {
            return Vec::new();
        }
        let lost = self.uses.iter().filter(|(name, _, scope)| {
            !self.is_bound(name, *scope) && !self.tested.contains(name) && !rules.is_known(name) && !globals(name)
        });
        lost.map(|(_, node, _)| *node).collect()
    }

    fn unused_imports(&self) -> Vec<Node<'t>> {
        let mut counts: HashMap<&str, usize> = HashMap::new();
        self.mentions.iter().for_each(|(_, name)| *counts.entry(name).or_default() += 1);
        let own = |name: &str| self.imports.iter().filter(|other| other.name == name).count();
        let idle = self.imports.iter().filter(|import| {
            !import.excused
                && counts.get(import.name).copied().unwrap_or(0) <= own(import.name)
                && !self.texts.iter().any(|range| has_word(&self.source[range.clone()], import.name))
        });
        idle.map(|import| import.node).collect()
    }

    fn defined_twice(&self, rules: &dyn Rules) -> Vec<Node<'t>> {
        let mut found = Vec::new();
        for list in &self.lists {
            let mut last: HashMap<String, (Node<'t>, bool)> = HashMap::new();
            for (name, node, plain) in rules.definitions(*list, self.source) {
                let Some((before, was_plain)) = last.insert(name.clone(), (node, plain)) else { continue };
                let from = self.mentions.partition_point(|(at, _)| *at < before.end_byte());
                let to = self.mentions.partition_point(|(at, _)| *at < node.start_byte());
                let used = self.mentions[from..to.max(from)].iter().any(|(_, mention)| *mention == name);
                if plain && was_plain && !used {
                    found.extend(node.child_by_field_name("name"));
                }
            }
        }
        found
    }
}

/// Whether a word stands in a text by itself.
fn has_word(text: &[u8], word: &str) -> bool {
    let in_name = |at: Option<&u8>| at.is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$' | 0x80..));
    memchr::memmem::find_iter(text, word.as_bytes()).any(|at| {
        !in_name(at.checked_sub(1).and_then(|before| text.get(before))) && !in_name(text.get(at + word.len()))
    })
}

/// The words of a list, one a line.
fn words(list: &'static str) -> HashSet<&'static str> {
    list.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#')).collect()
}
