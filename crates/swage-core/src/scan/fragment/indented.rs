//! What a fragment of Python lacks: heads of blocks that were begun before it, the other halves of its brackets and strings,
//! and bodies and handlers for what it begins and doesn't end.
//!
//! Its text is read once without the parser, which would fail on what is to be completed: it takes statements with their
//! indentation, brackets and strings.

use super::{Beginning, Strings, closing, opening};

/// A statement or the head of a block, as far as a fragment shows it.
#[derive(Debug, Default, Clone, Copy)]
struct Statement<'f> {
    /// Its indentation, the blanks themselves, so that tabs stay tabs.
    blanks: &'f [u8],
    /// The fragment from its first word on.
    code: &'f [u8],
    /// Whether a colon ends it, so that a block must follow.
    is_head: bool,
}

/// The statements of a fragment, and what isn't closed in it or wasn't opened in it.
#[derive(Debug, Default)]
struct Outline<'f> {
    statements: Vec<Statement<'f>>,
    /// Whether the first statement was begun before the fragment.
    is_begun: bool,
    /// Brackets that were opened before the fragment, innermost first.
    unopened: Vec<u8>,
    /// Where the last of them, or the string that the fragment begins in, is closed: the offset after it.
    closed_at: usize,
    /// Brackets that are open at the end, outermost first.
    open: Vec<u8>,
    /// The quotes of a string that is open at the end.
    string: Option<&'static str>,
}

/// What a fragment gets before and after it when it begins in such a place. There may be several ways, as brackets that were
/// opened before it may be those of a call, a parameter list or a condition.
pub(super) fn completions(fragment: &[u8], beginning: Beginning) -> Vec<(Vec<u8>, Vec<u8>)> {
    let mut outline = outline(fragment, beginning);
    if outline.is_begun {
        outline.statements[0].blanks = blanks_of_begun(fragment, &outline);
    }
    let heads = heads(&outline);
    if !outline.is_begun {
        return vec![(heads, after(fragment, &outline, ""))];
    }
    let mut opened = Vec::new();
    for (index, bracket) in outline.unopened.iter().rev().enumerate() {
        // Arguments with names need a call; the outermost bracket gets its word below.
        opened.extend(if index > 0 && *bracket == b'(' { &b"w_"[..] } else { b"" });
        opened.push(*bracket);
    }
    if let Beginning::String(quotes) = beginning {
        opened.extend(quotes.as_bytes());
    }
    opened.push(b'\n');
    let before = |start: &&str| [&heads, outline.statements[0].blanks, start.as_bytes(), &opened].concat();
    starts(fragment, &outline).iter().map(|start| (before(start), after(fragment, &outline, start))).collect()
}

/// Reads a fragment. Its cost is linear in its length.
fn outline(fragment: &[u8], beginning: Beginning) -> Outline<'_> {
    let mut reader = Reader {
        fragment,
        at: 0,
        strings: Strings::new(fragment),
        is_inside: false,
        last_code: 0,
        out: Outline::default(),
    };
    match beginning {
        // Python has no comments of several lines.
        Beginning::Code | Beginning::Comment => {}
        Beginning::String(quotes) => {
            reader.out.string = Some(quotes);
            reader.begin_before();
        }
        Beginning::Bracket(bracket) => {
            reader.out.unopened.push(bracket);
            reader.out.open.push(bracket);
            reader.begin_before();
        }
    }
    while reader.at < fragment.len() {
        match reader.out.string {
            Some(quotes) => reader.read_string(quotes),
            None if !reader.is_inside => reader.begin(),
            None => reader.read_code(),
        }
    }
    if reader.is_inside && reader.out.string.is_none() {
        reader.end();
    }
    reader.out
}

/// The work on one fragment.
struct Reader<'f> {
    fragment: &'f [u8],
    /// The offset that is read next.
    at: usize,
    strings: Strings<'f>,
    /// Whether a statement has begun and not ended.
    is_inside: bool,
    /// The last byte that is no blank and in no comment.
    last_code: u8,
    out: Outline<'f>,
}

