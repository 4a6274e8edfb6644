//! A language's node kinds by id, for look-ups during a walk.

use std::iter::successors;
use std::num::NonZero;
use std::sync::OnceLock;

use foldhash::HashSet;

use super::{Class, Inner, Spec, Translation};

/// A language's node kinds by id, for look-ups during a walk.
#[derive(Debug)]
pub struct Tables {
    /// The grammar, loaded once.
    pub grammar: tree_sitter::Language,
    /// Bit set of classes for each kind id.
    classes: Vec<u16>,
    /// Whether a pattern needn't write children of each kind.
    optional: Vec<bool>,
    /// Ids of the fields of such children.
    pub(crate) optional_fields: Vec<u16>,
    /// The same for children of nodes of one kind: both kinds.
    optional_in: Vec<(u16, u16)>,
    /// Signs that say nothing in nodes of one kind: both kinds.
    silent_in: Vec<(u16, u16)>,
    /// For nodes of each kind the part that may stand for them.
    wraps: Vec<Option<Inner>>,
    /// Kinds of nodes, and of operations that aren't their first child in whole.
    bound_too_tight: Vec<(u16, u16)>,
    /// The kinds of nodes that a pattern's take, too: those of the pattern first.
    also: Vec<(u16, u16)>,
    /// Whether the children of nodes of each kind count as those of the node around it.
    flattened: Vec<bool>,
    /// Whether nodes of each kind are words whose quotes are removed.
    quoted: Vec<bool>,
    /// The kinds of nodes with tokens that the grammar leaves as they are.
    macros: Vec<u16>,
    /// Whether nodes of each kind may match a part of a pattern that has another kind.
    loose: Vec<bool>,
    /// Signs and words of which each node of a kind holds one.
    signs: Vec<Option<&'static [&'static str]>>,
    /// Ids of the name fields.
    pub(super) name_fields: Vec<u16>,
    /// Ids of the fields `parameter`, `parameters`, `name` and `declarator`; 0, which no field has, when the grammar
    /// lacks one.
    pub(super) fields: [u16; 4],
    /// How each kind counts in nesting.
    nesting: Vec<Nesting>,
    /// Whether nodes of each kind take part in matching.
    relevance: Vec<Relevance>,
    /// Whether each kind is a loop with a head.
    loop_heads: Vec<bool>,
    /// Whether what follows an `else` is in a node of its own.
    wraps_else: bool,
    interests: OnceLock<Vec<u8>>,
    keywords: OnceLock<HashSet<String>>,
    vocabulary: OnceLock<HashSet<String>>,
}

/// What a walk has to do with a node kind.
pub(crate) mod interest {
    /// A comment.
    pub const COMMENT: u8 = 1;
    /// A string literal.
    pub const STRING: u8 = 2;
    /// A function.
    pub const FUNCTION: u8 = 4;
    /// A loop or branch.
    pub const BRANCH: u8 = 8;
    /// A rule begins with it.
    pub const RULE: u8 = 16;
    /// It never has children.
    pub const LEAF: u8 = 32;
    /// It matters to what names stand for.
    pub const NAME: u8 = 64;
    /// It has tokens that the grammar leaves as they are.
    pub const MACRO: u8 = 128;
}

/// Whether a node takes part in matching when a pattern's list of children is compared with its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Relevance {
    Always,
    /// A token, unless it is empty.
    WhenWritten,
    /// A comment, unless the grammar allows it anywhere.
    UnlessExtra,
    /// A semicolon, which only counts between the fields of a loop's head.
    InLoopHead,
    /// A sign that says nothing in some nodes.
    UnlessSilent,
    /// Commas, ends of lines, and what the language declares as silent.
    Never,
}

/// How a node kind counts when nesting is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Nesting {
    /// Not at all.
    None,
    /// A loop or branch of its own.
    Deeper,
    /// A part of one: an `elif`, an `except`.
    Part,
    /// A case of one.
    Case,
    /// An `if`, which is a part when it is in an `else`.
    If,
    /// An `else`.
    Else,
    /// A conditional expression, which is beside the one that it is directly in: `a ? b : c ? d : e` is a chain.
    Choice,
}

