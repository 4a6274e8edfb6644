//! What grammars read otherwise than their languages do, where no error shows it: what they count in too few bytes, and what
//! has two meanings of which they know one. Code could hide there, so such a text counts as one that can't be read. Each of
//! these is far from what people write.

#![cfg_attr(
    not(all(
        feature = "c",
        feature = "csharp",
        feature = "javascript",
        feature = "ruby",
        feature = "swift",
        feature = "yaml"
    )),
    allow(dead_code, unused_imports, reason = "languages that aren't built in need none of it")
)]

use tree_sitter::{Node, Tree};

/// Elements of a page whose content is text up to their end tag, other than scripts and styles (HTML Living Standard, sections
/// 13.2.6.2 and 13.2.6.4).
pub(crate) const TEXTS: [&str; 6] = ["title", "textarea", "xmp", "iframe", "noembed", "noframes"];

/// Two of these fit two bytes with a sign: a column and the blanks after it.
const MOST_BLANKS: usize = i16::MAX as usize / 2;

/// White space and empty lines in a row, of which the scanners of outlines count columns and lines.
pub(super) fn outline(text: &[u8], _: &Tree) -> Option<String> {
    let is_beyond = text.len() > MOST_BLANKS
        && String::from_utf8_lossy(text).split(|c: char| !c.is_whitespace()).any(|run| run.len() >= MOST_BLANKS);
    is_beyond.then(|| format!("it has {MOST_BLANKS} blanks in a row or more"))
}

/// `line 7`, counted from 1.
fn line_of(node: Node<'_>) -> String {
    format!("line {}", node.start_position().row + 1)
}

/// The smallest node around some bytes.
fn node_at(tree: &Tree, start: usize, end: usize) -> Option<Node<'_>> {
    tree.root_node().descendant_for_byte_range(start, end)
}

/// JavaScript: a first line for the system that one of its own line ends ends (ECMAScript 2025, section 12.5).
pub(super) fn javascript(text: &[u8], _: &Tree) -> Option<String> {
    let line = text.split(|b| matches!(b, b'\n' | b'\r')).next().filter(|line| line.starts_with(b"#!"))?;
    let ends = ["\u{2028}", "\u{2029}"].iter().any(|end| memchr::memmem::find(line, end.as_bytes()).is_some());
    ends.then(|| "its first line has a separator of lines in it".to_owned())
}

/// Shells: assignments and redirections alone on a line, which the grammar takes for the beginning of the next line's command
/// (IEEE Std 1003.1-2024, Shell Command Language, sections 2.9.1 and 2.10).
pub(super) fn bash(text: &[u8], tree: &Tree) -> Option<String> {
    find(tree, |node| {
        let goes_on = node.kind() == "command" && lines_before_name(text, node).len() > 1;
        goes_on.then(|| format!("a command of assignments and redirections alone on {}", line_of(node)))
    })
}

/// What is before the name of a shell command, in lines: assignments and redirections. Of all but the last line the shell makes
/// a command of its own.
pub(crate) fn lines_before_name<'t>(text: &[u8], command: Node<'t>) -> Vec<Vec<Node<'t>>> {
    let (mut lines, mut end, mut line_ended) = (vec![Vec::new()], command.start_byte(), false);
    let mut cursor = command.walk();
    for child in command.children(&mut cursor) {
        let between = text.get(end..child.start_byte()).unwrap_or_default();
        line_ended |= memchr::memchr_iter(b'\n', between)
            .any(|at| !between[..at].strip_suffix(b"\r").unwrap_or(&between[..at]).ends_with(b"\\"));
        end = child.end_byte();
        // A comment takes the rest of its line.
        if child.kind() == "comment" {
            line_ended = true;
            continue;
        }
        if std::mem::take(&mut line_ended) {
            lines.push(Vec::new());
        }
        if child.kind() == "command_name" {
            break;
        }
        lines.last_mut().into_iter().for_each(|line| line.push(child));
    }
    lines
}

/// What is said first of a node, those around it first.
fn find(tree: &Tree, say: impl Fn(Node<'_>) -> Option<String>) -> Option<String> {
    let mut cursor = tree.walk();
    loop {
        if let Some(said) = say(cursor.node()) {
            return Some(said);
        }
        if cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return None;
            }
        }
    }
}

/// C and C++: `??/`, which some versions of them read as a backslash (ISO/IEC 9899:2018, section 5.2.1.1).
pub(super) fn c(text: &[u8], tree: &Tree) -> Option<String> {
    let matters = |at: &usize| matches!(text.get(at + 3), Some(b'\\' | b'"' | b'\'' | b'\n' | b'\r'));
    let at = memchr::memmem::find_iter(text, b"??/").find(matters)?;
    Some(format!("`??/` on {} may stand for a backslash", line_of(node_at(tree, at, at + 1)?)))
}

