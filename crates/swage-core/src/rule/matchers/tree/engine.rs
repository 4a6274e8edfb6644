//! Matching a plain query at a node: all ways in which its places can be taken by children.
//!
//! Matching goes on by calling what comes next with what has been taken so far, so that all ways are tried without a list
//! of states. The number of nodes that are tried at one beginning is bounded.

use std::cell::{Cell, OnceCell, RefCell};
use std::rc::Rc;

use tree_sitter::Node;

use super::plain::{Item, PlainQuery, Shape, Test};
use crate::pattern::Children;
use crate::rule::matchers::TooMany;

/// Most places that are tried at one node; a query that asks for several children of thousands could go on for ever.
const MOST_TRIED: u32 = 1 << 20;

/// How many nodes have their children kept. Queries that begin at one node are tried one after another, so few are asked for
/// again.
const KEPT: usize = 8;

/// What each capture took.
pub(super) type Captured<'t> = Vec<Option<Node<'t>>>;

/// A child, with what is asked of it most often; asking the tree costs more.
#[derive(Clone, Copy)]
struct Child<'t> {
    node: Node<'t>,
    /// The grammar's number of its kind.
    kind: u16,
    named: bool,
}

/// The children of a node.
struct Family<'t> {
    node: Node<'t>,
    children: Vec<Child<'t>>,
    /// Their fields, each once it has been asked for: the tree has to look for it.
    fields: Vec<OnceCell<Option<&'t str>>>,
}

/// What queries about one file share.
#[derive(Default)]
pub(in crate::rule::matchers) struct Families<'t> {
    /// The last nodes whose children were asked for.
    known: RefCell<Vec<Rc<Family<'t>>>>,
    /// Which of them is given up next.
    oldest: Cell<usize>,
    /// Room for what captures take.
    taken: Cell<Captured<'t>>,
}

impl<'t> Child<'t> {
    fn new(node: Node<'t>) -> Self {
        Self { node, kind: node.kind_id(), named: node.is_named() }
    }

    /// Whether it may be what a shape asks for, not counting its own children.
    fn fits(&self, shape: &Shape) -> bool {
        if shape.kinds.is_empty() { self.named } else { shape.kinds.contains(&self.kind) }
    }
}

impl Item {
    /// Whether a child may be in this place, not counting its own children and its field.
    fn takes(&self, child: &Child<'_>) -> bool {
        self.choices.iter().any(|shape| child.fits(shape))
    }
}

impl<'t> Families<'t> {
    /// The children of a node, listed once for the queries that ask one after another.
    fn of(&self, node: Node<'t>) -> Rc<Family<'t>> {
        let mut known = self.known.borrow_mut();
        if let Some(family) = known.iter().find(|family| family.node == node) {
            return family.clone();
        }
        if known.len() < KEPT {
            known.push(Rc::new(Family::of(node)));
            return known[known.len() - 1].clone();
        }
        let oldest = self.oldest.get();
        self.oldest.set((oldest + 1) % KEPT);
        let place = &mut known[oldest];
        match Rc::get_mut(place) {
            // What nobody holds any more gives its room.
            Some(family) => family.fill(node),
            None => *place = Rc::new(Family::of(node)),
        }
        place.clone()
    }
}

impl<'t> Family<'t> {
    fn of(node: Node<'t>) -> Self {
        let mut family = Self { node, children: Vec::new(), fields: Vec::new() };
        family.fill(node);
        family
    }

    /// Takes the children of a node in place of those that it has.
    fn fill(&mut self, node: Node<'t>) {
        self.node = node;
        self.children.clear();
        self.children.extend(Children::all(node).map(Child::new));
        self.fields.clear();
        self.fields.resize_with(self.children.len(), OnceCell::new);
    }

    /// Whether it allows a shape: there is a child for each place, and none in a field that must be empty. Most nodes lack
    /// one, and kinds are compared at once.
    fn may_have(&self, shape: &Shape) -> bool {
        shape.children.iter().all(|item| self.children.iter().any(|child| item.takes(child)))
            && !shape.without.iter().any(|field| (0..self.children.len()).any(|index| self.field(index) == Some(field)))
    }

    /// The field of a child.
    fn field(&self, index: usize) -> Option<&'t str> {
        *self.fields[index].get_or_init(|| self.node.field_name_for_child(index as u32))
    }

    /// Whether a child, by its index, may be in a place, not counting its own children.
    fn takes(&self, item: &Item, index: usize) -> bool {
        item.takes(&self.children[index]) && item.field.is_none_or(|field| self.field(index) == Some(field))
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
    let search = Backtracking { families, tried: Cell::new(0) };
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

struct Backtracking<'c, 't> {
    families: &'c Families<'t>,
    /// How many nodes have been tried at this beginning.
    tried: Cell<u32>,
}

impl<'t> Backtracking<'_, 't> {
    /// Tries each choice for a node.
    fn choices(&self, item: &Item, child: Child<'t>, taken: &mut Captured<'t>, then: Then<'_, 't>) -> bool {
        let mut any = false;
        for shape in item.choices.iter().filter(|shape| child.fits(shape)) {
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
        let matched = if shape.children.is_empty() && shape.without.is_empty() {
            then(taken)
        } else {
            // Most nodes have too few children, or can't fit.
            let count = if shape.signs { node.child_count() as usize } else { node.named_child_count() };
            count >= shape.children.len() && {
                let family = self.families.of(node);
                family.may_have(shape) && self.places(shape, 0, &family, 0, taken, then)
            }
        };
        shape.captures.iter().for_each(|capture| taken[*capture] = None);
        matched
    }

    /// Finds children for the places of a shape, from the place and from the child with these indices on.
    fn places(
        &self,
        shape: &Shape,
        place: usize,
        family: &Family<'t>,
        from: usize,
        taken: &mut Captured<'t>,
        then: Then<'_, 't>,
    ) -> bool {
        let Some(item) = shape.children.get(place) else {
            return !(shape.closed && family.children[from..].iter().any(|child| child.named)) && then(taken);
        };
        let (next, more) = (shape.children.get(place + 1), shape.children.len() - place);
        let mut any = false;
        // Each child in turn is tried for this place, and the rest of the places go on after it.
        for index in from..(family.children.len() + 1).saturating_sub(more) {
            let child = family.children[index];
            if family.takes(item, index) {
                any |= self.choices(item, child, taken, &mut |taken| {
                    self.places(shape, place + 1, family, index + 1, taken, then)
                });
                // Without captures, what a later child could give the first one has given, unless it stands beside what it
                // needn't stand beside itself.
                let is_beside = next.map_or(shape.closed, |next| next.anchored);
                if any && !item.captures && !is_beside {
                    return true;
                }
            }
            // An anchor passes over signs and comments the grammar leaves unnamed, but over no named child.
            if item.anchored && child.named {
                break;
            }
        }
        any
    }
}

/// Whether all predicates hold.
fn holds(query: &PlainQuery, taken: &Captured<'_>, source: &[u8]) -> bool {
    let text = |capture: usize| taken[capture].map(|node| source.get(node.byte_range()).unwrap_or_default());
    query.predicates.iter().all(|predicate| {
        // As in the general engine: a predicate on a capture that took nothing holds.
        let Some(own) = text(predicate.capture) else { return true };
        let test = match &predicate.test {
            Test::Is(texts) => texts.iter().any(|text| text.as_bytes() == own),
            Test::Same(other) => match text(*other) {
                Some(other) => own == other,
                None => return true,
            },
            Test::Matches(regex) => regex.is_match(own),
        };
        test == predicate.holds
    })
}

#[cfg(test)]
mod tests;
