//! Matching a plain query at a node: all ways in which its places can be taken by children.

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
    kind: u16,
    named: bool,
}

type Listed<'t> = Rc<Vec<Child<'t>>>;

/// The children of nodes, once queries have asked for them: whether all or the named ones, by the node's id.
#[derive(Default)]
pub(in crate::rule::matchers) struct Families<'t> {
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

impl<'t> Families<'t> {
    fn family(&self, node: Node<'t>, named: bool) -> Family<'t> {
        let list = || {
            let children = if named { Children::named(node) } else { Children::all(node) };
            Rc::new(children.map(Child::new).collect())
        };
        let children = self.known.borrow_mut().entry((node.id(), named)).or_insert_with(list).clone();
        Family { node, named, children }
    }
}

impl<'t> Family<'t> {
    /// Whether for each place there is a child of a kind that it takes; most nodes lack one, and kinds are compared at once.
    fn may_have(&self, items: &[Item]) -> bool {
        items.iter().all(|item| {
            item.choices.iter().any(|shape| shape.kinds.is_empty())
                || self.children.iter().any(|child| item.choices.iter().any(|shape| child.fits(shape)))
        })
    }

    fn field(&self, index: usize) -> Option<&'t str> {
        match self.named {
            true => self.node.field_name_for_named_child(index as u32),
            false => self.node.field_name_for_child(index as u32),
        }
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
        for (index, &child) in family.children.iter().enumerate().skip(from) {
            if item.choices.iter().any(|shape| child.fits(shape))
                && (item.field.is_none() || item.field.as_deref() == family.field(index))
            {
                any |= self.choices(item, child, taken, &mut |taken| self.places(rest, family, index + 1, taken, then));
                // Without captures, what a later child could give the first one has given, unless the next place is beside it.
                if any && !item.captures && !rest.first().is_some_and(|next| next.anchored) {
                    return true;
                }
            }
            if item.anchored && child.named {
                break;
            }
        }
        any
    }
}

/// What the number of a node's children tells of which takes which place of a shape.
enum Assignment<'t> {
    /// Some place has no child.
    Impossible,
    /// These alone can, one for each place.
    Forced([Option<Child<'t>>; MOST_PLACES]),
    /// They have to be searched.
    Open,
}

/// Looks for the children of a node that has as many as a shape has places. Each takes the place of its number then, which is
/// that of its field, so the node needn't be asked for all of its children and their fields.
fn assignment<'t>(shape: &Shape, node: Node<'t>) -> Assignment<'t> {
    let count = if shape.signs { node.child_count() as usize } else { node.named_child_count() };
    if shape.places.is_empty() || count != shape.children.len() {
        return Assignment::Open;
    }
    let mut children = [None; MOST_PLACES];
    for &(at, field) in &shape.places {
        let child = match field {
            Some(field) => node.child_by_field_id(field),
            None if shape.signs => node.child(at as u32),
            None => node.named_child(at as u32),
        };
        let Some(child) = child.map(Child::new) else { return Assignment::Impossible };
        if !shape.signs && !child.named {
            return Assignment::Open;
        }
        if !shape.children[at].choices.iter().any(|shape| child.fits(shape)) {
            return Assignment::Impossible;
        }
        children[at] = Some(child);
    }
    // Where several children have a field, it may have led to another one's place.
    let follows =
        |a: &&Child<'_>, b: &&Child<'_>| a.node.id() != b.node.id() && a.node.end_byte() <= b.node.start_byte();
    if children.iter().flatten().is_sorted_by(follows) { Assignment::Forced(children) } else { Assignment::Open }
}

