//! Filters on the place of a match: what is around it, in it, and right before it.
//!
//! Filters run after the match, on its node, in the order in which they are written. Each place that is visited costs a step of the file's budget, so that a filter inside a filter inside a filter
//! ends in time on any file.

use std::cell::LazyCell;
use std::ops::Range;

use regex::bytes::Regex;
use tree_sitter::Node;

use super::allow;
use super::search::Search;
use super::walk::walk;
use crate::lang::Class;
use crate::pattern::{Children, Given, Matching, Which, has_words, joined_text, uncommented_text};
use crate::rule::{Clause, CodeMatch, Filter, NodeTest, ParsedFile, PlaceFilter, Relation};

/// Whether a text is one that the clause must not match.
pub(super) fn is_excused(clause: &Clause, text: &[u8]) -> bool {
    // Where nothing is parsed, texts alone can be asked.
    // All other filters look at nodes around the match, and there are none.
    let mut places = clause.filters.iter().filter(|f| f.relation == Relation::Unless).flat_map(|f| &f.any);
    places.any(|place| matches!(&place.what, NodeTest::Text(regex) if regex.is_match(text)))
}

/// Whether a comment is one to filters: it says something, and what one suppresses must be found first.
fn is_remark(comment: &[u8]) -> bool {
    has_words(comment) && !allow::may_be_in(comment)
}

/// Whether a node marks what comes after it, however a grammar nests such marks.
fn belongs_to_what_follows(node: Node<'_>) -> bool {
    ["attribute", "decorator", "annotation"].iter().any(|word| node.kind().contains(word))
}

impl<'a> Search<'a> {
    /// Whether all filters of a clause let a match through that is seen from this node, has the text of this range and
    /// captured `given`.
    pub(super) fn passes(&self, clause: &Clause, node: Node<'a>, range: Range<usize>, given: Given<'_>) -> bool {
        let (source, language) = (self.file.source, self.file.language);
        // The match may go on in what follows the node.
        let around = if range.end > node.end_byte() { node.parent() } else { None }.unwrap_or(node);
        let uncommented = LazyCell::new(|| uncommented_text(source, around, range.clone(), language));
        clause.filters.iter().all(|filter| {
            if filter.relation != Relation::Unless {
                return self.holds(filter, node, given);
            }
            self.excusing.set(true);
            // `unless` with a text means the match's text; all else asks the node.
            let is_excused = filter.any.iter().any(|place| match &place.what {
                NodeTest::Text(regex) => {
                    regex.is_match(uncommented.as_deref().unwrap_or(&source[range.clone()]))
                        && place.filters.iter().all(|filter| self.holds(filter, node, given))
                }
                NodeTest::Definition { .. } | NodeTest::Node(_) | NodeTest::Code(_) => {
                    self.is_place(place, node, given)
                }
            });
            self.excusing.set(false);
            !is_excused
        })
    }

    /// Whether a filter lets a match through that is seen from a node.
    fn holds(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        let before = self.excusing.get();
        self.excusing.set(before != filter.relation.excuses());
        let holds = self.is_met(filter, node, given);
        self.excusing.set(before);
        holds
    }

    fn is_met(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        match filter.relation {
            Relation::EnclosedBy => self.enclosed(filter, node, given),
            Relation::NotEnclosedBy => !self.enclosed(filter, node, given),
            Relation::Encloses => self.encloses(filter, node, given),
            Relation::NotEncloses => !self.encloses(filter, node, given),
            Relation::PrecededBy => self.preceded(filter, node, given),
            Relation::NotPrecededBy => !self.preceded(filter, node, given),
            Relation::FollowedBy => self.followed(filter, node, given),
            Relation::NotFollowedBy => !self.followed(filter, node, given),
            Relation::Unless => !filter.any.iter().any(|place| self.is_place(place, node, given)),
            Relation::Earlier => self.earlier(filter, node, given) == Some(true),
            // Unknown is neither: a fragment may hide what came before.
            Relation::NotEarlier => self.earlier(filter, node, given) == Some(false),
            Relation::PathWith => self.has_path_with(filter, node, given),
            Relation::PathWithout => self.has_path_without(filter, node, given),
        }
    }

