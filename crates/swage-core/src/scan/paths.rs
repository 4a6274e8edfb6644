//! Paths through a function: whether one leads from a match to the function's end, or out of it, on which something is missing, or
//! on which something stands.
//!
//! One pass over the statements behind the match, with their branches, and on to what stands around them. Where it isn't certain
//! that a path lacks something, it is taken not to: what stands in a loop's body counts although the loop may not run, what a
//! function inside does counts as done, handlers of exceptions are followed only when nothing in what they guard counts, a branch
//! that asks about what the match gave a name, or the same as a branch around the match, isn't followed out of the function, what
//! depends on a flag counts as done, and neither labels, `goto` nor the branches of a preprocessor are followed at all.

use std::cell::{Cell, RefCell};

use tree_sitter::Node;

use super::search::Search;
use crate::lang::Class;
use crate::pattern::{Children, Given, ancestors, preorder};
use crate::rule::Filter;

/// How deep statements are followed into one another, blocks included.
const DEEPEST: usize = 500;

/// Calls that end the program or the thread; what is open then doesn't matter any more.
const NEVER_RETURN: [&str; 16] = [
    "sys.exit(",
    "os._exit(",
    "os.Exit(",
    "exit(",
    "_exit(",
    "quit(",
    "panic(",
    "log.Fatal",
    "log.Panic",
    "process.exit(",
    "abort(",
    "std::abort(",
    "std::exit(",
    "System.exit(",
    "Environment.Exit(",
    "Environment.FailFast(",
];

/// The ways on which nothing has been found yet.
#[derive(Debug, Clone, Copy, Default)]
struct Ways {
    /// To what stands behind.
    on: bool,
    /// To behind the loop or the choice that is broken off.
    broken_off: bool,
    /// Out of the function.
    out: bool,
}

/// What a statement does with the ways through it.
enum Shape {
    Sequence,
    Choice,
    Loop,
    Switch,
    Try,
    /// Something with a head and a body.
    Guarded,
    Definition,
    Leave,
    BreakOff,
    /// Where it goes isn't followed.
    Jump,
    Plain,
}

impl<'f> Search<'f> {
    /// Whether a path leads from a match to the end of its function on which nothing meets the filter.
    pub(super) fn has_path_without(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        // What stands behind a fragment isn't known.
        self.file.known.is_none() && self.paths(filter, node, given).leads_out(node)
    }

    /// Whether something meets the filter on a path from a match to the end of its function.
    pub(super) fn has_path_with(&self, filter: &Filter, node: Node<'_>, given: Given<'_>) -> bool {
        let paths = self.paths(filter, node, given);
        paths.leads_out(node);
        paths.met.get()
    }

    fn paths<'s>(&'s self, filter: &'s Filter, node: Node<'_>, given: Given<'s>) -> Paths<'s, 'f> {
        let head = self.file.text(node).split(|b| *b == b'(').next().unwrap_or_default();
        let is_name =
            |text: &[u8]| !text.is_empty() && text.iter().all(|b| b.is_ascii_alphanumeric() || b"_.$".contains(b));
        let stands_in = |text: &[u8]| is_name(text) && memchr::memmem::find(head, text).is_some();
        let names: Vec<&[u8]> = given.iter().map(|(_, text)| *text).filter(|text| stands_in(text)).collect();
        let names = RefCell::new(names);
        Paths { search: self, filter, given, names, around: RefCell::default(), met: Cell::default() }
    }
}

/// The search for one path.
struct Paths<'s, 'f> {
    search: &'s Search<'f>,
    filter: &'s Filter,
    given: Given<'s>,
    /// What the match gave names to, as long as they mean that.
    names: RefCell<Vec<&'s [u8]>>,
    /// The conditions of the branches in which the match stands.
    around: RefCell<Vec<&'s [u8]>>,
    /// Whether anything on the ways that were followed met the filter.
    met: Cell<bool>,
}

