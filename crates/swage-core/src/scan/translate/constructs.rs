//! Constructs that a language has and its grammar lacks, written as the grammar knows them.

use std::collections::HashSet;
use std::ops::Range;
use std::sync::LazyLock;

use regex::bytes::Regex;

use super::{fill, in_name, is_unescaped};
use crate::lang::{Class, Language, lines_before_name, parse, parse_part};
use crate::pattern::preorder;

/// `$(` and `)` for backticks with a backslash before them, which are around a command in a command of the shell.
pub(super) fn with_nested_commands(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
    // Nearly all scripts end here.
    memchr::memmem::find(text, b"\\`")?;
    // Whatever needs the tree of a file reports that it can't be parsed.
    let tree = parse(text, language).ok()?;
    let mut plain: Option<Vec<u8>> = None;
    preorder(tree.root_node(), |node| {
        let command = &text[node.byte_range()];
        let is_command = node.kind() == "command_substitution" && command.starts_with(b"`");
        if is_command {
            let marks = memchr::memmem::find_iter(command, b"\\`").filter(|at| is_unescaped(command, *at));
            // They come in pairs, and both ways to write a mark take two bytes.
            for (at, sign) in marks.zip([b"$(", b" )"].into_iter().cycle()) {
                let at = node.start_byte() + at;
                plain.get_or_insert_with(|| text.to_vec())[at..at + 2].copy_from_slice(sign);
            }
        }
        // Marks deeper in it have more backslashes, and stay: the grammar reads what is around them.
        !is_command
    });
    plain
}

/// Semicolons between assignments and redirections that are alone on a line. The grammar takes them for the beginning of the
/// command on the next line, and would read `if` there as the name of a program.
pub(super) fn with_commands_of_assignments(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
    // One that ends before the blank, or a quotation or expansion, and the next.
    static BESIDE: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(
            r#"(?-u)(?:=[^\s;&|()]*|["'`)}\]])(?:[ \t]|\\\r?\n)+(?:[A-Za-z_]\w*(?:\[[^\]\n]*\])?\+?=|[0-9]*[<>])"#,
        )
        .ok()
    });
    if !BESIDE.as_ref()?.is_match(text) {
        return None;
    }
    let tree = parse_part(text, 0..text.len(), language).ok()?;
    let mut plain: Option<Vec<u8>> = None;
    preorder(tree.root_node(), |node| {
        let lines = if node.kind() == "command" { lines_before_name(text, node) } else { Vec::new() };
        // The last line is before the name.
        for later in lines.iter().rev().skip(1).flat_map(|line| line.iter().skip(1)) {
            let before = &text[..later.start_byte()];
            let before = before.strip_suffix(b"\n").map_or(before, |b| b.strip_suffix(b"\r").unwrap_or(b));
            if before.ends_with(b" ") || before.ends_with(b"\t") || before.ends_with(b"\\") {
                plain.get_or_insert_with(|| text.to_vec())[before.len() - 1] = b';';
            }
        }
        true
    });
    plain
}

/// Blanks for macros that the file defines as nothing, between a name and a bracket: `bad EMPTY (1)` is a call.
pub(super) fn without_empty_macros(text: &[u8]) -> Option<Vec<u8>> {
    static EMPTY: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?m-u)^[ \t]*#[ \t]*define[ \t]+([A-Za-z_]\w*)[ \t]*\r?$").ok());
    memchr::memmem::find(text, b"define")?;
    let definitions: Vec<Range<usize>> =
        EMPTY.as_ref()?.captures_iter(text).filter_map(|d| Some(d.get(1)?.range())).collect();
    let names: HashSet<&[u8]> = definitions.iter().map(|name| &text[name.clone()]).collect();
    names.iter().next()?;
    // One way through all names of the file: looking for each macro by itself would cost their number times its length.
    let mut plain: Option<Vec<u8>> = None;
    let mut at = 0;
    while let Some(start) = text[at..].iter().position(in_name).map(|found| at + found) {
        let end = start + text[start..].iter().take_while(|b| in_name(b)).count();
        at = end;
        // Elsewhere an empty macro changes nothing that a parser stumbles over.
        let is_between = || {
            text[end..].trim_ascii_start().starts_with(b"(")
                && text[..start].trim_ascii_end().last().is_some_and(in_name)
        };
        if names.contains(&text[start..end]) && is_between() {
            plain.get_or_insert_with(|| text.to_vec())[start..end].fill(b' ');
        }
    }
    plain
}

