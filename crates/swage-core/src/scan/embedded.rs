//! Code inside of other text: fenced code in Markdown, scripts and styles in HTML. It is scanned as a file of its own
//! language, and its hits are moved to where it is.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::ops::Range;

use tree_sitter::{Node, Tree};

use super::translate::{is_unescaped, translated, with_characters, without_percents};
use super::{Fact, FileScan, Hit, Lines, Span};
use crate::ids::RuleId;
use crate::lang::{CodeLanguage, Embedded, Language, parse};
use crate::pattern::{Children, preorder};
use crate::position::{Column, LineNumber};

/// Where in a list the hit of a rule at a place is.
pub(super) type Known = HashMap<(RuleId, Option<Span>), usize>;

/// How deep code may be embedded in embedded code.
pub(super) const DEEPEST: u8 = 3;

/// A piece of embedded code.
pub(super) struct Part {
    /// Its text, without what is before each of its lines.
    pub text: Vec<u8>,
    /// What it is written in.
    pub language: &'static Language,
    /// Lines before it.
    line: u32,
    /// Columns before its first line, and before each further one.
    columns: (u32, u32),
}

/// The embedded code of a file, in order.
///
/// # Errors
/// When a page between code can't be parsed, and why.
pub(super) fn parts(source: &[u8], language: &'static Language, tree: &Tree) -> Result<Vec<Part>, String> {
    let mut found = Vec::new();
    let mut fault = None;
    let mut places = Places::new(source);
    // Where the drawing ends that was met last.
    let mut drawing = 0;
    preorder(tree.root_node(), |node| {
        // The outermost drawing counts: what is in it is in XML, whatever nests.
        if node.kind() == "element" && node.end_byte() > drawing && is_drawing(source, node) {
            drawing = node.end_byte();
        }
        let Some(embedded) = language.embedded.iter().find(|e| e.around == node.kind()) else { return true };
        // An attribute's value may have quotes around it.
        let code = descendant(node, embedded.code);
        // A page's scripts are always of one language; fenced code names its own.
        let inner = match embedded.language {
            CodeLanguage::Always(name) => Language::by_name(name),
            CodeLanguage::NamedBy(kind) => descendant(node, kind)
                .and_then(|n| std::str::from_utf8(source.get(n.byte_range())?).ok())
                .and_then(Language::by_word),
            CodeLanguage::Substituted(name) => {
                // Quotes around the word that ends a document keep the shell from running what is in it.
                let is_plain = |start: Node<'_>| !source[start.byte_range()].iter().any(|b| b"'\"\\".contains(b));
                if let (Some(code), Some(inner)) = (code, Language::by_name(name))
                    && child(node, "heredoc_start").is_some_and(is_plain)
                {
                    let commands = between_backticks(source, code.byte_range());
                    found.extend(commands.into_iter().filter_map(|command| places.part(command, inner)));
                }
                return true;
            }
            CodeLanguage::InPage(name) => {
                // The whole file is one page, however many pieces of code part it.
                match Language::by_name(name).map(|page| in_page(source, node, embedded.code, page)) {
                    Some(Ok(inner)) => found = inner,
                    Some(Err(why)) => fault = Some(why),
                    None => {}
                }
                return false;
            }
            CodeLanguage::InAttribute => {
                found.extend(code.and_then(|code| attribute(&mut places, node, code.byte_range())));
                return true;
            }
        };
        let mut own = code.zip(inner).and_then(|(code, inner)| places.part(code.byte_range(), inner));
        if let Some(part) = &mut own
            && node.start_byte() < drawing
        {
            part.translate(with_characters);
        }
        found.extend(own);
        // The tag of a script has attributes of its own.
        true
    });
    fault.map_or(Ok(found), Err)
}

