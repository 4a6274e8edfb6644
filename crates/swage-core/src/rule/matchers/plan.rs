//! What scanning does to find what a matcher looks for.

use std::cell::{Cell, OnceCell, RefCell};
use std::fmt::Debug;
use std::ops::Range;
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use tree_sitter::{Node, QueryCursor, Tree};

use super::SuppressionFault;
use super::below::AskedBelow;
use super::commented_code::Commented;
use super::key::Paths;
use super::measure::Frame;
use super::signs::Signs;
use super::tree::Families;
use crate::lang::{Class, Language};
use crate::pattern::{Child, Meanings, Which, ancestors, budget};
use crate::scope::Scopes;

/// What scanning does, in files of one language, to find what a matcher looks for.
#[derive(Debug)]
pub enum Plan {
    /// Search the text; it is parsed only when there is something whose surroundings count.
    Lines(Arc<dyn LineFinder>),
    /// Look at each node of some kinds.
    Nodes {
        /// The kinds, as the grammar numbers them.
        kinds: Vec<u16>,
        /// Whether every match holds the clause's words itself, so that nodes without them needn't be looked at.
        holds_words: bool,
        /// The signs of which one is in every match, when that is known.
        signs: Option<Signs>,
        /// What must be below a node, of which any suffices; nothing when empty.
        below: Vec<AskedBelow>,
        /// The kinds of nodes whose children are asked for, and which of them.
        families: Vec<(u16, Which)>,
        /// What looks at them.
        finder: Arc<dyn NodeFinder>,
    },
    /// Look at each function once its loops and branches have been counted.
    Functions {
        /// The kinds of the functions.
        kinds: Vec<u16>,
        /// What looks at them.
        finder: Arc<dyn FunctionFinder>,
    },
    /// Look at the whole tree.
    File {
        /// What is gathered for it on the walk.
        gather: Gather,
        /// What looks at it.
        finder: Arc<dyn FileFinder>,
    },
    /// Look at the comments that suppress findings, once it is known which of them do.
    Suppressions(SuppressionFault),
}

impl Plan {
    /// Looks at each node of some kinds; nothing is known of what is in them, but whether they hold the clause's words.
    pub(super) fn nodes(kinds: Vec<u16>, holds_words: bool, finder: Arc<dyn NodeFinder>) -> Self {
        Self::Nodes { kinds, holds_words, signs: None, below: Vec::new(), families: Vec::new(), finder }
    }

    /// The kinds of nodes whose children it asks for, and which of them.
    pub(crate) fn families(&self) -> &[(u16, Which)] {
        match self {
            Self::Nodes { families, .. } => families,
            Self::Functions { .. } | Self::Lines(_) | Self::File { .. } | Self::Suppressions(_) => &[],
        }
    }

    /// The kinds of the nodes that it is about.
    pub(crate) fn kinds(&self) -> &[u16] {
        match self {
            Self::Nodes { kinds, .. } | Self::Functions { kinds, .. } => kinds,
            Self::Lines(_) | Self::File { .. } | Self::Suppressions(_) => &[],
        }
    }
}

/// What a plan for whole files needs from the walk.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Gather {
    /// Nothing.
    Nothing,
    /// The comments.
    Comments,
    /// The scopes with their names.
    Scopes,
}

/// What the walk through a file has gathered for those who asked.
#[derive(Default)]
pub struct Gathered<'t> {
    /// The comments, in order.
    pub comments: Vec<Node<'t>>,
    /// The names and their scopes, where the language's scopes are known and the file parses whole.
    pub scopes: Option<Scopes<'t>>,
}

/// Searches text.
pub trait LineFinder: Debug + Send + Sync {
    /// The expression that it searches for, with `^` and `$` at ends of lines.
    fn expression(&self) -> &str;
    /// The byte ranges of the matches, in order; none is empty.
    fn find(&self, source: &[u8]) -> Vec<Range<usize>>;
    /// The parts of a file in which matches count; everywhere when empty.
    fn zones(&self) -> &[Zone];
    /// The place of a match and what it captures; `None` when a condition on it doesn't hold.
    fn at(&self, source: &[u8], range: &Range<usize>) -> Option<Match<'_>>;
}

/// Looks at nodes.
pub trait NodeFinder: Debug + Send + Sync {
    /// Calls `found` with each match that begins at the node, and with the node from which filters look.
    ///
    /// # Errors
    /// When more would have to be tried than is allowed.
    fn at<'t>(&self, file: &ParsedFile<'t>, node: Node<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany>;
}

/// Looks at functions whose loops and branches have been counted.
pub trait FunctionFinder: Debug + Send + Sync {
    /// The match, when there is one.
    fn at(&self, file: &ParsedFile<'_>, function: &Frame<'_>) -> Option<Match<'_>>;
}

/// Looks at whole files.
pub trait FileFinder: Debug + Send + Sync {
    /// Calls `found` with each match, and with the node from which filters look.
    ///
    /// # Errors
    /// When more would have to be tried than is allowed.
    fn find<'t>(&self, file: &ParsedFile<'t>, gathered: &Gathered<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany>;
}

/// What is called with the node from which filters look, and a match.
pub type OnMatch<'f, 't> = &'f mut dyn FnMut(Node<'t>, Match<'_>);

