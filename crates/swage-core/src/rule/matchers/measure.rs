//! `measure`: a figure of a definition over a limit.
//!
//! Parameters and lines follow from the definition alone. Loops and branches are counted during the walk over the whole tree:
//! each function that is open has a frame, so that no function is walked a second time.
//!
//! A measure is compared with its own value before the change: a function that was too long and got longer is worse, not
//! new.

use std::sync::Arc;

use tree_sitter::Node;

use super::plan::{Figure, FunctionFinder};
use super::{Compiled, Languages, Match, Matcher, NodeFinder, OnMatch, ParsedFile, Plan, Reader, TooMany};
use crate::lang::{Class, Language, Tables};
use crate::pattern::{Children, PatternError, preorder};
use crate::rule::keys::{Holds, Key, words};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::{DEFINITIONS, one_of};

pub(super) const READER: Reader = Reader {
    keys: &[
        Key::new("measure", Holds::OneOf(|| words(&Measure::ALL)), "A figure of a definition."),
        Key::new("of", Holds::OneOf(|| words(&DEFINITIONS)), "What is measured; functions when left out."),
        Key::new("over", Holds::Number, "The most that is allowed."),
    ],
    read,
};

/// A figure over a limit.
#[derive(Debug)]
struct MeasureMatch {
    /// The figure.
    measure: Measure,
    /// What is measured.
    of: Class,
    /// The most that is allowed.
    over: u64,
}

/// A figure of a definition.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Measure {
    /// Declared parameters, not counting the receiver.
    Parameters,
    /// Lines from the first to the last of the definition; a short case takes one, and so do its documentation and data.
    Lines,
    /// The deepest nesting of loops and branches.
    Nesting,
    /// Loops and branches, not counting those of inner functions. A choice counts once with all its cases, the
    /// one exception that T. J. McCabe makes (A Complexity Measure, 1976).
    Branches,
}

impl Measure {
    /// All, with the words that rules use for them.
    const ALL: [(&'static str, Measure); 4] = [
        ("parameters", Measure::Parameters),
        ("lines", Measure::Lines),
        ("nesting", Measure::Nesting),
        ("branches", Measure::Branches),
    ];

    /// Whether it is counted on the walk.
    fn is_counted(self) -> bool {
        matches!(self, Measure::Nesting | Measure::Branches)
    }
}

/// Reads a figure and its limit.
fn read(table: &mut Table<'_, '_>, _: &mut Languages, _: &str, p: &mut Problems<'_>) -> Option<Arc<dyn Matcher>> {
    let measure = table.required_string("measure", "a measure match", p)?;
    let measure = one_of(&measure, "measure", Measure::ALL, p);
    let of = table.string("of", p).map_or(Some(Class::Function), |of| one_of(&of, "definition", DEFINITIONS, p));
    let over = table.number("over", p);
    if !table.has("over") {
        p.at(table.at, "a measure match needs `over`", Some("give the most that is allowed".into()));
    }
    // Classes have no parameters, and loops in them belong to their methods.
    if of == Some(Class::Class) && measure.is_some_and(|m| m != Measure::Lines) {
        let hint = "leave `of` out, so that functions are measured".to_owned();
        p.at(table.at, "only `lines` can be measured of a class", Some(hint));
        return None;
    }
    Some(Arc::new(MeasureMatch { measure: measure?, of: of?, over: over?.value }))
}

impl Matcher for MeasureMatch {
    /// Facts can't be joined on figures.
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn placeholders(&self) -> Vec<&str> {
        vec!["name", "value", "limit"]
    }

    fn absent(&self) -> &'static str {
        "(anonymous)"
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let Some(language) = language else { return Ok(None) };
        let tables = language.tables();
        // All kinds that the language counts as such definitions.
        let kinds = (0..tables.grammar.node_kind_count() as u16).filter(|kind| tables.is(*kind, self.of)).collect();
        let plan = if self.measure.is_counted() {
            Plan::Functions { kinds, finder: self }
        } else {
            Plan::nodes(kinds, true, self)
        };
        Ok(Some(Compiled { plan, words: Vec::new() }))
    }
}

