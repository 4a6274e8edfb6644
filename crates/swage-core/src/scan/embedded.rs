//! Code inside of other text: fenced code in Markdown, scripts and styles in HTML. It is scanned as a file of its own
//! language, and its hits are moved to where it stands.

use std::ops::Range;

use bstr::ByteSlice;
use tree_sitter::{Node, Tree};

use super::{Fact, FileScan, Hit, Span};
use crate::lang::{CodeLanguage, Language};
use crate::pattern::{Children, preorder};
use crate::position::{Column, LineNumber};

/// How deep code may be embedded in embedded code.
pub(super) const DEEPEST: u8 = 3;

/// A piece of embedded code.
pub(super) struct Part {
    /// Its text, without what is before each of its lines.
    pub text: Vec<u8>,
    pub language: &'static Language,
    /// Lines before it.
    line: u32,
    /// Columns before its first line, and before each further one.
    columns: (u32, u32),
}

/// The embedded code of a file, in order.
pub(super) fn parts(source: &[u8], language: &'static Language, tree: &Tree) -> Vec<Part> {
    let mut found = Vec::new();
    preorder(tree.root_node(), |node| {
        let Some(embedded) = language.embedded.iter().find(|e| e.around == node.kind()) else { return true };
        // An attribute's value may have quotes around it.
        let code = descendant(node, embedded.code);
        // A page's scripts are always of one language; fenced code names its own.
        let inner = match embedded.language {
            CodeLanguage::Always(name) => Language::by_name(name),
            CodeLanguage::NamedBy(kind) => descendant(node, kind)
                .and_then(|n| std::str::from_utf8(source.get(n.byte_range())?).ok())
                .and_then(Language::by_word),
            CodeLanguage::InAttribute(name) => {
                let script = code.and_then(|code| script_of(source, node, code.byte_range()));
                let language = Language::by_name(name);
                found.extend(script.zip(language).and_then(|(range, inner)| attribute(source, range, inner)));
                return true;
            }
        };
        found.extend(code.zip(inner).and_then(|(code, inner)| part(source, code.byte_range(), inner)));
        // The tag of a script has attributes of its own.
        true
    });
    found
}

/// Where an attribute holds a script: all of its value where it handles an event, what comes after the scheme where the
/// value is the address of a script (HTML Living Standard, sections 8.1.8.1 and 7.4.2.3.2).
fn script_of(source: &[u8], attribute: Node<'_>, value: Range<usize>) -> Option<Range<usize>> {
    let name = source.get(child(attribute, "attribute_name")?.byte_range())?;
    if name.len() > 2 && name[..2].eq_ignore_ascii_case(b"on") && name.iter().all(u8::is_ascii_alphabetic) {
        return Some(value);
    }
    const SCHEME: &[u8] = b"javascript:";
    let text = source.get(value.clone())?;
    let blanks = text.len() - text.trim_ascii_start().len();
    let begins = text.get(blanks..blanks + SCHEME.len())?.eq_ignore_ascii_case(SCHEME);
    begins.then(|| value.start + blanks + SCHEME.len()..value.end)
}

/// The script of an attribute, with quotes for the references to characters that stand for them.
fn attribute(source: &[u8], range: Range<usize>, language: &'static Language) -> Option<Part> {
    const QUOTES: [(&[u8], u8); 6] = [
        (b"&quot;", b'"'),
        (b"&#34;", b'"'),
        (b"&#x22;", b'"'),
        (b"&apos;", b'\''),
        (b"&#39;", b'\''),
        (b"&#x27;", b'\''),
    ];
    let mut found = part(source, range, language)?;
    for (reference, quote) in QUOTES {
        let places: Vec<usize> = found.text.find_iter(reference).collect();
        for at in places {
            // Blanks keep the places of what comes after it; in a text they do no harm.
            found.text[at..at + reference.len()].fill(b' ');
            found.text[at] = quote;
        }
    }
    Some(found)
}

/// The first child of a kind.
fn child<'t>(node: Node<'t>, kind: &str) -> Option<Node<'t>> {
    Children::all(node).find(|c| c.kind() == kind)
}

/// The first child or grandchild of a kind: the word after a fence is one level down.
fn descendant<'t>(node: Node<'t>, kind: &str) -> Option<Node<'t>> {
    child(node, kind).or_else(|| Children::all(node).find_map(|c| child(c, kind)))
}

/// A piece of code with what it takes to move its findings; `None` when it lies beyond what a place can say.
fn part(source: &[u8], code: Range<usize>, language: &'static Language) -> Option<Part> {
    let Range { start, end } = code;
    let text = source.get(start..end)?;
    let line_start = source[..start].iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let line = u32::try_from(memchr::memchr_iter(b'\n', &source[..line_start]).count()).ok()?;
    let before = String::from_utf8_lossy(&source[line_start..start]).chars().count() as u32;
    // Something else is before it on its line, such as a tag: it is taken as it is.
    if line_start < start && !source[line_start..start].iter().all(is_margin) {
        return Some(Part { text: text.to_vec(), language, line, columns: (before, 0) });
    }
    // Whole lines: in a list or a quotation all of them have the same margin.
    let lines = source[line_start..end].split_inclusive(|b| *b == b'\n');
    let filled = lines.clone().filter(|l| !l.trim_ascii().is_empty());
    let margin = filled.map(|l| l.iter().take_while(|b| is_margin(b)).count()).min().unwrap_or(0);
    let without = lines.flat_map(|l| l.get(margin..).unwrap_or(b"\n"));
    let columns = (margin as u32, margin as u32);
    Some(Part { text: without.copied().collect(), language, line, columns })
}

/// What may be before each line of fenced code in a list or a quotation.
fn is_margin(byte: &u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'>')
}

impl Part {
    /// Takes the part's hits and facts into those of the file around it, each place of a rule once.
    pub fn merge(&self, inner: FileScan, into: &mut Vec<Hit>, facts: &mut Vec<Fact>) {
        let column = |line: LineNumber, column: Column| {
            column + if line == LineNumber::FIRST { self.columns.0 } else { self.columns.1 }
        };
        let shift = |s: Span| Span {
            start_line: s.start_line + self.line,
            start_column: column(s.start_line, s.start_column),
            end_line: s.end_line + self.line,
            end_column: column(s.end_line, s.end_column),
        };
        let lines = |(first, last): (u32, u32)| (first + self.line, last + self.line);
        facts.extend(inner.facts.into_iter().map(|fact| Fact { span: shift(fact.span), ..fact }));
        for mut hit in inner.hits {
            hit.span = hit.span.map(shift);
            // Its bytes stand elsewhere in the file around it.
            hit.fix = None;
            hit.definition = hit.definition.map(lines);
            // An expression may have found the same place in the text around it.
            match into.iter_mut().find(|other| other.rule == hit.rule && other.span == hit.span) {
                Some(other) => other.suppressed = other.suppressed.take().or(hit.suppressed),
                None => into.push(hit),
            }
        }
    }
}
