//! Trying a pattern: what it matches and, where it matches nothing, what came nearest.

use std::cell::Cell;
use std::ops::Range;

use tree_sitter::Node;

use super::macros::{self, is_in};
use super::translate::translated;
use super::{Lines, Span};
use crate::lang::Language;
use crate::lang::parse;
use crate::pattern::{Failure, Matching, Meanings, PatternNode, Probe, budget, preorder};
use crate::rule::{CodeMatch, shorten};

/// What trying a pattern on a file gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trial {
    /// The places that match, in order.
    pub matches: Vec<TrialMatch>,
    /// The place that came nearest to matching; `None` when no node is of a kind with which the pattern begins.
    pub nearest: Option<Miss>,
}

/// A place that matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrialMatch {
    /// Where it is.
    pub span: Span,
    /// Its text, in one line.
    pub text: String,
    /// The holes with the texts that they took, in one line each.
    pub holes: Vec<(String, String)>,
}

/// A place that almost matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Miss {
    /// Where the match failed.
    pub span: Span,
    /// How many of the pattern's parts matched before that.
    pub matched: usize,
    /// How many parts the pattern has.
    pub parts: usize,
    /// What the pattern has there.
    pub wanted: String,
    /// What the file has there.
    pub found: String,
}

/// Tries a pattern on a file.
///
/// Long because what matches and what came nearest are found on one way through the file.
///
/// # Errors
/// When the file can't be parsed, or the pattern isn't code of the language.
pub fn try_pattern(source: &[u8], language: &'static Language, code: &CodeMatch) -> Result<Trial, String> {
    let pattern = code.pattern(language).map_err(ToString::to_string)?;
    let lines = Lines::new(source);
    // As a scan reads it, or trying would show what scanning doesn't find.
    let source = &*translated(source, Some(language));
    let tree = parse(source, language)?;
    let text = |range: Range<usize>| shorten(&String::from_utf8_lossy(&source[range]));
    let (steps, meanings) = (Cell::new(budget(source)), Meanings::of(tree.root_node(), source, language));
    let mut trial = Trial { matches: Vec::new(), nearest: None };
    let mut nearest: Option<Failure> = None;
    let mut look = |node: Node<'_>, within: &[Range<usize>]| {
        // A pattern may be an expression, a member or a statement, and each reading is tried.
        for reading in &pattern.readings {
            let kind = reading.first().and_then(PatternNode::kind);
            let counts = within.is_empty() || is_in(&node.byte_range(), within);
            if !counts || !kind.is_some_and(|kind| language.tables().takes(kind, node.kind_id())) {
                continue;
            }
            let matching = |probe| Matching {
                source,
                language,
                holes: &code.holes,
                given: &[],
                meanings: &meanings,
                probe,
                steps: &steps,
            };
            let matched = matching(None).reading(reading, pattern.holes, node);
            // Only what doesn't match is watched.
            let probe = Probe::new(reading, language, &code.holes);
            if let Some((bound, range)) =
                matched.or_else(|| matching(Some(&probe)).reading(reading, pattern.holes, node))
            {
                // In the order in which the rule declares them.
                let taken = code.holes.iter().zip(bound);
                trial.matches.push(TrialMatch {
                    span: lines.span(range.clone()),
                    text: text(range),
                    holes: taken.map(|(h, range)| (h.name.clone(), range.map_or_else(String::new, text))).collect(),
                });
                break;
            }
            let failure = probe.worst();
            // Of misses that are equally near, the first one in the file is shown.
            if failure.as_ref().is_some_and(|f| nearest.as_ref().is_none_or(|n| f.progress > n.progress)) {
                nearest = failure;
            }
        }
        true
    };
    let mut met = Vec::new();
    preorder(tree.root_node(), |node| {
        if language.macros.iter().any(|(kind, ..)| *kind == node.kind()) {
            met.push(node);
        }
        look(node, &[])
    });
    for macros::Parsed { tree, ranges } in macros::parsed(source, language, &tree, &met, &|_| true)? {
        preorder(tree.root_node(), |node| look(node, &ranges));
    }
    trial.matches.sort_by_key(|found| found.span);
    trial.nearest = nearest.filter(|_| trial.matches.is_empty()).map(|f| Miss {
        span: lines.span(f.range.clone()),
        matched: f.progress.div_ceil(2),
        parts: f.parts,
        wanted: f.wanted,
        found: text(f.range),
    });
    Ok(trial)
}
