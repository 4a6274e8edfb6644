//! Code that a grammar leaves as it is: the arguments and the bodies of macros.
//!
//! A macro takes tokens, so a grammar can't know what they mean, and patterns see nothing in them. Nearly always they are
//! code all the same: `assert!(berth.free())`. So they are parsed once more, as what they most likely are, and patterns are
//! tried in them. The arguments of a macro are parsed in place, as those of a call: filters look at what is around a match,
//! such as the test that it is in. The body of a definition has nothing around it and is parsed by itself. What doesn't
//! parse as code has fewer nodes, and no other harm comes of it: only matches inside of the macro are taken. What can't be
//! parsed at all leaves the file unexamined, or else code could hide in it.

use std::ops::Range;

use bstr::ByteSlice;
use tree_sitter::{InputEdit, Node, Point, Tree};

use crate::lang::{Language, Tokens, parse_again, parse_part};
use crate::pattern::{Children, preorder};
use crate::rule::may_be_between_same;

/// How deep macros in macros are looked into. What people write is far from it, and each level is parsed once more.
const DEEPEST: usize = 32;

/// How many bytes are compared at most to find out that tokens needn't be parsed.
const MOST_COMPARED: usize = 1 << 16;

/// A tree with the tokens of macros in it parsed.
pub(super) struct Parsed {
    /// Its byte offsets are those of the file.
    pub tree: Tree,
    /// Where those tokens are, in order. What is elsewhere in the tree is known already, or made up.
    pub ranges: Vec<Range<usize>>,
}