/// A matcher asks for more than can be tried in a file.
#[derive(Debug)]
pub struct TooMany;

/// A place that a matcher found. Ranges are byte offsets in the text that was searched.
#[derive(Debug, Default)]
pub struct Match<'m> {
    /// What a finding is about.
    pub range: Range<usize>,
    /// What was captured, by name; a name may come twice, and the first one counts.
    pub captures: Vec<(&'m str, Range<usize>)>,
    /// Parts that don't belong to what the rule names, in order: what runs took.
    pub varying: Vec<Range<usize>>,
    /// Whether it is about code, which is the same with and without the comments in it.
    pub is_code: bool,
    /// A measured figure.
    pub figure: Option<Figure>,
}

impl<'m> Match<'m> {
    /// A place with nothing captured.
    pub fn plain(range: Range<usize>) -> Self {
        Self { range, ..Self::default() }
    }

    /// The range that a name captured.
    pub fn captured(&self, name: &str) -> Option<&Range<usize>> {
        self.captures.iter().find(|(own, _)| *own == name).map(|(_, range)| range)
    }

    /// What was captured, as texts.
    pub fn texts<'s>(&self, source: &'s [u8]) -> Vec<(&'m str, &'s [u8])> {
        self.captures.iter().filter_map(|(name, range)| Some((*name, source.get(range.clone())?))).collect()
    }
}

/// A measured figure and its limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Figure {
    /// What was measured.
    pub value: u64,
    /// The most that is allowed.
    pub limit: u64,
}

/// A part of a file's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Zone {
    /// Neither comment nor string.
    Code,
    /// Inside a comment.
    Comment,
    /// Inside a string literal.
    String,
}

/// A file with its tree, and what those who look at it share.
pub struct ParsedFile<'t> {
    /// The text that was parsed.
    pub source: &'t [u8],
    /// Its language.
    pub language: &'static Language,
    /// Its tree.
    pub tree: &'t Tree,
    /// Where the text is a fragment that was completed, the part that is known.
    pub known: Option<Range<usize>>,
    /// Whether a name is defined outside of what can be seen.
    pub is_global: &'t dyn Fn(&str) -> bool,
    /// What its names mean.
    pub(crate) meanings: Meanings<'t>,
    /// How many steps of matching are left.
    pub steps: Cell<u64>,
    /// The children of nodes with many.
    pub(super) families: Families<'t>,
    /// Runs queries; making one is costly next to running it at a node.
    pub(super) cursor: RefCell<QueryCursor>,
    /// The paths of keys, once they have been asked for.
    pub(super) paths: OnceCell<Result<Paths, TooMany>>,
    /// The comments that are code, once they have been asked for.
    pub(super) commented: OnceCell<Vec<Commented>>,
}

impl<'t> ParsedFile<'t> {
    /// A file that nothing has looked at.
    pub fn new(
        source: &'t [u8],
        language: &'static Language,
        tree: &'t Tree,
        known: Option<Range<usize>>,
        is_global: &'t dyn Fn(&str) -> bool,
    ) -> Self {
        Self {
            source,
            language,
            tree,
            known,
            is_global,
            meanings: Meanings::of(tree.root_node(), source, language),
            steps: Cell::new(budget(source)),
            families: Families::default(),
            cursor: RefCell::new(QueryCursor::new()),
            paths: OnceCell::new(),
            commented: OnceCell::new(),
        }
    }

    /// The root of the tree.
    pub fn root(&self) -> Node<'t> {
        self.tree.root_node()
    }

    /// The text of a node.
    pub fn text(&self, node: Node<'_>) -> &'t [u8] {
        self.source.get(node.byte_range()).unwrap_or_default()
    }

    /// The innermost node around a range.
    pub fn around(&self, range: &Range<usize>) -> Node<'t> {
        self.root().descendant_for_byte_range(range.start, range.end).unwrap_or_else(|| self.root())
    }

    /// Keeps children of nodes that are known for those who are about to look at them: all children, and for each node
    /// where its own are and which they are.
    pub(crate) fn know_children(
        &self,
        children: Vec<Child<'t>>,
        listed: impl ExactSizeIterator<Item = (Node<'t>, Range<usize>, Which)>,
    ) {
        self.families.know(children, listed);
    }

    /// Whether all of a node is known: in a fragment, only what lies wholly in it, where nothing of it and nothing around it
    /// is an error.
    pub fn is_known(&self, node: Node<'_>) -> bool {
        let Some(known) = &self.known else { return true };
        let range = node.byte_range();
        if range.start < known.start
            || range.end > known.end
            || node.has_error()
            || ancestors(self.root(), node).iter().any(Node::is_error)
        {
            return false;
        }
        // A block recognised by indentation may go on after the fragment.
        let classes = [Class::Function, Class::Class, Class::Loop, Class::Branch];
        let tables = self.language.tables();
        let may_go_on = self.language.name == "python" && classes.iter().any(|c| tables.is(node.kind_id(), *c));
        let rest = self.source.get(range.end..known.end).unwrap_or_default();
        !may_go_on || !rest.trim_ascii().is_empty()
    }
}
