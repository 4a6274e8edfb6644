//! Paths through a function: whether one leads from a match to the function's end, or out of it, on which something is missing, or
//! on which something is.
//!
//! One pass over the statements after the match, with their branches, and on to what is around them. Where it isn't certain
//! that a path lacks something, it is taken not to: what is in a loop's body counts although the loop may not run, what a
//! function inside does counts as done, handlers of exceptions are followed only when nothing in what they guard counts, a branch
//! that asks about what the match gave a name, or the same as a branch around the match, isn't followed out of the function, what
//! depends on a flag counts as done, and neither labels, `goto` nor the branches of a preprocessor are followed at all.
//!
//! A graph of the function's flow would be exact where this is careful, and would have to know every statement of every
//! language. What is asked here, whether something opened is closed, goes wrong in plain ways far more often than in
//! clever ones.

use std::cell::{Cell, RefCell};

use tree_sitter::Node;

use super::search::Search;
use super::statements::{Shape, cases, ends_by_itself, heads, is_default, is_endless, never_returns, shape};
use crate::lang::Class;
use crate::pattern::{Children, Given, preorder};
use crate::rule::Filter;

/// How deep statements are followed into one another, blocks included.
const DEEPEST: usize = 500;

/// Where paths lead on which nothing has matched yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Flow {
    /// To the next statement.
    falls_through: bool,
    /// To after the loop or switch that a `break` or `continue` leaves.
    breaks: bool,
    /// Out of the function.
    leaves: bool,
}

impl Flow {
    /// Nothing has matched before a statement.
    const CLEAN: Self = Self { falls_through: true, breaks: false, leaves: false };
    /// Something has matched on every path.
    const NONE: Self = Self { falls_through: false, breaks: false, leaves: false };

    /// What either of two branches does.
    fn or(self, other: Self) -> Self {
        Self {
            falls_through: self.falls_through | other.falls_through,
            breaks: self.breaks | other.breaks,
            leaves: self.leaves | other.leaves,
        }
    }
}

impl<'f> Search<'f> {
    /// Whether a path leads from a match to the end of its function on which nothing meets the filter.
    pub(super) fn has_path_without(&self, filter: &Filter, node: Node<'f>, given: Given<'_>) -> bool {
        // What comes after a fragment isn't known.
        self.file.known.is_none() && self.paths(filter, node, given).leads_out(node)
    }

    /// Whether something meets the filter on a path from a match to the end of its function.
    pub(super) fn has_path_with(&self, filter: &Filter, node: Node<'f>, given: Given<'_>) -> bool {
        let paths = self.paths(filter, node, given);
        paths.leads_out(node);
        paths.matched.get()
    }

    fn paths<'s>(&'s self, filter: &'s Filter, node: Node<'f>, given: Given<'s>) -> Paths<'s, 'f> {
        let head = self.file.text(node).split(|b| *b == b'(').next().unwrap_or_default();
        let is_name =
            |text: &[u8]| !text.is_empty() && text.iter().all(|b| b.is_ascii_alphanumeric() || b"_.$".contains(b));
        let stands_in = |text: &[u8]| is_name(text) && memchr::memmem::find(head, text).is_some();
        let names: Vec<&[u8]> = given.iter().map(|(_, text)| *text).filter(|text| stands_in(text)).collect();
        let names = RefCell::new(names);
        Paths { search: self, filter, given, names, around: RefCell::default(), matched: Cell::default() }
    }
}

/// The search for one path.
struct Paths<'s, 'f> {
    search: &'s Search<'f>,
    filter: &'s Filter,
    given: Given<'s>,
    /// What the match gave names to, as long as they mean that.
    names: RefCell<Vec<&'s [u8]>>,
    /// The conditions of the branches in which the match is.
    around: RefCell<Vec<&'s [u8]>>,
    /// Whether anything on the paths that were followed matched the filter.
    matched: Cell<bool>,
}

