//! `commented_code`: comments that are really code. A run of comment lines is stripped of its markers and parsed as the
//! language.
//!
//! The question is put to the parser, because words and signs alone don't distinguish `return early` the advice from
//! `return early` the statement. But a parser accepts a lot: any word is an expression, any word with a colon a label, and two
//! words in a row a declaration in C. So text counts as code only when it parses without an error and holds a statement
//! that prose never looks like, and each language lists the kinds of those (`code_signs`).
//!
//! Cheap looks come first, in the order of what they cost: signs in the line, words in a row, brackets in balance, ends
//! of statements. Few comments are left for the parser then.
//!
//! What words beside it explain is skipped even when it is code: an example in a comment is there on purpose.

mod prose;
mod statements;

use std::ops::{Range, RangeInclusive};
use std::sync::Arc;

use tree_sitter::{Node, Parser};

use prose::{could_be_code, has_note, has_words_in_a_row, is_formula, is_legend, is_note, leads_up};
use statements::is_code;

use super::plan::Gather;
use super::{Compiled, FileFinder, Gathered, Match, Matcher, OnMatch, ParsedFile, Plan, Reader, TooMany};
use crate::lang::{Language, with_parser};
use crate::pattern::PatternError;
use crate::rule::keys::{Holds, Key};

pub(super) const READER: Reader = Reader {
    keys: &[
        Key::new("commented_code", Holds::True, "Comments that are code."),
        Key::new("min_lines", Holds::Number, "For `commented_code`: at least this many comment lines in a row."),
        Key::new("max_lines", Holds::Number, "For `commented_code`: at most this many comment lines in a row."),
    ],
    read: |table, _, _, p| {
        table.flag("commented_code", p);
        let (min, max) = (table.number("min_lines", p), table.number("max_lines", p));
        if let (Some(min), Some(max)) = (&min, &max)
            && min.value > max.value
        {
            p.at(max.at, format!("`max_lines` is less than `min_lines`, which is {}", min.value), None);
        }
        let (min, max) = (min.map_or(0, |n| n.value), max.map_or(u64::MAX, |n| n.value));
        Some(Arc::new(CommentedCode { lines: min..=max }))
    },
};

/// Longest run of lines that is tried, so that a file of comments stays cheap.
const LONGEST_RUN: usize = 200;

/// The same in bytes.
const LARGEST_RUN: usize = 16 << 10;

/// Signs with which a comment goes on to say what becomes of the code before it.
const ARROWS: [char; 4] = ['-', '=', '>', '→'];

/// What comments begin and end with in the languages that have code in them looked for.
const MARKERS: [char; 6] = ['/', '*', '#', '!', ' ', '\t'];

/// How many comments before code are looked at for words that explain it.
const NEAR: usize = 20;

/// With these a comment begins that describes the code above it.
const NOTES: [&str; 5] = ["TODO", "FIXME", "XXX", "NOTE", "HACK"];

/// How many lines of code words after the first of them explain.
const MOST_NOTED: usize = 3;

/// A comment line: its bytes in the source, and its text without the marker.
type Line = (Range<usize>, String);

/// Code in comments.
#[derive(Debug)]
pub(super) struct Commented {
    /// Its bytes in the source.
    range: Range<usize>,
    /// How many lines of comments are together, from the first of it to the last that may be code; blank ones don't count.
    lines: u64,
}

/// Looks for code in comments of a number of lines.
#[derive(Debug)]
struct CommentedCode {
    lines: RangeInclusive<u64>,
}

impl Matcher for CommentedCode {
    fn captures(&self) -> Vec<&str> {
        Vec::new()
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let plan = Plan::File { gather: Gather::Comments, finder: self };
        Ok(language.map(|_| Compiled { plan, words: Vec::new() }))
    }
}

impl FileFinder for CommentedCode {
    fn find<'t>(&self, file: &ParsedFile<'t>, gathered: &Gathered<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        let ranges = file.commented.get_or_init(|| commented_code(file.source, &gathered.comments, file.language));
        for Commented { range, lines } in ranges {
            let around = file.around(&(range.start..range.start));
            if self.lines.contains(lines) && !is_layout(around, &file.source[range.clone()], file.language) {
                found(around, Match::plain(range.clone()));
            }
        }
        Ok(())
    }
}

/// Whether a comment in C declares a member or a function beside others, with nothing done: it mostly says how data is laid out
/// or which function is meant.
fn is_layout(around: Node<'_>, comment: &[u8], language: &Language) -> bool {
    if !matches!(language.name, "c" | "cpp") {
        return false;
    }
    let does = |b: &u8| matches!(b, b'{' | b'=');
    let holder = around.parent().filter(|_| around.kind() == "comment").unwrap_or(around);
    match holder.kind() {
        "field_declaration_list" => !comment.contains(&b'(') && !comment.iter().any(does),
        "translation_unit" => !comment.iter().any(|b| does(b) || *b == b'#'),
        _ => false,
    }
}