/// Blanks for what would begin a comment in the text of a directive of C#, which has none (C# specification, section 6.5).
pub(super) fn with_text_of_directives(text: &[u8]) -> Option<Vec<u8>> {
    static COMMENTS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r"(?m-u)^[ \t]*#[ \t]*(?:region|endregion|pragma|nullable)\b[^\r\n]*?(/\*[^\r\n]*)").ok()
    });
    memchr::memmem::find(text, b"/*")?;
    let mut plain: Option<Vec<u8>> = None;
    for comment in COMMENTS.as_ref()?.captures_iter(text).filter_map(|found| found.get(1)) {
        plain.get_or_insert_with(|| text.to_vec())[comment.range()].fill(b' ');
    }
    plain
}

/// Blanks for doubled braces right before a hole in a string of C#, which the grammar takes for all of them: `$"{{{low}}}"`.
pub(super) fn without_doubled_braces(text: &[u8]) -> Option<Vec<u8>> {
    /// How far before it the string may begin.
    const NEAR: usize = 1024;
    let mut plain: Option<Vec<u8>> = None;
    let mut at = 0;
    while let Some(found) = memchr::memmem::find(&text[at..], b"{{{") {
        let start = at + found;
        let run = text[start..].iter().take_while(|b| **b == b'{').count();
        // Of an odd number the last one opens the hole; each pair before it is a brace of the text.
        at = start + run;
        let before = &text[start.saturating_sub(NEAR)..start];
        // The nearest string with one dollar sign, and no quotes that end it.
        let opened = memchr::memmem::rfind(before, b"$\"").map(|at| at + 2);
        let opened = opened.max(memchr::memmem::rfind(before, b"$@\"").map(|at| at + 3));
        let opened = opened.max(memchr::memmem::rfind(before, b"@$\"").map(|at| at + 3));
        let is_inside = opened.is_some_and(|opened| {
            let inside = &before[opened..];
            let quotes = memchr::memchr_iter(b'"', inside).filter(|at| is_unescaped(inside, *at)).count();
            !inside.starts_with(b"\"\"") && quotes % 2 == 0
        });
        if is_inside && run % 2 == 1 {
            plain.get_or_insert_with(|| text.to_vec())[start..start + run - 1].fill(b' ');
        }
    }
    plain
}

/// Blanks for the signs around code that some servers of SQL run and others take for a comment: `/*!50100 DROP TABLE a */`.
pub(super) fn with_executable_comments(text: &[u8]) -> Option<Vec<u8>> {
    let mut starts = memchr::memmem::find_iter(text, b"/*!").peekable();
    // Whichever server it is for, what one of them runs is looked at.
    starts.peek()?;
    let mut plain = text.to_vec();
    let mut end = 0;
    for start in starts {
        // In another one, where it is code already.
        if start < end {
            continue;
        }
        let version = text[start + 3..].iter().take_while(|b| b.is_ascii_digit()).count();
        plain[start..start + 3 + version].fill(b' ');
        // Without an end all the rest is in it.
        let Some(length) = memchr::memmem::find(&text[start..], b"*/") else { break };
        end = start + length + 2;
        plain[end - 2..end].fill(b' ');
    }
    Some(plain)
}

/// Blanks for annotations between a type and the `...` after it (Java Language Specification, section 8.4.1).
pub(super) fn without_varargs_annotations(text: &[u8]) -> Option<Vec<u8>> {
    static ANNOTATED: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?-u)[\w>\]]\s+(@[\w.]+)\s*\.\.\.\s*\w").ok());
    // Few files have a single one.
    memchr::memmem::find(text, b"...")?;
    without_first_groups(ANNOTATED.as_ref()?, text)
}

