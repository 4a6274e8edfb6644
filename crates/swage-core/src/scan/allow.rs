//! Comments that suppress a finding: `swage: allow RULE-ID because REASON`, on the line or above it.
//!
//! One suppression covers one finding of its rule that begins on the line: a second one of the same rule needs another.
//! Without a reason it covers nothing. What covers nothing is reported by the rules that look for it.
//!
//! A comment is bound to a line and not to a finding's key, because it moves with the code and a person can read what it
//! is about. It names its rule, since a comment that suppresses everything would also suppress what nobody has found yet.

use std::ops::Range;

use tree_sitter::Tree;

use super::{Edit, Fact, Hit, Lines, ProposedFix};
use crate::digest::text_digest;
use crate::ids::RuleId;
use crate::lang::{Class, Language};
use crate::pattern::ancestors;
use crate::position::LineNumber;
use crate::rule::{RuleSet, SuppressionFault, near};

/// What all suppressions have in common.
const MARK: &[u8] = b"swage: allow";

/// One rule that a comment allows.
pub(super) struct Suppression {
    /// Where the comment says so.
    pub range: Range<usize>,
    /// The rule's id, as written.
    pub rule: RuleId,
    /// Why, when it says so.
    pub reason: Option<String>,
    /// The lines on which a finding may begin.
    lines: [LineNumber; 2],
    /// Whether it has covered something.
    used: bool,
}

/// Whether a file may hold suppressions at all.
pub(super) fn may_be_in(source: &[u8]) -> bool {
    memchr::memmem::find(source, MARK).is_some()
}

/// The suppressions of a file, in order. In a file of a known language they must be in comments.
pub(super) fn find(source: &[u8], language: Option<&'static Language>, tree: Option<&Tree>) -> Vec<Suppression> {
    let mut found = Vec::new();
    for at in memchr::memmem::find_iter(source, MARK) {
        // A string with these words suppresses nothing.
        let in_comment = match (language, tree) {
            (Some(language), Some(tree)) => in_comment(language, tree, at),
            _ => true,
        };
        if !in_comment {
            continue;
        }
        let end = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |n| at + n);
        let text = String::from_utf8_lossy(&source[at + MARK.len()..end]);
        let text =
            ["*/", "-->", "*)", "#}"].iter().fold(text.trim(), |text, closer| text.trim_end_matches(closer).trim_end());
        // Without the word all of it are names, and there is no reason.
        let (rules, reason) = match text.split_once(" because ") {
            Some((rules, reason)) => (rules, Some(reason.trim()).filter(|r| !r.is_empty())),
            None => (text.trim_end_matches("because"), None),
        };
        let lines = covered(source, at);
        for rule in rules.split(',').map(str::trim).filter(|r| !r.is_empty()) {
            // Each rule of a list has the same reason, and is used or unused by itself.
            let (rule, reason) = (rule.to_owned(), reason.map(str::to_owned));
            found.push(Suppression { range: at..end, rule: rule.into(), reason, lines, used: false });
        }
    }
    found
}

/// Whether a byte is in a comment, or in a node below one, such as the text of a block comment.
fn in_comment(language: &'static Language, tree: &Tree, at: usize) -> bool {
    let root = tree.root_node();
    let Some(node) = root.descendant_for_byte_range(at, at + 1) else { return false };
    let comment = |n: &tree_sitter::Node<'_>| language.tables().is(n.kind_id(), Class::Comment);
    comment(&node) || ancestors(root, node).iter().rev().any(comment)
}

/// The comment's own line and, when nothing else is on it, the next one that isn't of comments alone.
fn covered(source: &[u8], at: usize) -> [LineNumber; 2] {
    let start = source[..at].iter().rposition(|b| *b == b'\n').map_or(0, |n| n + 1);
    let own = LineNumber::from_index(memchr::memchr_iter(b'\n', &source[..start]).count() as u32);
    // The signs with which a line of comments begins, so that further such lines are passed over.
    let marker = |line: &[u8]| {
        let line = line.trim_ascii();
        let signs = line.iter().take_while(|b| b.is_ascii_punctuation()).count();
        line[..signs.min(2)].to_vec()
    };
    let before = source[start..at].trim_ascii();
    // Code is before the comment, so it is about its own line.
    if before.is_empty() || !before.iter().all(u8::is_ascii_punctuation) {
        return [own, own];
    }
    let sign = marker(&source[start..at]);
    let rest = source[start..].split(|b| *b == b'\n').skip(1);
    let skipped = rest.take_while(|line| line.trim_ascii().is_empty() || marker(line).starts_with(&sign)).count();
    [own, own + 1 + skipped as u32]
}