/// The kinds with a name in a grammar: of nodes, and of signs and words as they are.
fn kinds_named(grammar: &tree_sitter::Language, name: &str) -> Vec<u16> {
    (0..grammar.node_kind_count() as u16).filter(|kind| grammar.node_kind_for_id(*kind) == Some(name)).collect()
}

impl Tables {
    /// The tables of a language.
    /// Long because all are filled on one way through the kinds of the grammar.
    pub(super) fn of(spec: &Spec) -> Self {
        let grammar = (spec.grammar)();
        let mut classes = vec![0u16; grammar.node_kind_count()];
        let mut nesting = vec![Nesting::None; grammar.node_kind_count()];
        for id in 0..grammar.node_kind_count() as u16 {
            let Some(kind) = grammar.node_kind_for_id(id) else { continue };
            if !grammar.node_kind_is_named(id) {
                continue;
            }
            for (class, kinds) in spec.classes {
                if kinds.contains(&kind) {
                    classes[usize::from(id)] |= 1 << *class as u16;
                    if matches!(class, Class::Loop | Class::Branch) {
                        nesting[usize::from(id)] = match kind {
                            _ if spec.parts.contains(&kind) => Nesting::Part,
                            _ if spec.cases.contains(&kind) => Nesting::Case,
                            "if" => Nesting::If,
                            _ if kind.starts_with("if_") => Nesting::If,
                            "ternary_expression" | "conditional_expression" | "conditional" => Nesting::Choice,
                            _ => Nesting::Deeper,
                        };
                    }
                }
            }
            if kind == "else_clause" {
                nesting[usize::from(id)] = Nesting::Else;
            }
        }
        let name_fields =
            spec.name_fields.iter().filter_map(|f| grammar.field_id_for_name(f)).map(NonZero::get).collect();
        let fields = ["parameter", "parameters", "name", "declarator"]
            .map(|f| grammar.field_id_for_name(f).map_or(0, NonZero::get));
        let kinds_named = |name: &str| kinds_named(&grammar, name);
        let with_name = |names: &[&str]| {
            let mut found = vec![false; grammar.node_kind_count()];
            names.iter().flat_map(|name| kinds_named(name)).for_each(|id| found[usize::from(id)] = true);
            found
        };
        let (optional, flattened) = (with_name(spec.optional), with_name(spec.flattened));
        let pairs = |names: &[(&str, &str)]| {
            let mut found = Vec::new();
            for (first, second) in names {
                let second = kinds_named(second);
                found.extend(kinds_named(first).iter().flat_map(|first| second.iter().map(|second| (*first, *second))));
            }
            found
        };
        let (also, optional_in, silent_in) = (pairs(spec.also), pairs(spec.optional_in), pairs(spec.silent_in));
        let bound_too_tight = pairs(spec.bound_too_tight);
        let mut wraps = vec![None; grammar.node_kind_count()];
        for (kind, inner) in spec.wraps {
            kinds_named(kind).into_iter().for_each(|id| wraps[usize::from(id)] = Some(*inner));
        }
        let removes_quotes = spec.translations.contains(&Translation::QuotedWords);
        let is_word = |id: u16| {
            let is = |class: Class| classes[usize::from(id)] & (1 << class as u16) != 0;
            removes_quotes
                && (is(Class::String) || matches!(grammar.node_kind_for_id(id), Some("word" | "concatenation")))
        };
        let quoted: Vec<bool> = (0..grammar.node_kind_count() as u16).map(is_word).collect();
        let loose = (0..grammar.node_kind_count())
            .map(|id| wraps[id].is_some() || quoted[id] || also.iter().any(|(_, other)| usize::from(*other) == id));
        let loose = loose.collect();
        let mut signs = vec![None; grammar.node_kind_count()];
        for (kind, own) in spec.signs {
            kinds_named(kind).into_iter().for_each(|id| signs[usize::from(id)] = Some(*own));
        }
        let macros = spec.macros.iter().flat_map(|(kind, ..)| kinds_named(kind)).collect();
        let optional_fields = spec.optional_fields.iter().filter_map(|f| grammar.field_id_for_name(f));
        let optional_fields = optional_fields.map(NonZero::get).collect();
        let wraps_else = nesting.contains(&Nesting::Else);
        let name_of = |id: u16| grammar.node_kind_for_id(id).unwrap_or_default();
        let kinds = 0..grammar.node_kind_count() as u16;
        let relevance = |id: u16| match (grammar.node_kind_is_named(id), name_of(id)) {
            (true, kind) if spec.silent.contains(&kind) => Relevance::Never,
            (true, _) if classes[usize::from(id)] & (1 << Class::Comment as u16) != 0 => Relevance::UnlessExtra,
            (true, _) => Relevance::Always,
            (false, "," | "\n" | "\0") => Relevance::Never,
            (false, ";") => Relevance::InLoopHead,
            (false, _) if silent_in.iter().any(|(_, kind)| *kind == id) => Relevance::UnlessSilent,
            (false, _) => Relevance::WhenWritten,
        };
        let relevance = kinds.clone().map(relevance).collect();
        let loop_heads = kinds.map(|id| name_of(id).starts_with("for")).collect();
        Tables {
            grammar,
            classes,
            optional,
            optional_fields,
            optional_in,
            silent_in,
            wraps,
            bound_too_tight,
            also,
            flattened,
            quoted,
            macros,
            loose,
            signs,
            name_fields,
            fields,
            nesting,
            relevance,
            loop_heads,
            wraps_else,
            interests: OnceLock::new(),
            keywords: OnceLock::new(),
            vocabulary: OnceLock::new(),
        }
    }

