//! What is below a node, in a few bits that the walk leaves behind: most nodes lack what a query asks for, and that is
//! seen without asking the tree again.

/// A set of node kinds. Kinds share bits, so what isn't in it is missing for sure, and what is may be missing too.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct KindSet(u64);

impl KindSet {
    /// Every kind.
    pub const ALL: Self = Self(u64::MAX);

    /// The set with one more kind, or with several more.
    #[must_use]
    pub fn with(self, kinds: impl IntoIterator<Item = u16>) -> Self {
        Self(kinds.into_iter().fold(self.0, |bits, kind| bits | 1 << (kind % 64)))
    }

    /// The kinds of both.
    #[must_use]
    pub fn union(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    fn meets(self, other: Self) -> bool {
        self.0 & other.0 != 0
    }
}

/// The kinds of what is below a node and has a name in the grammar.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Below {
    /// Its children.
    pub children: KindSet,
    /// Its children but the last one.
    pub but_last: KindSet,
    /// The children of its children.
    pub grandchildren: KindSet,
}

impl Below {
    /// What isn't known.
    pub const UNKNOWN: Self = Self { children: KindSet::ALL, but_last: KindSet::ALL, grandchildren: KindSet::ALL };

    /// What is below a node, asked of the tree: what the walk leaves behind is held against it.
    #[cfg(test)]
    pub fn of(node: tree_sitter::Node<'_>) -> Self {
        use crate::pattern::Children;
        let kinds = |node| Children::named(node).map(|child| child.kind_id()).collect::<Vec<u16>>();
        let children = kinds(node);
        let but_last = &children[..children.len().saturating_sub(1)];
        Self {
            children: KindSet::default().with(children.iter().copied()),
            but_last: KindSet::default().with(but_last.iter().copied()),
            grandchildren: KindSet::default().with(Children::named(node).flat_map(kinds)),
        }
    }
}

/// Sets of kinds, of each of which one must be below a node for a finder to find anything there.
#[derive(Debug, Clone, Default)]
pub struct AskedBelow {
    /// Of each of these one is a child.
    pub(super) children: Vec<KindSet>,
    /// Of each of these one is a child, and not the last.
    pub(super) but_last: Vec<KindSet>,
    /// Of each of these one is the child of a child.
    pub(super) grandchildren: Vec<KindSet>,
}

impl AskedBelow {
    /// Whether all that is asked for may be there.
    pub(crate) fn may_be_in(&self, below: &Below) -> bool {
        let has = |asked: &[KindSet], there: KindSet| asked.iter().all(|set| set.meets(there));
        has(&self.children, below.children)
            && has(&self.but_last, below.but_last)
            && has(&self.grandchildren, below.grandchildren)
    }
}
