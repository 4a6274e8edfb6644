//! Calls that aren't written as calls: through a method of the function (`f.call(a)`), through a function that is given it
//! (`send(:f, a)`), through a pointer (`(*f)(a)`), by a text (`'f'(a)`) or before one (f`a`), or with its types (`f[int](a)`).
//!
//! A pattern `bad(X)` that knew one spelling only could be bypassed by anybody who knows the language. What is called and its
//! arguments are looked for here where a call doesn't match as it is written.

use std::ops::Range;

use tree_sitter::Node;

use super::matcher::{Bindings, Matching, tentatively};
use super::plain::member_of;
use super::{Children, PatternNode, contents, relevant_children};
use crate::lang::{Arguments, Class, Indirect};

/// A part of what is called.
#[derive(Clone)]
enum Part<'t> {
    /// It is written as code.
    Node(Node<'t>),
    /// A text or a symbol names it.
    Name(Range<usize>),
    /// A member that is asked for by a text.
    Member(Node<'t>, Range<usize>),
    /// A name after that of its package.
    Qualified(Range<usize>, Range<usize>),
}

/// A call as it is written.
struct Call<'t> {
    /// What is called: an object, a sign and a name, or one node.
    called: Vec<Node<'t>>,
    /// Its arguments, with the signs around them.
    arguments: Vec<Node<'t>>,
}