    /// How many states, kinds and fields the grammar has, which another version of it hardly has, too.
    pub(crate) fn sizes(&self) -> [usize; 3] {
        [self.grammar.parse_state_count(), self.grammar.node_kind_count(), self.grammar.field_count()]
    }

    /// The kinds with a name in the grammar: of nodes, or of signs and words as they are.
    pub(crate) fn kinds_named(&self, name: &str, is_node: bool) -> Vec<u16> {
        let mut kinds = kinds_named(&self.grammar, name);
        kinds.retain(|kind| self.grammar.node_kind_is_named(*kind) == is_node);
        kinds
    }

    /// Whether a pattern needn't write children of a kind in nodes of another one.
    pub(crate) fn is_optional(&self, parent: u16, kind: u16) -> bool {
        self.optional.get(usize::from(kind)).copied().unwrap_or(false) || self.optional_in.contains(&(parent, kind))
    }

    /// Whether nodes of this kind may match a part of a pattern that has another kind.
    pub(crate) fn is_loose(&self, kind: u16) -> bool {
        self.loose.get(usize::from(kind)).copied().unwrap_or(false)
    }

    /// Whether a part of a pattern takes nodes of a kind: its own, or one that is written instead of it.
    pub(crate) fn takes(&self, wanted: u16, kind: u16) -> bool {
        wanted == kind || self.is_loose(kind) && self.also.contains(&(wanted, kind))
    }

    /// What a pattern has where nodes of a kind are written instead of it, as the grammar has it.
    pub(crate) fn written_as(&self, kind: u16) -> Option<&str> {
        let (wanted, _) = self.also.iter().find(|(_, other)| *other == kind)?;
        self.grammar.node_kind_for_id(*wanted)
    }

    /// The kinds that are written instead of one.
    pub(crate) fn instead_of(&self, kind: u16) -> impl Iterator<Item = u16> {
        self.also.iter().filter(move |(wanted, _)| *wanted == kind).map(|(_, other)| *other)
    }