impl<'f> Paths<'_, 'f> {
    /// Goes on from a match, outwards until its function ends.
    fn leads_out(&self, node: Node<'f>) -> bool {
        let around = self.search.around(node);
        let is_function = |node: &Node<'f>| self.is(*node, Class::Function);
        // Outside of all functions there is no end to reach.
        let Some(function) = around.iter().rposition(is_function) else { return false };
        // Where the function doesn't parse, its paths aren't known.
        if around[function].has_error() {
            return false;
        }
        let mut inner = node;
        let (mut flow, mut begun) = (Flow::CLEAN, false);
        for outer in around[function + 1..].iter().rev() {
            match self.shape(*outer) {
                Shape::Sequence => {
                    // What comes after the statement that the match is in.
                    let after = Children::named(*outer).skip_while(|child| child.id() != inner.id()).skip(1);
                    flow = self.sequence(after, flow, 0);
                    begun = true;
                }
                // A match in the head of a statement isn't followed.
                _ if !begun && !matches!(self.shape(*outer), Shape::Plain) => return false,
                Shape::Try if self.is_closed_at_last(*outer, inner) => return false,
                Shape::Branch => {
                    let condition = outer.child_by_field_name("condition");
                    self.around.borrow_mut().extend(condition.map(|condition| self.search.file.text(condition)));
                }
                Shape::Try | Shape::Plain => {}
                // A `break` in what was followed ends up after the loop.
                Shape::Loop | Shape::Switch => flow.falls_through |= std::mem::take(&mut flow.breaks),
                // What a guard's head opens is closed at its end.
                Shape::Guarded if self.is_in_head(*outer) => return false,
                Shape::Guarded => {}
                Shape::Definition | Shape::Return | Shape::Break | Shape::Jump => return false,
            }
            // Every path has met it.
            if flow == Flow::NONE {
                return false;
            }
            inner = *outer;
        }
        begun && (flow.falls_through || flow.leaves)
    }

    /// The flow through statements one after another.
    fn sequence(&self, statements: impl Iterator<Item = Node<'f>>, mut flow: Flow, depth: usize) -> Flow {
        for statement in statements {
            // What comes after can't be reached without it.
            if !flow.falls_through {
                break;
            }
            // The statement first: its right side still means what the name meant.
            let through = self.through(statement, depth);
            self.forget_assigned(statement);
            flow = Flow { falls_through: false, ..flow }.or(through);
        }
        flow
    }

    /// The flow through a statement.
    /// Long because each shape of a statement has a case here.
    fn through(&self, node: Node<'f>, depth: usize) -> Flow {
        // Programs write such code; giving up is reported, as unexamined.
        if depth > DEEPEST {
            self.search.too_deep.set(true);
            return Flow::NONE;
        }
        let depth = depth + 1;
        match self.shape(node) {
            Shape::Sequence => self.sequence(Children::named(node), Flow::CLEAN, depth),
            Shape::Branch => self.through_branch(node, depth),
            // One round stands for all of them.
            Shape::Loop => {
                if self.is_in(node) {
                    return Flow::NONE;
                }
                let body = node.child_by_field_name("body").map_or(Flow::NONE, |body| self.through(body, depth));
                Flow {
                    falls_through: !is_endless(node, self.search.file.source, self.search.file.language) || body.breaks,
                    breaks: false,
                    leaves: body.leaves,
                }
            }
            Shape::Switch => {
                if self.is_in_head(node) {
                    return Flow::NONE;
                }
                let asks = |node: Node<'f>| node.child_by_field_name("value").is_some_and(|value| self.asks(value));
                // A choice by the value itself decides whether there is anything to do.
                if asks(node) {
                    return Flow { falls_through: !self.is_in(node), ..Flow::NONE };
                }
                let mut flow = Flow::NONE;
                let mut has_default = false;
                let mut cases = cases(node).peekable();
                while let Some(case) = cases.next() {
                    has_default |= is_default(case, self.search.file.text(case));
                    let own = self.sequence(Children::named(case), Flow::CLEAN, depth);
                    // Whether there is anything to close, as in a branch.
                    if asks(case) {
                        continue;
                    }
                    // What falls out of a case goes on with the next one in some languages, and that is followed by itself.
                    let ends = ends_by_itself(case) || cases.peek().is_none();
                    flow.falls_through |= own.breaks || own.falls_through && ends;
                    flow.leaves |= own.leaves;
                }
                // A `select` waits until it can take one of its cases.
                flow.falls_through |= !has_default && node.kind() != "select_statement";
                flow
            }
            Shape::Try => self.through_try(node, depth),
            Shape::Guarded => {
                if self.is_in_head(node) {
                    return Flow::NONE;
                }
                node.child_by_field_name("body").map_or(Flow::CLEAN, |body| self.through(body, depth))
            }
            Shape::Jump => Flow::NONE,
            Shape::Plain if never_returns(self.search.file.text(node)) => Flow::NONE,
            // What a function inside does is taken as done, since it may run before the end.
            Shape::Definition | Shape::Plain => {
                if self.is_in(node) {
                    Flow::NONE
                } else {
                    Flow::CLEAN
                }
            }
            Shape::Return => Flow { falls_through: false, breaks: false, leaves: !self.is_in(node) },
            Shape::Break => Flow { falls_through: false, breaks: true, leaves: false },
        }
    }

    /// The flow through an `if` with all of its branches.
    fn through_branch(&self, node: Node<'f>, depth: usize) -> Flow {
        let conditions = ["condition", "initializer"].iter().filter_map(|field| node.child_by_field_name(field));
        let conditions: Vec<Node<'f>> = conditions.collect();
        conditions.iter().for_each(|condition| self.forget_assigned(*condition));
        if conditions.iter().any(|condition| self.is_in(*condition)) {
            return Flow::NONE;
        }
        // Whether there is anything to close, most often.
        let same = |condition: &Node<'f>| self.around.borrow().contains(&self.search.file.text(*condition));
        if conditions.iter().any(|condition| self.asks(*condition) || same(condition)) {
            return Flow { falls_through: !self.is_in(node), ..Flow::NONE };
        }
        // Done in some branch of a flag: the flag is taken to say whether it must be.
        if conditions.iter().any(|condition| self.is_flag(*condition)) && self.is_in(node) {
            return Flow::NONE;
        }
        let mut flow = node.child_by_field_name("consequence").map_or(Flow::NONE, |then| self.through(then, depth));
        let mut has_else = false;
        let mut cursor = node.walk();
        // Python lists each `elif`; others nest the next `if` in the `else`.
        for other in node.children_by_field_name("alternative", &mut cursor).filter(Node::is_named) {
            has_else |= other.kind() != "elif_clause";
            let own = match other.kind() {
                "elif_clause" => self.through_branch(other, depth),
                _ => self.through(other, depth),
            };
            flow = flow.or(own);
        }
        // An `elif` by itself is one of the branches, and goes on only where it does.
        flow.falls_through |= !has_else && node.kind() != "elif_clause";
        flow
    }

    /// The flow through a `try`: its body, its `else`, and its handlers where nothing in the body could have met the
    /// filter.
    fn through_try(&self, node: Node<'f>, depth: usize) -> Flow {
        let is_closed = self.is_closed_at_last(node, node);
        let Some(body) = node.child_by_field_name("body").filter(|_| !is_closed) else { return Flow::NONE };
        let mut flow = self.through(body, depth);
        let any_in_body = self.is_in(body);
        for part in Children::named(node) {
            let own = match part.kind() {
                "else_clause" if flow.falls_through => {
                    flow.falls_through = false;
                    self.through(part, depth)
                }
                "except_clause" | "except_group_clause" | "catch_clause" if !any_in_body => self.through(part, depth),
                _ => continue,
            };
            flow = flow.or(own);
        }
        flow
    }

    /// Whether something meets the filter where a `try` ends in any case; not for what is in that place itself.
    fn is_closed_at_last(&self, node: Node<'f>, inner: Node<'f>) -> bool {
        let is_last = |part: &Node<'f>| part.kind() == "finally_clause";
        self.is_in_head(node) || !is_last(&inner) && Children::named(node).filter(is_last).any(|part| self.is_in(part))
    }

    /// Whether something meets the filter before the body of a statement.
    fn is_in_head(&self, node: Node<'f>) -> bool {
        heads(node).any(|head| self.is_in(head))
    }

    /// What a statement does with the flow through it.
    fn shape(&self, node: Node<'f>) -> Shape {
        shape(node, self.search.file.language)
    }

    /// Whether a node is of a class.
    fn is(&self, node: Node<'f>, class: Class) -> bool {
        self.search.file.language.tables().is(node.kind_id(), class)
    }

    /// Whether anything in a node, or the node itself, meets the filter; remembered for [`Search::has_path_with`].
    fn is_in(&self, node: Node<'f>) -> bool {
        let is_match = self.search.is_in(self.filter, node, self.given);
        self.matched.set(self.matched.get() || is_match);
        is_match
    }

    /// Whether a condition asks about what the match gave a name: compares it, or hands it alone to a call. What else is done with
    /// it says nothing about whether it is there.
    fn asks(&self, condition: Node<'f>) -> bool {
        let names = self.names.borrow();
        let text = |node: Node<'f>| self.search.file.text(node);
        let is_alone = |call: Node<'f>| {
            let mut given = call.child_by_field_name("arguments").into_iter().flat_map(Children::code);
            given.next().is_some_and(|only| given.next().is_none() && names.contains(&text(only)))
        };
        let mut found = false;
        preorder(condition, |node| {
            let is_call = self.is(node, Class::Call);
            found |= names.contains(&text(node)) || is_call && is_alone(node);
            !found && !is_call
        });
        found
    }

    /// Takes a name that a statement gives to something else for what it means now.
    fn forget_assigned(&self, statement: Node<'f>) {
        if !matches!(self.shape(statement), Shape::Plain) {
            return;
        }
        let text = self.search.file.text(statement);
        let Some(sign) = memchr::memchr(b'=', text).filter(|sign| text.get(sign + 1) != Some(&b'=')) else { return };
        // Comparisons give nothing to anything.
        if sign.checked_sub(1).is_some_and(|before| b"=!<>".contains(&text[before])) {
            return;
        }
        let assigned =
            |name: &&[u8]| text[..sign].split(|b| !b.is_ascii_alphanumeric() && *b != b'_').any(|word| word == *name);
        self.names.borrow_mut().retain(|name| !assigned(name));
    }

    /// Whether a condition is a name alone, or the opposite of one: such a flag often says whether there is anything to close.
    fn is_flag(&self, condition: Node<'f>) -> bool {
        let is_sign = |b: &u8| b"(!) ".contains(b);
        let text = self.search.file.text(condition);
        let text = text.strip_prefix(b"not ").unwrap_or(text);
        let from = text.iter().position(|b| !is_sign(b)).unwrap_or(text.len());
        let to = text.iter().rposition(|b| !is_sign(b)).map_or(from, |last| last + 1);
        text[from..to].iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')
    }
}