impl Reader<'_> {
    /// All that was read belongs to a statement that was begun before the fragment.
    fn begin_before(&mut self) {
        let begun = Statement { code: self.fragment, ..Statement::default() };
        (self.out.is_begun, self.out.statements, self.is_inside) = (true, vec![begun], true);
    }

    /// Begins a statement, or passes a line that has none.
    fn begin(&mut self) {
        let rest = &self.fragment[self.at..];
        let blanks = blanks(rest);
        let code = &rest[blanks.len()..];
        match code.first() {
            None | Some(b'\n' | b'\r' | b'#') => {
                self.at += memchr::memchr(b'\n', rest).map_or(rest.len(), |end| end + 1);
            }
            Some(_) => {
                self.out.statements.push(Statement { blanks, code, is_head: false });
                self.is_inside = true;
                self.at += blanks.len();
            }
        }
    }

    /// Ends the statement.
    fn end(&mut self) {
        self.is_inside = false;
        if let Some(statement) = self.out.statements.last_mut() {
            statement.is_head = self.last_code == b':';
        }
    }

    /// Whether nothing is open any more of what was begun before the fragment.
    fn closes_begun(&self) -> bool {
        self.out.is_begun && self.out.statements.len() == 1 && self.out.open.is_empty()
    }

    /// Reads on to the end of a string of several lines.
    fn read_string(&mut self, quotes: &'static str) {
        match string_end(&self.fragment[self.at..], quotes.as_bytes()) {
            None => self.at = self.fragment.len(),
            Some(end) => {
                self.at += end;
                (self.out.string, self.last_code) = (None, b'"');
                if self.closes_begun() && self.out.unopened.is_empty() {
                    self.out.closed_at = self.at;
                }
            }
        }
    }

    /// Reads a byte of code, a comment, or the beginning of a string.
    fn read_code(&mut self) {
        let rest = &self.fragment[self.at..];
        let byte = rest[0];
        let mut length = 1;
        match byte {
            b'#' => length = memchr::memchr(b'\n', rest).unwrap_or(rest.len()),
            b'\n' if self.out.open.is_empty() && self.last_code != b'\\' => self.end(),
            b'"' | b'\'' => {
                let triple = ["\"\"\"", "'''"].into_iter().find(|quotes| rest.starts_with(quotes.as_bytes()));
                match triple {
                    Some(_) => (self.out.string, length) = (triple, 3),
                    // A quote that nothing closes on its line is none.
                    None => length = self.strings.rest_of(self.at) + 1,
                }
            }
            b'(' | b'[' | b'{' => self.out.open.push(byte),
            b')' | b']' | b'}' => self.close(byte),
            _ => {}
        }
        if !matches!(byte, b' ' | b'\t' | b'\r' | b'\n' | b'#') {
            self.last_code = byte;
        }
        self.at += length;
    }

    fn close(&mut self, bracket: u8) {
        match self.out.open.pop() {
            // A bracket that doesn't fit is left to the parser.
            Some(open) if open != opening(bracket) => self.out.open.push(open),
            Some(_) if self.closes_begun() => self.out.closed_at = self.at + 1,
            Some(_) => {}
            None => {
                self.out.unopened.push(opening(bracket));
                self.out.closed_at = self.at + 1;
                self.begin_before();
            }
        }
    }
}

/// Where a string of several lines ends: the offset after its quotes.
fn string_end(text: &[u8], quotes: &[u8]) -> Option<usize> {
    let mut ends = memchr::memmem::find_iter(text, quotes);
    let escapes = |at: usize| text[..at].iter().rev().take_while(|b| **b == b'\\').count();
    ends.find(|at| escapes(*at) % 2 == 0).map(|at| at + quotes.len())
}

/// How far a statement is indented that was begun before the fragment.
fn blanks_of_begun<'f>(fragment: &'f [u8], outline: &Outline<'f>) -> &'f [u8] {
    let line = fragment[..outline.closed_at].iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let closing = fragment[line..].split(|b| *b == b'\n').find(|line| !line.trim_ascii().is_empty());
    let closing = closing.map_or(&b""[..], blanks);
    let next = outline.statements.get(1).map(|next| next.blanks);
    match next {
        None => closing,
        Some(next) if !outline.statements[0].is_head => next,
        Some(next) if closing.len() < next.len() => closing,
        // Its own indentation isn't shown, but it is less than that of its block.
        Some(next) => &next[..next.len().saturating_sub(1)],
    }
}

fn blanks(line: &[u8]) -> &[u8] {
    &line[..line.iter().take_while(|b| matches!(b, b' ' | b'\t')).count()]
}

