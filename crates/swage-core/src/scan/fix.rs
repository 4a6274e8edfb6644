//! From a rule's fix template and a match to edits of the file.

use std::ops::Range;

use serde::{Deserialize, Serialize};
use tree_sitter::Node;

use crate::lang::Class;
use crate::pattern::ancestors;
use crate::rule::{EditAction, FixTemplate, Match, ParsedFile, Removal, template_parts};

/// What a rule proposes to do about a hit. It has not been tried.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ProposedFix {
    /// What it does, in a line.
    pub title: String,
    /// Its edits, in order; they don't overlap.
    pub edits: Vec<Edit>,
}

/// A piece of a file that is replaced.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Edit {
    /// The bytes, as offsets in the decoded content; empty where something is inserted.
    pub range: Range<usize>,
    /// What takes their place.
    pub text: String,
}

/// The edits that a template asks for, or `None` where they can't be made: the place is missing, or isn't of the kind that
/// the template means. `file` is missing for text that isn't parsed, in which only texts and lines can be edited.
pub(super) fn propose(
    template: &FixTemplate,
    m: &Match<'_>,
    source: &[u8],
    file: Option<&ParsedFile<'_>>,
) -> Option<ProposedFix> {
    let proposal = Proposal { m, source, file, line_end: line_end(source) };
    let mut edits = Vec::new();
    for edit in &template.edits {
        let range = match &edit.at {
            None => m.range.clone(),
            Some(name) => m.captured(name)?.clone(),
        };
        edits.push(match &edit.action {
            EditAction::Rewrite(text) => Edit { text: proposal.fill(text, &proposal.indent(range.start)), range },
            EditAction::Remove(what) => proposal.remove(*what, range)?,
            EditAction::InsertBefore(text) => proposal.insert_before(range, text)?,
            EditAction::InsertAfter(text) => proposal.insert_after(range, text)?,
        });
    }
    edits.sort_by_key(|edit| (edit.range.start, edit.range.end));
    let apart = edits.windows(2).all(|pair| pair[0].range.end <= pair[1].range.start);
    let title = proposal.fill(&template.title, "");
    apart.then_some(ProposedFix { title, edits })
}

/// The line end that a text uses, by its first one.
fn line_end(source: &[u8]) -> &'static str {
    match memchr::memchr(b'\n', source) {
        Some(at) if at > 0 && source[at - 1] == b'\r' => "\r\n",
        _ => "\n",
    }
}

struct Proposal<'a, 't> {
    m: &'a Match<'a>,
    source: &'a [u8],
    file: Option<&'a ParsedFile<'t>>,
    line_end: &'static str,
}

