//! Names and their definitions, by the scopes of the language.
//!
//! The walk over the tree, parents first, gathers the scopes with the names that they bind, the uses of names, imports,
//! and definitions that are side by side. Order within a scope is ignored: a name that is bound anywhere in a scope
//! is defined in all of it. Wherever there is doubt, the name counts as defined and as used, because a false alarm costs
//! more than a miss: a file that doesn't parse whole has no odd names, and one that imports everything of a module or
//! makes names while it runs has no undefined ones.

mod javascript;
mod odd;
mod python;

use std::iter::successors;
use std::num::NonZero;
use std::ops::Range;
use std::sync::OnceLock;

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use memchr::memmem::Finder;
use tree_sitter::{Node, Tree};

use crate::lang::{LANGUAGES, Language, Role};
use crate::pattern::{Children, has_words, preorder};

/// What a node calls for before its children are looked at: opening scopes, binding names, and marking names that are
/// no uses.
type Action = for<'t, 's> fn(&mut Gathered<'t, 's>, Node<'t>);

/// What a language knows of scopes.
trait Rules: Sync {
    /// What nodes of this kind call for.
    fn action(&self, kind: &str) -> Option<Action>;
    /// Whether leaves of this kind are uses of names, unless they are marked.
    fn is_use(&self, kind: &str) -> bool;
    /// Whether leaves of this kind name something, in whatever role.
    fn is_mention(&self, kind: &str) -> bool;
    /// Names that are there without a definition.
    fn is_known(&self, name: &str) -> bool;
    /// The names that a file looks up among those that are there without a definition.
    fn looked_up<'s>(&self, source: &'s [u8]) -> HashSet<&'s [u8]>;
    /// Whether all names of the file are known.
    fn is_closed(&self, gathered: &Gathered<'_, '_>) -> bool;
    /// The definition that a node among several holds: its name, the node that has it, and whether another one of the
    /// same name would be a fault.
    fn definition<'t>(&self, gathered: &Gathered<'t, '_>, node: Node<'t>) -> Option<(String, Node<'t>, bool)>;
    /// Whether a file does nothing but import, so that others may import from it.
    fn hands_on(&self, root: Node<'_>) -> bool;
    /// Whether the code around an import shows why it is there unused.
    fn is_excused(&self, statement: Node<'_>, source: &[u8]) -> bool;
}

/// A language's rules by the ids of its grammar.
struct Tables {
    rules: &'static dyn Rules,
    /// For each node kind, what it calls for.
    steps: Vec<KindStep>,
    /// The ids of the fields, in the order of [`Field`]; 0, which no field has, where the grammar lacks one.
    fields: [u16; FIELDS.len()],
    /// Whether parameters may have types, for which they are nodes of their own.
    typed: bool,
}

/// What is to be done at nodes of one kind.
#[derive(Clone, Copy)]
struct KindStep {
    action: Option<Action>,
    is_mention: bool,
    is_use: bool,
}

/// Fields of grammars.
#[derive(Clone, Copy)]
enum Field {
    Alias,
    Argument,
    Attribute,
    Body,
    Declaration,
    Definition,
    Function,
    Kind,
    Left,
    ModuleName,
    Name,
    Object,
    Operator,
    Parameter,
    Parameters,
    Pattern,
    Right,
    Source,
    TypeParameters,
    Value,
}

/// Their names.
const FIELDS: [&str; 20] = [
    "alias",
    "argument",
    "attribute",
    "body",
    "declaration",
    "definition",
    "function",
    "kind",
    "left",
    "module_name",
    "name",
    "object",
    "operator",
    "parameter",
    "parameters",
    "pattern",
    "right",
    "source",
    "type_parameters",
    "value",
];

impl Tables {
    fn of(language: &'static Language) -> Option<&'static Self> {
        /// For each of [`LANGUAGES`]; most stay empty.
        static ALL: OnceLock<Vec<OnceLock<Tables>>> = OnceLock::new();
        if !language.has_scopes {
            return None;
        }
        let all = ALL.get_or_init(|| LANGUAGES.iter().map(|_| OnceLock::new()).collect());
        let rules: &'static dyn Rules =
            if language.name == "python" { &python::Python } else { &javascript::JavaScript };
        Some(all[language.index()].get_or_init(|| {
            let grammar = &language.tables().grammar;
            let step = |id: u16| {
                let kind = grammar.node_kind_for_id(id).filter(|_| grammar.node_kind_is_named(id)).unwrap_or_default();
                KindStep { action: rules.action(kind), is_mention: rules.is_mention(kind), is_use: rules.is_use(kind) }
            };
            let steps = (0..grammar.node_kind_count() as u16).map(step).collect();
            let fields = FIELDS.map(|name| grammar.field_id_for_name(name).map_or(0, NonZero::get));
            let typed = grammar.id_for_node_kind("required_parameter", true) != 0;
            Self { rules, steps, fields, typed }
        }))
    }
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

struct Scope {
    parent: Option<usize>,
    kind: Kind,
}

/// An imported name.
struct Import<'t> {
    name: u32,
    node: Node<'t>,
    statement: Node<'t>,
    /// Its own form shows why it is there unused.
    excused: bool,
}

/// Where a name is used.
struct Use<'t> {
    name: u32,
    node: Node<'t>,
    scope: usize,
}

/// What the walk over a file gathers.
struct Gathered<'t, 's> {
    source: &'s [u8],
    /// The whole source, where it is text throughout.
    text: Option<&'s str>,
    tables: &'static Tables,
    /// Every name that was met, and its number.
    names: Vec<&'s str>,
    numbers: HashMap<&'s str, u32>,
    scopes: Vec<Scope>,
    /// The names that each scope binds.
    bound: HashSet<(usize, u32)>,
    /// The scope of the node that is looked at.
    now: usize,
    /// Scopes that begin at nodes still to come, by the nodes' ids.
    openings: Vec<(usize, usize)>,
    /// The id of a block to come that has no scope of its own.
    shared: Option<usize>,
    /// For each byte, whether a leaf begins there that is a name and no use.
    marked: Vec<u64>,
    uses: Vec<Use<'t>>,
    imports: Vec<Import<'t>>,
    /// Every name in the order of its places.
    mentions: Vec<(usize, u32)>,
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
    /// Where definitions begin.
    definitions: Vec<usize>,
}

/// What may be wrong with a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum NameFault {
    /// It is used and defined nowhere.
    Undefined,
    /// The same, in a file that can be loaded without it.
    UndefinedOnUse,
    /// It is defined, and defined again before anything used it.
    DefinedTwice,
    /// It is imported and not used.
    UnusedImport,
}

/// The names of a file, gathered while a walk goes through all of its nodes.
pub struct Scopes<'t> {
    gathered: Gathered<'t, 't>,
    /// The nodes around the one that the walk is at in which the scope changed: how deep each is, and the scope
    /// before it.
    around: Vec<(u32, usize)>,
}