impl NodeFinder for MeasureMatch {
    fn at<'t>(&self, file: &ParsedFile<'t>, node: Node<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        let value = match self.measure {
            // Counting stops once it is over the limit.
            Measure::Parameters => file.language.parameter_count(node, file.source, self.over).map(u64::from),
            // Annotations, comments and functions inside aside, which only take from it.
            Measure::Lines if row_count(node) > self.over => Some(own_line_count(file, node)),
            Measure::Lines | Measure::Nesting | Measure::Branches => None,
        };
        if let Some(over) = value.and_then(|value| self.over(file, node, value)) {
            found(node, over);
        }
        Ok(())
    }
}

impl FunctionFinder for MeasureMatch {
    fn at(&self, file: &ParsedFile<'_>, function: &Frame<'_>) -> Option<Match<'_>> {
        let value = match self.measure {
            Measure::Nesting => function.deepest,
            Measure::Branches => function.branches,
            Measure::Parameters | Measure::Lines => return None,
        };
        self.over(file, function.node, value).filter(|_| !is_packed(function.node))
    }
}

impl MeasureMatch {
    /// A match when a figure is over its limit. The name stands for the definition; without one, its first line does.
    fn over(&self, file: &ParsedFile<'_>, node: Node<'_>, value: u64) -> Option<Match<'_>> {
        if value <= self.over || is_misread(file, node) {
            return None;
        }
        // A function without a name is shown by its head.
        let first_line = || {
            let text = file.text(node);
            node.start_byte()..node.start_byte() + memchr::memchr(b'\n', text).unwrap_or(text.len())
        };
        let range = node.child_by_field_name("name").map_or_else(first_line, |name| name.byte_range());
        let name = file.language.definition_name_range(node, file.source).map(|name| ("name", name));
        // The figure decides whether an old finding got worse.
        let figure = Some(Figure { value, limit: self.over });
        Some(Match { captures: name.into_iter().collect(), figure, ..Match::plain(range) })
    }
}

/// Whether a grammar of C takes a macro in a function's body for a function of its own, since neither language has such, or
/// couldn't read what is between the parts of a function.
fn is_misread(file: &ParsedFile<'_>, node: Node<'_>) -> bool {
    matches!(file.language.name, "c" | "cpp")
        && node.kind() == "function_definition"
        && (node.parent().is_some_and(|around| around.kind() == "compound_statement")
            || Children::all(node).any(|part| part.is_error())
            // A class whose macros the grammar takes for its name.
            || node.child_by_field_name("declarator").is_some_and(|declared| declared.kind().ends_with("identifier")))
}

/// Whether a function is packed into lines that nobody reads, so that how it branches says nothing to anybody.
fn is_packed(function: Node<'_>) -> bool {
    const LONG_LINE: u64 = 200;
    // Comments after the last statement don't count as length.
    let bytes = last_part(function).end_byte() - function.start_byte();
    bytes as u64 > LONG_LINE * line_count(function)
}

/// How many lines a node takes with all that the grammar puts into it.
fn row_count(node: Node<'_>) -> u64 {
    (node.end_position().row - node.start_position().row) as u64 + 1
}

/// How many lines a node takes, from the first after its annotations.
fn line_count(node: Node<'_>) -> u64 {
    (last_row(node) - first_row(node).unwrap_or_else(|| node.start_position().row)) as u64 + 1
}