impl Paths<'_, '_> {
    /// Goes on from a match, outwards until its function ends.
    fn leads_out(&self, node: Node<'_>) -> bool {
        let mut around = ancestors(self.search.file.root(), node);
        let is_function = |node: &Node<'_>| self.is(*node, Class::Function);
        let Some(function) = around.iter().rposition(is_function) else { return false };
        if around[function].has_error() {
            return false;
        }
        let around = around.split_off(function + 1);
        let mut inner = node;
        let (mut ways, mut begun) = (Ways { on: true, ..Ways::default() }, false);
        for outer in around.iter().rev() {
            match self.shape(*outer) {
                Shape::Sequence => {
                    let own = ways;
                    let behind = Children::named(*outer).skip_while(|child| child.id() != inner.id()).skip(1);
                    ways = self.in_turn(behind, own, 0);
                    begun = true;
                }
                // A match in the head of a statement isn't followed.
                _ if !begun && !matches!(self.shape(*outer), Shape::Plain) => return false,
                Shape::Try if self.is_closed_at_last(*outer, inner) => return false,
                Shape::Choice => {
                    let condition = outer.child_by_field_name("condition");
                    self.around.borrow_mut().extend(condition.map(|condition| self.search.file.text(condition)));
                }
                Shape::Try | Shape::Plain => {}
                Shape::Loop | Shape::Switch => ways.on |= std::mem::take(&mut ways.broken_off),
                Shape::Guarded if heads(*outer).any(|head| self.is_in(head)) => return false,
                Shape::Guarded => {}
                Shape::Definition | Shape::Leave | Shape::BreakOff | Shape::Jump => return false,
            }
            if !ways.on && !ways.broken_off && !ways.out {
                return false;
            }
            inner = *outer;
        }
        begun && (ways.on || ways.out)
    }

