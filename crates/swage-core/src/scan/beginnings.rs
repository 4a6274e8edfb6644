//! Where rules begin, and what the walk has seen below on its way.
//!
//! Asking a tree for the children of a node costs more than all that is done with them, and the walk has asked already. So
//! it keeps those that queries want, and for each node at which a rule begins the kinds of what is below it, as a few
//! bits: most nodes lack what a query asks for and are left out by that alone.

use std::ops::Range;

use tree_sitter::Node;

use crate::pattern::{Child, Which};
use crate::rule::{Below, KindSet};

/// A node at which rules begin.
pub(super) struct Beginning<'t> {
    pub node: Node<'t>,
    /// Its kind.
    pub kind: u16,
    /// What is known to be below it.
    pub below: Below,
}

/// Where rules begin.
pub(super) struct Beginnings<'t> {
    /// In the order of the walk.
    pub all: Vec<Beginning<'t>>,
    /// Children that are kept, those of one node after those of another.
    pub children: Vec<Child<'t>>,
    /// The nodes whose children are kept, where these are, and which.
    pub kept: Vec<(Node<'t>, Range<usize>, Which)>,
    /// For the node that was entered last and those around it, outermost first, which beginning it is.
    around: Vec<Option<usize>>,
}

impl<'t> Beginnings<'t> {
    /// None yet, in a text of this many bytes.
    pub fn in_text_of(length: usize) -> Self {
        // A node with a name comes every six bytes or so, and with all packs rules begin at every second one.
        let few = length / 12;
        Self {
            all: Vec::with_capacity(few),
            children: Vec::with_capacity(2 * few),
            kept: Vec::with_capacity(few),
            around: Vec::new(),
        }
    }

    /// Takes a node that is entered, which is `depth` below the root. `begins` is its kind when rules begin there.
    pub fn enter(&mut self, node: Node<'t>, depth: u32, begins: Option<u16>) {
        self.around.truncate(depth as usize);
        self.around.push(begins.map(|_| self.all.len()));
        self.all.extend(begins.map(|kind| Beginning { node, kind, below: Below::UNKNOWN }));
    }

    /// What is below the node that was entered last isn't looked at.
    pub fn leave_out(&mut self) {
        if let [.., Some(outer), _] = self.around[..] {
            self.all[outer].below.grandchildren = KindSet::ALL;
        }
    }

    /// Takes the children of the node that was entered last.
    pub fn list(&mut self, children: &[Child<'t>]) {
        let (own, outer) = match self.around[..] {
            [.., outer, own] => (own, outer),
            [own] => (own, None),
            [] => return,
        };
        // Nobody begins at most nodes, nor at those around them.
        if own.is_none() && outer.is_none() {
            return;
        }
        let mut named = children.iter().filter(|child| child.named).map(|child| child.kind);
        let last = named.next_back();
        let but_last = KindSet::default().with(named);
        let kinds = but_last.with(last);
        if let Some(outer) = outer {
            let below = &mut self.all[outer].below;
            below.grandchildren = below.grandchildren.union(kinds);
        }
        if let Some(own) = own {
            self.all[own].below = Below { children: kinds, but_last, grandchildren: KindSet::default() };
        }
    }

    /// Keeps the children of a node.
    pub fn keep(&mut self, node: Node<'t>, children: &[Child<'t>], which: Which) {
        let from = self.children.len();
        self.children.extend_from_slice(children);
        self.kept.push((node, from..self.children.len(), which));
    }
}

#[cfg(test)]
mod tests {
    use tree_sitter::Tree;

    use super::*;
    use crate::lang::{Language, parse};
    use crate::pattern::Children;
    use crate::scan::walk::{Visitor, walk};

    /// Has rules begin at every node; what is below nodes of one kind is left out.
    struct Everywhere<'t> {
        beginnings: Beginnings<'t>,
        left_out: &'static str,
    }

    impl<'t> Visitor<'t> for Everywhere<'t> {
        fn enter(&mut self, node: Node<'t>, kind: u16, depth: u32, _: u16) -> Option<Which> {
            self.beginnings.enter(node, depth, Some(kind));
            if node.kind() == self.left_out {
                self.beginnings.leave_out();
                return None;
            }
            Some(Which::All)
        }

        fn children(&mut self, node: Node<'t>, _: u16, children: &[Child<'t>], which: Which) {
            self.beginnings.list(children);
            self.beginnings.keep(node, children, which);
        }
    }

    fn walked<'t>(tree: &'t Tree, left_out: &'static str) -> Beginnings<'t> {
        let mut visitor = Everywhere { beginnings: Beginnings::in_text_of(tree.root_node().end_byte()), left_out };
        walk(tree.root_node(), Which::Named, &mut visitor).expect("it isn't deep");
        visitor.beginnings
    }

    #[test]
    fn the_walk_leaves_behind_what_stands_below() {
        let python = Language::by_name("python").expect("a known language");
        let code = "# tide\ndef f(a, b=1):\n    return g(a, 'x', *b) + [h]\n\n\nclass C:\n    x = 1  # low\n";
        let tree = parse(code.as_bytes(), python).expect("it parses");
        for left_out in ["", "argument_list", "module", "class_definition"] {
            let found = walked(&tree, left_out);
            for beginning in &found.all {
                let mut below = Below::of(beginning.node);
                if Children::named(beginning.node).any(|child| child.kind() == left_out) {
                    below.grandchildren = KindSet::ALL;
                }
                if beginning.node.kind() == left_out {
                    below = Below::UNKNOWN;
                }
                assert_eq!(beginning.below, below, "{} without {left_out}", beginning.node);
            }
            for (node, range, which) in &found.kept {
                let kept: Vec<_> = found.children[range.clone()].iter().map(|child| child.node).collect();
                assert_eq!(kept, Children::of(*node, *which).collect::<Vec<_>>());
            }
            let entered = found.all.len();
            assert!(if left_out == "module" { entered == 1 } else { entered > 15 }, "{entered} without {left_out}");
        }
    }
}
