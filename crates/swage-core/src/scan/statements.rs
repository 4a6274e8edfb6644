//! Statements by what they do with the flow through a function, by the names that grammars give them.

use tree_sitter::Node;

use crate::lang::{Class, Language};
use crate::pattern::Children;

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

/// Cases that never fall through into the next one.
const ENDS_BY_ITSELF: [&str; 6] =
    ["case_clause", "expression_case", "type_case", "communication_case", "default_case", "switch_rule"];

/// What a statement does with the flow through it.
pub(super) enum Shape {
    /// Statements one after the other.
    Sequence,
    /// One of several ways, by a condition.
    Branch,
    /// Its body runs any number of times.
    Loop,
    /// One of several ways, by a value.
    Switch,
    /// A block with handlers, and perhaps one that runs in any case.
    Try,
    /// Something with a head and a body.
    Guarded,
    /// What is in it doesn't run here.
    Definition,
    /// Leaves the function.
    Return,
    /// Leaves the loop or switch around it, or goes on with its next round.
    Break,
    /// Where it goes isn't followed.
    Jump,
    /// Goes on with the next statement.
    Plain,
}

/// The shape of a statement in a language of which paths are known.
pub(super) fn shape(node: Node<'_>, language: &'static Language) -> Shape {
    // Classes first; kinds by name decide what they leave open.
    let is = |class: Class| language.tables().is(node.kind_id(), class);
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
        // Which of these is compiled isn't known here.
        "preproc_if" | "preproc_ifdef" | "preproc_else" | "preproc_elif" | "preproc_elifdef" => Shape::Jump,
        "if_statement" | "elif_clause" => Shape::Branch,
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
        // What they hold is given back at their end, on every path.
        "with_statement" | "using_statement" | "synchronized_statement" | "lock_statement" => Shape::Guarded,
        "return_statement" | "raise_statement" | "throw_statement" => Shape::Return,
        // Without a label; with one it leaves a loop further out.
        "break_statement" | "continue_statement" if Children::code(node).next().is_none() => Shape::Break,
        "break_statement" | "continue_statement" | "goto_statement" | "labeled_statement" | "yield_statement" => {
            Shape::Jump
        }
        // After the kinds above: none of those is a definition, and asking for a class costs a table.
        _ if is(Class::Function) || is(Class::Class) => Shape::Definition,
        _ => Shape::Plain,
    }
}

/// Whether a statement begins with a call that never returns.
pub(super) fn never_returns(text: &[u8]) -> bool {
    // By the text, since a grammar has a call as any other call.
    NEVER_RETURN.iter().any(|call| text.starts_with(call.as_bytes()))
}

/// Whether a loop ends only when a `break` leaves it.
pub(super) fn is_endless(node: Node<'_>, source: &[u8], language: &Language) -> bool {
    // Some grammars put an empty statement where a `for` has no condition.
    let condition = node.child_by_field_name("condition").filter(|condition| condition.kind() != "empty_statement");
    let always = |condition: Node<'_>| {
        let text = source.get(condition.byte_range()).unwrap_or_default();
        // Only literals: a variable may change in the body.
        matches!(text.trim_ascii(), b"True" | b"true" | b"(true)" | b"(True)" | b"1" | b"(1)")
    };
    match node.kind() {
        "while_statement" | "do_statement" => condition.is_some_and(always),
        // Go writes all loops with one word; what only has a body has no end.
        "for_statement" if language.name == "go" => Children::code(node).count() == 1,
        "for_statement" if language.name != "python" => condition.is_none_or(always),
        _ => false,
    }
}

/// Whether a case never falls through into the next one.
pub(super) fn ends_by_itself(case: Node<'_>) -> bool {
    ENDS_BY_ITSELF.contains(&case.kind())
}

/// Whether a case is taken when no other one is.
pub(super) fn is_default(case: Node<'_>, text: &[u8]) -> bool {
    // Some grammars have one kind for all cases, so the word decides there.
    case.kind().contains("default") || text.starts_with(b"default") || text.starts_with(b"case _:")
}

/// What is before the body of a statement, or before the cases of one that has no body around them.
pub(super) fn heads(node: Node<'_>) -> impl Iterator<Item = Node<'_>> {
    // By its id: comparing whole nodes would compare their trees as well.
    let body = node.child_by_field_name("body").map(|body| body.id());
    Children::named(node).take_while(move |child| Some(child.id()) != body && !is_case(child))
}

/// The cases of a choice among many.
pub(super) fn cases(node: Node<'_>) -> impl Iterator<Item = Node<'_>> {
    Children::named(node.child_by_field_name("body").unwrap_or(node)).filter(is_case)
}

/// Whether a node is a case, by the words that grammars use for it.
fn is_case(node: &Node<'_>) -> bool {
    ["case", "default", "section", "group", "rule"].iter().any(|word| node.kind().contains(word))
}