impl<'t> Scopes<'t> {
    /// Nothing gathered yet; `None` where the language's scopes aren't known or the file doesn't parse whole.
    pub(crate) fn of(source: &'t [u8], language: &'static Language, tree: &'t Tree) -> Option<Self> {
        let root = tree.root_node();
        let tables = Tables::of(language).filter(|_| !root.has_error())?;
        // A new name comes every fifty bytes or so, and rehashing would cost as much as filling.
        let names = source.len() / 48;
        let gathered = Gathered {
            source,
            text: std::str::from_utf8(source).ok(),
            tables,
            names: Vec::with_capacity(names),
            numbers: HashMap::with_capacity(names),
            scopes: vec![Scope { parent: None, kind: Kind::Module }],
            bound: HashSet::with_capacity(names),
            now: 0,
            openings: Vec::new(),
            shared: None,
            marked: vec![0; source.len() / 64 + 1],
            uses: Vec::new(),
            imports: Vec::new(),
            mentions: Vec::new(),
            tested: HashSet::new(),
            open: false,
            module: false,
            texts: Vec::new(),
            lists: vec![root],
            definitions: Vec::new(),
        };
        Some(Self { gathered, around: Vec::new() })
    }

    /// For each node kind, whether its nodes are to be entered here.
    pub(crate) fn kinds(&self) -> impl Iterator<Item = bool> {
        self.gathered.tables.steps.iter().map(|step| step.action.is_some() || step.is_mention)
    }