/// Trees for the tokens of macros in a file, where something is looked for in their range. `macros` are those that
/// are nodes of its tree, in order.
///
/// # Errors
/// When not all of them could be looked into; the reason.
pub(super) fn parsed(
    source: &[u8],
    language: &'static Language,
    tree: &Tree,
    macros: &[Node<'_>],
    wanted: &dyn Fn(&Range<usize>) -> bool,
) -> Result<Vec<Parsed>, String> {
    // Bodies need no second look: the macros in them are written as calls before they are parsed.
    let mut found = bodies(source, language, macros, wanted)?;
    let mut places: Vec<MacroCall> = macros.iter().filter_map(|node| MacroCall::of(*node, language, wanted)).collect();
    if places.is_empty() {
        return Ok(found);
    }
    let mut text = source.to_vec();
    let mut tree = tree.clone();
    // Each round looks one level deeper: macros in the arguments of macros become nodes only once those are parsed.
    for _ in 0..DEEPEST {
        places.iter().for_each(|place| place.rewrite(&mut text, &mut tree));
        let ranges: Vec<Range<usize>> = places.into_iter().map(|place| place.tokens).collect();
        tree = parse_again(&text, &tree, language)?;
        places = Vec::new();
        preorder(tree.root_node(), |node| {
            let range = node.byte_range();
            if is_in(&range, &ranges) {
                places.extend(MacroCall::of(node, language, wanted));
            }
            may_hold(&range, &ranges)
        });
        found.push(Parsed { tree: tree.clone(), ranges });
        if places.is_empty() {
            return Ok(found);
        }
    }
    Err(format!("macros nest more than {DEEPEST} deep"))
}

/// Whether a range is in one of several, which are in order and apart from each other.
pub(super) fn is_in(range: &Range<usize>, ranges: &[Range<usize>]) -> bool {
    let before = ranges.partition_point(|around| around.start <= range.start);
    before.checked_sub(1).is_some_and(|around| range.end <= ranges[around].end)
}

/// Whether a range has a part in common with one of several, which are in order and apart from each other.
pub(super) fn may_hold(range: &Range<usize>, ranges: &[Range<usize>]) -> bool {
    let next = ranges.partition_point(|one| one.end <= range.start);
    ranges.get(next).is_some_and(|one| one.start < range.end)
}

/// Where a macro gets its arguments.
struct MacroCall {
    /// Its name, with the sign that makes it one.
    name: Range<usize>,
    /// Its arguments, with what is around them.
    tokens: Range<usize>,
    /// The rows and columns of both together.
    points: Range<Point>,
}

impl MacroCall {
    /// Where a node is a macro that gets arguments among which something is looked for.
    fn of(node: Node<'_>, language: &Language, wanted: &dyn Fn(&Range<usize>) -> bool) -> Option<Self> {
        let inner = tokens_of(node, language, Tokens::Arguments)?;
        let tokens = inner.byte_range();
        let points = node.start_position()..inner.end_position();
        // Two bytes are the brackets alone.
        (tokens.len() > 2 && wanted(&tokens)).then(|| Self { name: node.start_byte()..tokens.start, tokens, points })
    }

    /// Writes the macro as a call, or as a list where it has brackets, and marks that in the tree.
    fn rewrite(&self, text: &mut [u8], tree: &mut Tree) {
        write_call(&self.name, &self.tokens, text);
        let end = self.tokens.end;
        tree.edit(&InputEdit {
            start_byte: self.name.start,
            old_end_byte: end,
            new_end_byte: end,
            start_position: self.points.start,
            old_end_position: self.points.end,
            new_end_position: self.points.end,
        });
    }
}

/// The bodies of definitions of macros, each parsed as a block by itself.
fn bodies(
    source: &[u8],
    language: &'static Language,
    macros: &[Node<'_>],
    wanted: &dyn Fn(&Range<usize>) -> bool,
) -> Result<Vec<Parsed>, String> {
    let tokens = macros.iter().filter_map(|node| tokens_of(*node, language, Tokens::Body));
    let places: Vec<Node<'_>> = tokens.filter(|tokens| wanted(&tokens.byte_range())).collect();
    if places.is_empty() {
        return Ok(Vec::new());
    }
    let mut text = source.to_vec();
    // For the end of a block after the last line.
    text.push(b' ');
    let parse_body = |body: Node<'_>| {
        let inside = body.byte_range();
        // Brackets of its own become those of a block; else they take the places of what parts it from what is around it.
        // In Rust the tokens have brackets of their own, in C the body is what is left of the line.
        let has_brackets = matches!(source.get(inside.start), Some(b'{' | b'(' | b'[')) && body.child_count() > 0;
        let range = if has_brackets { inside.clone() } else { inside.start.saturating_sub(1)..inside.end + 1 };
        for at in inside.clone() {
            match text[at] {
                // What stands for a part of what the macro is given.
                b'$' => text[at] = b'_',
                b'\\' if matches!(text[at + 1], b'\n' | b'\r') => text[at] = b' ',
                _ => {}
            }
        }
        join_names(&mut text[inside.clone()]);
        rewrite_inner(body, &mut text);
        (text[range.start], text[range.end - 1]) = (b'{', if has_brackets { b'}' } else { b';' });
        if let Some(comment) = line_comment(&source[inside.clone()]).filter(|_| !has_brackets) {
            text[inside.start + comment..inside.end].fill(b' ');
        }
        let tree = parse_part(&text, range, language)?;
        Ok(Parsed { tree, ranges: vec![inside] })
    };
    places.into_iter().map(parse_body).collect()
}

/// Makes one name of two with `##` between them (ISO/IEC 9899, 6.10.4.3).
fn join_names(text: &mut [u8]) {
    let in_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    // Looked for first, since a joined name no longer shows where its signs were.
    let joins: Vec<usize> = memchr::memmem::find_iter(text, b"##").collect();
    for at in joins {
        // Blanks around the sign go with it.
        let before = text[..at].trim_ascii_end().len();
        let after = text.len() - text[at + 2..].trim_ascii_start().len();
        if text[..before].last().is_some_and(in_name) && text.get(after).is_some_and(in_name) {
            text[before..after].fill(b'_');
        }
    }
}

/// Writes the macros among the tokens of a body as calls or lists. The grammar has them as a name, a sign and tokens.
fn rewrite_inner(body: Node<'_>, text: &mut [u8]) {
    preorder(body, |node| {
        let children: Vec<Node<'_>> = Children::all(node).collect();
        for window in children.windows(3) {
            let [name, sign, tokens] = window else { continue };
            if sign.kind() == "!" && name.is_named() && tokens.kind() == body.kind() {
                write_call(&(name.start_byte()..tokens.start_byte()), &tokens.byte_range(), text);
            }
        }
        true
    });
}

/// Writes a macro as a call, or as a list where it has brackets.
fn write_call(name: &Range<usize>, tokens: &Range<usize>, text: &mut [u8]) {
    if text[tokens.start] == b'[' {
        text[name.clone()].fill(b' ');
        return;
    }
    let sign = text[name.clone()].iter().rposition(|b| *b == b'!');
    // `name!(a)` becomes `name (a)`, which is as long.
    sign.into_iter().for_each(|at| text[name.start + at] = b' ');
    (text[tokens.start], text[tokens.end - 1]) = (b'(', b')');
}

/// Whether one of some signs may be in tokens outside of texts; with the same text on both sides when `between_same`.
pub(super) fn may_have_sign(tokens: &[u8], signs: &[&str], between_same: bool) -> bool {
    // Brackets around them are those of the macro.
    let tokens = tokens.get(1..tokens.len().saturating_sub(1)).unwrap_or_default();
    let mut left = MOST_COMPARED;
    let mut counts = |at: usize, sign: &str| {
        !between_same || may_be_between_same(&tokens[..at], &tokens[at + sign.len()..], &mut left)
    };
    let mut at = 0;
    while let Some(byte) = tokens.get(at) {
        match byte {
            b'"' | b'\'' => match text_at(tokens, at) {
                Some(length) => {
                    at += length;
                    continue;
                }
                None => return true,
            },
            b'/' if tokens[at..].starts_with(b"//") => {
                at += memchr::memchr(b'\n', &tokens[at..]).unwrap_or(tokens.len() - at);
                continue;
            }
            // Comments may nest.
            b'/' if tokens[at..].starts_with(b"/*") => return true,
            // An arrow.
            b'>' if matches!(tokens[..at], [b'=' | b'-'] | [.., b' ' | b')', b'=' | b'-']) => {}
            _ => {
                let mut here = signs.iter().filter(|sign| tokens[at..].starts_with(sign.as_bytes()));
                if here.any(|sign| counts(at, sign)) {
                    return true;
                }
            }
        }
        at += 1;
    }
    false
}

/// The length of a text from its quotation mark on, or of an apostrophe that begins none; `None` where its end isn't certain.
fn text_at(tokens: &[u8], at: usize) -> Option<usize> {
    let rest = &tokens[at..];
    if rest[0] == b'\'' {
        // A character, an escaped one, or the name of a lifetime.
        return match rest {
            [_, b'\\', _, more @ ..] => Some(4 + memchr::memchr(b'\'', more)?),
            [_, _, b'\'', ..] => Some(3),
            [_, name @ ..] => {
                let length = name.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
                (length > 0 && name.get(length) != Some(&b'\'') && !name[0].is_ascii_digit()).then_some(1 + length)
            }
            _ => None,
        };
    }
    let before = tokens[..at].trim_end_with(|c| c == '#');
    if let [.., b'r' | b'R'] = before {
        // Nothing is escaped in it, and it ends with as many signs as it began with.
        let end = [b"\"", &tokens[before.len()..at]].concat();
        let length = memchr::memmem::find(&rest[1..], &end)?;
        // Elsewhere the letter may be the end of a name, and the next quotation mark an escaped one.
        return (end.len() > 1 || rest[length] != b'\\').then_some(1 + length + end.len());
    }
    let mut length = 1;
    while let Some(byte) = rest.get(length) {
        match byte {
            b'"' => return Some(length + 1),
            b'\\' => length += 2,
            _ => length += 1,
        }
    }
    None
}

/// Where a comment begins that goes on to the end of the line, outside of strings.
fn line_comment(body: &[u8]) -> Option<usize> {
    let mut in_string = false;
    memchr::memchr2_iter(b'"', b'/', body).find(|at| {
        in_string ^= body[*at] == b'"';
        !in_string && body[*at..].starts_with(b"//")
    })
}

/// The tokens of a macro, where the node is one of that kind.
fn tokens_of<'t>(node: Node<'t>, language: &Language, tokens: Tokens) -> Option<Node<'t>> {
    let (.., child) = language.macros.iter().find(|(kind, of, _)| *of == tokens && *kind == node.kind())?;
    Children::named(node).find(|inner| inner.kind() == *child)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Tokens, signs, whether the same must be on both sides, and whether there may be such a sign.
    #[test]
    fn tokens_without_a_sign_need_no_parsing() {
        let same: &[&str] = &["==", "<", ">"];
        let cases: &[(&str, &[&str], bool, bool)] = &[
            ("(a == b)", same, false, true),
            ("(a == b)", same, true, false),
            ("(a == a)", same, true, true),
            ("(!(a.b() == a.b()))", same, true, true),
            ("(x == a /* b */ == a)", same, true, true),
            ("(a == /* b */ a)", same, true, true),
            ("(\"a == a\", b)", same, true, false),
            ("(\"\\\" a == a\", b)", same, true, false),
            ("(\"\\\\\", a == a)", same, true, true),
            ("('\"', a == a)", same, true, true),
            ("('\\'', a == a)", same, true, true),
            ("('\\\\', a == a)", same, true, true),
            ("(r#\"a == a \" b\"#, b)", same, true, false),
            ("(r#\"a\"#, a == a)", same, true, true),
            ("(r\"\\\", a == a)", same, true, true),
            ("(bar\"\\\" == \", a == a)", same, true, true),
            ("('a: loop { break 'a }, b)", same, true, false),
            ("('ab', \"c\")", same, true, true),
            ("(1'000, a == a)", same, true, true),
            ("(/* \" */ a == a, \"b\")", same, true, true),
            ("(// \"\na == a, \"b\")", same, true, true),
            ("(// a == a\nb)", same, true, false),
            ("(a => a, b -> b, c)", &[">"], false, false),
            ("(a --> a)", &[">"], false, true),
            ("{a}", &["{"], false, false),
            ("({a})", &["{"], false, true),
            ("(\"open", &["{"], false, true),
        ];
        for (tokens, signs, between_same, expected) in cases {
            assert_eq!(may_have_sign(tokens.as_bytes(), signs, *between_same), *expected, "{tokens}");
        }
        let long = format!("({}<{})", "a".repeat(100_000), "a".repeat(99_999));
        assert!(may_have_sign(long.as_bytes(), same, true), "what takes too long is parsed");
    }
}
