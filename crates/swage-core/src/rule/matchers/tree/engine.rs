//! Matching a plain query at a node: all ways in which its places can be taken by children.
//!
//! Matching goes on by calling what comes next with what has been taken so far, so that all ways are tried without a list
//! of states. The number of nodes that are tried at one beginning is bounded.

use std::cell::{Cell, RefCell};
use std::rc::Rc;

use foldhash::HashMap;
use tree_sitter::Node;

use super::plain::{Item, MOST_PLACES, PlainQuery, Shape, Test};
use crate::pattern::Children;
use crate::rule::matchers::TooMany;

/// Most places that are tried at one node; a query that asks for several children of thousands could go on for ever.
const MOST_TRIED: u32 = 1 << 20;

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

/// The children of one node, shared by all who ask.
type Listed<'t> = Rc<Vec<Child<'t>>>;

/// The children of nodes, once queries have asked for them: whether all or the named ones, by the node's id.
#[derive(Default)]
pub(in crate::rule::matchers) struct Families<'t> {
    /// By the node's id, and whether only named children are listed.
    known: RefCell<HashMap<(usize, bool), Listed<'t>>>,
}

/// The children of a node that a shape looks at.
struct Family<'t> {
    node: Node<'t>,
    /// Those that the grammar names, or all.
    named: bool,
    children: Listed<'t>,
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
    /// The children of a node, listed once however many queries ask.
    fn family(&self, node: Node<'t>, named: bool) -> Family<'t> {
        let list = || {
            let children = if named { Children::named(node) } else { Children::all(node) };
            Rc::new(children.map(Child::new).collect())
        };
        let children = self.known.borrow_mut().entry((node.id(), named)).or_insert_with(list).clone();
        Family { node, named, children }
    }
}

/// The field of a node's child, by its index among the named ones or all.
fn field_of_child<'t>(node: Node<'t>, named: bool, index: usize) -> Option<&'t str> {
    if named { node.field_name_for_named_child(index as u32) } else { node.field_name_for_child(index as u32) }
}

impl<'t> Family<'t> {
    /// Whether for each place there is a child of a kind that it takes; most nodes lack one, and kinds are compared at once.
    fn may_have(&self, items: &[Item]) -> bool {
        items.iter().all(|item| {
            item.choices.iter().any(|shape| shape.kinds.is_empty())
                || self.children.iter().any(|child| item.takes(child))
        })
    }

    /// The field of a child by its index. Asked only of children that fit otherwise: the tree has to look for it.
    fn field(&self, index: usize) -> Option<&'t str> {
        field_of_child(self.node, self.named, index)
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
    let mut taken = vec![None; query.captures.len()];
    search.choices(&query.head, Child::new(node), &mut taken, &mut |taken| {
        if holds(query, taken, source) {
            found(taken);
        }
        true
    });
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
        let matched = if shape.children.is_empty() {
            then(taken)
        } else {
            // Cheap answers first: most nodes have as many children as the shape has places, or can't fit.
            match assignment(shape, node) {
                Assignment::Impossible => false,
                Assignment::Forced(children) => self.assign(&shape.children, &children, taken, then),
                Assignment::Open => {
                    let family = self.families.family(node, !shape.signs);
                    family.may_have(&shape.children) && self.places(&shape.children, &family, 0, taken, then)
                }
            }
        };
        shape.captures.iter().for_each(|capture| taken[*capture] = None);
        matched
    }

    /// Takes a child for each place.
    fn assign(
        &self,
        items: &[Item],
        children: &[Option<Child<'t>>],
        taken: &mut Captured<'t>,
        then: Then<'_, 't>,
    ) -> bool {
        match (items, children) {
            ([item, items @ ..], [Some(child), children @ ..]) => {
                self.choices(item, *child, taken, &mut |taken| self.assign(items, children, taken, then))
            }
            _ => then(taken),
        }
    }

    /// Finds children for places, from the child with this index on.
    fn places(
        &self,
        items: &[Item],
        family: &Family<'t>,
        from: usize,
        taken: &mut Captured<'t>,
        then: Then<'_, 't>,
    ) -> bool {
        let Some((item, rest)) = items.split_first() else { return then(taken) };
        let mut any = false;
        // Each child in turn is tried for this place, and the rest of the places go on after it.
        for (index, &child) in family.children.iter().enumerate().skip(from) {
            if item.takes(&child) && (item.field.is_none() || item.field.as_deref() == family.field(index)) {
                any |= self.choices(item, child, taken, &mut |taken| self.places(rest, family, index + 1, taken, then));
                // Without captures, what a later child could give the first one has given, unless the next place is beside it.
                if any && !item.captures && !rest.first().is_some_and(|next| next.anchored) {
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

/// What follows from the number of a node's children for which of them takes which place of a shape.
enum Assignment<'t> {
    /// Some place has no child.
    Impossible,
    /// These alone can, one for each place.
    Forced([Option<Child<'t>>; MOST_PLACES]),
    /// They have to be searched.
    Open,
}

/// Looks for the children of a node that has as many as a shape has places: each takes the place of its number then. Kinds
/// are compared first, those of places that take few before others, since asking for a child's field costs several times
/// as much and most nodes fail before.
///
/// Leaving this out, so that all children are listed and searched, costs some 4 % of scanning with all packs in Python,
/// Rust, Go, Java and C.
fn assignment<'t>(shape: &Shape, node: Node<'t>) -> Assignment<'t> {
    let count = if shape.signs { node.child_count() as usize } else { node.named_child_count() };
    let places = shape.children.len();
    if count < places {
        return Assignment::Impossible;
    }
    // With more children than places there is a choice, which takes a search.
    if count > places || places > MOST_PLACES {
        return Assignment::Open;
    }
    let mut children = [None; MOST_PLACES];
    for &at in &shape.places {
        let child = if shape.signs { node.child(at as u32) } else { node.named_child(at as u32) };
        let child = child.map(Child::new).filter(|child| shape.children[at].takes(child));
        if child.is_none() {
            return Assignment::Impossible;
        }
        children[at] = child;
    }
    let in_fields = shape
        .children
        .iter()
        .enumerate()
        .all(|(at, item)| item.field.is_none() || item.field.as_deref() == field_of_child(node, !shape.signs, at));
    if in_fields { Assignment::Forced(children) } else { Assignment::Impossible }
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