/// Whether all predicates hold.
fn holds(query: &PlainQuery, taken: &Captured<'_>, source: &[u8]) -> bool {
    let text = |capture: usize| taken[capture].map(|node| source.get(node.byte_range()).unwrap_or_default());
    query.predicates.iter().all(|predicate| {
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
mod tests {
    use std::collections::BTreeSet;

    use proptest::collection::vec;
    use proptest::prelude::*;
    use proptest::sample::Index;
    use tree_sitter::{Query, QueryCursor, StreamingIterator, Tree};

    use super::super::TreeMatch;
    use super::*;
    use crate::config::packs::PACKS;
    use crate::lang::Language;
    use crate::lang::parse;

    /// Matches as texts: each capture that took something, with its place.
    type Told = BTreeSet<Vec<(String, usize, usize)>>;

    fn told<'a>(captured: impl Iterator<Item = (&'a str, Node<'a>)>) -> Vec<(String, usize, usize)> {
        let mut all: Vec<_> = captured.map(|(n, node)| (n.to_owned(), node.start_byte(), node.end_byte())).collect();
        all.sort();
        all
    }

    fn compiled(query: &str, language: &Language) -> Query {
        Query::new(&language.tables().grammar, query).unwrap_or_else(|e| panic!("{query}: {e}"))
    }

    /// What the general engine finds in a tree.
    fn general(query: &Query, source: &str, tree: &Tree) -> Told {
        let names = query.capture_names();
        let (mut cursor, mut all) = (QueryCursor::new(), Told::new());
        let mut matches = cursor.matches(query, tree.root_node(), source.as_bytes());
        while let Some(m) = matches.next() {
            all.insert(told(m.captures().iter().map(|c| (names[c.index as usize], c.node))));
        }
        all
    }

    /// All nodes of a tree.
    fn nodes(tree: &Tree) -> Vec<Node<'_>> {
        let (mut all, mut seen) = (vec![tree.root_node()], 0);
        while let Some(node) = all.get(seen).copied() {
            all.extend(node.children(&mut node.walk()));
            seen += 1;
        }
        all
    }

    /// What the plain one finds, begun at every node of a kind that it begins with.
    fn plain(query: &PlainQuery, source: &str, tree: &Tree) -> Told {
        let (mut all, families) = (Told::new(), Families::default());
        for node in nodes(tree) {
            if query.heads().any(|kind| kind == node.kind_id()) {
                matches(query, node, source.as_bytes(), &families, &mut |taken| {
                    let captured = query.order.iter().filter_map(|&at| Some((&*query.captures[at], taken[at]?)));
                    all.insert(told(captured));
                })
                .expect("there are few places");
            }
        }
        all
    }

    /// The general engine is the reference: for each query of the packs on the examples of all rules, and for the forms
    /// below.
    #[test]
    fn plain_queries_find_what_the_general_engine_finds() {
        let rules = || PACKS.iter().flat_map(|pack| pack.rules());
        let examples: Vec<_> = rules().flat_map(|rule| &rule.examples).flat_map(|example| example.files()).collect();
        let (mut compared, mut found) = (0, 0);
        for clause in rules().flat_map(|rule| rule.clauses.iter()) {
            let Some(tree) = clause.matcher_as::<TreeMatch>() else { continue };
            for &language in &clause.languages {
                let Some(query) = PlainQuery::read(&tree.query, language) else { continue };
                let reference = compiled(&tree.query, language);
                compared += 1;
                for file in &examples {
                    if Language::of(file.path.as_bytes(), file.code.as_bytes()) != Some(language) {
                        continue;
                    }
                    let parsed = parse(file.code.as_bytes(), language).expect("an example parses");
                    let expected = general(&reference, &file.code, &parsed);
                    found += expected.len();
                    assert_eq!(plain(&query, &file.code, &parsed), expected, "{}\n{}", tree.query, file.code);
                }
            }
        }
        assert!(compared > 50 && found > 500, "{compared} queries with {found} matches");
        let source = "def tide(a, b=1, *c):\n    # low\n    return f(a, 'x', b, *c)\n\n@cached\ndef _own():\n    'Says.'\n    x = y = [1, 2, 3]\n    f()\n";
        let forms = [
            "(list (integer) @a (integer) @b)",
            "(list (integer) (integer) @b)",
            "(list (_) @a (integer) @b (_) @c)",
            "(list \",\" (integer) @b)",
            "(list . (integer) @a)",
            "(list (integer) @a . (integer) @b)",
            "(list (integer) @a . (_) . (integer) @b)",
            "(list . (integer) . (integer) @b)",
            "(list (integer) . (integer) @b)",
            "(list (_) . (_) . (_) @c)",
            "(module (_) . (_ . (_)) @b) @a",
            "(parameters (_) @a . [(default_parameter) (list_splat_pattern)] @b)",
            "(block (comment) . (return_statement) @r)",
            "(block (expression_statement) @a . (_) @b)",
            "(list . (string) @a)",
            "(block . (_) @first)",
            "(block . (expression_statement (string) @doc) (_) @next)",
            "(call function: (identifier) @f arguments: (argument_list (identifier) @a (list_splat) @s))",
            "(call function: (identifier) @f arguments: (argument_list [(identifier) (string)] @a))",
            "[(list) @l (call (identifier) @f)]",
            "([(list) (call)] @any (#match? @any \"^f\"))",
            "(module [(function_definition name: (identifier) @n) (decorated_definition (decorator) @d (function_definition name: (identifier) @n))] (#not-match? @n \"^t\") (#not-eq? @d \"@cached\"))",
            "((assignment left: (_) @a right: (assignment left: (_) @b)) (#not-eq? @a @b))",
            "((argument_list (_) @a (_) @b) (#eq? @a @b))",
            "((identifier) @n (#any-of? @n \"x\" \"tide\"))",
            "((identifier) @n (#not-any-of? @n \"x\" \"tide\"))",
            "((string) @s (#eq? @s \"'x'\"))",
            "(parameters (identifier) @p)",
            "(function_definition (block (comment) @c (return_statement) @r))",
        ];
        let python = Language::by_name("python").expect("a known language");
        let parsed = parse(source.as_bytes(), python).expect("it parses");
        for form in forms {
            let query = PlainQuery::read(form, python).unwrap_or_else(|| panic!("{form} is plain"));
            assert_eq!(plain(&query, source, &parsed), general(&compiled(form, python), source, &parsed), "{form}");
        }
        for form in [
            "(list (integer)+ @a)",
            "(list (integer)? @a (string) @b)",
            "(list (integer) @a .)",
            "(list (integer) @a . \",\")",
            "(call !arguments) @c",
            "(expression) @e",
            "(_ (integer) @a)",
            "(list (integer) @a (integer) @a)",
            "((list) @a (call) @b)",
            "(list) @a (call) @b",
            "(list (integer)) ",
            "(nothing) @a",
            "(call nothing: (_) @a)",
            "((list) @a (#is? @a \"x\"))",
            "((list) @a (#eq? @b \"x\"))",
            "((list) @a (#match? @a \"(\"))",
            "(list @a",
            "",
        ] {
            assert!(PlainQuery::read(form, python).is_none(), "{form} is left to the general engine");
        }
    }

    /// A query that matches at least the node that it is made from: some of what is there, some of it captured.
    fn sketch(node: Node<'_>, one_in: &mut dyn FnMut(u8) -> bool, depth: u8, captures: &mut usize) -> String {
        if !node.is_named() {
            return format!("{:?}", node.kind());
        }
        let mut text = if depth > 0 && one_in(4) { "(_".to_owned() } else { format!("({}", node.kind()) };
        let mut cursor = node.walk();
        // Whether no named child has been left out since the last one that was taken.
        let (mut more, mut close) = (depth < 3 && cursor.goto_first_child(), true);
        while more {
            let child = cursor.node();
            if !child.is_missing() && !child.is_error() && one_in(3) {
                text += if close && child.is_named() && one_in(2) { " . " } else { " " };
                if let Some(field) = cursor.field_name().filter(|_| one_in(2)) {
                    text += &format!("{field}: ");
                }
                text += &sketch(child, one_in, depth + 1, captures);
                close = true;
            } else {
                close &= !child.is_named();
            }
            more = cursor.goto_next_sibling();
        }
        text.push(')');
        if depth == 0 || one_in(2) {
            text += &format!(" @c{captures}");
            *captures += 1;
        }
        text
    }

    /// Whether a node is what a shape asks for, with the captures where they are said to be: told from the meaning of
    /// queries alone.
    fn is_shape(query: &PlainQuery, shape: &Shape, node: Node<'_>, told: &[(String, usize, usize)]) -> bool {
        let taken = |at: &usize| told.contains(&(query.captures[*at].clone(), node.start_byte(), node.end_byte()));
        let (mut cursor, mut children) = (node.walk(), Vec::new());
        let mut more = cursor.goto_first_child();
        while more {
            children.push((cursor.node(), cursor.field_name()));
            more = cursor.goto_next_sibling();
        }
        Child::new(node).fits(shape)
            && shape.captures.iter().all(taken)
            && are_in_order(query, &shape.children, &children, told)
    }

    fn are_in_order(
        query: &PlainQuery,
        items: &[Item],
        children: &[(Node<'_>, Option<&str>)],
        told: &[(String, usize, usize)],
    ) -> bool {
        let Some((item, rest)) = items.split_first() else { return true };
        (0..children.len()).any(|at| {
            let (child, field) = children[at];
            (!item.anchored || children[..at].iter().all(|(before, _)| !before.is_named()))
                && (item.field.is_none() || item.field.as_deref() == field)
                && item.choices.iter().any(|shape| is_shape(query, shape, child, told))
                && are_in_order(query, rest, &children[at + 1..], told)
        })
    }

    proptest! {
        /// For queries that nobody wrote, each made from a node of an example: all that the general engine finds, which
        /// doesn't find everything where several children could be each other's, and nothing that isn't so.
        #[test]
        fn sketched_queries_find_what_they_ask_for(
            file in any::<Index>(), at in any::<Index>(), choices in vec(any::<u8>(), 1..40)
        ) {
            let rules = PACKS.iter().flat_map(|pack| pack.rules());
            let files: Vec<_> = rules.flat_map(|rule| &rule.examples).flat_map(|e| e.files()).collect();
            let file = file.get(&files);
            let language = Language::of(file.path.as_bytes(), file.code.as_bytes());
            let Some(language) = language.filter(|_| file.code.len() < 600) else { return Ok(()) };
            let tree = parse(file.code.as_bytes(), language).expect("an example parses");
            let nodes = nodes(&tree);
            let whole = |node: &&Node<'_>| node.is_named() && !node.is_error() && !node.is_missing();
            let named: Vec<_> = nodes.iter().filter(whole).collect();
            let node = **at.get(&named);
            let mut choices = choices.into_iter().cycle();
            let text = sketch(node, &mut |n| choices.next().unwrap_or(0) % n == 0, 0, &mut 0);
            let Some(query) = PlainQuery::read(&text, language) else { return Ok(()) };
            let Ok(reference) = Query::new(&language.tables().grammar, &text) else { return Ok(()) };
            let found = plain(&query, &file.code, &tree);
            let missed = &general(&reference, &file.code, &tree) - &found;
            prop_assert!(missed.is_empty(), "{} lacks {:?} in\n{}", text, missed, file.code);
            for told in found {
                let holds = |node: &Node<'_>| query.head.choices.iter().any(|s| is_shape(&query, s, *node, &told));
                prop_assert!(nodes.iter().any(holds), "{} isn't {:?} in\n{}", text, told, file.code);
            }
        }
    }

    /// What would take for ever is given up.
    #[test]
    fn queries_that_ask_for_too_much_are_given_up() {
        let (python, source) =
            (Language::by_name("python").expect("a known language"), format!("[{}]", "1,".repeat(2000)));
        let parsed = parse(source.as_bytes(), python).expect("it parses");
        let at = parsed.root_node().descendant_for_byte_range(0, source.len() - 1).expect("the list");
        for (form, fits) in [
            ("(list (integer) @a)", true),
            ("(list (integer) (integer) (integer) (integer) @a)", true),
            ("(list (integer) @a (integer) @b (integer) @c)", false),
        ] {
            let query = PlainQuery::read(form, python).expect("a plain query");
            assert_eq!(
                matches(&query, at, source.as_bytes(), &Families::default(), &mut |_| ()).is_ok(),
                fits,
                "{form}"
            );
        }
    }
}
