//! What a page holds as text, in the place of what would look like markup to the grammar.
//!
//! Browsers end comments in more ways than one, know more elements than scripts and styles whose content is text, and read
//! drawings by the rules of XML (HTML Living Standard, section 13.2). The grammar knows little of it, so that a script could be
//! in what it takes for a comment, a style or a title.

use std::ops::Range;

use super::fill;
use crate::lang::TEXTS;

/// Elements of drawings in which pages go on (section 13.2.6.5).
const PAGES_IN_DRAWINGS: &str = "foreignobject desc title annotation-xml";

/// Elements that end a drawing (section 13.2.6.5).
const ENDS_OF_DRAWINGS: &str = "b big blockquote body br center code dd div dl dt em embed h1 h2 h3 h4 h5 h6 head hr i img li listing menu \
    meta nobr ol p pre ruby s small span strong strike sub sup table tt u ul var";

/// A page as browsers read it, as long as before; `None` when it stays as it is.
pub(super) fn with_plain_texts(text: &[u8]) -> Option<Vec<u8>> {
    let mut page = Page { text, plain: None, drawings: Vec::new(), known: Vec::new(), closed: 0 };
    let mut at = 0;
    while let Some(found) = memchr::memchr(b'<', text.get(at..).unwrap_or_default()) {
        at = page.after(at + found);
    }
    page.plain
}

/// A page that is read from its beginning to its end, and what is open where the reading is.
struct Page<'t> {
    /// As its file has it.
    text: &'t [u8],
    /// As browsers read it, once that differs.
    plain: Option<Vec<u8>>,
    /// For each drawing or page in a drawing that is open, whether it is a drawing.
    drawings: Vec<bool>,
    /// For each name of an element, the last content whose end was looked for.
    known: Vec<(Vec<u8>, Range<usize>)>,
    /// Where the last text for browsers without scripts ends.
    closed: usize,
}

