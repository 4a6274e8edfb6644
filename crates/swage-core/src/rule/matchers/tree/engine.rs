//! Matching a plain query at a node: all ways in which its places can be taken by children.
//!
//! Matching goes on by calling what comes next with what has been taken so far, so that all ways are tried without a list
//! of states. The number of nodes that are tried at one beginning is bounded.

use std::cell::{Cell, RefCell};
use std::ops::Range;

use foldhash::HashMap;
use tree_sitter::Node;

use super::plain::{Item, PlainQuery, Shape, Test};
use crate::lang::{Class, Language};
use crate::pattern::{Child, Which, joined_text, uncommented_text};
use crate::rule::matchers::TooMany;

/// Most places that are tried at one node; a query that asks for several children of thousands could go on for ever.
const MOST_TRIED: u32 = 1 << 20;

/// What each capture took.
pub(super) type Captured<'t> = Vec<Option<Node<'t>>>;

/// The children of a node, as far as they have been asked for.
#[derive(Clone, Copy)]
struct Family<'t> {
    node: Node<'t>,
    /// Which of them.
    which: Which,
    /// Where they are among all that are listed.
    from: usize,
    to: usize,
    /// Where their fields are, once one has been asked for.
    fields: Option<usize>,
}

/// What queries about one file share: children of nodes, which are listed once, since asking the tree for them costs more
/// than all that is done with them.
#[derive(Default)]
pub(in crate::rule::matchers) struct Families<'t> {
    /// The families by the ids of their nodes.
    known: RefCell<HashMap<usize, usize>>,
    all: RefCell<Vec<Family<'t>>>,
    /// The children of one family after those of another.
    children: RefCell<Vec<Child<'t>>>,
    /// The fields of children, each once it has been asked for: the tree has to look for it.
    fields: RefCell<Vec<Option<Option<&'t str>>>>,
    /// Room for what captures take.
    taken: Cell<Captured<'t>>,
}

impl Shape {
    /// Whether a child may be what it asks for, not counting the child's own children.
    fn fits(&self, child: &Child<'_>) -> bool {
        if self.kinds.is_empty() { child.named } else { self.kinds.contains(&child.kind) }
    }
}

impl Item {
    /// Whether a child may be in this place, not counting its own children and its field.
    fn takes(&self, child: &Child<'_>) -> bool {
        self.choices.iter().any(|shape| shape.fits(child))
    }
}

impl<'t> Families<'t> {
    /// Takes children of nodes that are known: all children, and for each node where its own are and which they are.
    pub fn know(
        &self,
        children: Vec<Child<'t>>,
        listed: impl ExactSizeIterator<Item = (Node<'t>, Range<usize>, Which)>,
    ) {
        let (mut known, mut all) = (self.known.borrow_mut(), self.all.borrow_mut());
        let mut own = self.children.borrow_mut();
        let before = own.len();
        own.extend(children);
        known.reserve(listed.len());
        all.reserve(listed.len());
        for (node, Range { start, end }, which) in listed {
            known.insert(node.id(), all.len());
            all.push(Family { node, which, from: before + start, to: before + end, fields: None });
        }
    }

    /// The number of the family of a node.
    fn of(&self, node: Node<'t>, which: Which) -> usize {
        let (mut known, mut all) = (self.known.borrow_mut(), self.all.borrow_mut());
        if let Some(&family) = known.get(&node.id())
            && all[family].which >= which
        {
            return family;
        }
        let mut children = self.children.borrow_mut();
        let from = children.len();
        Child::list(node, which, &mut children);
        known.insert(node.id(), all.len());
        all.push(Family { node, which, from, to: children.len(), fields: None });
        all.len() - 1
    }

    /// How many children there are in a family.
    fn count(&self, family: usize) -> usize {
        let Family { from, to, .. } = self.all.borrow()[family];
        to - from
    }

    /// A child, by its index.
    fn child(&self, family: usize, index: usize) -> Child<'t> {
        self.children.borrow()[self.all.borrow()[family].from + index]
    }

    /// Whether an anchor can't pass over all children from an index on.
    fn has_code(&self, family: usize, from: usize, language: &Language) -> bool {
        (from..self.count(family)).any(|index| is_code(&self.child(family, index), language))
    }

    /// Whether a family allows a shape: there is a child for each place, and none in a field that must be empty. Most nodes
    /// lack one, and kinds are compared at once.
    fn may_have(&self, family: usize, shape: &Shape) -> bool {
        let Family { from, to, .. } = self.all.borrow()[family];
        let has = |item: &Item| self.children.borrow()[from..to].iter().any(|child| item.takes(child));
        let is_in = |field: &str| (0..to - from).any(|index| self.field(family, index) == Some(field));
        shape.children.iter().all(has) && !shape.without.iter().any(|field| is_in(field))
    }

    /// The field of a child, by its index.
    fn field(&self, family: usize, index: usize) -> Option<&'t str> {
        let (mut all, mut fields) = (self.all.borrow_mut(), self.fields.borrow_mut());
        let Family { node, which, from, to, fields: known } = &mut all[family];
        let first = *known.get_or_insert(fields.len());
        if first == fields.len() {
            fields.resize(first + *to - *from, None);
        }
        let asked = || match which {
            Which::All => node.field_name_for_child(index as u32),
            Which::Named => node.field_name_for_named_child(index as u32),
        };
        *fields[first + index].get_or_insert_with(asked)
    }

    /// Whether a child, by its index, may be in a place, not counting its own children.
    fn takes(&self, family: usize, item: &Item, index: usize) -> bool {
        item.takes(&self.child(family, index))
            && item.field.is_none_or(|field| self.field(family, index) == Some(field))
    }
}