/// How many lines a class takes, or a function without the functions with names in it, which are measured by themselves. A
/// short case takes one, since many of them are a table, and so do a text that documents it and a collection in which
/// nothing is decided; comments on lines of their own take none.
fn own_line_count(file: &ParsedFile<'_>, definition: Node<'_>) -> u64 {
    let tables = file.language.tables();
    let is_function = |node: Node<'_>| tables.is(node.kind_id(), Class::Function);
    // A text that is by itself documents what it is in.
    let is_text_alone = |node: Node<'_>| {
        node.kind() == "expression_statement"
            && node.named_child(0).is_some_and(|only| tables.is(only.kind_id(), Class::String))
    };
    let (mut own, last) = (line_count(definition), last_row(definition));
    if !is_function(definition) {
        return own;
    }
    preorder(definition, |node| {
        let is_inner =
            node != definition && is_function(node) && file.language.definition_name_range(node, file.source).is_some();
        if is_inner {
            // The line on which it begins may hold more than it.
            own = own.saturating_sub(line_count(node) - 1);
            return false;
        }
        let is_one_line = match node.kind_id() {
            _ if row_count(node) == 1 => false,
            kind if tables.is(kind, Class::Collection) => is_data(tables, node),
            _ => row_count(node) <= LINES_OF_ROW && tables.branches(node, 0) == Some(false) || is_text_alone(node),
        };
        if is_one_line {
            own = own.saturating_sub(row_count(node) - 1);
            return false;
        }
        let is_within = || node.start_position().row <= last && is_alone_on_its_lines(file.source, node);
        if tables.is(node.kind_id(), Class::Comment) && is_within() {
            own = own.saturating_sub(comment_rows(node));
        }
        true
    });
    own
}

/// Whether a collection has neither functions nor loops nor branches in it.
fn is_data(tables: &Tables, collection: Node<'_>) -> bool {
    let mut is_data = true;
    preorder(collection, |node| {
        let is = |class| tables.is(node.kind_id(), class);
        is_data &= !(is(Class::Function) || is(Class::Loop) || is(Class::Branch));
        is_data
    });
    is_data
}

/// Whether nothing else is on the lines of a node.
fn is_alone_on_its_lines(source: &[u8], node: Node<'_>) -> bool {
    let begins = memchr::memrchr(b'\n', &source[..node.start_byte()]).map_or(0, |end| end + 1);
    let rest = source[node.end_byte()..].split(|b| *b == b'\n').next().unwrap_or_default();
    let ends_line = node.end_position().column == 0 || rest.trim_ascii().is_empty();
    source[begins..node.start_byte()].trim_ascii().is_empty() && ends_line
}

/// How many rows a comment takes; some grammars put the end of its line into it.
fn comment_rows(node: Node<'_>) -> u64 {
    let end = node.end_position();
    row_count(node) - u64::from(end.column == 0 && end.row > node.start_position().row)
}

/// The row (0-based) in which a node begins, without annotations: some grammars put them into it, and others before it.
fn first_row(node: Node<'_>) -> Option<usize> {
    let mut children = (0..node.child_count()).filter_map(|n| node.child(n)).filter(|child| !child.is_extra());
    children.find_map(|child| match child.kind() {
        kind if ["annotation", "attribute", "decorator"].iter().any(|word| kind.contains(word)) => None,
        "modifiers" => first_row(child),
        _ => Some(child.start_position().row),
    })
}