    /// Looks at the node before, not counting attributes and decorators, or where this one is the first of what it merely
    /// heads, before that. Comments are passed over, and each may be what is asked for.
    fn preceded(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        let mut at = node;
        loop {
            let parent = at.parent();
            let before = parent.map(|parent| self.before(parent, at)).unwrap_or_default();
            for sibling in before.iter().rev().copied() {
                if belongs_to_what_follows(sibling) {
                    continue;
                }
                // What is before a fragment isn't known, and may be what is asked for.
                if !self.file.is_known(sibling) || filter.any.iter().any(|place| self.is_place(place, sibling, given)) {
                    return true;
                }
                if !self.is_comment(sibling) {
                    return false;
                }
            }
            let begins = before.first().unwrap_or(&at).start_byte();
            match parent {
                // An expression that begins its statement: what is before the statement is before it.
                Some(parent) if parent.start_byte() == begins => at = parent,
                _ => return self.file.known.as_ref().is_some_and(|own| begins <= own.start),
            }
        }
    }

    /// The nodes with names right before a child, in order: what is passed over, and the last before that. Going from one to the
    /// one before would take time by the square of their number.
    fn before(&self, parent: Node<'a>, child: Node<'a>) -> Vec<Node<'a>> {
        let mut run: Vec<Node<'a>> = Vec::new();
        for sibling in Children::all(parent).take_while(|sibling| *sibling != child).filter(Node::is_named) {
            if !self.is_comment(sibling) && !belongs_to_what_follows(sibling) {
                run.clear();
            }
            run.push(sibling);
        }
        run
    }

    fn is_comment(&self, node: Node<'a>) -> bool {
        self.file.language.tables().is(node.kind_id(), Class::Comment)
    }

    /// Looks at the node after, where it begins on the line on which this one ends. Comments are passed over, and each may be
    /// what is asked for.
    fn followed(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        // What begins on another line is about something else.
        let row = node.end_position().row;
        let mut at = node;
        loop {
            let Some(parent) = at.parent() else { return false };
            let after = Children::all(parent).skip_while(|sibling| *sibling != at).skip(1).filter(Node::is_named);
            for sibling in after {
                if sibling.start_position().row != row {
                    return false;
                }
                if filter.any.iter().any(|place| self.is_place(place, sibling, given)) {
                    return true;
                }
                if !self.is_comment(sibling) {
                    return false;
                }
            }
            if parent.end_position().row != row {
                return false;
            }
            at = parent;
        }
    }

    /// Looks at what ends before this node begins, in the nearest function around it or, outside of all, in the file. `None` when
    /// nothing is found in a fragment that doesn't hold the beginning of that.
    fn earlier(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> Option<bool> {
        let around = self.around(node);
        let is_function = |n: &&Node<'a>| self.file.language.tables().is(n.kind_id(), Class::Function);
        let function = around.iter().rev().find(is_function).copied().unwrap_or(self.file.root());
        // What comes before the function runs at another time.
        let mut inside = around.iter().skip_while(|n| **n != function);
        // From the function inwards: on each level the children that ended before.
        let is_earlier = inside.any(|outer| {
            let mut before = Children::all(*outer).take_while(|child| child.end_byte() <= node.start_byte());
            before.any(|child| self.is_in(filter, child, given))
        });
        // In a whole file the function's beginning is known; in a fragment it must be shown.
        let begins_here = self.file.known.is_none() || function != self.file.root() && self.starts_here(function);
        (is_earlier || begins_here).then_some(is_earlier)
    }

    /// Whether a node begins in what is known.
    fn starts_here(&self, node: Node<'a>) -> bool {
        self.file.known.as_ref().is_none_or(|own| node.start_byte() >= own.start)
    }

    /// Whether a node around this one meets the filter, or with `nearest` the first one of its kind.
    fn enclosed(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        let around = self.around(node);
        // Heads that were made up to complete a fragment are none.
        let around: Vec<Node<'a>> = around.iter().rev().copied().filter(|n| self.starts_here(*n)).collect();
        // The nearest function is the nearest node of that kind, whether or not the rest holds of it.
        let is_of_kind = |place: &PlaceFilter, n: &Node<'a>| match &place.what {
            NodeTest::Definition { class, .. } | NodeTest::Node(class) => {
                self.file.language.tables().is(n.kind_id(), *class)
            }
            NodeTest::Code(_) | NodeTest::Text(_) => true,
        };
        filter.any.iter().any(|place| {
            // Innermost first, so that `nearest` ends at the first of its kind.
            let mut nodes = around.iter().filter(|n| is_of_kind(place, n));
            let most = if place.nearest { 1 } else { usize::MAX };
            nodes.by_ref().take(most).any(|n| self.is_place(place, *n, given))
        })
    }

    /// Many matches may ask the same of one large node, such as the whole file: what doesn't depend on what they captured is
    /// asked once.
    fn encloses(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        let is_free = |place: &PlaceFilter| !matches!(place.what, NodeTest::Code(_)) && place.filters.is_empty();
        if !filter.any.iter().all(is_free) {
            return self.is_inside(filter, node, given);
        }
        // Filters live as long as the rules, so the address is a name.
        let asked = (std::ptr::from_ref(filter).addr(), node.id());
        if let Some(answer) = self.inside.borrow().get(&asked) {
            return *answer;
        }
        let answer = self.is_inside(filter, node, given);
        self.inside.borrow_mut().insert(asked, answer);
        answer
    }

    /// Whether anything in a node, or the node itself, meets the filter.
    pub(super) fn is_in(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        filter.any.iter().any(|place| self.is_place(place, node, given)) || self.is_inside(filter, node, given)
    }

    /// Whether anything below a node meets the filter. Each node costs a step of the file's budget.
    fn is_inside(&self, filter: &Filter, node: Node<'a>, given: Given<'_>) -> bool {
        let mut found = false;
        let visited = walk(node, Which::All, &mut |n: Node<'a>| {
            // A filter in a filter goes through the same nodes again for each node that the outer one tries.
            let left = self.file.steps.get().saturating_sub(1);
            self.file.steps.set(left);
            if left == 0 {
                return None;
            }
            found = found
                || filter.any.iter().any(|place| {
                    // A node doesn't enclose itself, but its text is in it.
                    (n != node || matches!(place.what, NodeTest::Text(_))) && self.is_place(place, n, given)
                });
            (!found).then_some(Which::All)
        });
        // Nothing was found there, which isn't the same as nothing being there.
        if visited.is_err() {
            self.too_deep.set(true);
        }
        found
    }

    /// Whether an expression matches the text of a node, as it is or otherwise. What lets a match be must be code.
    fn has_text(&self, regex: &Regex, node: Node<'a>) -> bool {
        let (source, language) = (self.file.source, self.file.language);
        let is_match = |text: Option<Vec<u8>>| text.is_some_and(|text| regex.is_match(&text));
        let joined = || is_match(joined_text(source, node, language));
        let uncommented = || uncommented_text(source, node, node.byte_range(), language);
        let as_written = || regex.is_match(self.file.text(node));
        if self.excusing.get() {
            return !self.is_comment(node)
                && uncommented().map_or_else(|| as_written() || joined(), |text| regex.is_match(&text));
        }
        as_written() || joined() || is_match(uncommented())
    }

    /// Whether a node is what a place asks for, with the filters that the place has itself.
    fn is_place(&self, place: &PlaceFilter, node: Node<'a>, given: Given<'_>) -> bool {
        let here = match &place.what {
            NodeTest::Definition { class, name } => {
                self.file.language.tables().is(node.kind_id(), *class)
                    && name.as_ref().is_none_or(|regex| {
                        self.file
                            .language
                            .definition_name(node, self.file.source)
                            .is_some_and(|n| regex.is_match(n.as_bytes()))
                    })
            }
            NodeTest::Node(class) => {
                self.file.language.tables().is(node.kind_id(), *class)
                    && (*class != Class::Comment || is_remark(self.file.text(node)))
            }
            NodeTest::Text(regex) => self.has_text(regex, node),
            NodeTest::Code(code) => return self.is_code(code, &place.filters, node, given),
        };
        if !here {
            return false;
        }
        // Where a comment is asked for, its words are.
        let before = self.excusing.get();
        self.excusing.set(before && !matches!(place.what, NodeTest::Node(Class::Comment)));
        let holds = place.filters.iter().all(|filter| self.holds(filter, node, given));
        self.excusing.set(before);
        holds
    }

    /// Whether a node matches a pattern and the filters on that hold, which know what its holes took.
    fn is_code(&self, code: &CodeMatch, filters: &[Filter], node: Node<'a>, given: Given<'_>) -> bool {
        let ParsedFile { source, language, meanings, steps, .. } = &self.file;
        // A pattern that isn't code in this language can be nowhere in its files.
        let Ok(pattern) = code.pattern(language) else { return false };
        let matching = Matching { source, language, holes: &code.holes, given, meanings, probe: None, steps };
        let Some((bound, _)) = matching.at(pattern, node) else { return false };
        if filters.is_empty() {
            return true;
        }
        // Inner filters may use the names of both patterns; the outer one's count first.
        let mut known = given.to_vec();
        for (hole, range) in code.holes.iter().zip(bound).filter(|(hole, _)| !hole.many) {
            if let Some(range) = range.filter(|_| !given.iter().any(|(name, _)| *name == hole.name)) {
                known.push((&hole.name, &source[range]));
            }
        }
        filters.iter().all(|filter| self.holds(filter, node, &known))
    }
}