impl<'t> Proposal<'_, 't> {
    fn text(&self, range: &Range<usize>) -> String {
        String::from_utf8_lossy(self.source.get(range.clone()).unwrap_or_default()).into_owned()
    }

    fn line_start(&self, at: usize) -> usize {
        memchr::memrchr(b'\n', &self.source[..at]).map_or(0, |newline| newline + 1)
    }

    /// The offset of the line end that ends the line, or the end of the file.
    fn line_stop(&self, at: usize) -> usize {
        let stop = memchr::memchr(b'\n', &self.source[at..]).map_or(self.source.len(), |newline| at + newline);
        if stop > at && self.source[stop - 1] == b'\r' { stop - 1 } else { stop }
    }

    /// Where the next line begins.
    fn next_line(&self, at: usize) -> usize {
        memchr::memchr(b'\n', &self.source[at..]).map_or(self.source.len(), |newline| at + newline + 1)
    }

    /// The blanks with which the line of an offset begins.
    fn indent(&self, at: usize) -> String {
        let line = self.line_start(at)..self.line_stop(at);
        let blanks = self.source[line.clone()].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        self.text(&(line.start..line.start + blanks))
    }

    fn is_blank(&self, range: Range<usize>) -> bool {
        self.source.get(range).is_some_and(|text| text.trim_ascii().is_empty())
    }

    /// A template with its placeholders filled in; further lines begin with `base`.
    fn fill(&self, template: &str, base: &str) -> String {
        let mut out = String::new();
        // An empty run takes the separator beside it along.
        let mut skips_separator = false;
        for part in template_parts(template) {
            match part {
                Ok(mut text) => {
                    if std::mem::take(&mut skips_separator) {
                        text = match text.trim_start().strip_prefix(',') {
                            Some(rest) => rest.trim_start(),
                            None if out.ends_with(' ') => text.strip_prefix(' ').unwrap_or(text),
                            None => text,
                        };
                    }
                    for (index, line) in text.split('\n').enumerate() {
                        if index > 0 {
                            out.push_str(self.line_end);
                            out.push_str(base);
                        }
                        out.push_str(line);
                    }
                }
                Err(name) => {
                    let range = if name == "match" { Some(&self.m.range) } else { self.m.captured(name) };
                    match range.filter(|range| !range.is_empty()) {
                        Some(range) => {
                            let line = out.rsplit('\n').next().unwrap_or_default();
                            let inner = &line[..line.len() - line.trim_start().len()];
                            let indent = if out.contains('\n') { inner.to_owned() } else { format!("{base}{inner}") };
                            let text = self.reindented(range, &indent);
                            out.push_str(&text);
                        }
                        None if out.trim_end().ends_with(',') => {
                            out.truncate(out.trim_end().trim_end_matches(',').len());
                        }
                        None => skips_separator = true,
                    }
                }
            }
        }
        if skips_separator {
            out.truncate(out.trim_end_matches(' ').len());
        }
        out
    }

    /// A captured text whose further lines are indented for a place whose line begins with `indent`. Lines inside of
    /// strings stay as they are.
    fn reindented(&self, range: &Range<usize>, indent: &str) -> String {
        let own = self.indent(range.start);
        let text = self.text(range);
        if own == indent || !text.contains('\n') {
            return text;
        }
        let (mut out, mut at) = (String::new(), range.start);
        for line in text.split_inclusive('\n') {
            match line.strip_prefix(own.as_str()) {
                Some(rest) if at > range.start && !rest.trim().is_empty() && !self.is_in_string(at) => {
                    out.push_str(indent);
                    out.push_str(rest);
                }
                _ => out.push_str(line),
            }
            at += line.len();
        }
        out
    }

    fn is_in_string(&self, at: usize) -> bool {
        self.file.is_some_and(|file| {
            let node = file.around(&(at..at));
            let around = ancestors(file.root(), node).into_iter().chain([node]);
            around.into_iter().any(|n| file.language.tables().is(n.kind_id(), Class::String) && n.start_byte() < at)
        })
    }

    fn remove(&self, what: Removal, range: Range<usize>) -> Option<Edit> {
        match what {
            Removal::Text => Some(Edit { range, text: String::new() }),
            Removal::Lines => Some(self.without_lines(range)),
            Removal::Statement => self.without_statement(range),
            Removal::Element => self.without_element(self.outermost(range)),
            Removal::Import => self.without_import(range),
            Removal::Attribute => self.without_attribute(range),
        }
    }

    /// Takes a range away, and its lines where nothing else stands on them; of empty lines on both sides one stays.
    fn without_lines(&self, range: Range<usize>) -> Edit {
        let (start, stop) = (self.line_start(range.start), self.line_stop(range.end));
        let text = String::new();
        if !self.is_blank(start..range.start) || !self.is_blank(range.end..stop) {
            let is_space = |b: &&u8| matches!(b, b' ' | b'\t');
            let before = self.source[start..range.start].iter().rev().take_while(is_space).count();
            let behind = self.source[range.end..stop].iter().take_while(is_space).count();
            let range = if self.is_blank(range.end..stop) {
                range.start - before..range.end
            } else if before > 0 || range.start == start {
                range.start..range.end + behind
            } else {
                range
            };
            return Edit { range, text };
        }
        let mut end = self.next_line(range.end);
        let before = start.checked_sub(1).map(|newline| self.line_start(newline)..newline);
        let is_alone = before.is_none_or(|line| self.is_blank(line));
        if is_alone && end < self.source.len() && self.is_blank(end..self.line_stop(end)) {
            end = self.next_line(end);
        }
        Edit { range: start..end, text }
    }

    /// The outermost node that stands in the same place, not counting closing semicolons.
    fn outermost(&self, range: Range<usize>) -> Option<Node<'t>> {
        let file = self.file?;
        let mut node = file.around(&range);
        while let Some(parent) = node.parent().filter(|parent| parent.parent().is_some()) {
            let rest = self.source.get(node.end_byte()..parent.end_byte()).unwrap_or_default();
            let same =
                parent.start_byte() == node.start_byte() && rest.iter().all(|b| b.is_ascii_whitespace() || *b == b';');
            if !same {
                break;
            }
            node = parent;
        }
        Some(node)
    }

    /// The statement that a range is, with a semicolon after it.
    fn statement(&self, range: Range<usize>) -> Option<Range<usize>> {
        let file = self.file?;
        let mut node = file.around(&range);
        let outermost = self.outermost(range)?;
        let is_statement = |node: Node<'_>| {
            let of = |kind: &str, words: &[&str]| words.iter().any(|word| kind.contains(word));
            of(node.kind(), &["statement", "declaration"])
                || node.parent().is_some_and(|parent| {
                    let blocks = ["block", "body", "program", "module", "source_file", "statements", "compound"];
                    of(parent.kind(), &blocks) || parent.parent().is_none()
                })
        };
        let mut found = is_statement(node);
        while !found && node != outermost {
            node = node.parent()?;
            found = is_statement(node);
        }
        if !found {
            return None;
        }
        let (start, mut end) = (outermost.start_byte(), outermost.end_byte());
        // What ends a block by its indentation reaches to the next line.
        while end > start && self.source[end - 1].is_ascii_whitespace() {
            end -= 1;
        }
        let behind = self.source[end..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        if self.source.get(end + behind) == Some(&b';') {
            end += behind + 1;
        }
        Some(start..end)
    }

    fn without_statement(&self, range: Range<usize>) -> Option<Edit> {
        let statement = self.statement(range)?;
        let file = self.file?;
        if file.language.name == "python" {
            let node = file.around(&statement);
            let block = ancestors(file.root(), node).into_iter().chain([node]).rev().find(|n| n.kind() == "block");
            let is_alone = block.is_some_and(|block| {
                let statements = (0..block.named_child_count()).filter_map(|n| block.named_child(n as u32));
                statements.filter(|n| !n.is_extra()).count() == 1 && block.start_byte() == statement.start
            });
            if is_alone {
                return Some(Edit { range: statement, text: "pass".to_owned() });
            }
        }
        Some(self.without_lines(statement))
    }

    /// Takes an element of a list away, with one separator.
    fn without_element(&self, node: Option<Node<'t>>) -> Option<Edit> {
        let node = node?;
        let comma = |node: Option<Node<'t>>| node.filter(|n| n.kind() == ",");
        let range = match (comma(node.prev_sibling()), comma(node.next_sibling())) {
            (_, Some(behind)) => match behind.next_sibling().filter(|next| next.is_named() && !next.is_extra()) {
                Some(next) => node.start_byte()..next.start_byte(),
                None => return Some(self.without_lines(node.start_byte()..behind.end_byte())),
            },
            (Some(before), None) => before.start_byte()..node.end_byte(),
            (None, None) => return Some(Edit { range: node.byte_range(), text: String::new() }),
        };
        Some(Edit { range, text: String::new() })
    }

    /// Takes an imported name away: from its list when there are others, else with the statement.
    fn without_import(&self, range: Range<usize>) -> Option<Edit> {
        let file = self.file?;
        let mut node = file.around(&range);
        let is_import = |node: Node<'_>| node.kind().contains("import") && node.kind().contains("statement");
        loop {
            if is_import(node) {
                return self.without_statement(node.byte_range());
            }
            let separated = |next: Option<Node<'t>>, beyond: fn(&Node<'t>) -> Option<Node<'t>>| {
                next.filter(|n| n.kind() == ",").and_then(|n| beyond(&n)).is_some_and(|n| n.is_named() && !n.is_extra())
            };
            if separated(node.prev_sibling(), Node::prev_sibling) || separated(node.next_sibling(), Node::next_sibling)
            {
                return self.without_element(Some(node));
            }
            node = node.parent()?;
        }
    }

    fn without_attribute(&self, range: Range<usize>) -> Option<Edit> {
        let file = self.file?;
        let node = file.around(&range);
        let words = ["attribute", "decorator", "annotation"];
        let is_attribute = |n: &Node<'_>| words.iter().any(|w| n.kind().contains(w)) && !n.kind().contains("value");
        let own = ancestors(file.root(), node).into_iter().chain([node]).rev().find(|n| {
            is_attribute(n) && !n.parent().is_some_and(|parent| is_attribute(&parent) && parent.named_child_count() < 3)
        })?;
        let whole = own.byte_range();
        let alone = self.is_blank(self.line_start(whole.start)..whole.start)
            && self.is_blank(whole.end..self.line_stop(whole.end));
        if alone {
            return Some(self.without_lines(whole));
        }
        let blanks = self.source[..whole.start].iter().rev().take_while(|b| b.is_ascii_whitespace()).count();
        Some(Edit { range: whole.start - blanks..whole.end, text: String::new() })
    }

    fn insert_before(&self, range: Range<usize>, text: &str) -> Option<Edit> {
        let start = self.statement(range)?.start;
        let line = self.line_start(start);
        if !self.is_blank(line..start) {
            return None;
        }
        let indent = self.indent(start);
        let text = format!("{indent}{}{}", self.fill(text, &indent), self.line_end);
        Some(Edit { range: line..line, text })
    }

    fn insert_after(&self, range: Range<usize>, text: &str) -> Option<Edit> {
        let statement = self.statement(range)?;
        let stop = self.line_stop(statement.end);
        if !self.is_blank(self.line_start(statement.start)..statement.start) || !self.is_blank(statement.end..stop) {
            return None;
        }
        let indent = self.indent(statement.start);
        let text = format!("{}{indent}{}", self.line_end, self.fill(text, &indent));
        Some(Edit { range: stop..stop, text })
    }
}
