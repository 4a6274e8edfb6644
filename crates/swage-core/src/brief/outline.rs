//! What a file defines: its functions and classes, each with its signature and with digests of its own text.

use tree_sitter::Node;

use super::words::occurrences;
use crate::digest::{short_digest, without_white_space};
use crate::lang::{Class, DEEPEST, Language, parse};
use crate::pattern::Children;

/// A named definition of a file.
#[derive(Debug, Clone)]
pub(super) struct Definition {
    /// Its name after those of the definitions around it, joined with dots.
    pub name: String,
    /// Its own name.
    pub own_name: String,
    /// Whether it is a function; else a class or something of that kind.
    pub is_function: bool,
    /// Its first and last line, 1-based.
    pub lines: (u32, u32),
    /// The lines of its own text, without those of comments and of definitions inside it, 1-based.
    pub own_lines: Vec<u32>,
    /// What is before its body, with single blanks.
    pub signature: String,
    /// Digest of its own text without white space, comments, its own name and the definitions inside it.
    pub text: u64,
    /// Digests of its lines that aren't blank, without white space, in order of size.
    pub line_digests: Vec<u64>,
    /// How deep loops and branches nest in it.
    pub nesting: u32,
    /// What it calls, in the order of the text.
    pub calls: Vec<Call>,
}

/// A call in the own text of a definition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Call {
    /// The last part of what is called.
    pub name: String,
    /// The last word before that part: `load` in `load.today()`.
    pub receiver: Option<String>,
    /// The line on which it begins, 1-based.
    pub line: u32,
}

/// A definition that the walk is in.
struct Open<'t> {
    node: Node<'t>,
    depth: usize,
    /// Its place among the definitions found.
    index: usize,
    /// The definitions and comments right inside it: their bytes, and the lines on which each begins and ends, 1-based.
    inside: Vec<(std::ops::Range<usize>, u32, u32)>,
}

/// The definitions of a file, those inside of functions left out, in the order of the text; none when the language has none or the file can't be parsed.
pub(super) fn outline(source: &[u8], language: &'static Language) -> Vec<Definition> {
    if !language.knows_roles() {
        return Vec::new();
    }
    let Ok(tree) = parse(source, language) else { return Vec::new() };
    let mut gathering = Gathering { source, language, found: Vec::new(), open: Vec::new() };
    let mut around: Vec<(Node<'_>, u32, Children<'_>)> = Vec::new();
    let mut next = Some((tree.root_node(), 0));
    while let Some((node, nesting)) = next {
        let parent = around.last().map_or(0, |(parent, _, _)| parent.kind_id());
        let nesting = gathering.enter(node, around.len(), parent, nesting);
        if around.len() < DEEPEST {
            around.push((node, nesting, Children::all(node)));
        }
        next = loop {
            let Some((_, nesting, children)) = around.last_mut() else { break None };
            if let Some(child) = children.next() {
                break Some((child, *nesting));
            }
            around.pop();
            gathering.leave(around.len());
        };
    }
    gathering.found
}

struct Gathering<'t, 's> {
    source: &'s [u8],
    language: &'static Language,
    found: Vec<Definition>,
    open: Vec<Open<'t>>,
}