/// HTML: scripts in styles, and scripts that hold the end of an element of text around them. Whether they run depends on what
/// surrounds them, of which the grammar knows little.
pub(super) fn html(text: &[u8], tree: &Tree) -> Option<String> {
    let holds = |text: &[u8], wanted: &[u8]| {
        memchr::memchr_iter(wanted[0], text)
            .any(|at| text[at..].get(..wanted.len()).is_some_and(|t| t.eq_ignore_ascii_case(wanted)))
    };
    find(tree, |node| {
        let inside = &text[node.byte_range()];
        let found = match node.kind() {
            "style_element" => holds(inside, b"<script").then_some("a style"),
            "script_element" => {
                let ended = |name: &&str| holds(inside, &["</", name].concat().into_bytes());
                let around = || std::iter::successors(node.parent(), Node::parent).take(8);
                let is_around = |name: &&str| {
                    let tag = ["<", name].concat().into_bytes();
                    around().any(|n| holds(text[n.byte_range()].get(..16).unwrap_or_default(), &tag))
                };
                let texts = TEXTS.iter().copied().chain(["noscript"]);
                texts.filter(ended).find(is_around).map(|_| "a script")
            }
            _ => None,
        };
        found.map(|what| format!("{what} on {} holds tags", line_of(node)))
    })
}

/// C#: more signs in a row around a string than one byte counts, and comments and strings that hold the end of the condition
/// that they are under: where it doesn't hold, they are none (C# specification, section 6.5.6).
pub(super) fn csharp(text: &[u8], tree: &Tree) -> Option<String> {
    const MOST: usize = u8::MAX as usize;
    let counted = |sign: &u8| b"$\"{}".contains(sign);
    if let Some(run) = text.chunk_by(|a, b| a == b && counted(a)).find(|run| run.len() >= MOST) {
        return Some(format!("it has {MOST} `{}` in a row or more", run[0] as char));
    }
    let directive = |at: usize| {
        let start = memchr::memrchr(b'\n', &text[..at]).map_or(0, |at| at + 1);
        let rest = text[start..at].trim_ascii().is_empty().then(|| text[at + 1..].trim_ascii_start())?;
        Some(&rest[..rest.iter().take_while(|b| b.is_ascii_alphabetic()).count()])
    };
    let is_text = |node: &Node<'_>| node.kind() == "comment" || node.kind().contains("string");
    let is_condition = |node: Node<'_>| node.kind().starts_with("preproc_");
    // The last comment or string that was met, and how many conditions are open in it.
    let (mut inside, mut open) = (0..0, 0);
    memchr::memchr_iter(b'#', text).find_map(|at| {
        let word = directive(at).filter(|word| matches!(*word, b"if" | b"endif" | b"else" | b"elif"))?;
        let around = || std::iter::successors(node_at(tree, at, at + 1), Node::parent);
        if !inside.contains(&at) {
            let whole = around().take(4).filter(is_text).last().filter(|whole| whole.start_byte() < at)?;
            (inside, open) = (whole.byte_range(), 0);
        }
        match word {
            b"if" => open += 1,
            b"endif" if open > 0 => open -= 1,
            _ if open == 0 && around().any(is_condition) => {
                return Some(format!(
                    "a comment or string around {} holds the end of a condition",
                    line_of(around().next()?)
                ));
            }
            _ => {}
        }
        None
    })
}

/// Swift: operators that a comment begins in, and regular expressions with the sign that ends them inside (The Swift
/// Programming Language, Lexical Structure).
pub(super) fn swift(text: &[u8], tree: &Tree) -> Option<String> {
    let comments = memchr::memmem::find_iter(text, b"/*").chain(memchr::memmem::find_iter(text, b"//"));
    // Most comments come after a blank.
    let is_operator = |at: &usize| *at > 0 && b"+-*%=<>!&|^~?".contains(&text[at - 1]);
    let around = comments.filter(is_operator).filter_map(|at| node_at(tree, at, at + 2));
    let operator = around.into_iter().find(|node| node.kind().contains("operator"));
    if let Some(operator) = operator {
        return Some(format!("an operator on {} has the beginning of a comment in it", line_of(operator)));
    }
    let ends_inside = |node: &Node<'_>| {
        let inside = text.get(node.start_byte() + 2..node.end_byte().saturating_sub(2)).unwrap_or_default();
        node.kind() == "regex_literal" && memchr::memmem::find(inside, b"/#").is_some()
    };
    let literal = memchr::memmem::find_iter(text, b"#/").filter_map(|at| {
        let node = node_at(tree, at, at + 2)?;
        std::iter::successors(Some(node), Node::parent).take(2).find(ends_inside)
    });
    Some(format!("a regular expression on {} has its end in it", line_of(literal.into_iter().next()?)))
}

pub(super) use ruby::ruby;

mod ruby {
    use std::collections::HashMap;

    use super::{Node, Tree, line_of, node_at};

    /// How deep brackets nest in a string at most, since the scanner has one byte for it.
    const MOST_NESTED: usize = 254;

    /// Where a name means the same variable: these have variables of their own.
    const SCOPES: [&str; 6] = ["method", "singleton_method", "class", "module", "singleton_class", "program"];

    /// Ruby: strings whose brackets nest too deep or that blanks are around, the end of the program where it is none, and
    /// operators after variables that look like the beginning of a literal.
    pub(in crate::lang) fn ruby(text: &[u8], tree: &Tree) -> Option<String> {
        end_of_program(text, tree).or_else(|| strings(text, tree)).or_else(|| operators(text, tree))
    }