/// Marks the hits that are allowed. Whether a fact's suppression is of use shows only where facts meet, and that of an
/// outside program's finding where that is placed, so those count as used.
pub(super) fn apply(suppressions: &mut [Suppression], hits: &mut [Hit], facts: &mut [Fact], rules: &RuleSet) {
    for suppression in suppressions {
        // Without a reason it covers nothing.
        let Some(reason) = &suppression.reason else { continue };
        if rules.get(&suppression.rule).is_some_and(|rule| rule.checker().is_some()) {
            suppression.used = true;
        }
        // All facts of the line: which of them will become a finding isn't known yet.
        for fact in facts.iter_mut() {
            if fact.rule == text_digest(suppression.rule.as_bytes())
                && suppression.lines.contains(&fact.span.start_line)
            {
                fact.suppressed = Some(reason.clone());
                suppression.used = true;
            }
        }
        // The first finding that isn't covered yet; a second one needs a comment of its own.
        let covers = |h: &&mut Hit| {
            h.suppressed.is_none()
                && h.rule == suppression.rule
                && h.start_line().is_some_and(|line| suppression.lines.contains(&line))
        };
        if let Some(hit) = hits.iter_mut().find(covers) {
            hit.suppressed = Some(reason.clone());
            suppression.used = true;
        }
    }
}

/// The suppressions with a fault, and where each is.
pub(super) fn faulty(suppressions: &[Suppression], fault: SuppressionFault) -> impl Iterator<Item = &Suppression> {
    suppressions.iter().filter(move |a| match fault {
        SuppressionFault::Unreasoned => a.reason.is_none(),
        SuppressionFault::Unused => a.reason.is_some() && !a.used,
    })
}

impl Suppression {
    /// A hit of a rule that looks for faulty suppressions.
    pub fn hit(&self, rule: &crate::rule::Rule, known: &[&str], source: &[u8], lines: &Lines<'_>) -> Hit {
        let text = &source[self.range.clone()];
        let message = rule.say(|gap| match gap {
            "name" => Some(self.rule.to_string()),
            "hint" if known.contains(&self.rule.as_str()) => Some("remove it".to_owned()),
            "hint" => Some(match near(&self.rule, known.iter().copied()) {
                Some(id) => format!("no rule of that name applies to this file; did you mean `{id}`?"),
                None => "no rule of that name applies to this file".to_owned(),
            }),
            "match" => Some(String::from_utf8_lossy(text).into_owned()),
            _ => None,
        });
        Hit::new(rule, message, Some(lines.span(self.range.clone())), String::new(), text, None)
    }

    /// Takes the comment away, when it says nothing else and is on one line.
    pub fn removal(&self, source: &[u8]) -> Option<ProposedFix> {
        let start = memchr::memrchr(b'\n', &source[..self.range.start]).map_or(0, |newline| newline + 1);
        // What is left of the comment's own opener is code.
        let before = &source[start..self.range.start];
        let opener =
            before.iter().rposition(|b| b.is_ascii_alphanumeric() || b"\"')]};,".contains(b)).map_or(0, |at| at + 1);
        let text = source[self.range.clone()].trim_ascii_end();
        // One that names several rules may be needed for another of them.
        let names = text.split(|b| *b == b' ').take_while(|word| *word != b"because").any(|word| word.contains(&b','));
        let closes = |closer: &[u8]| text.ends_with(closer) && memchr::memmem::find_iter(text, closer).count() == 1;
        // Nothing but the suppression may be in the comment.
        let is_whole = match before[opener..].trim_ascii() {
            b"#" | b"//" | b"--" | b"%" => true,
            b"/*" => closes(b"*/"),
            b"<!--" => closes(b"-->"),
            _ => false,
        };
        if names || !is_whole {
            return None;
        }
        // A comment that has its line for itself takes it along.
        let range = if before[..opener].trim_ascii().is_empty() {
            let next =
                memchr::memchr(b'\n', &source[self.range.end..]).map_or(source.len(), |at| self.range.end + at + 1);
            start..next
        } else {
            start + opener..self.range.start + text.len()
        };
        let edits = vec![Edit { range, text: String::new() }];
        Some(ProposedFix { title: "Remove the comment".to_owned(), edits })
    }
}