impl<'t> Gathering<'t, '_> {
    /// How deep branches nest in what is below a node that is entered.
    fn enter(&mut self, node: Node<'t>, depth: usize, parent: u16, nesting: u32) -> u32 {
        let tables = self.language.tables();
        let is_inside_function = self.open.last().is_some_and(|outer| self.found[outer.index].is_function);
        if tables.is_definition(node.kind_id())
            && !is_inside_function
            && let Some(own_name) = self.language.definition_name(node, self.source).map(without_parameters)
        {
            let outer = self.open.last().map(|outer| format!("{}.", self.found[outer.index].name));
            let lines = (node.start_position().row as u32 + 1, node.end_position().row as u32 + 1);
            if let Some(outer) = self.open.last_mut() {
                outer.inside.push((node.byte_range(), lines.0, lines.1));
            }
            let definition = Definition {
                name: outer.unwrap_or_default() + &own_name,
                is_function: tables.is(node.kind_id(), Class::Function),
                lines,
                own_lines: Vec::new(),
                signature: String::new(),
                text: 0,
                line_digests: Vec::new(),
                nesting: 0,
                calls: Vec::new(),
                own_name,
            };
            self.open.push(Open { node, depth, index: self.found.len(), inside: Vec::new() });
            self.found.push(definition);
            return 0;
        }
        let Some(inner) = self.open.last_mut() else { return 0 };
        if tables.is(node.kind_id(), Class::Comment) {
            let (first, last) = (node.start_position().row as u32 + 1, node.end_position().row as u32 + 1);
            inner.inside.push((node.byte_range(), first, last));
            return nesting;
        }
        let definition = &mut self.found[inner.index];
        if tables.is(node.kind_id(), Class::Call)
            && let Some(name_at) = called(node, self.language)
            && let Ok(name) = std::str::from_utf8(&self.source[name_at.byte_range()])
        {
            let receiver = receiver(&self.source[node.start_byte()..name_at.start_byte()]);
            definition.calls.push(Call { name: name.to_owned(), receiver, line: node.start_position().row as u32 + 1 });
        }
        let nesting = nesting + u32::from(tables.branches(node, parent) == Some(true));
        definition.nesting = definition.nesting.max(nesting);
        nesting
    }

    fn leave(&mut self, depth: usize) {
        let Some(open) = self.open.pop_if(|open| open.depth == depth) else { return };
        let (mut own, mut from) = (Vec::new(), open.node.start_byte());
        let definition = &mut self.found[open.index];
        let mut lines: Vec<u32> = Vec::new();
        let (mut row, end) = (definition.lines.0, open.node.end_byte());
        let head = head_end(open.node);
        let mut signature = Vec::new();
        for (inside, first, last) in open.inside.into_iter().chain([(end..end, definition.lines.1, 0)]) {
            lines.extend(row..=first);
            let piece = from..inside.start.max(from);
            own.extend_from_slice(&self.source[piece.clone()]);
            signature.extend_from_slice(&self.source[piece.start.min(head)..piece.end.min(head)]);
            own.push(b'\n');
            from = inside.end.max(from);
            row = last;
        }
        lines.dedup();
        let signature = String::from_utf8_lossy(&signature);
        let signature = signature.split_whitespace().collect::<Vec<_>>().join(" ");
        definition.signature = signature.trim_end_matches(['{', ':', '=', ' ']).to_owned();
        definition.own_lines = lines;
        definition.text = short_digest(&[&without_name(&own, &definition.own_name)]);
        let digests = own.split(|b| *b == b'\n').map(without_white_space).filter(|line| !line.is_empty());
        definition.line_digests = digests.map(|line| short_digest(&[&line])).collect();
        definition.line_digests.sort_unstable();
    }
}

/// A name without type parameters, such as that of an `impl`.
fn without_parameters(name: &str) -> String {
    name.split(['<', '[']).next().unwrap_or(name).trim().to_owned()
}

/// A text without white space and without a name that is in it as a word.
fn without_name(text: &[u8], name: &str) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    for found in occurrences(text, name) {
        out.extend_from_slice(&text[at..found.start]);
        at = found.end;
    }
    out.extend_from_slice(&text[at..]);
    without_white_space(&out)
}

/// Where the body of a definition begins, in bytes; its end when it has none.
fn head_end(node: Node<'_>) -> usize {
    let is_body = |child: &Node<'_>| child.kind().contains("body") || child.kind().contains("block");
    let body = node.child_by_field_name("body").or_else(|| Children::named(node).find(is_body));
    body.map_or(node.end_byte(), |body| body.start_byte())
}

/// The word that a call's name hangs on, in the text before the name; empty when that is more than a word.
fn receiver(before: &[u8]) -> Option<String> {
    let joins = [&b"."[..], b"::", b"->", b"?."];
    let before = before.trim_ascii_end();
    let rest = joins.iter().find_map(|join| before.strip_suffix(*join))?.trim_ascii_end();
    let start = rest.iter().rposition(|b| !b.is_ascii_alphanumeric() && *b != b'_').map_or(0, |at| at + 1);
    Some(String::from_utf8_lossy(&rest[start..]).into_owned())
}

/// The node with the last part of the name that a call calls.
fn called<'t>(call: Node<'t>, language: &Language) -> Option<Node<'t>> {
    let fields = ["function", "method", "name", "constructor", "type", "macro"];
    let mut at = fields.iter().find_map(|field| call.child_by_field_name(field)).or_else(|| call.named_child(0))?;
    let tables = language.tables();
    // A longer name ends with what is called; what it is called with is beside it.
    for _ in 0..DEEPEST {
        if tables.is(at.kind_id(), Class::Name) && at.named_child_count() == 0 {
            return Some(at);
        }
        let field = ["attribute", "property", "field", "name", "method", "suffix"];
        let last = || {
            let names = Children::named(at).filter(|child| !child.kind().contains("argument"));
            names.last().filter(|last| !tables.is(last.kind_id(), Class::Function))
        };
        at = field.iter().find_map(|field| at.child_by_field_name(field)).or_else(last)?;
    }
    None
}