/// The scripts and styles of a page that has code of another language in it: blanks take its place. Rules on the page itself
/// don't look there, since the code decides what of it is shown.
fn in_page(source: &[u8], program: Node<'_>, kind: &str, language: &'static Language) -> Result<Vec<Part>, String> {
    let mut page: Vec<u8> = source.iter().map(|b| if *b == b'\n' { b'\n' } else { b' ' }).collect();
    preorder(program, |node| {
        let range = node.byte_range();
        if node.kind() == kind {
            page[range.clone()].copy_from_slice(&source[range]);
        }
        true
    });
    // Most such files have no page at all, and parsing one takes as long as parsing the code.
    if memchr::memchr(b'<', &page).is_none() {
        return Ok(Vec::new());
    }
    let page = translated(&page, Some(language));
    parts(&page, language, &parse(&page, language)?)
}

/// The ranges between the backticks of a text that no backslash is before.
fn between_backticks(source: &[u8], text: Range<usize>) -> Vec<Range<usize>> {
    let inside = &source[text.clone()];
    let marks: Vec<usize> = memchr::memchr_iter(b'`', inside).filter(|at| is_unescaped(inside, *at)).collect();
    marks.chunks_exact(2).map(|pair| text.start + pair[0] + 1..text.start + pair[1]).collect()
}

/// Whether a text may hold code of another language.
pub(super) fn may_be_in(text: &[u8], language: &Language) -> bool {
    // Asked before anything is parsed, so it may say yes for nothing and never no.
    let is_possible = |embedded: &Embedded| match embedded.language {
        CodeLanguage::Substituted(_) => {
            memchr::memchr(b'`', text).is_some() && memchr::memmem::find(text, b"<<").is_some()
        }
        // Nothing but code, from the first line to the last.
        CodeLanguage::InPage(_) => !text.starts_with(b"<?php") || memchr::memmem::find(text, b"?>").is_some(),
        _ => true,
    };
    language.embedded.iter().any(is_possible)
}

/// What an attribute holds: a script where it handles an event or its value is the address of one, a page where it is one of a
/// frame (HTML Living Standard, sections 8.1.8.1, 7.4.2.3.2 and 4.8.5).
fn attribute(places: &mut Places<'_>, attribute: Node<'_>, value: Range<usize>) -> Option<Part> {
    let name = places.source.get(child(attribute, "attribute_name")?.byte_range())?;
    let handles = name.len() > 2 && name[..2].eq_ignore_ascii_case(b"on") && name.iter().all(u8::is_ascii_alphabetic);
    let is_page = name.eq_ignore_ascii_case(b"srcdoc");
    let mut part = places.part(value, Language::by_name(if is_page { "html" } else { "javascript" })?)?;
    part.translate(with_characters);
    if !handles && !is_page {
        let scheme = scheme_of_script(&part.text)?;
        // As a label it would parse, too, and a pattern for a whole statement would miss what is after it.
        part.text[..scheme].iter_mut().filter(|b| **b != b'\n').for_each(|b| *b = b' ');
        part.translate(without_percents);
    }
    Some(part)
}

/// How long the scheme of an address is, when it is that of a script. Control characters before it and the ends of lines in it
/// don't count (URL Living Standard, section 4.4).
fn scheme_of_script(address: &[u8]) -> Option<usize> {
    const SCHEME: &[u8] = b"javascript:";
    let mut read = 0;
    for (at, byte) in address.iter().enumerate() {
        match SCHEME.get(read) {
            None => return Some(at),
            Some(_) if matches!(byte, b'\t' | b'\n' | b'\r') || *byte <= b' ' && read == 0 => {}
            Some(next) if next.eq_ignore_ascii_case(byte) => read += 1,
            Some(_) => return None,
        }
    }
    (read == SCHEME.len()).then_some(address.len())
}

/// Whether an element is a drawing, which is XML: references stand for characters in its scripts.
fn is_drawing(source: &[u8], element: Node<'_>) -> bool {
    let name = child(element, "start_tag").and_then(|tag| child(tag, "tag_name"));
    name.and_then(|name| source.get(name.byte_range())).is_some_and(|name| name.eq_ignore_ascii_case(b"svg"))
}

/// The first child of a kind.
fn child<'t>(node: Node<'t>, kind: &str) -> Option<Node<'t>> {
    Children::all(node).find(|c| c.kind() == kind)
}