impl Page<'_> {
    /// Reads what begins at a `<`, and says where to go on.
    fn after(&mut self, at: usize) -> usize {
        let text = self.text;
        let rest = &text[at..];
        // It is taken for text already.
        if self.plain.as_ref().is_some_and(|plain| plain[at] != b'<') {
            return at + 1;
        }
        if rest.starts_with(b"<!--") {
            return self.after_comment(at);
        }
        let closes = rest.get(1) == Some(&b'/');
        let from = at + 1 + usize::from(closes);
        // Only a letter begins a name; what else follows makes text or a comment of it (section 13.2.5.6).
        if !text.get(from).is_some_and(u8::is_ascii_alphabetic) {
            // A lone sign, text of a drawing, or a comment of another form, which ends at the first `>`.
            let is_comment = closes || matches!(rest.get(1), Some(b'!' | b'?'));
            let is_text = self.drawings.last() == Some(&true) && rest.starts_with(b"<![CDATA[");
            let end = if is_text { memchr::memmem::find(rest, b"]]>") } else { memchr::memchr(b'>', rest) };
            // Without an end all the rest is in it.
            return if is_comment { self.blank(at + 1..end.map_or(text.len(), |end| at + end)) } else { at + 1 };
        }
        let is_end = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'/' | b'>');
        let length = text[from..].iter().position(is_end).unwrap_or(text.len() - from);
        let name = text[from..from + length].to_ascii_lowercase();
        let end = end_of_tag(text, from + length);
        let in_drawing = self.drawings.last() == Some(&true);
        if closes {
            // A drawing takes the pages in it along.
            if matches!(&name[..], b"svg" | b"math") {
                while self.drawings.pop() == Some(false) {}
            } else if is_one_of(PAGES_IN_DRAWINGS.split(' '), &name) {
                self.drawings.pop_if(|is_drawing| !*is_drawing);
            } else if in_drawing && matches!(&name[..], b"p" | b"br") {
                self.leave_drawing();
            }
            return end;
        }
        match &name[..] {
            // An element of XML without content.
            _ if in_drawing && text[..end].ends_with(b"/>") => {}
            b"svg" | b"math" => self.drawings.push(true),
            b"style" if in_drawing => self.rename_style(from, end),
            // These two the grammar reads as browsers do, but for where a script ends.
            b"script" => return self.script(end),
            b"style" => return self.content(end, &name).end,
            b"noscript" => self.close_in_time(end, &name),
            // Nothing ends it (section 13.2.5.5).
            b"plaintext" => return self.blank(end..text.len()),
            name if in_drawing && is_one_of(PAGES_IN_DRAWINGS.split(' '), name) => self.drawings.push(false),
            name if in_drawing && is_one_of(ENDS_OF_DRAWINGS.split(' '), name) => self.leave_drawing(),
            name if is_one_of(TEXTS.iter().copied(), name) => self.close_in_time(end, name),
            _ => {}
        }
        end
    }

    /// A comment ends with `-->` or `--!>`, and at once as `<!-->` and `<!--->`.
    fn after_comment(&mut self, at: usize) -> usize {
        let rest = &self.text[at + 4..];
        let empty = if rest.starts_with(b">") { 5 } else { 6 };
        // Nothing is in it, and blanks are read as nothing; the grammar would look for an end farther on.
        if rest.starts_with(b">") || rest.starts_with(b"->") {
            fill(self.plain(), at..at + empty, b"");
            return at + empty;
        }
        let (usual, other) = (memchr::memmem::find(rest, b"-->"), memchr::memmem::find(rest, b"--!>"));
        let start = at + 4;
        match (usual, other) {
            // Written as the end that the grammar knows, with a blank for the sign more.
            (usual, Some(other)) if usual.is_none_or(|usual| other < usual) => {
                self.plain()[start + other..start + other + 4].copy_from_slice(b" -->");
                start + other + 4
            }
            (Some(usual), _) => start + usual + 3,
            // All the rest is in it. The grammar would look for an end at each further one.
            (None, _) => self.blank(start..self.text.len()),
        }
    }

    /// Where a script ends. In `<!--`, another `<script` takes the next end tag with it (section 13.2.5.4).
    fn script(&mut self, start: usize) -> usize {
        let (mut is_escaped, mut is_inner, mut at) = (false, false, start);
        while let Some(found) = memchr::memchr2(b'<', b'-', &self.text[at..]) {
            at += found;
            let rest = &self.text[at..];
            if rest.starts_with(b"-->") {
                (is_escaped, is_inner) = (false, false);
            } else if rest.starts_with(b"<!--") {
                is_escaped = true;
            } else if is_escaped && is_tag(rest, b"<script") {
                is_inner = true;
            } else if is_tag(rest, b"</script") {
                if !is_inner {
                    return at;
                }
                is_inner = false;
                // An end tag that ends nothing must not end the script for the grammar.
                fill(self.plain(), at..at + b"</script".len(), b"");
            }
            at += 1;
        }
        self.text.len()
    }

    /// In a drawing a style holds elements, which the grammar doesn't look for in what has this name.
    fn rename_style(&mut self, name: usize, end: usize) {
        let inside = self.content(end, b"style");
        if memchr::memchr(b'<', &self.text[inside.clone()]).is_some() {
            // Another name of the same length, in both tags.
            fill(self.plain(), name..name + 5, b"style".map(|b| if b == b'e' { b'x' } else { b }).as_slice());
            if inside.end + 7 <= self.text.len() {
                self.plain()[inside.end + 6] = b'x';
            }
        }
    }

    /// In an element of text nothing reaches beyond its end. Scripts in it are left to be looked at, since in some places browsers
    /// pass over the tag that begins such an element.
    fn close_in_time(&mut self, start: usize, name: &[u8]) {
        // What is in another one is read with it.
        if start < self.closed {
            return;
        }
        let inside = self.content(start, name);
        self.closed = inside.end;
        // Where scripts don't run, this is a page as well.
        let is_page = name == b"noscript";
        let text = &self.text[..inside.end];
        let closed = |closer| tags(&text[start..], closer).last().map_or(0, |at| start + at);
        let (comments, styles) = (closed(b"-->"), closed(b"</style"));
        // Where the last tag ends.
        let mut tag = start;
        for at in memchr::memchr_iter(b'<', &text[start..]).map(|at| start + at) {
            let rest = &text[at..];
            if is_tag(rest, b"<script") || is_tag(rest, b"</script") || is_page && at < tag {
                continue;
            }
            // A comment or style needs its end before that of the element, and a tag its `>`.
            let reaches_beyond = match rest {
                _ if !is_page || tag == inside.end => true,
                [b'<', b'!', b'-', b'-', ..] => at >= comments,
                _ if is_tag(rest, b"<style") => at >= styles,
                _ => {
                    tag = end_of_tag(text, at + 1);
                    tag == inside.end && !text.ends_with(b">")
                }
            };
            if reaches_beyond {
                self.plain()[at] = b' ';
            }
        }
    }

    /// Back to the page around the drawings that are open.
    fn leave_drawing(&mut self) {
        while self.drawings.pop_if(|is_drawing| *is_drawing).is_some() {}
    }

    /// Blanks for what would begin a tag.
    fn blank(&mut self, inside: Range<usize>) -> usize {
        for at in memchr::memchr_iter(b'<', &self.text[inside.clone()]) {
            self.plain()[inside.start + at] = b' ';
        }
        inside.end
    }

    /// What is between the end of a start tag and its end tag, or the rest of the text. The end is looked for once.
    fn content(&mut self, start: usize, name: &[u8]) -> Range<usize> {
        // Without that, a page of elements that nothing closes would be read again for each of them.
        if let Some((_, known)) = self.known.iter().find(|(of, known)| of == name && known.contains(&start)) {
            return start..known.end;
        }
        let closer = [b"</", name].concat();
        let end = tags(&self.text[start..], &closer).next().map_or(self.text.len(), |end| start + end);
        self.known.retain(|(of, _)| of != name);
        self.known.push((name.to_vec(), start..end));
        start..end
    }

    fn plain(&mut self) -> &mut Vec<u8> {
        self.plain.get_or_insert_with(|| self.text.to_vec())
    }
}