    /// Whether the next node is to be entered here, whatever its kind.
    pub(crate) fn expects(&self) -> bool {
        !self.gathered.openings.is_empty()
    }

    /// The walk enters a node of this kind at this depth of the tree.
    pub(crate) fn enter(&mut self, node: Node<'t>, kind: u16, depth: u32) {
        let all = &mut self.gathered;
        let before = all.now;
        if let Some(at) = all.openings.iter().rposition(|(id, _)| *id == node.id()) {
            all.now = all.openings.swap_remove(at).1;
        }
        let Some(step) = all.tables.steps.get(usize::from(kind)) else { return };
        if let Some(action) = step.action {
            action(all, node);
        }
        if step.is_mention && node.child_count() == 0 {
            let (start, name) = (node.start_byte(), all.number(node));
            all.mentions.push((start, name));
            if step.is_use && all.marked[start / 64] & 1 << (start % 64) == 0 {
                all.uses.push(Use { name, node, scope: all.now });
            }
        }
        if all.now != before {
            self.around.push((depth, before));
        }
    }

    /// The walk leaves a node at this depth.
    pub(crate) fn leave(&mut self, depth: u32) {
        if let Some((_, before)) = self.around.pop_if(|(at, _)| *at == depth) {
            self.gathered.now = before;
        }
    }

    /// The names with a fault. `globals` are those that are defined where it can't be seen.
    pub(crate) fn with(&self, fault: NameFault, globals: &dyn Fn(&str) -> bool) -> Vec<Node<'t>> {
        match fault {
            NameFault::Undefined | NameFault::UndefinedOnUse => {
                let uses = self.gathered.undefined(globals);
                // A file that fails whenever it is loaded is given such names by what loads it, and so is one that takes in
                // nothing and lacks several names.
                let skips = fault == NameFault::UndefinedOnUse
                    && (self.gathered.are_used_at_once(&uses) || self.gathered.is_piece(&uses));
                uses.into_iter().filter(|_| !skips).map(|used| used.node).collect()
            }
            NameFault::DefinedTwice => self.gathered.defined_twice(),
            NameFault::UnusedImport => self.gathered.unused_imports(),
        }
    }
}

/// All names of a file that define something, or that refer to something.
pub(crate) fn in_role<'t>(tree: &'t Tree, language: &Language, role: Role) -> Vec<Node<'t>> {
    let mut found = Vec::new();
    preorder(tree.root_node(), |node| {
        match role {
            // Definitions are few, so they are asked for their names.
            Role::Defines if language.tables().is_definition(node.kind_id()) => found.extend(language.defined_by(node)),
            Role::Defines => {}
            Role::Binds | Role::Refers if node.is_named() && language.role(node) == Some(role) => found.push(node),
            Role::Binds | Role::Refers => {}
        }
        true
    });
    found.dedup();
    found
}