/// The first child or grandchild of a kind: the word after a fence is one level down.
fn descendant<'t>(node: Node<'t>, kind: &str) -> Option<Node<'t>> {
    child(node, kind).or_else(|| Children::all(node).find_map(|c| child(c, kind)))
}

/// Where pieces of code are in a source. They come nearly in order, so that columns are counted from the last one: all of a
/// page may be one line.
struct Places<'t> {
    /// All of the text around them.
    source: &'t [u8],
    /// Where its lines begin.
    lines: Lines<'t>,
    /// The last offset that was asked for, with its line (0-based) and the characters before it on that line.
    last: (usize, usize, usize),
}

impl<'t> Places<'t> {
    fn new(source: &'t [u8]) -> Self {
        Self { source, lines: Lines::new(source), last: (0, 0, 0) }
    }

    /// How many characters are before an offset on its line.
    fn column(&mut self, at: usize, line: usize, line_start: usize) -> usize {
        // Columns count characters, offsets count bytes.
        let characters = |range: Range<usize>| String::from_utf8_lossy(&self.source[range]).chars().count();
        let column = match self.last {
            (last, same, column) if same == line && last <= at => column + characters(last..at),
            (last, same, column) if same == line => column.saturating_sub(characters(at..last)),
            _ => characters(line_start..at),
        };
        self.last = (at, line, column);
        column
    }

    /// A piece of code with what it takes to move its findings; `None` when it lies beyond what a place can say.
    fn part(&mut self, code: Range<usize>, language: &'static Language) -> Option<Part> {
        let Range { start, end } = code;
        let text = self.source.get(start..end)?;
        let index = self.lines.line_of(start);
        let line = u32::try_from(index).ok()?;
        let line_start = self.lines.range(index)?.start;
        let columns = (self.column(start, index, line_start) as u32, 0);
        // Something else is before it on its line, such as a tag: it is taken as it is.
        if line_start < start && !self.source[line_start..start].iter().all(is_margin) {
            return Some(Part { text: text.to_vec(), language, line, columns });
        }
        // Whole lines: in a list or a quotation all of them have the same margin.
        // Python reads its indentation, so the margin of the text around it must go.
        let lines = self.source[line_start..end].split_inclusive(|b| *b == b'\n');
        // Editors take the blanks off empty lines.
        let filled = lines.clone().filter(|l| !l.trim_ascii().is_empty());
        let margin = filled.map(|l| l.iter().take_while(|b| is_margin(b)).count()).min().unwrap_or(0);
        let without = lines.flat_map(|l| l.get(margin..).unwrap_or(b"\n"));
        let columns = (margin as u32, margin as u32);
        Some(Part { text: without.copied().collect(), language, line, columns })
    }
}

/// What may be before each line of fenced code in a list or a quotation.
fn is_margin(byte: &u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'>')
}

impl Part {
    /// Puts characters in the place of what stands for them; the text stays as long.
    fn translate(&mut self, step: fn(&[u8]) -> Option<Vec<u8>>) {
        if let Some(plain) = step(&self.text) {
            self.text = plain;
        }
    }

    /// Takes the part's hits and facts into those of the file around it, each place of a rule once: `known` has the place of
    /// each hit.
    pub fn merge(&self, inner: FileScan, into: &mut Vec<Hit>, known: &mut Known, facts: &mut Vec<Fact>) {
        // Only the first line may have text before the code.
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
            // Its bytes are elsewhere in the file around it.
            hit.fix = None;
            hit.definition = hit.definition.map(lines);
            // An expression may have found the same place in the text around it.
            match known.entry((hit.rule.clone(), hit.span)) {
                Entry::Occupied(other) => {
                    let other = &mut into[*other.get()];
                    // A comment of either language may suppress it.
                    other.suppressed = other.suppressed.take().or(hit.suppressed);
                }
                Entry::Vacant(place) => {
                    place.insert(into.len());
                    into.push(hit);
                }
            }
        }
    }
}