    /// Whether the children of such nodes count as those of the node around them.
    pub(crate) fn is_flattened(&self, kind: u16) -> bool {
        self.flattened.get(usize::from(kind)).copied().unwrap_or(false)
    }

    /// Whether such nodes are words whose quotes are removed.
    pub(crate) fn is_quoted(&self, kind: u16) -> bool {
        self.quoted.get(usize::from(kind)).copied().unwrap_or(false)
    }

    /// The part of a node that may stand for it.
    pub(crate) fn inner<'t>(&self, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        let inner = self.wraps.get(usize::from(node.kind_id())).copied().flatten()?;
        let mut cursor = node.walk();
        let mut named = node.named_children(&mut cursor).filter(|child| !self.is(child.kind_id(), Class::Comment));
        match inner {
            Inner::First => named.next(),
            Inner::Last => named.last(),
            Inner::Only => named.next().filter(|_| named.next().is_none()),
            Inner::Before(sign) => named.next().filter(|_| {
                node.child_count()
                    .checked_sub(1)
                    .and_then(|last| node.child(last))
                    .is_some_and(|last| last.kind() == sign)
            }),
        }
    }

    /// The last operand of an operation that is the first child of a node, where the language lets only the operand be it. The
    /// node counts as one of `kind`.
    pub(crate) fn own_operand<'t>(&self, kind: u16, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        // Most languages have no such kinds, and matching asks at each node.
        self.bound_too_tight.iter().find(|(of, _)| *of == kind)?;
        // What comes before a name with a full stop is no operation, and what follows its operand isn't bound to others.
        let last = |operation: &tree_sitter::Node<'t>| {
            self.bound_too_tight.contains(&(kind, operation.kind_id())).then_some(())?;
            let last = operation.child(operation.child_count().checked_sub(1)?)?;
            (last.is_named() && operation.child(0)?.kind() != ".").then_some(last)
        };
        std::iter::successors(last(&node.child(0)?), last).last()
    }

    /// Whether some signs say nothing in nodes of a kind, so that what is left isn't all of their text.
    pub(crate) fn has_silent_signs(&self, kind: u16) -> bool {
        self.silent_in.iter().any(|(parent, _)| *parent == kind)
    }

    /// Whether a sign says nothing in nodes of a kind.
    pub(crate) fn is_silent_in(&self, parent: u16, kind: u16) -> bool {
        self.silent_in.contains(&(parent, kind))
    }

    /// Whether nodes of this kind take part in matching.
    pub(crate) fn relevance(&self, kind: u16) -> Relevance {
        self.relevance.get(usize::from(kind)).copied().unwrap_or(Relevance::Always)
    }

    /// Whether nodes of this kind are loops with a head, whose fields semicolons separate.
    pub(crate) fn has_loop_head(&self, kind: u16) -> bool {
        self.loop_heads.get(usize::from(kind)).copied().unwrap_or(false)
    }

    /// Whether nodes of this kind are of the class.
    pub fn is(&self, kind: u16, class: Class) -> bool {
        self.classes.get(usize::from(kind)).is_some_and(|bits| bits & (1 << class as u16) != 0)
    }

    /// Whether a node is a loop or branch, and whether it nests deeper than what is around it: the parts of one construct
    /// are beside each other for a reader. `parent` is the kind of the node around it.
    pub fn branches(&self, node: tree_sitter::Node<'_>, parent: u16) -> Option<bool> {
        let nesting = |kind: u16| self.nesting.get(usize::from(kind)).copied().unwrap_or(Nesting::None);
        match nesting(node.kind_id()) {
            Nesting::None | Nesting::Else => None,
            Nesting::Part | Nesting::Case => Some(false),
            Nesting::Deeper => Some(true),
            Nesting::Choice => Some(nesting(parent) != Nesting::Choice),
            Nesting::If if self.wraps_else => Some(nesting(parent) != Nesting::Else),
            // What follows an `else` is in the `if` that it belongs to.
            Nesting::If if nesting(parent) != Nesting::If => Some(true),
            Nesting::If => {
                let mut before = successors(node.prev_sibling(), |before| before.prev_sibling());
                let before = before.find(|before| !before.is_extra());
                Some(before.is_none_or(|before| before.kind() != "else"))
            }
        }
    }

    /// Whether nodes of this kind are an `if` with all that belongs to it.
    pub fn is_if(&self, kind: u16) -> bool {
        self.nesting.get(usize::from(kind)) == Some(&Nesting::If)
    }

    /// Whether nodes of this kind are a case of a choice by a value.
    pub fn is_case(&self, kind: u16) -> bool {
        self.nesting.get(usize::from(kind)) == Some(&Nesting::Case)
    }

    /// Whether a node, or the one that it merely wraps, is of the class.
    pub fn is_at_heart(&self, mut node: tree_sitter::Node<'_>, class: Class) -> bool {
        loop {
            if self.is(node.kind_id(), class) {
                return true;
            }
            match node.named_child(0) {
                Some(inner) if node.named_child_count() == 1 && inner.byte_range() == node.byte_range() => node = inner,
                _ => return false,
            }
        }
    }

    /// The words that the grammar has as they are.
    pub(crate) fn keywords(&self) -> &HashSet<String> {
        self.keywords.get_or_init(|| {
            let anonymous = (0..self.classes.len() as u16).filter(|kind| !self.grammar.node_kind_is_named(*kind));
            let words = anonymous.filter_map(|kind| self.grammar.node_kind_for_id(kind));
            words.filter(|word| word.bytes().all(|b| b.is_ascii_alphabetic())).map(str::to_owned).collect()
        })
    }

    /// All that the grammar has as it is, and the words that have nodes named after them.
    pub(super) fn vocabulary(&self) -> &HashSet<String> {
        self.vocabulary.get_or_init(|| {
            let kinds = 0..self.classes.len() as u16;
            let words = kinds.filter_map(|kind| {
                let name = self.grammar.node_kind_for_id(kind)?;
                if self.grammar.node_kind_is_named(kind) { name.strip_prefix("keyword_") } else { Some(name) }
            });
            words.map(str::to_owned).collect()
        })
    }

    /// For each node kind, what a walk has to do with it, as the bits of [`interest`].
    pub(crate) fn interests(&self) -> &[u8] {
        self.interests.get_or_init(|| {
            (0..self.classes.len() as u16)
                .map(|kind| {
                    let bit = |class: Class, bit: u8| if self.is(kind, class) { bit } else { 0 };
                    bit(Class::Comment, interest::COMMENT)
                        | bit(Class::String, interest::STRING)
                        | bit(Class::Function, interest::FUNCTION)
                        | bit(Class::Loop, interest::BRANCH)
                        | bit(Class::Branch, interest::BRANCH)
                        | bit(Class::Name, interest::LEAF)
                        | bit(Class::Number, interest::LEAF)
                        | if self.macros.contains(&kind) { interest::MACRO } else { 0 }
                        | if self.grammar.node_kind_is_named(kind) { 0 } else { interest::LEAF }
                })
                .collect()
        })
    }

    /// Whether nodes of this kind count as having nothing below them.
    pub(crate) fn is_leaf(&self, kind: u16) -> bool {
        self.interests().get(usize::from(kind)).is_some_and(|interest| interest & interest::LEAF != 0)
    }

    /// Signs and words of which each node of this kind holds one, where that is known.
    pub(crate) fn signs_of(&self, kind: u16) -> Option<&'static [&'static str]> {
        self.signs.get(usize::from(kind)).copied().flatten()
    }

    /// Whether nodes of this kind define something: a function or a class.
    pub fn is_definition(&self, kind: u16) -> bool {
        self.classes
            .get(usize::from(kind))
            .is_some_and(|bits| bits & (1 << Class::Function as u16 | 1 << Class::Class as u16) != 0)
    }
}
