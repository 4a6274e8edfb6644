//! What code says without its comments: conditions on texts are asked about that as well, or a comment in parentheses would
//! be a way past them.

use std::ops::Range;

use tree_sitter::Node;

use super::preorder;
use crate::lang::{Class, Language};

/// How many bytes the text has at most: conditions are asked at each node that a hole may take, so that longer ones would
/// cost the square of their length.
const LONGEST: usize = 1 << 15;

/// How many signs of comments are looked up one by one; each costs a way down the tree, past the children before it.
const FEW: usize = 8;

/// The comments in a range of a node, in order; none where the whole range is one.
pub(crate) fn comments_in(
    source: &[u8],
    node: Node<'_>,
    range: &Range<usize>,
    language: &'static Language,
) -> Vec<Range<usize>> {
    let signs = signs_of_comments(source.get(range.clone()).unwrap_or_default(), language);
    let is_comment = |node: &Node<'_>| language.tables().is(node.kind_id(), Class::Comment);
    let mut comments: Vec<Range<usize>> = Vec::new();
    // Most texts have no sign or few. With many, going through all nodes costs less.
    if signs.len() <= FEW {
        for at in signs.into_iter().map(|at| range.start + at) {
            if comments.last().is_none_or(|last| at >= last.end) {
                let found = node.named_descendant_for_byte_range(at, at + 1);
                comments.extend(found.filter(is_comment).map(|comment| comment.byte_range()));
            }
        }
    } else {
        preorder(node, |node| {
            let is_in = node.end_byte() > range.start && node.start_byte() < range.end;
            let is_one = is_in && is_comment(&node);
            comments.extend(is_one.then(|| node.byte_range()));
            is_in && !is_one
        });
    }
    comments.retain(|comment| comment.start >= range.start && comment.end <= range.end && comment != range);
    comments
}

/// The offsets of the signs in a text with which a comment may begin, in order.
fn signs_of_comments(text: &[u8], language: &Language) -> Vec<usize> {
    let markers = language.line_markers;
    match markers {
        ["#"] => memchr::memchr_iter(b'#', text).collect(),
        [] => {
            let begins = |at: &usize| text[*at..].starts_with(b"<!--") || text[*at..].starts_with(b"/*");
            memchr::memchr2_iter(b'<', b'/', text).filter(begins).collect()
        }
        [first, ..] => {
            let begins = |at: &usize| {
                let rest = &text[*at..];
                rest.starts_with(b"/*") || markers.iter().any(|marker| rest.starts_with(marker.as_bytes()))
            };
            let second = markers.get(1).map_or(b'/', |marker| marker.as_bytes()[0]);
            memchr::memchr3_iter(b'/', first.as_bytes()[0], second, text).filter(begins).collect()
        }
    }
}

/// The text of a range in a node without the comments in it; `None` where there are none, and for very long ones.
pub(crate) fn uncommented_text(
    source: &[u8],
    node: Node<'_>,
    range: Range<usize>,
    language: &'static Language,
) -> Option<Vec<u8>> {
    let comments = if range.len() > LONGEST { Vec::new() } else { comments_in(source, node, &range, language) };
    // Nearly always.
    if comments.is_empty() {
        return None;
    }
    let mut code = Vec::with_capacity(range.len());
    let mut from = range.start;
    for comment in &comments {
        code.extend_from_slice(source.get(from..comment.start)?);
        // It may be all that is between two words.
        let is_word = |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
        if is_word(code.last()) && is_word(source.get(comment.end)) {
            code.push(b' ');
        }
        from = comment.end;
    }
    code.extend_from_slice(source.get(from..range.end)?);
    // What was before a comment at the end.
    code.truncate(code.trim_ascii_end().len());
    Some(code)
}

/// Whether a comment says something: one without a letter doesn't.
pub(crate) fn has_words(comment: &[u8]) -> bool {
    comment.iter().any(|b| b.is_ascii_alphabetic() || !b.is_ascii())
}

#[cfg(test)]
mod tests {
    use bstr::ByteSlice;

    use super::*;
    use crate::lang::parse;

    #[test]
    fn comments_are_left_out_and_nothing_else_is() {
        for (language, code, expected) in [
            ("python", "f(a, b)\n", None),
            ("python", "f('# no', a)\n", None),
            ("python", "f( # low\n a, # high\n)\n", Some("f( \n a, \n)")),
            ("javascript", "f(/**/a/* low */, '/*', b) // high\n", Some("f(a, '/*', b)")),
            ("c", "int/**/a;\n", Some("int a;")),
            ("rust", "f(/* /* low */ */ b\"//\")\n", Some("f( b\"//\")")),
            ("html", "<p><!-- low -->a</p>\n", Some("<p>a</p>")),
            ("sql", "select 1 -- low\n, 2;\n", Some("select 1 \n, 2;")),
        ] {
            let language = Language::by_name(language).expect("a known language");
            let tree = parse(code.as_bytes(), language).expect("it parses");
            let found = uncommented_text(code.as_bytes(), tree.root_node(), 0..code.len(), language);
            assert_eq!(
                found.as_ref().map(|text| text.as_bstr()),
                expected.map(|text| text.as_bytes().as_bstr()),
                "{code}"
            );
        }
        // Many are found by another way than few.
        for count in [FEW, FEW + 1, 100] {
            let code = "f(/**/ // low\n".repeat(count) + &")".repeat(count);
            let expected = "f( \n".repeat(count) + &")".repeat(count);
            let language = Language::by_name("javascript").expect("a known language");
            let tree = parse(code.as_bytes(), language).expect("it parses");
            let found = uncommented_text(code.as_bytes(), tree.root_node(), 0..code.len(), language);
            assert_eq!(found, Some(expected.into_bytes()), "{count}");
        }
        let long = format!("f( # {}\n)\n", "low ".repeat(LONGEST / 4));
        let python = Language::by_name("python").expect("a known language");
        let tree = parse(long.as_bytes(), python).expect("it parses");
        assert_eq!(uncommented_text(long.as_bytes(), tree.root_node(), 0..long.len(), python), None);
    }
}