/// The code in a source's comments. `comments` are the comment nodes in order.
fn commented_code(source: &[u8], comments: &[Node<'_>], language: &'static Language) -> Vec<Commented> {
    with_parser(language, |parser| Ok(judged(source, comments, language, parser))).unwrap_or_default()
}

/// Gathers comments into runs, line comments below each other or one block comment, and judges each run.
fn judged(source: &[u8], comments: &[Node<'_>], language: &'static Language, parser: &mut Parser) -> Vec<Commented> {
    let mut found: Vec<Commented> = Vec::new();
    let mut run: Vec<Line> = Vec::new();
    let mut last: Option<Node<'_>> = None;
    for (at, comment) in comments.iter().enumerate() {
        let Some(text) = source.get(comment.byte_range()).map(String::from_utf8_lossy) else { continue };
        let line = language.line_markers.iter().find(|m| text.starts_with(**m));
        let doc = language.doc_markers.iter().any(|m| text.starts_with(*m));
        // One comment went on in the next line when both begin in the same column.
        let joins = last.is_some_and(|l| {
            l.start_position().row + 1 == comment.start_position().row
                && l.start_position().column == comment.start_position().column
        });
        if !joins || doc || line.is_none() {
            judge(&mut run, source, parser, language, &mut found);
        }
        last = None;
        if doc {
            continue;
        }
        match line {
            // A comment after code on its line explains that code.
            Some(_) if !alone_on_line(source, comment.start_byte()) => {}
            Some(marker) => {
                run.push((comment.byte_range(), text[marker.len()..].trim_end().to_owned()));
                last = Some(*comment);
            }
            // What is beside code on its line is about that code.
            None if !alone_on_line(source, comment.start_byte()) && !text.contains('\n') => {}
            None => {
                // The stars at the beginning of each line belong to the comment's form.
                let inner = text
                    .trim_start_matches("/*")
                    .trim_end_matches("*/")
                    .lines()
                    .map(|l| l.trim_start().trim_start_matches('*'))
                    .collect::<Vec<_>>()
                    .join("\n");
                run.push((comment.byte_range(), inner));
                // A comment with another beside it that describes it is an example.
                if !is_explained(at, comments, source, language) {
                    judge(&mut run, source, parser, language, &mut found);
                }
                run.clear();
            }
        }
    }
    judge(&mut run, source, parser, language, &mut found);
    found.retain(|code: &Commented| !has_words_beside(&code.range, comments, source, language));
    found
}

/// Whether words are in the comments right before, with at most a blank line between, or a note such as "TODO: fails"
/// right after.
fn has_words_beside(code: &Range<usize>, comments: &[Node<'_>], source: &[u8], language: &Language) -> bool {
    let text = |comment: &Node<'_>| String::from_utf8_lossy(source.get(comment.byte_range()).unwrap_or_default());
    // How many lines are between two offsets, if nothing else is.
    let lines = |from: usize, to: usize| {
        let between = source.get(from..to).filter(|between| between.trim_ascii().is_empty())?;
        Some(between.iter().filter(|b| **b == b'\n').count())
    };
    let first = comments.partition_point(|comment| comment.end_byte() <= code.start);
    let mut from = code.start;
    // Words are near, and a file may have a hundred thousand comments.
    for before in comments[..first].iter().rev().take(NEAR) {
        // Some grammars take the line's end into the comment.
        let end = before.start_byte() + source[before.byte_range()].trim_ascii_end().len();
        if !matches!(lines(end, from), Some(1..=2)) || could_be_code(text(before).trim_start_matches(MARKERS), language)
        {
            break;
        }
        if has_words_in_a_row(text(before).trim_matches(MARKERS), 2, language) {
            return true;
        }
        from = before.start_byte();
    }
    let Some(after) = comments.get(comments.partition_point(|comment| comment.start_byte() < code.end)) else {
        return false;
    };
    // Words behind the next line say why that one is there instead.
    let is_behind = || {
        let between = source.get(code.end..after.start_byte()).unwrap_or_default();
        !between.trim_ascii().is_empty() && between.iter().filter(|b| **b == b'\n').count() == 1
    };
    lines(code.end, after.start_byte()) == Some(1) && is_note(&text(after))
        || is_behind() && leads_up(text(after).trim_matches(MARKERS))
}

/// Whether a comment on the line before leads up to this one, or one on its last line explains it: then what is in it is
/// there on purpose.
fn is_explained(at: usize, comments: &[Node<'_>], source: &[u8], language: &Language) -> bool {
    let own = comments[at];
    let explains = |other: &Node<'_>| {
        let between = other.end_byte().min(own.end_byte())..other.start_byte().max(own.start_byte());
        let is_doc = language.doc_markers.iter().any(|m| source[other.byte_range()].starts_with(m.as_bytes()));
        !is_doc && source.get(between).is_some_and(|bytes| bytes.iter().all(u8::is_ascii_whitespace))
    };
    let before = at.checked_sub(1).and_then(|before| comments.get(before)).filter(|other| explains(other));
    let after = comments.get(at + 1).filter(|other| explains(other));
    before.is_some_and(|other| other.end_position().row + 1 == own.start_position().row)
        || after.is_some_and(|other| other.start_position().row == own.end_position().row)
}

/// Whether there is only white space before an offset on its line.
fn alone_on_line(source: &[u8], offset: usize) -> bool {
    source[..offset].iter().rev().take_while(|b| **b != b'\n').all(u8::is_ascii_whitespace)
}

/// Tries the whole run, then its parts between lines that can't be code, then single lines.
/// Long because each look spares the next one, and all share what is around a line.
fn judge(
    run: &mut Vec<Line>,
    source: &[u8],
    parser: &mut Parser,
    language: &'static Language,
    found: &mut Vec<Commented>,
) {
    let lines = std::mem::take(run);
    let (count, size) = lines.iter().fold((0, 0), |(n, size), (_, text)| (n + text.lines().count(), size + text.len()));
    // Between fences is what is shown to readers.
    let is_fenced = lines.iter().any(|(_, text)| text.trim_start().starts_with("```"));
    if lines.is_empty() || count > LONGEST_RUN || size > LARGEST_RUN || is_fenced {
        return;
    }
    // The least indentation of the lines that aren't blank; a tab counts as four.
    let indent = |lines: &[Line]| {
        let width = |line: &str| {
            let white = line.chars().take_while(|c| c.is_whitespace());
            white.map(|c| if c == '\t' { 4 } else { 1 }).sum::<usize>()
        };
        lines.iter().filter(|(_, l)| !l.trim().is_empty()).map(|(_, l)| width(l)).min().unwrap_or(0)
    };
    // Words after the code are about what comes below them. Most comments are nothing but words.
    let Some(last) = lines.iter().rposition(|(_, text)| could_be_code(text, language)) else { return };
    let end = last + 1;
    let whole = indent(&lines);
    let mut next: usize = 0;
    // Prose parts a run: what is between may be code by itself.
    for part in lines.split(|(_, text)| !could_be_code(text, language)) {
        // Lines without text part a comment's words from what they are about, and no more.
        let start = next;
        let before = lines[..start].iter().rev().map(|line| line.1.trim()).find(|text| !text.is_empty());
        next += part.len() + 1;
        let after = lines.get(next - 1).map(|line| line.1.trim());
        // A line that words before it lead up to says what they mean.
        let led_up = part.len() == 1 && part.len() < lines.len() && before.is_some_and(|text| !text.is_empty());
        // Code that is further in than the words around it is an example, and what words right before it or an arrow
        // after it explain is there on purpose.
        let words = |text: &str| text.split_whitespace().count() > 1 || text.ends_with(':') || text.contains("://");
        let shown = |text: &str| text.starts_with(ARROWS);
        // So does a line with words of its own after it, for itself and the few below it.
        let noted = part.len() <= MOST_NOTED && part.first().is_some_and(|(_, text)| has_note(text, language));
        let formula = lines.len() == 1 && part.first().is_some_and(|line| is_formula(line, source));
        let legend = language.statement_ends.is_empty() && part.len() == lines.len() && is_legend(part);
        let explained = led_up || noted || formula || legend || before.is_some_and(words) || after.is_some_and(shown);
        if part.is_empty() || explained || part.len() < lines.len() && indent(part) >= whole + 2 {
            continue;
        }
        let rest = lines[start..end.max(start)].iter().flat_map(|(_, text)| text.lines());
        let count = rest.filter(|line| !line.trim().is_empty()).count() as u64;
        let mut take = |range| found.push(Commented { range, lines: count });
        // All of it at once: a loop's head alone doesn't parse.
        if is_code(part, parser, language) {
            take(part[0].0.start..part[part.len() - 1].0.end);
            continue;
        }
        // Then line by line, and lines that follow each other make one finding.
        let (mut from, mut led_up): (Option<Range<usize>>, _) = (None, false);
        for (at, line) in part.iter().enumerate() {
            // Words that end in a colon lead up to what is below them.
            if from.is_none() && line.1.trim_end().ends_with(':') && line.1.split_whitespace().count() > 1 {
                break;
            }
            // What comes after a comma goes on with the line before, and words explain what is below them.
            let goes_on = from.is_none() && at > 0 && part[at - 1].1.trim_end().ends_with(',');
            let is_code = is_code(std::slice::from_ref(line), parser, language);
            led_up = if is_code { led_up } else { leads_up(&line.1) };
            if is_code && !goes_on && !led_up {
                let start = from.as_ref().map_or(line.0.start, |f| f.start);
                from = Some(start..line.0.end);
            } else {
                from.take().into_iter().for_each(&mut take);
            }
        }
        from.take().into_iter().for_each(&mut take);
    }
}
