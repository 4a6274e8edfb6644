//! Filters on the place of a match: what is around it, in it, and right before it.

use tree_sitter::Node;

use super::walk::{Step, Walk};
use crate::pattern::ancestors;
use crate::pattern::{Given, Matching};
use crate::rule::{Clause, Filter, Matcher, NodeTest, Place, Relation};

impl Walk<'_> {
    /// Whether all filters of a clause let a match at this node through.
    pub(super) fn passes(&self, clause: &Clause, node: Node<'_>, given: Given<'_>) -> bool {
        // What the text of a match mustn't be has been looked at in the match itself; the node may be larger.
        let of_text = matches!(clause.matcher, Matcher::Text(_) | Matcher::Key(_));
        clause.filters.iter().all(|filter| {
            if filter.relation == Relation::Unless && of_text {
                let mut others = filter.any.iter().filter(|place| !matches!(place.what, NodeTest::Text(_)));
                return !others.any(|place| self.is_place(place, node, given));
            }
            self.holds(filter, node, given)
        })
    }

    fn holds(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        match filter.relation {
            Relation::EnclosedBy => self.enclosed(filter, node, given),
            Relation::NotEnclosedBy => !self.enclosed(filter, node, given),
            Relation::Encloses => self.encloses(filter, node, given),
            Relation::NotEncloses => !self.encloses(filter, node, given),
            Relation::PrecededBy => self.preceded(filter, node, given),
            Relation::NotPrecededBy => !self.preceded(filter, node, given),
            Relation::Unless => !filter.any.iter().any(|place| self.is_place(place, node, given)),
        }
    }

    /// Looks at the node before, attributes and decorators aside, or where this one is the first of what it merely
    /// heads, before that.
    fn preceded(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        let mut at = node;
        loop {
            if let Some(before) = at.prev_named_sibling() {
                if ["attribute", "decorator", "annotation"].iter().any(|word| before.kind().contains(word)) {
                    at = before;
                    continue;
                }
                // What stands before a fragment isn't known, and may be what is asked for.
                return !self.is_known(before) || filter.any.iter().any(|place| self.is_place(place, before, given));
            }
            match at.parent() {
                Some(parent) if parent.start_byte() == at.start_byte() => at = parent,
                _ => return self.own.as_ref().is_some_and(|own| at.start_byte() <= own.start),
            }
        }
    }

    /// Whether a node begins in what is known.
    fn starts_here(&self, node: Node<'_>) -> bool {
        self.own.as_ref().is_none_or(|own| node.start_byte() >= own.start)
    }

    fn enclosed(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        let around = ancestors(self.root, node);
        // Heads that were made up to complete a fragment are none.
        let around: Vec<Node<'_>> = around.into_iter().rev().filter(|n| self.starts_here(*n)).collect();
        let is_of_kind = |place: &Place, n: &Node<'_>| match &place.what {
            NodeTest::Definition { class, .. } | NodeTest::Node(class) => {
                self.language.tables().is(n.kind_id(), *class)
            }
            NodeTest::Code(_) | NodeTest::Text(_) => true,
        };
        filter.any.iter().any(|place| {
            let mut nodes = around.iter().filter(|n| is_of_kind(place, n));
            let most = if place.nearest { 1 } else { usize::MAX };
            nodes.by_ref().take(most).any(|n| self.is_place(place, *n, given))
        })
    }

    fn encloses(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        let mut found = false;
        self.all(node, None, true, &mut |step| {
            let Step::Enter { node: n, .. } = step else { return false };
            found = found
                || filter.any.iter().any(|place| {
                    (n != node || matches!(place.what, NodeTest::Text(_))) && self.is_place(place, n, given)
                });
            !found
        });
        found
    }

    fn is_place(&self, place: &Place, node: Node<'_>, given: Given<'_>) -> bool {
        let here = match &place.what {
            NodeTest::Definition { class, name } => {
                self.language.tables().is(node.kind_id(), *class)
                    && name.as_ref().is_none_or(|regex| {
                        self.language.definition_name(node, self.source).is_some_and(|n| regex.is_match(n.as_bytes()))
                    })
            }
            NodeTest::Node(class) => self.language.tables().is(node.kind_id(), *class),
            NodeTest::Text(regex) => self.source.get(node.byte_range()).is_some_and(|text| regex.is_match(text)),
            NodeTest::Code(code) => code.pattern(self.language).is_ok_and(|pattern| {
                let (source, language) = (self.source, self.language);
                Matching { source, language, holes: &code.holes, given, probe: None, steps: &self.steps }
                    .at(pattern, node)
                    .is_some()
            }),
        };
        here && place.filters.iter().all(|filter| self.holds(filter, node, given))
    }
}