/// Blanks for what the first group of an expression takes.
fn without_first_groups(expression: &Regex, text: &[u8]) -> Option<Vec<u8>> {
    with_first_groups(expression, text, b"")
}

/// A word for what the first group of an expression takes, and blanks after it.
fn with_first_groups(expression: &Regex, text: &[u8], word: &[u8]) -> Option<Vec<u8>> {
    let mut plain: Option<Vec<u8>> = None;
    for group in expression.captures_iter(text).filter_map(|found| found.get(1)) {
        fill(plain.get_or_insert_with(|| text.to_vec()), group.range(), word);
    }
    plain
}

/// A sign of addition for ampersands in the text of JSX: the grammar takes each for the beginning of a character reference.
/// Should it be code after all, it is still an expression.
pub(super) fn with_text_ampersands(text: &[u8]) -> Option<Vec<u8>> {
    /// How far from it the text may begin and end.
    const NEAR: usize = 512;
    let mut plain: Option<Vec<u8>> = None;
    for at in memchr::memchr_iter(b'&', text).filter(|at| text.get(at + 1).is_some_and(u8::is_ascii_whitespace)) {
        let before = &text[at.saturating_sub(NEAR)..at];
        let after = &text[at + 1..text.len().min(at + 1 + NEAR)];
        let begins = before.iter().rposition(|b| b"<>{}=;".contains(b));
        let follows_tag =
            begins.is_some_and(|begins| matches!(before[begins], b'>' | b'}') && !before[..begins].ends_with(b"="));
        let ends = after.iter().position(|b| b"<>{}=;".contains(b));
        if follows_tag && ends.is_some_and(|ends| after[ends..].starts_with(b"</")) {
            plain.get_or_insert_with(|| text.to_vec())[at] = b'+';
        }
    }
    plain
}

/// What the grammar of TypeScript reads in place of types before a template, ``styled.div<Props>`...` ``, which it takes for
/// comparisons: an index where they are names, and nothing where they are more.
pub(super) fn without_types_of_templates(text: &[u8]) -> Option<Vec<u8>> {
    /// How long the types may be.
    const LONGEST: usize = 2048;
    let mut plain: Option<Vec<u8>> = None;
    let (mut quotes, mut counted) = (0, 0);
    for end in memchr::memmem::find_iter(text, b">`") {
        quotes += memchr::memchr_iter(b'`', &text[counted..end]).filter(|at| is_unescaped(text, counted + at)).count();
        counted = end;
        // Of an even number before it the next one opens a template.
        if quotes % 2 == 1 {
            continue;
        }
        let near = end.saturating_sub(LONGEST);
        let mut depth = 0;
        let start = (near..=end).rev().find(|&at| {
            depth += match text[at] {
                b'>' if at > 0 && text[at - 1] != b'=' => 1,
                b'<' => -1,
                _ => 0,
            };
            depth == 0
        });
        let Some(start) = start.filter(|&start| start > 0 && (in_name(&text[start - 1]) || text[start - 1] == b')'))
        else {
            continue;
        };
        let types = &text[start + 1..end];
        // If it is a comparison after all, nothing that does anything may get lost.
        let may_be_types =
            types.iter().all(|b| in_name(b) || b.is_ascii_whitespace() || b"{}[]<>.,:;?|&\"'".contains(b));
        let mut words = types.split(|b| !in_name(b));
        if !may_be_types || words.any(|word| matches!(word, b"new" | b"delete" | b"await" | b"yield")) {
            continue;
        }
        let are_names = types.iter().all(|b| in_name(b) || b" .,|&".contains(b));
        let place = &mut plain.get_or_insert_with(|| text.to_vec())[start..=end];
        if are_names {
            (place[0], place[end - start]) = (b'[', b']');
        } else {
            place.iter_mut().filter(|b| !matches!(b, b'\r' | b'\n')).for_each(|b| *b = b' ');
        }
    }
    plain
}

/// Blanks for the `type` of `export type * from`, which the grammar knows before braces only.
pub(super) fn without_type_of_exports(text: &[u8]) -> Option<Vec<u8>> {
    static EXPORTS: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?m-u)^[ \t]*export[ \t]+(type)[ \t]*\*").ok());
    memchr::memmem::find(text, b"export type")?;
    without_first_groups(EXPORTS.as_ref()?, text)
}

