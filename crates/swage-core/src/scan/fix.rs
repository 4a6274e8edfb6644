//! From a rule's fix template and a match to edits of the file.
//!
//! Edits are made from the place outwards: an element takes a comma along, a statement its line, an import the statement
//! when it was the last name. Each says what is left afterwards, and where that isn't certain there is no edit; a fix
//! that leaves a stray comma is worse than none.
//!
//! Nothing here knows a rule. What belongs to a language (Python's `pass`, the kinds of statements) is asked of the
//! node's kind and its neighbours, since grammars agree on those words more than on anything else.

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
        // A capture that took nothing has no place to edit.
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
    // A template lists them as its author thought of them.
    edits.sort_by_key(|edit| (edit.range.start, edit.range.end));
    // Two edits of the same bytes have no order that gives a certain result.
    // Checked on the sorted list, where only neighbours can overlap.
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

/// What a template's edits are made from.
struct Proposal<'a, 't> {
    /// The place, and what the holes took.
    m: &'a Match<'a>,
    /// The text that is edited.
    source: &'a [u8],
    /// Its tree; missing where nothing was parsed.
    file: Option<&'a ParsedFile<'t>>,
    /// Lines that are put in end as the file's own do.
    line_end: &'static str,
}

impl<'t> Proposal<'_, 't> {
    /// The text of a range; what isn't UTF-8 can't be part of an edit and shows as replacement characters, which trying
    /// the fix refuses.
    fn text(&self, range: &Range<usize>) -> String {
        String::from_utf8_lossy(self.source.get(range.clone()).unwrap_or_default()).into_owned()
    }

    /// The offset of the line's first byte.
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

    /// Whether there is nothing but white space in a range.
    fn is_blank(&self, range: Range<usize>) -> bool {
        self.source.get(range).is_some_and(|text| text.trim_ascii().is_empty())
    }

    /// A template with its placeholders filled in; further lines begin with `base`.
    fn fill(&self, template: &str, base: &str) -> String {
        let mut out = String::new();
        // An empty run takes the separator beside it along.
        let mut skips_separator = false;
        // Text is taken as it is, with the file's line ends; a placeholder brings the captured code.
        for part in template_parts(template) {
            match part {
                Ok(mut text) => {
                    // `f(a, {REST})` without a rest is `f(a)`, and `f({REST}, a)` is `f(a)`, too.
                    if std::mem::take(&mut skips_separator) {
                        text = match text.trim_start().strip_prefix(',') {
                            Some(rest) => rest.trim_start(),
                            None if out.ends_with(' ') => text.strip_prefix(' ').unwrap_or(text),
                            None => text,
                        };
                    }
                    // A template is written as if at the left margin.
                    for (index, line) in text.split('\n').enumerate() {
                        if index > 0 {
                            out.push_str(self.line_end);
                            out.push_str(base);
                        }
                        out.push_str(line);
                    }
                }
                Err(name) => {
                    // A run that took nothing has an empty range.
                    let range = if name == "match" { Some(&self.m.range) } else { self.m.captured(name) };
                    match range.filter(|range| !range.is_empty()) {
                        Some(range) => {
                            // The captured code goes where the line that was built so far is indented to.
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
        // The first line goes where the template says; only further ones carry the old indentation.
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

    /// Whether a string goes across the start of a line, whose blanks are part of its value then.
    fn is_in_string(&self, at: usize) -> bool {
        self.file.is_some_and(|file| {
            let node = file.around(&(at..at));
            let around = ancestors(file.root(), node).into_iter().chain([node]);
            around.into_iter().any(|n| file.language.tables().is(n.kind_id(), Class::String) && n.start_byte() < at)
        })
    }

    /// The edit that takes away what a removal names.
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

    /// Takes a range away, and its lines where nothing else is on them; of empty lines on both sides one stays.
    fn without_lines(&self, range: Range<usize>) -> Edit {
        let (start, stop) = (self.line_start(range.start), self.line_stop(range.end));
        let text = String::new();
        if !self.is_blank(start..range.start) || !self.is_blank(range.end..stop) {
            // Something else is on the line: it keeps its indentation and loses the blanks that would be left over.
            let is_space = |b: &&u8| matches!(b, b' ' | b'\t');
            let before = self.source[start..range.start].iter().rev().take_while(is_space).count();
            let after = self.source[range.end..stop].iter().take_while(is_space).count();
            // At the end of a line no blanks may be left; in the middle the blanks of one side go.
            let range = if self.is_blank(range.end..stop) {
                range.start - before..range.end
            } else if before > 0 || range.start == start {
                range.start..range.end + after
            } else {
                range
            };
            return Edit { range, text };
        }
        // Whole lines go, with the line end.
        let mut end = self.next_line(range.end);
        let before = start.checked_sub(1).map(|newline| self.line_start(newline)..newline);
        let is_alone = before.is_none_or(|line| self.is_blank(line));
        // Two empty lines in a row, or one at the top of the file, would be left.
        if is_alone && end < self.source.len() && self.is_blank(end..self.line_stop(end)) {
            end = self.next_line(end);
        }
        Edit { range: start..end, text }
    }

    /// The outermost node that is in the same place, not counting closing semicolons.
    fn outermost(&self, range: Range<usize>) -> Option<Node<'t>> {
        let file = self.file?;
        let mut node = file.around(&range);
        // The root has no place of its own.
        // Grammars wrap an expression in a statement, and that in a list of one.
        while let Some(parent) = node.parent().filter(|parent| parent.parent().is_some()) {
            // An expression and the statement that it is differ by the semicolon only.
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
        // Grammars name statements in their own ways; what is directly in a block is one, whatever its kind.
        let is_statement = |node: Node<'_>| {
            let of = |kind: &str, words: &[&str]| words.iter().any(|word| kind.contains(word));
            of(node.kind(), &["statement", "declaration"])
                || node.parent().is_some_and(|parent| {
                    let blocks = ["block", "body", "program", "module", "source_file", "statements", "compound"];
                    of(parent.kind(), &blocks) || parent.parent().is_none()
                })
        };
        let mut found = is_statement(node);
        // A call may be a statement by itself, or its node's parent may be.
        while !found && node != outermost {
            node = node.parent()?;
            found = is_statement(node);
        }
        if !found {
            return None;
        }
        // From the outermost node: a statement's node may leave its semicolon to the node around it.
        let (start, mut end) = (outermost.start_byte(), outermost.end_byte());
        // What ends a block by its indentation reaches to the next line.
        while end > start && self.source[end - 1].is_ascii_whitespace() {
            end -= 1;
        }
        let after = self.source[end..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        // Where the semicolon isn't part of the node, it would be left over.
        if self.source.get(end + after) == Some(&b';') {
            end += after + 1;
        }
        Some(start..end)
    }

    /// Takes a statement away. In Python a block must not become empty.
    fn without_statement(&self, range: Range<usize>) -> Option<Edit> {
        let statement = self.statement(range)?;
        let file = self.file?;
        // The only language here whose blocks end without a sign.
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
        // Grammars keep commas as nodes without names.
        let comma = |node: Option<Node<'t>>| node.filter(|n| n.kind() == ",");
        let range = match (comma(node.prev_sibling()), comma(node.next_sibling())) {
            // Everything up to the next element goes, so that this one's place is taken; a last one with a trailing comma
            // takes its line.
            (_, Some(after)) => match after.next_sibling().filter(|next| next.is_named() && !next.is_extra()) {
                Some(next) => node.start_byte()..next.start_byte(),
                None => return Some(self.without_lines(node.start_byte()..after.end_byte())),
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
        // Outwards until the name is one of several, or the statement has no other.
        loop {
            // It was the only name.
            if is_import(node) {
                return self.without_statement(node.byte_range());
            }
            // A comma after the last name of a list isn't a sign of another one.
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

    /// Takes an attribute, a decorator or an annotation away, with the list around it when it is its only one.
    fn without_attribute(&self, range: Range<usize>) -> Option<Edit> {
        let file = self.file?;
        let node = file.around(&range);
        // Each grammar has one of these words in its kinds.
        // No class of nodes names them, since rules ask for them by pattern.
        let words = ["attribute", "decorator", "annotation"];
        let is_attribute = |n: &Node<'_>| words.iter().any(|w| n.kind().contains(w)) && !n.kind().contains("value");
        // Grammars put the attribute into a list of them; the list goes when it holds one.
        let own = ancestors(file.root(), node).into_iter().chain([node]).rev().find(|n| {
            is_attribute(n) && !n.parent().is_some_and(|parent| is_attribute(&parent) && parent.named_child_count() < 3)
        })?;
        let whole = own.byte_range();
        let alone = self.is_blank(self.line_start(whole.start)..whole.start)
            && self.is_blank(whole.end..self.line_stop(whole.end));
        // Attributes mostly have their own line.
        if alone {
            return Some(self.without_lines(whole));
        }
        // Beside the definition on one line: the blank between them goes, too.
        let blanks = self.source[..whole.start].iter().rev().take_while(|b| b.is_ascii_whitespace()).count();
        Some(Edit { range: whole.start - blanks..whole.end, text: String::new() })
    }

    /// Puts lines before the statement; `None` where it isn't the first thing on its line.
    fn insert_before(&self, range: Range<usize>, text: &str) -> Option<Edit> {
        let start = self.statement(range)?.start;
        let line = self.line_start(start);
        if !self.is_blank(line..start) {
            return None;
        }
        let indent = self.indent(start);
        // The new lines are indented as the statement is.
        let text = format!("{indent}{}{}", self.fill(text, &indent), self.line_end);
        Some(Edit { range: line..line, text })
    }

    /// Puts lines after the statement; `None` where it doesn't have its lines for itself.
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