impl Matching<'_> {
    /// Whether a call is the pattern's in another spelling; `patterns` are what is called, and at last the arguments.
    pub(super) fn is_called_indirectly(&self, patterns: &[PatternNode], node: Node<'_>, bound: &mut Bindings) -> bool {
        let Some((PatternNode::Inner { kind, children, .. }, callee)) = patterns.split_last() else { return false };
        if let Some((part, arguments)) = self.generic_call(node) {
            return tentatively(bound, |taken| {
                matches!(patterns, [function, _] if self.is_part(function, part, taken))
                    && self.list(children, &arguments, taken, true).is_some()
            });
        }
        if !self.may_be_spelled_otherwise(node) {
            return false;
        }
        let mut called = relevant_children(node, self.language);
        let Some(list) = called.pop() else { return false };
        if self.is_tagged(list) {
            return self.is_tag(callee, children, &called, list, bound);
        }
        if list.kind_id() != *kind {
            return false;
        }
        let call = Call { called, arguments: relevant_children(list, self.language) };
        self.language.indirect.iter().any(|spelling| {
            let Some((parts, arguments)) = self.meant_by(&call, spelling) else { return false };
            tentatively(bound, |taken| {
                parts.len() == callee.len()
                    && callee.iter().zip(parts).all(|(pattern, part)| self.is_part(pattern, part, taken))
                    && self.list(children, &arguments, taken, true).is_some()
            })
        })
    }

    /// What is called with its types, where the grammar takes that for a type, and the arguments with their brackets.
    fn generic_call<'t>(&self, node: Node<'t>) -> Option<(Part<'t>, Vec<Node<'t>>)> {
        let is_generic = |spelling: &Indirect| {
            matches!(spelling, Indirect::Generic(whole, types)
                if node.kind() == *whole && node.child(0).is_some_and(|first| first.kind() == *types))
        };
        // Most calls are of languages that have none, or of other kinds.
        let function =
            self.language.indirect.iter().any(is_generic).then(|| Children::code(node.child(0)?).next())??;
        let is_type = function.kind().contains("type");
        let mut names = Children::code(function);
        let part = match (names.next(), names.next()) {
            (Some(package), Some(name)) if is_type => Part::Qualified(package.byte_range(), name.byte_range()),
            _ if is_type => Part::Name(function.byte_range()),
            _ => Part::Node(function),
        };
        let rest = relevant_children(node, self.language).split_off(1);
        Some((part, if let [list] = rest[..] { relevant_children(list, self.language) } else { rest }))
    }

    /// A look at the last word before the arguments, which most calls end with: those of other names are what they seem.
    fn may_be_spelled_otherwise(&self, call: Node<'_>) -> bool {
        // Comments may be before the arguments.
        let (mut before, mut last) = (None, None);
        for child in Children::all(call) {
            if let Some(earlier) = last.replace(child).filter(|earlier: &Node<'_>| !earlier.is_extra()) {
                before = Some(earlier);
            }
        }
        let Some(list) = last else { return false };
        let end = before.map_or(list.start_byte(), |before| before.end_byte());
        let before = self.source.get(call.start_byte()..end).unwrap_or_default().trim_ascii_end();
        let in_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_' || !b.is_ascii();
        let word = &before[before.iter().rposition(|b| !in_name(b)).map_or(0, |at| at + 1)..];
        // What ends in a bracket, a quotation mark or a sign may be anything.
        word.is_empty()
            || self.is_tagged(list)
            || self.language.indirect.iter().any(|spelling| match spelling {
                Indirect::Method(name, _) | Indirect::Given(name, _) | Indirect::Named(name, _) => {
                    name.as_bytes().ends_with(word)
                }
                Indirect::Through(_)
                | Indirect::Text
                | Indirect::Member
                | Indirect::Bound(_)
                | Indirect::Tag(_)
                | Indirect::Generic(..) => false,
            })
    }

    /// Whether a node that comes after what is called is its only argument.
    fn is_tagged(&self, list: Node<'_>) -> bool {
        self.language.indirect.iter().any(|spelling| matches!(spelling, Indirect::Tag(kind) if list.kind() == *kind))
    }

    /// Whether a pattern's function is called with what comes after it. `arguments` are those of the pattern, with brackets.
    fn is_tag(
        &self,
        callee: &[PatternNode],
        arguments: &[PatternNode],
        called: &[Node<'_>],
        text: Node<'_>,
        bound: &mut Bindings,
    ) -> bool {
        let [_, inner @ .., _] = arguments else { return false };
        tentatively(bound, |taken| {
            self.list(callee, called, taken, true).is_some() && self.list(inner, &[text], taken, true).is_some()
        })
    }

    /// What a call calls, and with which arguments, when it is spelled in a way.
    fn meant_by<'t>(&self, call: &Call<'t>, spelling: &Indirect) -> Option<(Vec<Part<'t>>, Vec<Node<'t>>)> {
        let only = || call.called.first().filter(|_| call.called.len() == 1).map(|called| self.unwrapped(*called));
        let as_written = |part: Part<'t>| (vec![part], call.arguments.clone());
        match *spelling {
            Indirect::Through(_) => {
                let called = only()?;
                let function = self.function_behind(called);
                (function != called).then(|| as_written(Part::Node(function)))
            }
            Indirect::Tag(_) | Indirect::Generic(..) => None,
            Indirect::Text => Some(as_written(Part::Name(self.name_in(only()?)?))),
            Indirect::Member => {
                let (object, name) = member_of(self.source, only()?, self.language)?;
                Some(as_written(Part::Member(object, name)))
            }
            Indirect::Method(name, passed) => {
                Some((vec![self.function_asked(&call.called, name)?], call.passed_on(passed, 0)?))
            }
            Indirect::Bound(name) => {
                let binding = only().filter(|node| self.is_call(*node))?;
                let mut called = relevant_children(binding, self.language);
                let early = Call { arguments: relevant_children(called.pop()?, self.language), called };
                let function = self.function_asked(&early.called, name)?;
                let early = early.passed_on(Arguments::After(1), 0)?.into_iter().filter(Node::is_named);
                let mut arguments = call.arguments.clone();
                let first = arguments.iter().position(Node::is_named).unwrap_or(arguments.len().min(1));
                arguments.splice(first..first, early);
                Some((vec![function], arguments))
            }
            Indirect::Given(name, passed) | Indirect::Named(name, passed) => {
                // `a.send(:f)` calls what `a.f` does, and `Reflect.apply` is one name.
                let (last, objects) = call.called.split_last()?;
                let given = call.arguments.iter().find(|node| node.is_named())?;
                let own = match spelling {
                    Indirect::Named(..) => Part::Name(self.name_in(*given)?),
                    _ => Part::Node(*given),
                };
                let parts = objects.iter().map(|object| Part::Node(*object)).chain([own]).collect();
                (self.text(*last) == name.as_bytes()).then_some((parts, call.passed_on(passed, 1)?))
            }
        }
    }

    fn is_part(&self, pattern: &PatternNode, part: Part<'_>, bound: &mut Bindings) -> bool {
        match (pattern, part) {
            (_, Part::Node(node)) => self.node(pattern, node, bound),
            (PatternNode::Hole(index), Part::Name(name)) => self.bind(*index, None, name, bound),
            (PatternNode::Leaf(_, Some(text)), Part::Name(name)) => self.source.get(name).is_some_and(|name| {
                **text == *name || self.language.names_in_any_case && text.eq_ignore_ascii_case(name)
            }),
            (PatternNode::Inner { children, .. }, Part::Member(object, name)) => {
                self.is_member(children, object, name, bound)
            }
            (PatternNode::Hole(index), Part::Qualified(package, name)) => {
                self.bind(*index, None, package.start..name.end, bound)
            }
            (PatternNode::Inner { children, .. }, Part::Qualified(package, name)) => match &children[..] {
                [of, _, member] => {
                    self.is_part(of, Part::Name(package), bound) && self.is_part(member, Part::Name(name), bound)
                }
                _ => false,
            },
            _ => false,
        }
    }

    /// The function of which a method of this name is asked for, by an object, a sign and a name that are parts of a call or of
    /// one node.
    fn function_asked<'t>(&self, called: &[Node<'t>], method: &str) -> Option<Part<'t>> {
        let object = match called {
            [object, .., name] if self.text(*name) == method.as_bytes() => *object,
            // Ruby may leave the name out: `f.(a)`.
            [object, sign] if !sign.is_named() && self.text(*sign) == b"." => *object,
            [whole] => {
                let whole = self.unwrapped(*whole);
                if let Some((object, name)) = member_of(self.source, whole, self.language) {
                    (self.source.get(name)? == method.as_bytes()).then_some(object)?
                } else {
                    let parts = relevant_children(whole, self.language);
                    let is_method = parts.len() == 3 && self.text(parts[2]) == method.as_bytes();
                    is_method.then(|| parts[0])?
                }
            }
            _ => return None,
        };
        let object = self.unwrapped(object);
        // `method(:f)` looks a function up by its name.
        let parts = relevant_children(object, self.language);
        if let [finder, list] = &parts[..]
            && self.is_call(object)
            && self.text(*finder) == b"method"
        {
            return Some(Part::Name(self.name_in(Children::code(*list).next()?)?));
        }
        Some(Part::Node(self.function_behind(object)))
    }

    /// What pointers and references lead to.
    fn function_behind<'t>(&self, node: Node<'t>) -> Node<'t> {
        let leads_on = |node: &Node<'t>| {
            let is_through = |spelling: &Indirect| matches!(spelling, Indirect::Through(kind) if node.kind() == *kind);
            self.language.indirect.iter().any(is_through).then_some(())?;
            Some(self.unwrapped(Children::code(*node).last()?))
        };
        std::iter::successors(Some(self.unwrapped(node)), leads_on).last().unwrap_or(node)
    }

    /// What is in parentheses and the like.
    fn unwrapped<'t>(&self, node: Node<'t>) -> Node<'t> {
        std::iter::successors(Some(node), |node| self.language.tables().inner(*node)).last().unwrap_or(node)
    }

    fn is_call(&self, node: Node<'_>) -> bool {
        self.language.tables().is(node.kind_id(), Class::Call)
    }

    pub(super) fn text(&self, node: Node<'_>) -> &[u8] {
        self.source.get(node.byte_range()).unwrap_or_default()
    }

    /// The name that a text or a symbol holds.
    fn name_in(&self, node: Node<'_>) -> Option<Range<usize>> {
        let (text, start) = (self.text(node), node.start_byte());
        let inside = match text {
            [b':', ..] => 1..text.len(),
            [b'\'' | b'"', ..] => contents(text)?,
            _ => return None,
        };
        let is_name = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'!' | b'?') || !b.is_ascii();
        text[inside.clone()].iter().all(is_name).then_some(start + inside.start..start + inside.end)
    }
}

impl<'t> Call<'t> {
    /// The arguments that are passed on, after the first ones that are `given` for something else; `None` when there are fewer.
    fn passed_on(&self, how: Arguments, given: usize) -> Option<Vec<Node<'t>>> {
        let (Arguments::After(skipped) | Arguments::InListAfter(skipped)) = how;
        let count = self.arguments.iter().filter(|node| node.is_named()).count();
        let mut left = (given + skipped).min(count);
        let mut kept = self.arguments.clone();
        kept.retain(|node| {
            let is_skipped = left > 0 && node.is_named();
            left -= usize::from(is_skipped);
            !is_skipped
        });
        // A list that isn't written out is one argument, which may be anything.
        let is_list = |node: &Node<'_>| node.is_named() && node.kind().starts_with("array");
        if let (Arguments::InListAfter(_), Some(at)) = (how, kept.iter().position(is_list))
            && count == given + skipped + 1
        {
            let items: Vec<Node<'t>> = Children::named(kept[at]).collect();
            kept.splice(at..=at, items);
        }
        (count >= given).then_some(kept)
    }
}