/// Capitals at the beginning of keywords that name attributes of JSX, which the grammar takes for the keywords (JSX Specification,
/// JSXIdentifier).
pub(super) fn without_keywords_as_attributes(text: &[u8], language: &'static Language) -> Option<Vec<u8>> {
    static KEYWORDS: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r#"(?-u)\s(class|default|do|for|if|in|new|this|with)=[{"']"#).ok());
    let keywords = KEYWORDS.as_ref()?.captures_iter(text).filter_map(|found| Some(found.get(1)?.start()));
    let mut keywords = keywords.filter(|at| is_in_tag(text, *at)).peekable();
    keywords.peek()?;
    // Where markup is a text it stays as it is.
    let tree = parse_part(text, 0..text.len(), language).ok()?;
    let mut texts: Vec<Range<usize>> = Vec::new();
    preorder(tree.root_node(), |node| {
        let is_a = |class| language.tables().is(node.kind_id(), class);
        let is_text = is_a(Class::String) || is_a(Class::Comment);
        texts.extend(is_text.then(|| node.byte_range()));
        !is_text
    });
    // They are in order. Asking the tree at each keyword would go through all that is before it.
    let is_text = |at: usize| {
        let before = texts.partition_point(|text| text.start <= at);
        before.checked_sub(1).is_some_and(|last| at < texts[last].end)
    };
    let mut plain: Option<Vec<u8>> = None;
    for at in keywords.filter(|at| !is_text(*at)) {
        plain.get_or_insert_with(|| text.to_vec())[at].make_ascii_uppercase();
    }
    plain
}

/// Whether an offset seems to be between the name of a tag and its end.
fn is_in_tag(text: &[u8], at: usize) -> bool {
    /// How far before it the tag may begin.
    const NEAR: usize = 2048;
    let mut depth = 0;
    for before in (at.saturating_sub(NEAR)..at).rev() {
        match text[before] {
            b'}' => depth += 1,
            b'{' if depth == 0 => return false,
            b'{' => depth -= 1,
            b'<' if depth == 0 => return text[before + 1].is_ascii_alphabetic(),
            b'>' if depth == 0 => return false,
            _ => {}
        }
    }
    false
}

/// Blanks for the type arguments of a call that are the type of a module, which the grammar doesn't know there. Nothing is called in
/// them.
pub(super) fn without_types_of_modules(text: &[u8]) -> Option<Vec<u8>> {
    static TYPES: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r#"(?-u)\w(<typeof import\((?:"[^"\n\\]*"|'[^'\n\\]*')\)(?:\.[A-Za-z_$][\w$]*)*>)\("#).ok()
    });
    memchr::memmem::find(text, b"<typeof import(")?;
    without_first_groups(TYPES.as_ref()?, text)
}

/// `with` for `assert` before the attributes of an import, which engines read as the same (ECMAScript 2025, section 16.2.2).
pub(super) fn with_attributes(text: &[u8]) -> Option<Vec<u8>> {
    static ATTRIBUTES: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r#"(?-u)\b(?:from|import)\s*(?:"[^"\n\\]*"|'[^'\n\\]*')\s+(assert)\s*\{"#).ok());
    memchr::memmem::find(text, b"assert")?;
    with_first_groups(ATTRIBUTES.as_ref()?, text, b"with")
}

/// Blanks for the `[]` after an imported type, which the grammar doesn't know there. Empty brackets are in types only, so
/// nothing that is called gets lost.
pub(super) fn without_lists_of_imported_types(text: &[u8]) -> Option<Vec<u8>> {
    static TYPES: LazyLock<Option<Regex>> = LazyLock::new(|| {
        let source = r#"\bimport\((?:"[^"\n\\]*"|'[^'\n\\]*')\)"#;
        Regex::new(&format!(r"(?-u){source}(?:\.[A-Za-z_$][\w$]*)+((?:\[\])+)")).ok()
    });
    memchr::memmem::find(text, b"[]")?;
    without_first_groups(TYPES.as_ref()?, text)
}