/// Calls `found` with the captures of every match that begins at a node of a kind that the query begins with.
///
/// # Errors
/// When too many places would have to be tried.
pub(super) fn matches<'t>(
    query: &PlainQuery,
    node: Node<'t>,
    source: &[u8],
    families: &Families<'t>,
    found: &mut dyn FnMut(&Captured<'t>),
) -> Result<(), TooMany> {
    let search = Backtracking { families, language: query.language, tried: Cell::new(0) };
    // One slot a capture, filled on the way down and emptied on the way back.
    let mut taken = families.taken.take();
    taken.clear();
    taken.resize(query.captures.len(), None);
    search.choices(&query.head, Child::new(node), &mut taken, &mut |taken| {
        if holds(query, taken, source) {
            found(taken);
        }
        true
    });
    families.taken.set(taken);
    if search.tried.get() > MOST_TRIED { Err(TooMany) } else { Ok(()) }
}

/// Goes on with what has been taken so far; whether the rest could be matched.
type Then<'a, 't> = &'a mut dyn FnMut(&mut Captured<'t>) -> bool;

/// Whether an anchor stops at a child. It passes over signs, and over comments: code is the same with and without them.
fn is_code(child: &Child<'_>, language: &Language) -> bool {
    child.named && !language.tables().is(child.kind, Class::Comment)
}

struct Backtracking<'c, 't> {
    families: &'c Families<'t>,
    language: &'static Language,
    /// How many nodes have been tried at this beginning.
    tried: Cell<u32>,
}

impl<'t> Backtracking<'_, 't> {
    /// Tries each choice for a node.
    fn choices(&self, item: &Item, child: Child<'t>, taken: &mut Captured<'t>, then: Then<'_, 't>) -> bool {
        let mut any = false;
        for shape in item.choices.iter().filter(|shape| shape.fits(&child)) {
            any |= self.shape(shape, child.node, taken, then);
        }
        any
    }

    /// Takes a node for a shape, then its children for the shape's places.
    fn shape(&self, shape: &Shape, node: Node<'t>, taken: &mut Captured<'t>, then: Then<'_, 't>) -> bool {
        self.tried.set(self.tried.get() + 1);
        if self.tried.get() > MOST_TRIED {
            return false;
        }
        // No capture takes two nodes of a match, so there is nothing to put back.
        shape.captures.iter().for_each(|capture| taken[*capture] = Some(node));
        let matched = if let Some(which) = shape.looks_at() {
            // Most nodes have too few children, or can't fit.
            let count = if shape.signs { node.child_count() as usize } else { node.named_child_count() };
            count >= shape.children.len() && {
                let family = self.families.of(node, which);
                self.families.may_have(family, shape) && self.places(shape, 0, family, 0, taken, then)
            }
        } else {
            then(taken)
        };
        shape.captures.iter().for_each(|capture| taken[*capture] = None);
        matched
    }

    /// Finds children for the places of a shape, from the place and from the child with these indices on.
    fn places(
        &self,
        shape: &Shape,
        place: usize,
        family: usize,
        from: usize,
        taken: &mut Captured<'t>,
        then: Then<'_, 't>,
    ) -> bool {
        let Some(item) = shape.children.get(place) else {
            return !(shape.closed && self.families.has_code(family, from, self.language)) && then(taken);
        };
        let (next, more) = (shape.children.get(place + 1), shape.children.len() - place);
        let mut any = false;
        // Each child in turn is tried for this place, and the rest of the places go on after it.
        for index in from..(self.families.count(family) + 1).saturating_sub(more) {
            let child = self.families.child(family, index);
            if self.families.takes(family, item, index) {
                any |= self.choices(item, child, taken, &mut |taken| {
                    self.places(shape, place + 1, family, index + 1, taken, then)
                });
                // Without captures, what a later child could give the first one has given, unless it is beside what it
                // needn't be beside itself.
                let is_beside = next.map_or(shape.closed, |next| next.anchored);
                if any && !item.captures && !is_beside {
                    return true;
                }
            }
            if item.anchored && is_code(&child, self.language) {
                break;
            }
        }
        any
    }
}

/// Whether all predicates hold. What somebody has broken into lines, or put comments into, is asked about as it would be
/// without them, too.
fn holds(query: &PlainQuery, taken: &Captured<'_>, source: &[u8]) -> bool {
    let text = |node: Node<'_>| source.get(node.byte_range()).unwrap_or_default();
    query.predicates.iter().all(|predicate| {
        // As in the general engine: a predicate on a capture that took nothing holds.
        let Some(node) = taken[predicate.capture] else { return true };
        let other = match predicate.test {
            Test::Same(other) => taken[other],
            Test::Is(_) | Test::Matches(_) => Some(node),
        };
        let Some(other) = other else { return true };
        let fits = |own: &[u8]| match &predicate.test {
            Test::Is(texts) => texts.iter().any(|text| text.as_bytes() == own),
            Test::Same(_) => text(other) == own,
            Test::Matches(regex) => regex.is_match(own),
        };
        let joined = || joined_text(source, node, query.language);
        let uncommented = || uncommented_text(source, node, node.byte_range(), query.language);
        let is_fit = |text: Option<Vec<u8>>| text.is_some_and(|text| fits(&text));
        // What a comment hides from a condition that mustn't hold is reported, and nothing gets lost.
        (fits(text(node)) || is_fit(joined()) || predicate.holds && is_fit(uncommented())) == predicate.holds
    })
}

#[cfg(test)]
mod tests;