/// Whether a name, in small letters, is one of some.
fn is_one_of<'n>(mut names: impl Iterator<Item = &'n str>, name: &[u8]) -> bool {
    names.any(|known| known.as_bytes() == name)
}

/// Where a tag ends, with its `>`. In the value of an attribute, quotes may hold one; before its sign of equality they are part of
/// its name (section 13.2.5.33).
fn end_of_tag(text: &[u8], mut at: usize) -> usize {
    let (mut has_name, mut is_value) = (false, false);
    while let Some(byte) = text.get(at) {
        at += 1;
        match byte {
            b'>' => return at,
            quote @ (b'"' | b'\'') if is_value => {
                at += memchr::memchr(*quote, &text[at..]).map_or(text.len() - at, |end| end + 1);
                is_value = false;
            }
            byte if byte.is_ascii_whitespace() => {}
            _ if is_value => {
                // A value without quotes may hold some.
                let ends = |b: &u8| b.is_ascii_whitespace() || *b == b'>';
                at += text[at..].iter().position(ends).unwrap_or(text.len() - at);
                is_value = false;
            }
            // A sign of equality before any name begins one.
            b'=' if has_name => (has_name, is_value) = (false, true),
            byte => has_name = *byte != b'/',
        }
    }
    at
}

/// Whether a text begins with a tag: its name is followed by what ends one. Comments have no name.
fn is_tag(text: &[u8], tag: &[u8]) -> bool {
    let is_end = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'/' | b'>');
    text.get(..tag.len()).is_some_and(|found| found.eq_ignore_ascii_case(tag))
        && (tag.ends_with(b"-") || tag.ends_with(b">") || text.get(tag.len()).is_none_or(is_end))
}

/// Where a tag, or a sign of a comment, is in a text.
fn tags<'t>(text: &'t [u8], tag: &'t [u8]) -> impl Iterator<Item = usize> + 't {
    memchr::memchr_iter(tag[0], text).filter(move |at| is_tag(&text[*at..], tag))
}