    /// The ways through statements one behind the other.
    fn in_turn<'t>(&self, statements: impl Iterator<Item = Node<'t>>, mut ways: Ways, depth: usize) -> Ways {
        for statement in statements {
            if !ways.on {
                break;
            }
            let through = self.through(statement, depth);
            self.forget_assigned(statement);
            ways.on = through.on;
            ways.broken_off |= through.broken_off;
            ways.out |= through.out;
        }
        ways
    }

    /// The ways through a statement.
    fn through(&self, node: Node<'_>, depth: usize) -> Ways {
        const ON: Ways = Ways { on: true, broken_off: false, out: false };
        const NONE: Ways = Ways { on: false, broken_off: false, out: false };
        if depth > DEEPEST {
            self.search.too_deep.set(true);
            return NONE;
        }
        let depth = depth + 1;
        match self.shape(node) {
            Shape::Sequence => self.in_turn(Children::named(node), ON, depth),
            Shape::Choice => self.through_choice(node, depth),
            Shape::Loop => {
                if self.is_in(node) {
                    return NONE;
                }
                let body = node.child_by_field_name("body").map_or(NONE, |body| self.through(body, depth));
                Ways { on: !self.is_endless(node) || body.broken_off, broken_off: false, out: body.out }
            }
            Shape::Switch => {
                if heads(node).any(|head| self.is_in(head)) {
                    return NONE;
                }
                let mut ways = Ways::default();
                let mut has_default = false;
                for case in cases(node) {
                    has_default |= case.kind().contains("default") || self.begins_with(case, "default");
                    let own = self.in_turn(Children::named(case), ON, depth);
                    ways.on |= own.on | own.broken_off;
                    ways.out |= own.out;
                }
                ways.on |= !has_default;
                ways
            }
            Shape::Try => self.through_try(node, depth),
            Shape::Guarded => {
                if heads(node).any(|head| self.is_in(head)) {
                    return NONE;
                }
                node.child_by_field_name("body").map_or(ON, |body| self.through(body, depth))
            }
            Shape::Jump => NONE,
            Shape::Plain if self.never_returns(node) => NONE,
            Shape::Definition | Shape::Plain => {
                if self.is_in(node) {
                    NONE
                } else {
                    ON
                }
            }
            Shape::Leave => Ways { on: false, broken_off: false, out: !self.is_in(node) },
            Shape::BreakOff => Ways { on: false, broken_off: true, out: false },
        }
    }

    fn through_choice(&self, node: Node<'_>, depth: usize) -> Ways {
        let conditions = ["condition", "initializer"].iter().filter_map(|field| node.child_by_field_name(field));
        let conditions: Vec<Node<'_>> = conditions.collect();
        conditions.iter().for_each(|condition| self.forget_assigned(*condition));
        if conditions.iter().any(|condition| self.is_in(*condition)) {
            return Ways::default();
        }
        // Whether there is anything to close, most often.
        let same = |condition: &Node<'_>| self.around.borrow().contains(&self.search.file.text(*condition));
        if conditions.iter().any(|condition| self.asks(*condition) || same(condition)) {
            return Ways { on: !self.is_in(node), ..Ways::default() };
        }
        if conditions.iter().any(|condition| self.is_flag(*condition)) && self.is_in(node) {
            return Ways::default();
        }
        let mut ways =
            node.child_by_field_name("consequence").map_or(Ways::default(), |then| self.through(then, depth));
        let mut has_else = false;
        let mut cursor = node.walk();
        for other in node.children_by_field_name("alternative", &mut cursor).filter(Node::is_named) {
            has_else |= other.kind() != "elif_clause";
            let own = match other.kind() {
                "elif_clause" => self.through_choice(other, depth),
                _ => self.through(other, depth),
            };
            ways = Ways { on: ways.on | own.on, broken_off: ways.broken_off | own.broken_off, out: ways.out | own.out };
        }
        // An `elif` by itself is one of the branches, and goes on only where it does.
        ways.on |= !has_else && node.kind() != "elif_clause";
        ways
    }

    fn through_try(&self, node: Node<'_>, depth: usize) -> Ways {
        let is_closed = heads(node).any(|head| self.is_in(head))
            || Children::named(node).any(|part| part.kind() == "finally_clause" && self.is_in(part));
        let Some(body) = node.child_by_field_name("body").filter(|_| !is_closed) else { return Ways::default() };
        let mut ways = self.through(body, depth);
        let any_in_body = self.is_in(body);
        for part in Children::named(node) {
            let own = match part.kind() {
                "else_clause" if ways.on => {
                    ways.on = false;
                    self.through(part, depth)
                }
                "except_clause" | "except_group_clause" | "catch_clause" if !any_in_body => self.through(part, depth),
                _ => continue,
            };
            ways = Ways { on: ways.on | own.on, broken_off: ways.broken_off | own.broken_off, out: ways.out | own.out };
        }
        ways
    }

    /// Whether something meets the filter where a `try` ends in any case; not for what stands in that place itself.
    fn is_closed_at_last(&self, node: Node<'_>, inner: Node<'_>) -> bool {
        let is_last = |part: &Node<'_>| part.kind() == "finally_clause";
        heads(node).any(|head| self.is_in(head))
            || !is_last(&inner) && Children::named(node).filter(is_last).any(|part| self.is_in(part))
    }

    fn shape(&self, node: Node<'_>) -> Shape {
        match node.kind() {
            "block"
            | "statement_block"
            | "compound_statement"
            | "statement_list"
            | "constructor_body"
            | "else_clause"
            | "finally_clause"
            | "catch_clause"
            | "except_clause"
            | "except_group_clause"
            | "case_clause"
            | "switch_case"
            | "switch_default"
            | "switch_block_statement_group"
            | "switch_rule"
            | "case_statement"
            | "switch_section"
            | "expression_case"
            | "type_case"
            | "communication_case"
            | "default_case"
            | "unsafe_statement"
            | "checked_statement" => Shape::Sequence,
            "preproc_if" | "preproc_ifdef" | "preproc_else" | "preproc_elif" | "preproc_elifdef" => Shape::Jump,
            "if_statement" | "elif_clause" => Shape::Choice,
            "for_statement"
            | "while_statement"
            | "for_in_statement"
            | "enhanced_for_statement"
            | "do_statement"
            | "foreach_statement"
            | "for_range_loop" => Shape::Loop,
            "switch_statement"
            | "switch_expression"
            | "match_statement"
            | "expression_switch_statement"
            | "type_switch_statement"
            | "select_statement" => Shape::Switch,
            "try_statement" | "try_with_resources_statement" => Shape::Try,
            "with_statement" | "using_statement" | "synchronized_statement" | "lock_statement" => Shape::Guarded,
            "return_statement" | "raise_statement" | "throw_statement" => Shape::Leave,
            "break_statement" | "continue_statement" if node.named_child_count() == 0 => Shape::BreakOff,
            "break_statement" | "continue_statement" | "goto_statement" | "labeled_statement" | "yield_statement" => {
                Shape::Jump
            }
            _ if self.is(node, Class::Function) || self.is(node, Class::Class) => Shape::Definition,
            _ => Shape::Plain,
        }
    }

    fn is(&self, node: Node<'_>, class: Class) -> bool {
        self.search.file.language.tables().is(node.kind_id(), class)
    }

    /// Whether anything in a node, or the node itself, meets the filter.
    fn is_in(&self, node: Node<'_>) -> bool {
        let is_met = self.filter.any.iter().any(|place| self.search.is_place(place, node, self.given))
            || self.search.is_inside(self.filter, node, self.given);
        self.met.set(self.met.get() || is_met);
        is_met
    }

    /// Whether a condition asks about what the match gave a name: compares it, or hands it alone to a call. What else is done with
    /// it says nothing about whether it is there.
    fn asks(&self, condition: Node<'_>) -> bool {
        let names = self.names.borrow();
        let text = |node: Node<'_>| self.search.file.text(node);
        let is_alone = |call: Node<'_>| names.iter().any(|name| text(call).ends_with(&[b"(", *name, b")"].concat()));
        let mut found = false;
        preorder(condition, |node| {
            let is_call = self.is(node, Class::Call);
            found |= names.contains(&text(node)) || is_call && is_alone(node);
            !found && !is_call
        });
        found
    }

    /// Takes a name that a statement gives to something else for what it means now.
    fn forget_assigned(&self, statement: Node<'_>) {
        if !matches!(self.shape(statement), Shape::Plain) {
            return;
        }
        let text = self.search.file.text(statement);
        let Some(sign) = memchr::memchr(b'=', text).filter(|sign| text.get(sign + 1) != Some(&b'=')) else { return };
        if sign.checked_sub(1).is_some_and(|before| b"=!<>".contains(&text[before])) {
            return;
        }
        let assigned =
            |name: &&[u8]| text[..sign].split(|b| !b.is_ascii_alphanumeric() && *b != b'_').any(|word| word == *name);
        self.names.borrow_mut().retain(|name| !assigned(name));
    }

    /// Whether a condition is a name alone, or the opposite of one: such a flag often says whether there is anything to close.
    fn is_flag(&self, condition: Node<'_>) -> bool {
        let is_sign = |b: &u8| b"(!) ".contains(b);
        let text = self.search.file.text(condition);
        let text = text.strip_prefix(b"not ").unwrap_or(text);
        let from = text.iter().position(|b| !is_sign(b)).unwrap_or(text.len());
        let to = text.iter().rposition(|b| !is_sign(b)).map_or(from, |last| last + 1);
        text[from..to].iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')
    }

    fn begins_with(&self, node: Node<'_>, word: &str) -> bool {
        self.search.file.text(node).trim_ascii_start().starts_with(word.as_bytes())
    }

    fn never_returns(&self, node: Node<'_>) -> bool {
        NEVER_RETURN.iter().any(|call| self.begins_with(node, call))
    }

    /// Whether a loop ends only when it is broken off.
    fn is_endless(&self, node: Node<'_>) -> bool {
        let condition = node.child_by_field_name("condition").filter(|condition| condition.kind() != "empty_statement");
        let always = |condition: Node<'_>| {
            let text = self.search.file.text(condition);
            matches!(text.trim_ascii(), b"True" | b"true" | b"(true)" | b"(True)" | b"1" | b"(1)")
        };
        match node.kind() {
            "while_statement" | "do_statement" => condition.is_some_and(always),
            // Go writes all loops with one word; what only has a body has no end.
            "for_statement" if self.search.file.language.name == "go" => node.named_child_count() == 1,
            "for_statement" if self.search.file.language.name != "python" => condition.is_none_or(always),
            _ => false,
        }
    }
}

/// What stands before the body of a statement, or before the cases of one that has no body around them.
fn heads(node: Node<'_>) -> impl Iterator<Item = Node<'_>> {
    let body = node.child_by_field_name("body").map(|body| body.id());
    Children::named(node).take_while(move |child| Some(child.id()) != body && !is_case(child))
}

/// The cases of a choice among many.
fn cases(node: Node<'_>) -> impl Iterator<Item = Node<'_>> {
    Children::named(node.child_by_field_name("body").unwrap_or(node)).filter(is_case)
}

fn is_case(node: &Node<'_>) -> bool {
    ["case", "default", "section", "group", "rule"].iter().any(|word| node.kind().contains(word))
}