/// How a statement may begin of which the fragment shows only what is after its brackets or in its string.
fn starts(fragment: &[u8], outline: &Outline<'_>) -> &'static [&'static str] {
    let rest = fragment[outline.closed_at..].trim_ascii_start();
    let is_head = outline.statements[0].is_head;
    match outline.unopened.last() {
        Some(b'(') if is_head && rest.starts_with(b"->") => &["def w_"],
        Some(b'(') if is_head && rest.starts_with(b"as ") => &["with w_"],
        Some(b'(') if is_head => &["def w_", "if w_"],
        // Until the bracket is closed it may be that of a call or of parameters.
        Some(b'(') if outline.open.first() == Some(&b'(') => &["w_", "def w_"],
        Some(b'(') => &["w_"],
        Some(_) if is_head => &["if w_ == "],
        Some(_) => &["w_ = "],
        None if is_head => &["if "],
        None => &[""],
    }
}

/// Heads of the blocks that were begun before the fragment.
fn heads(outline: &Outline<'_>) -> Vec<u8> {
    // Statements that go back to less indentation than all before them: each needs a block that was begun before the fragment.
    let mut levels: Vec<usize> = Vec::new();
    let mut least = usize::MAX;
    for (index, statement) in outline.statements.iter().enumerate() {
        if statement.blanks.len() < least {
            least = statement.blanks.len();
            levels.push(index);
        }
    }
    let mut heads = Vec::new();
    let Some((&first, outer)) = levels.split_first() else { return heads };
    // The outermost statement is indented, so all of it is in some block.
    if least > 0 {
        heads.extend(b"if w_:\n");
    }
    // What is deepest comes first in the fragment; its heads come last. A head is where a later statement goes on. The names
    // with an underscore at the end can't be met by a pattern that asks for real ones.
    for &index in outer.iter().rev() {
        let blanks = outline.statements[index].blanks;
        match clause_head(&outline.statements[index..]) {
            Some("match w_:") => heads.extend([outside(blanks), b"match w_:\n", blanks, b"case w_:\n"].concat()),
            head => heads.extend([blanks, head.unwrap_or("if w_:").as_bytes(), b"\n"].concat()),
        }
    }
    // The first statement may go on with what was begun right before it.
    let blanks = outline.statements[first].blanks;
    match clause_head(&outline.statements).filter(|_| !outline.is_begun) {
        Some("match w_:") => heads.extend([outside(blanks), b"match w_:\n"].concat()),
        Some(head) => heads.extend([blanks, head.as_bytes(), b"\n", blanks, b" pass\n"].concat()),
        None => {}
    }
    heads
}

/// Less indentation than this.
fn outside(blanks: &[u8]) -> &[u8] {
    &blanks[..blanks.len().saturating_sub(1)]
}

/// What the first statement goes on with, when it can't be the first of a block.
fn clause_head(statements: &[Statement<'_>]) -> Option<&'static str> {
    let first = statements.first()?;
    if begins_with(first.code, &["case"]) {
        return first.is_head.then_some("match w_:");
    }
    // `else` may belong to either.
    let same = |s: &&Statement<'_>| s.blanks.len() >= first.blanks.len();
    let clauses = statements.iter().take_while(same).filter(|s| s.blanks.len() == first.blanks.len());
    let mut clauses = clauses.take_while(|s| begins_with(s.code, &["except", "finally", "elif", "else"]));
    let is_clause = begins_with(first.code, &["except", "finally", "elif", "else"]);
    let is_handled = clauses.any(|s| begins_with(s.code, &["except", "finally"]));
    is_clause.then_some(if is_handled { "try:" } else { "if w_:" })
}

/// Whether code begins with one of the words, whole.
fn begins_with(code: &[u8], words: &[&str]) -> bool {
    let word = code.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
    words.iter().any(|w| w.as_bytes() == &code[..word])
}

/// The other halves of what is open at the end, and what must follow, when the first statement was begun with `start`.
fn after(fragment: &[u8], outline: &Outline<'_>, start: &str) -> Vec<u8> {
    let mut after = Vec::new();
    after.extend(outline.string.unwrap_or_default().as_bytes());
    after.extend(outline.open.iter().rev().map(|bracket| closing(*bracket)));
    let Some(last) = outline.statements.last() else { return after };
    let is_cut = !after.is_empty();
    let compound = ["def", "class", "if", "elif", "for", "while", "with", "async", "except", "match", "case"];
    let is_first = outline.is_begun && outline.statements.len() == 1;
    let is_cut_head = is_cut && begins_with(if is_first { start.as_bytes() } else { last.code }, &compound);
    if is_cut_head {
        after.push(b':');
    }
    if is_cut || !fragment.ends_with(b"\n") {
        after.push(b'\n');
    }
    if last.is_head || is_cut_head {
        after.extend([last.blanks, b" pass\n"].concat());
    } else if last.code.starts_with(b"@") {
        after.extend([last.blanks, b"def w_(): pass\n"].concat());
    }
    for blanks in open_tries(&outline.statements).into_iter().rev() {
        after.extend([blanks, b"except w_:\n", blanks, b" pass\n"].concat());
    }
    after
}

/// The indentation of the blocks `try` whose handlers come after the fragment, outermost first.
fn open_tries<'f>(statements: &[Statement<'f>]) -> Vec<&'f [u8]> {
    let mut open: Vec<&[u8]> = Vec::new();
    for statement in statements {
        while open.last().is_some_and(|blanks| blanks.len() >= statement.blanks.len()) {
            open.pop();
        }
        if statement.is_head && begins_with(statement.code, &["try"]) {
            open.push(statement.blanks);
        }
    }
    open
}