/// The last node in a node, or the node itself; some grammars put comments after it into it, which don't count.
fn last_part(node: Node<'_>) -> Node<'_> {
    let mut last = node;
    while let Some(inner) = (0..last.child_count()).rev().filter_map(|n| last.child(n)).find(|n| !n.is_extra()) {
        last = inner;
    }
    last
}

/// The row (0-based) in which a node ends, without the comments and empty lines after what is in it.
fn last_row(node: Node<'_>) -> usize {
    let last = last_part(node);
    if last.end_position().column == 0 && last.end_position().row > last.start_position().row {
        return last.end_position().row - 1;
    }
    last.end_position().row
}

/// A part of a construct, or an `if`, as the row of a table, when it is short enough.
fn row_of_table(node: Node<'_>, depth: u32, deeper: bool, tables: &Tables) -> Option<Row> {
    let otherwise = if tables.is_if(node.kind_id()) { node.child_by_field_name("alternative") } else { None };
    // Some grammars put the word `else` into the alternative, and some before it.
    let last = otherwise.map_or(Some(node), |other| {
        other.prev_sibling().map(|before| match before.kind() {
            "else" => before.prev_sibling().unwrap_or(before),
            _ => before,
        })
    })?;
    let lines = (last.end_position().row - node.start_position().row) as u64 + 1;
    let is_row = lines <= LINES_OF_ROW && (!deeper || tables.is_if(node.kind_id()));
    is_row.then(|| Row { depth, end: last.end_byte() })
}

/// A function during the walk; functions inside count for themselves.
#[derive(Debug, Clone, Copy)]
pub struct Frame<'t> {
    /// The function.
    pub node: Node<'t>,
    /// Loops and branches so far.
    branches: u64,
    /// How many of them are open.
    depth: u64,
    /// The most that were open at once.
    deepest: u64,
}

/// Counts loops and branches of the functions that are open.
#[derive(Debug)]
pub(crate) struct Counting<'t> {
    source: &'t [u8],
    tables: &'static Tables,
    frames: Vec<Frame<'t>>,
    /// The open nodes that matter: how deep each is in the tree, and whether it is a function.
    open: Vec<(u32, bool)>,
    /// The short case that came last, if nothing else branched since.
    row: Option<Row>,
}

/// A short case, which is read like a row of a table.
#[derive(Debug, Clone, Copy)]
struct Row {
    /// How deep it is in the tree.
    depth: u32,
    /// Where what it does ends, in bytes.
    end: usize,
}

/// The most lines of a case that is read like a row of a table: what it is for, what is done, and that it ends there, or
/// what is done between braces on lines of their own.
const LINES_OF_ROW: u64 = 4;

impl<'t> Counting<'t> {
    /// Nothing is counted yet.
    pub fn new(source: &'t [u8], tables: &'static Tables) -> Self {
        Self { source, tables, frames: Vec::new(), open: Vec::new(), row: None }
    }

    /// The walk enters a function, a loop or a branch at this depth of the tree, in a node of the kind `parent`.
    pub fn enter(&mut self, node: Node<'t>, kind: u16, depth: u32, parent: u16) {
        if self.tables.is(kind, Class::Function) {
            self.frames.push(Frame { node, branches: 0, depth: 0, deepest: 0 });
            self.open.push((depth, true));
        // Loops outside of all functions are nobody's.
        } else if let Some(deeper) = self.tables.branches(node, parent)
            && let Some(frame) = self.frames.last_mut()
        {
            let row = row_of_table(node, depth, deeper, self.tables);
            let follows = row.zip(self.row).is_some_and(|(row, before)| match self.tables.is_if(kind) {
                // Whatever else is between two of them is done in any case.
                true => {
                    let between = self.source.get(before.end..node.start_byte()).unwrap_or_default().trim_ascii();
                    between == b"else" || between.is_empty() && before.depth == row.depth
                }
                false => before.depth == row.depth,
            });
            frame.branches += u64::from(!follows && !self.tables.is_case(kind));
            self.row = row;
            if deeper {
                frame.depth += 1;
                frame.deepest = frame.deepest.max(frame.depth);
                self.open.push((depth, false));
            }
        }
    }

    /// The walk leaves a node at this depth; the frame when it is a function.
    pub fn leave(&mut self, depth: u32) -> Option<Frame<'t>> {
        // The cases of the next construct are others.
        self.row = self.row.filter(|row| row.depth <= depth);
        let (_, function) = self.open.pop_if(|(d, _)| *d == depth)?;
        if function {
            return self.frames.pop();
        }
        if let Some(frame) = self.frames.last_mut() {
            frame.depth -= 1;
        }
        None
    }
}
