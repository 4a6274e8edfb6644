//! The plain engine against the general one, and against what queries mean.

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
use crate::rule::matchers::Below;

/// Matches as texts: each capture that took something, with its place.
type Matches = BTreeSet<Vec<(String, usize, usize)>>;

fn rendered<'a>(captured: impl Iterator<Item = (&'a str, Node<'a>)>) -> Vec<(String, usize, usize)> {
    let mut all: Vec<_> = captured.map(|(n, node)| (n.to_owned(), node.start_byte(), node.end_byte())).collect();
    all.sort();
    all
}

fn compiled(query: &str, language: &Language) -> Query {
    Query::new(&language.tables().grammar, query).unwrap_or_else(|e| panic!("{query}: {e}"))
}

/// What the general engine finds in a tree.
fn general(query: &Query, source: &str, tree: &Tree) -> Matches {
    let names = query.capture_names();
    let (mut cursor, mut all) = (QueryCursor::new(), Matches::new());
    let mut matches = cursor.matches(query, tree.root_node(), source.as_bytes());
    while let Some(m) = matches.next() {
        all.insert(rendered(m.captures().iter().map(|c| (names[c.index as usize], c.node))));
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

/// What the plain one finds, begun at every node of a kind that it begins with; of half of the nodes the children are
/// known before.
fn plain(query: &PlainQuery, source: &str, tree: &Tree, language: &'static Language) -> Matches {
    let (mut all, families) = (Matches::new(), Families::default());
    let (mut children, mut listed) = (Vec::new(), Vec::new());
    let which = [Some(Which::All), None, Some(Which::Named), None];
    for (node, which) in nodes(tree).into_iter().zip(which.into_iter().cycle()) {
        let Some(which) = which else { continue };
        let from = children.len();
        Child::list(node, which, &mut children);
        listed.push((node, from..children.len(), which));
    }
    families.know(children, listed.into_iter());
    let asked = query.below(language);
    for node in nodes(tree) {
        let before = all.len();
        if query.heads().any(|kind| kind == node.kind_id()) {
            matches(query, node, source.as_bytes(), &families, &mut |taken| {
                let captured = query.order.iter().filter_map(|&at| Some((&*query.captures[at], taken[at]?)));
                all.insert(rendered(captured));
            })
            .expect("there are few places");
        }
        // What it asks for below is there wherever it matches.
        let there = Below::of(node);
        assert!(all.len() == before || asked.iter().any(|asked| asked.may_be_in(&there)), "{query:?} {node}");
    }
    all
}

/// The general engine is the reference: for each query of the packs on the examples of all rules, and for the forms
/// below.
/// Long because it is a table.
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
                assert_eq!(plain(&query, &file.code, &parsed, language), expected, "{}\n{}", tree.query, file.code);
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
        "(list (integer) @a .)",
        "(list . (integer) @a .)",
        "(list (_) (_) @a .)",
        "(parameters (_) . (_) .) @a",
        "(call !arguments) @c",
        "(assignment !type left: (_) @a)",
        "(module (decorated_definition definition: (function_definition !return_type body: (block . (_) @a . (_) .))))",
    ];
    let python = Language::by_name("python").expect("a known language");
    let parsed = parse(source.as_bytes(), python).expect("it parses");
    for form in forms {
        let query = PlainQuery::read(form, python).unwrap_or_else(|| panic!("{form} is plain"));
        assert_eq!(plain(&query, source, &parsed, python), general(&compiled(form, python), source, &parsed), "{form}");
    }
    for form in [
        "(list (integer)+ @a)",
        "(list (integer)? @a (string) @b)",
        "(list (integer) @a . \",\")",
        "(list \",\" @a .)",
        "(list .) @a",
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

/// What an anchor passes over, in lists with and without comments: what `@a` takes, and `@b` after it.
#[test]
fn anchors_pass_over_comments() {
    let source = "[1, 2]\n[ # low\n 3, 4]\n[5 # low\n, # high\n # high\n 6 # low\n # low\n]\n[x, # low\n 7, x]\n";
    let python = Language::by_name("python").expect("a known language");
    let parsed = parse(source.as_bytes(), python).expect("it parses");
    for (form, expected) in [
        ("(list . (integer) @a)", "1 3 5"),
        ("(list . (_) @a (integer) @b .)", "1+2 # low+4 3+4 5+6"),
        ("(list (integer) @a . (integer) @b)", "1+2 3+4 5+6"),
        ("(list (integer) @a .)", "2 4 6"),
        ("(list (identifier) . (integer) @a)", "7"),
        ("(list (identifier) . (integer) @a .)", ""),
        // A comment can still be asked for.
        ("(list (integer) @a . (comment) @b .)", "6+# low 6+# low"),
        ("(list . (comment) @a)", "# low"),
    ] {
        let query = PlainQuery::read(form, python).unwrap_or_else(|| panic!("{form} is plain"));
        let texts = |taken: Vec<(String, usize, usize)>| {
            taken.into_iter().map(|(_, from, to)| &source[from..to]).collect::<Vec<_>>().join("+")
        };
        let found: Vec<_> = plain(&query, source, &parsed, python).into_iter().collect();
        let found: Vec<_> = found.into_iter().map(texts).collect();
        assert_eq!(found.join(" "), expected, "{form}");
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
    if close && text.ends_with(|c: char| c == ')' || c.is_ascii_digit()) && one_in(3) {
        text += " .";
    }
    text.push(')');
    if depth == 0 || one_in(2) {
        text += &format!(" @c{captures}");
        *captures += 1;
    }
    text
}

/// Whether a node is what a shape asks for, with the captures at the given places: derived from the meaning of
/// queries alone.
fn is_shape(query: &PlainQuery, shape: &Shape, node: Node<'_>, rendered: &[(String, usize, usize)]) -> bool {
    let taken = |at: &usize| rendered.contains(&(query.captures[*at].clone(), node.start_byte(), node.end_byte()));
    let (mut cursor, mut children) = (node.walk(), Vec::new());
    let mut more = cursor.goto_first_child();
    while more {
        children.push((Child::new(cursor.node()), cursor.field_name()));
        more = cursor.goto_next_sibling();
    }
    shape.fits(&Child::new(node))
        && shape.captures.iter().all(taken)
        && !children.iter().any(|(_, field)| field.is_some_and(|field| shape.without.contains(&field)))
        && are_in_order(query, shape, 0, &children, rendered)
}

/// Whether children are in the places of a shape, from one place on.
fn are_in_order(
    query: &PlainQuery,
    shape: &Shape,
    place: usize,
    children: &[(Child<'_>, Option<&str>)],
    rendered: &[(String, usize, usize)],
) -> bool {
    let has_code = |children: &[(Child<'_>, _)]| children.iter().any(|(child, _)| is_code(child, query.language));
    let Some(item) = shape.children.get(place) else { return !shape.closed || !has_code(children) };
    (0..children.len()).any(|at| {
        let (child, field) = children[at];
        (!item.anchored || !has_code(&children[..at]))
            && (item.field.is_none() || item.field == field)
            && item.choices.iter().any(|shape| is_shape(query, shape, child.node, rendered))
            && are_in_order(query, shape, place + 1, &children[at + 1..], rendered)
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
        let found = plain(&query, &file.code, &tree, language);
        let missed = &general(&reference, &file.code, &tree) - &found;
        prop_assert!(missed.is_empty(), "{} lacks {:?} in\n{}", text, missed, file.code);
        for rendered in found {
            let holds = |node: &Node<'_>| query.head.choices.iter().any(|s| is_shape(&query, s, *node, &rendered));
            prop_assert!(nodes.iter().any(holds), "{} isn't {:?} in\n{}", text, rendered, file.code);
        }
    }
}

/// What would take for ever is given up.
#[test]
fn queries_that_ask_for_too_much_are_given_up() {
    let (python, source) = (Language::by_name("python").expect("a known language"), format!("[{}]", "1,".repeat(2000)));
    let parsed = parse(source.as_bytes(), python).expect("it parses");
    let at = parsed.root_node().descendant_for_byte_range(0, source.len() - 1).expect("the list");
    for (form, fits) in [
        ("(list (integer) @a)", true),
        ("(list (integer) (integer) (integer) (integer) @a)", true),
        ("(list (integer) @a (integer) @b (integer) @c)", false),
    ] {
        let query = PlainQuery::read(form, python).expect("a plain query");
        assert_eq!(matches(&query, at, source.as_bytes(), &Families::default(), &mut |_| ()).is_ok(), fits, "{form}");
    }
}