impl<'t, 's> Gathered<'t, 's> {
    fn text(&self, node: Node<'_>) -> &'s str {
        let range = node.byte_range();
        match self.text {
            Some(text) => text.get(range),
            None => self.source.get(range).and_then(|bytes| std::str::from_utf8(bytes).ok()),
        }
        .unwrap_or_default()
    }

    /// The number of a leaf's name.
    fn number(&mut self, leaf: Node<'_>) -> u32 {
        self.number_of(self.text(leaf))
    }

    fn number_of(&mut self, name: &'s str) -> u32 {
        let next = self.names.len() as u32;
        let number = *self.numbers.entry(name).or_insert(next);
        if number == next {
            self.names.push(name);
        }
        number
    }

    fn field(&self, node: Node<'t>, field: Field) -> Option<Node<'t>> {
        node.child_by_field_id(self.tables.fields[field as usize])
    }

    /// Opens a scope at a node that is still to come.
    fn open_at(&mut self, node: Node<'t>, kind: Kind) -> usize {
        self.scopes.push(Scope { parent: Some(self.now), kind });
        let scope = self.scopes.len() - 1;
        self.openings.push((node.id(), scope));
        scope
    }

    /// Opens a scope at the node that is being entered.
    fn open_here(&mut self, kind: Kind) -> usize {
        self.scopes.push(Scope { parent: Some(self.now), kind });
        self.now = self.scopes.len() - 1;
        self.now
    }

    /// Marks a leaf as no use.
    fn mark(&mut self, leaf: Node<'_>) {
        let start = leaf.start_byte();
        self.marked[start / 64] |= 1 << (start % 64);
    }

    /// Binds the name of a leaf.
    fn bind(&mut self, leaf: Node<'_>, scope: usize) {
        self.mark(leaf);
        let name = self.number(leaf);
        self.bound.insert((scope, name));
    }

    /// Binds a name that no leaf names.
    fn bind_text(&mut self, name: &'s str, scope: usize) {
        let name = self.number_of(name);
        self.bound.insert((scope, name));
    }

    /// The innermost scope around the present one that isn't a block.
    fn function(&self) -> usize {
        let mut scope = self.now;
        while let (Kind::Block, Some(parent)) = (self.scopes[scope].kind, self.scopes[scope].parent) {
            scope = parent;
        }
        scope
    }

    fn is_bound(&self, name: u32, from: usize) -> bool {
        let mut at = Some(from);
        while let Some(scope) = at {
            let seen = self.scopes[scope].kind != Kind::Class || scope == from;
            if seen && self.bound.contains(&(scope, name)) {
                return true;
            }
            at = self.scopes[scope].parent;
        }
        false
    }
}

/// Whether a node is a comment that says something.
fn is_remark(node: Node<'_>, source: &[u8]) -> bool {
    node.kind() == "comment" && has_words(&source[node.byte_range()])
}

/// Whether a comment after a node, on its last line, says something.
fn is_remarked(node: Node<'_>, source: &[u8]) -> bool {
    let row = node.end_position().row;
    let mut after = successors(node.next_sibling(), Node::next_sibling).take_while(|n| n.start_position().row == row);
    after.any(|after| is_remark(after, source))
}

/// Calls `act` with each identifier in a node, in order.
fn leaves<'t>(node: Node<'t>, act: &mut impl FnMut(Node<'t>)) {
    preorder(node, |inner| {
        if inner.kind() == "identifier" {
            act(inner);
        }
        true
    });
}

fn each<'t>(node: Node<'t>, act: impl FnMut(Node<'t>)) {
    Children::named(node).for_each(act);
}

/// Whether names may have a byte in them.
fn is_in_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'$' | 0x80..)
}

/// Whether a word is in a text by itself. What finds it is made once, for all texts.
fn has_word(text: &[u8], word: &Finder<'_>) -> bool {
    let in_name = |at: Option<&u8>| at.is_some_and(|b| is_in_name(*b));
    word.find_iter(text).any(|at| {
        let end = at + word.needle().len();
        !in_name(at.checked_sub(1).and_then(|before| text.get(before))) && !in_name(text.get(end))
    })
}

/// The words of a list, one a line.
fn words(list: &'static str) -> HashSet<&'static str> {
    list.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#')).collect()
}
