//! What a comment explains: rules with `skip_explained` skip it.
//!
//! An author who writes three words beside a line has thought of it. A finding there says nothing new.

use std::ops::Range;

use memchr::{memchr, memmem, memrchr};

use super::allow::may_be_in;
use crate::lang::Language;

/// How many words a comment needs to explain something.
const FEWEST_WORDS: usize = 3;

/// How many lines above a place are looked at: of the comment, and of what marks a definition below it.
const LINES_ABOVE: usize = 8;

/// Whether words of a comment are right above a place, or after it on its first or its last line. `comments` are the comments
/// of the text in order.
pub(super) fn is_explained(
    place: &Range<usize>,
    comments: &[Range<usize>],
    source: &[u8],
    language: &'static Language,
) -> bool {
    let says = |comment: &Range<usize>| says_something(&source[comment.clone()], language);
    let (first, last) = (line_around(source, place.start), line_around(source, place.end.max(place.start + 1) - 1));
    // Words before the place on its line are about what is before them.
    let is_beside = |comment: &Range<usize>| {
        comment.start >= place.start && (first.contains(&comment.start) || last.contains(&comment.start))
    };
    // They are in order, and a file may have a hundred thousand of them.
    let from = comments.partition_point(|comment| comment.start < first.start);
    let upto = comments.partition_point(|comment| comment.start < last.end);
    comments[from..upto]
        .iter()
        .any(|comment| is_beside(comment) && (says(comment) || is_mark(&source[comment.clone()])))
        || comments_above(first.start, &comments[..from], source).any(says)
}

/// The comments that are by themselves on the lines above an offset at which a line begins, the nearest first. What marks a
/// definition may be between them and the line.
fn comments_above<'c>(
    line: usize,
    comments: &'c [Range<usize>],
    source: &'c [u8],
) -> impl Iterator<Item = &'c Range<usize>> {
    let (mut line, mut rest, mut left) = (line, comments, LINES_ABOVE);
    std::iter::from_fn(move || {
        loop {
            // Farther up, words are about more than this place.
            left = left.checked_sub(1)?;
            let above = line_around(source, line.checked_sub(1)?);
            let text = source[above.clone()].trim_ascii();
            if let Some((last, before)) = rest.split_last().filter(|(last, _)| above.contains(&(last.end - 1))) {
                // A comment of several lines begins higher up.
                let begins = line_around(source, last.start).start;
                if !source[begins..last.start].trim_ascii().is_empty() {
                    return None;
                }
                (line, rest) = (begins, before);
                return Some(last);
            }
            // What marks a definition belongs to it, so words above the mark are about the definition.
            if !text.starts_with(b"@") && !text.starts_with(b"#[") {
                return None;
            }
            line = above.start;
        }
    })
}

/// The line at an offset, without its end.
fn line_around(source: &[u8], offset: usize) -> Range<usize> {
    let start = memrchr(b'\n', &source[..offset]).map_or(0, |end| end + 1);
    start..memchr(b'\n', &source[offset..]).map_or(source.len(), |end| offset + end)
}

/// Whether a comment has words for a reader, or names a place where there are some. What documents a definition isn't about how
/// it is written.
fn says_something(comment: &[u8], language: &Language) -> bool {
    // What suppresses a finding needs one to suppress, and is counted.
    if language.doc_markers.iter().any(|marker| comment.starts_with(marker.as_bytes())) || may_be_in(comment) {
        return false;
    }
    let is_word = |word: &&[u8]| {
        let word = word.strip_suffix(b",").or(word.strip_suffix(b".")).unwrap_or(word);
        word.len() > 1 && word.iter().all(|b| b.is_ascii_alphabetic() || matches!(b, b'\'' | b'-') || !b.is_ascii())
    };
    comment.split(u8::is_ascii_whitespace).filter(is_word).count() >= FEWEST_WORDS
        || memmem::find(comment, b"://").is_some()
}

/// Whether a comment is a mark for a program that checks code: its author has seen what is found there, and wants it. Such
/// marks begin with `no` and hold codes, as in `nocheck: B7`, or switch something off, as in `checker: disable=B7`.
fn is_mark(comment: &[u8]) -> bool {
    if may_be_in(comment) {
        return false;
    }
    let is_sign = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'#' | b'/' | b'*' | b'-' | b':');
    let begins = comment.iter().position(|b| !is_sign(b)).unwrap_or(comment.len());
    let text = comment[begins..].to_ascii_lowercase();
    let mut words = text.split(is_sign).filter(|word| !word.is_empty());
    let is_no = |word: &[u8]| word.len() > 3 && word.starts_with(b"no") && word.iter().all(u8::is_ascii_alphabetic);
    let switches = |word: &[u8]| memmem::find(word, b"disable").or(memmem::find(word, b"ignore")).is_some();
    words.next().is_some_and(is_no) && words.clone().all(|word| word.iter().any(u8::is_ascii_digit))
        || switches(&text) && text.iter().any(|b| matches!(b, b':' | b'-')) && words.count() < FEWEST_WORDS
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lang::parse;
    use crate::pattern::preorder;

    #[test]
    fn words_right_above_or_beside_explain() {
        // The place is what is between the two signs, which are taken out.
        let cases = [
            ("python", "«moor()»", false),
            ("python", "# The quay is full until noon.\n«moor()»", true),
            ("python", "# The quay is full until noon.\n\n«moor()»", false),
            ("python", "# quay\n«moor()»", false),
            ("python", "«moor()»  # the quay is full", true),
            ("python", "«if a:\n    moor()  # the quay is full\n    moor()»", false),
            ("python", "«if a:  # the quay is full\n    moor()\n    moor()»", true),
            ("python", "«moor()»  # see https://example.org/quay", true),
            ("python", "«moor()»  # checker: disable=W0702", true),
            ("python", "«moor()»  # NOCHECK: B7", true),
            ("python", "«moor()»  # nocheck", true),
            ("python", "«moor()»  # none left", false),
            ("python", "«moor()»  # ignore it", false),
            ("javascript", "«moor()» /* checker-disable-line */", true),
            ("python", "# checker: disable=W0702\n«moor()»", false),
            ("python", "«moor()»  # swage: allow bare because the quay is full", false),
            ("python", "a = 1  # the quay is full\n«moor()»", false),
            ("python", "# The quay is\n# full.\n«moor()»", true),
            ("javascript", "/* the quay is full */ «moor()»", false),
            ("javascript", "/*\n * The quay is full.\n */\n«moor()»", true),
            ("rust", "// It is full until noon.\n#[test]\n«#[ignore]»\nfn f() {}", true),
            ("rust", "/// It is full until noon.\n#[test]\n«#[ignore]»\nfn f() {}", false),
        ];
        for (language, marked, expected) in cases {
            let language = Language::by_name(language).expect("a language");
            let (start, end) = (marked.find('«').expect("a start"), marked.find('»').expect("an end") - '«'.len_utf8());
            let source = marked.replace(['«', '»'], "");
            let tree = parse(source.as_bytes(), language).expect("it is small");
            let mut comments = Vec::new();
            preorder(tree.root_node(), |node| {
                comments.extend(node.kind().contains("comment").then(|| node.byte_range()));
                true
            });
            assert_eq!(is_explained(&(start..end), &comments, source.as_bytes(), language), expected, "{marked}");
        }
    }
}