    /// `__END__` ends a program only where nothing else is on its line.
    fn end_of_program(text: &[u8], tree: &Tree) -> Option<String> {
        let root = tree.root_node();
        let rest = root.child(root.child_count().checked_sub(1)?).filter(|last| last.kind() == "uninterpreted")?;
        let start = memchr::memmem::rfind(&text[..rest.start_byte()], b"__END__")?;
        let begins = start == 0 || text[start - 1] == b'\n';
        let line = text[start..].split(|b| *b == b'\n').next()?;
        let is_alone = begins && line.strip_suffix(b"\r").unwrap_or(line) == b"__END__";
        (!is_alone).then(|| "`__END__` isn't alone on its line".to_owned())
    }

    /// `%(a (b) c)` with too many brackets, and `% a ` with a blank in the place of a bracket.
    fn strings(text: &[u8], tree: &Tree) -> Option<String> {
        memchr::memchr_iter(b'%', text).find_map(|start| {
            let letter = usize::from(text.get(start + 1).is_some_and(u8::is_ascii_alphabetic));
            let open = *text.get(start + 1 + letter)?;
            if !b"([{<".contains(&open) && !open.is_ascii_whitespace() {
                return None;
            }
            // A wrong count ends the string too early or too late, and until then all is read as it is. The sign that opens it
            // begins where it does.
            let string = node_at(tree, start, start + 1)?.parent().filter(|string| string.start_byte() == start)?;
            if open.is_ascii_whitespace() {
                let is_string = string.kind().starts_with("string") || string.kind() == "regex";
                return is_string.then(|| format!("a string on {} has blanks around it", line_of(string)));
            }
            let many = memchr::memchr_iter(open, &text[string.byte_range()]).count() > MOST_NESTED;
            many.then(|| format!("a string on {} has more than {MOST_NESTED} `{}`", line_of(string), open as char))
        })
    }

    /// `x /low`, `x %(low)` and `x <<LOW` begin a literal where `x` is a method, and are operators where it is a variable.
    fn operators(text: &[u8], tree: &Tree) -> Option<String> {
        let mut declared = None;
        memchr::memchr3_iter(b'/', b'%', b'<', text).find_map(|at| {
            let is_parted = at > 0 && matches!(text[at - 1], b' ' | b'\t');
            if !is_parted || text.get(at + 1).is_none_or(|b| b.is_ascii_whitespace() || *b == b'=') {
                return None;
            }
            let around = std::iter::successors(node_at(tree, at, at + 1), Node::parent);
            let literals = around.take_while(|node| node.start_byte() == at);
            let list = literals.last().filter(|list| list.kind() == "argument_list")?;
            let call =
                list.parent().filter(|call| call.kind() == "call" && call.child_by_field_name("receiver").is_none())?;
            let name = call.child_by_field_name("method").filter(|name| name.kind() == "identifier")?;
            let scope =
                std::iter::successors(call.parent(), Node::parent).find(|node| SCOPES.contains(&node.kind()))?;
            let word = &text[name.byte_range()];
            let declared = declared.get_or_insert_with(|| declarations(text, tree));
            let first = declared.get(&(scope.start_byte(), word));
            first.is_some_and(|first| *first < at).then(|| {
                format!(
                    "`{}` on {} is a variable with an operator after it",
                    String::from_utf8_lossy(word),
                    line_of(name)
                )
            })
        })
    }

    /// Where each variable is first given a value, by where its scope begins.
    fn declarations<'t>(text: &'t [u8], tree: &Tree) -> HashMap<(usize, &'t [u8]), usize> {
        let (mut found, mut scopes, mut cursor) = (HashMap::new(), vec![0], tree.walk());
        loop {
            let node = cursor.node();
            if node.kind() == "identifier" && node.parent().is_some_and(|parent| declares(parent, node)) {
                let scope = scopes.last().copied().unwrap_or_default();
                found.entry((scope, &text[node.byte_range()])).or_insert(node.start_byte());
            }
            if cursor.goto_first_child() {
                scopes.extend(SCOPES.contains(&node.kind()).then_some(node.start_byte()));
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return found;
                }
                if SCOPES.contains(&cursor.node().kind()) {
                    scopes.pop();
                }
            }
        }
    }

    /// Whether a node gives the variable a value that a child of it names.
    fn declares(parent: Node<'_>, name: Node<'_>) -> bool {
        match parent.kind() {
            "assignment" | "operator_assignment" => parent.child_by_field_name("left") == Some(name),
            "optional_parameter" | "keyword_parameter" => parent.child_by_field_name("name") == Some(name),
            "for" => parent.child_by_field_name("pattern") == Some(name),
            kind => {
                kind.ends_with("_parameter")
                    || kind.ends_with("_parameters")
                    || kind.ends_with("_pattern")
                    || matches!(kind, "left_assignment_list" | "rest_assignment" | "exception_variable" | "in_clause")
            }
        }
    }
}
