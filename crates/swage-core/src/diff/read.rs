//! The reader: bytes to [`Diff`].
//!
//! One pass, line by line; a hunk's body is crossed with one search for LF and one look at the first byte a
//! line, and kept as a slice. What is no diff is preamble. What begins like a diff and isn't one is an error,
//! never skipped.

use std::borrow::Cow;

use super::error::{DiffError, Expected};
use super::fields::{hunk_header, mode, percent, starts_patch, trim_cr};
use super::model::{Binary, Body, Diff, FileDiff, Kind, Mode};
use super::names::{git_names, header_name, strip_pair, unquote_path};
use super::reader::{Reader, Section};
use super::sections::{SECTION, in_sections};
use super::votes::Votes;

/// How to read.
#[derive(Debug, Clone, Default)]
pub struct ReadOptions {
    /// Leading path components to take off every name. By default the prefixes are found by comparing the two names.
    pub strip: Option<usize>,
    /// Most bytes to accept. By default, no limit.
    pub max_bytes: Option<u64>,
}

/// Reads a whole diff. Empty input is an empty diff.
///
/// # Errors
/// When the input holds no unified diff, or one that is malformed, truncated, combined or too large; the error
/// names the file, the byte offset, the line and what was expected.
pub fn read<'a>(input: &'a [u8], options: &ReadOptions) -> Result<Diff<'a>, DiffError> {
    let start = Reader { input, at: 0, strip: options.strip, prefixes: None, votes: Votes::default(), file: None };
    if let Some(max) = options.max_bytes.filter(|&max| input.len() as u64 > max) {
        return Err(start.error(Expected::AtMostBytes(max)));
    }
    let (mut diff, votes) = in_sections(&start, SECTION)?;
    // Names that are alone don't show their prefix; all others of the input do.
    if let Votes::One(prefixes) | Votes::Sure(prefixes) = votes
        && options.strip.is_none()
        && !matches!((&prefixes.0[..], &prefixes.1[..]), (b"", b"") | (b"a/", b"b/"))
        && diff.files().any(|f| f.kind != Kind::Modified)
    {
        diff =
            in_sections(&Reader { prefixes: Some(prefixes), votes: Votes::default(), file: None, ..start }, SECTION)?.0;
    }
    if diff.files().next().is_none() && !input.trim_ascii().is_empty() {
        return Err(start.error(Expected::AnyDiff));
    }
    Ok(diff)
}

/// Headers of one file, as they come.
#[derive(Default)]
struct Headers<'a> {
    /// `old mode`, `deleted file mode`, or the mode of the `index` line.
    old_mode: Option<Mode>,
    /// `new mode`, `new file mode`, or the mode of the `index` line.
    new_mode: Option<Mode>,
    /// A `new file mode` line, or a binary file whose old name is `/dev/null`.
    added: bool,
    /// A `deleted file mode` line, or a binary file whose new name is `/dev/null`.
    deleted: bool,
    /// Renamed or copied, by the `from` line.
    moved: Option<Kind>,
    /// The path of `rename from` or `copy from`, which has no prefix.
    from: Option<Cow<'a, [u8]>>,
    /// The path of `rename to` or `copy to`, which has no prefix.
    to: Option<Cow<'a, [u8]>>,
    /// Percent of a rename or copy that stayed.
    similarity: Option<u8>,
    /// Percent of a rewritten file that went.
    dissimilarity: Option<u8>,
    /// The object ids of the `index` line, abbreviated or whole, and whether a mode followed them.
    ids: Option<(&'a [u8], &'a [u8], bool)>,
}

impl Headers<'_> {
    /// Modes from lines of their own; then the one of the `index` line says nothing.
    fn set_modes(&mut self, old: Option<Mode>, new: Option<Mode>) {
        (self.old_mode, self.new_mode) = (old, new);
        if let Some((_, _, with_mode)) = &mut self.ids {
            *with_mode = false;
        }
    }
}

impl<'a> Reader<'a> {
    /// The same reader at another place.
    pub fn from(&self, at: usize) -> Self {
        let prefixes = self.prefixes.clone();
        Self { input: self.input, at, strip: self.strip, prefixes, votes: Votes::default(), file: None }
    }

    /// Reads on up to a place at which no file can be open.
    pub fn section(&mut self, end: usize) -> Result<Section<'a>, DiffError> {
        let mut section = Section { text_from: self.at, ..Section::default() };
        while let Some(line) = self.peek().filter(|_| self.at < end) {
            let Section { patches, open, text_from, .. } = &mut section;
            if starts_patch(self.input, self.at, line) && (!open.files.is_empty() || self.at > *text_from) {
                open.trailer = &self.input[*text_from..self.at];
                patches.push(std::mem::take(open));
                *text_from = self.at;
            }
            let preamble = &self.input[*text_from..self.at];
            if let Some(mut file) = self.file_at(line)? {
                file.preamble = preamble;
                open.files.push(file);
                *text_from = self.at;
                self.file = None;
            } else {
                self.skip();
            }
        }
        section.votes = std::mem::take(&mut self.votes);
        debug_assert!(self.at == end, "a section ends between two files");
        Ok(section)
    }

    /// Reads the file that begins at this line; `None` when none does.
    fn file_at(&mut self, line: &'a [u8]) -> Result<Option<FileDiff<'a>>, DiffError> {
        match line.first() {
            Some(b'd') if line.starts_with(b"diff --git ") => self.git_file().map(Some),
            Some(b'd') if line.starts_with(b"diff --cc ") || line.starts_with(b"diff --combined ") => {
                Err(self.error(Expected::NotCombined))
            }
            Some(b'@') if line.starts_with(b"@@@ -") => Err(self.error(Expected::NotCombined)),
            Some(b'@') if line.starts_with(b"@@ -") && hunk_header(line).is_some() => {
                Err(self.error(Expected::FileHeader))
            }
            Some(b'-') if line.starts_with(b"--- ") => self.plain_file(),
            Some(b'*') if line.starts_with(b"*** ") => {
                let (second, third) = (self.ahead(1), self.ahead(2));
                let context = second.is_some_and(|l| l.starts_with(b"--- "))
                    && third.is_some_and(|l| l.starts_with(b"***************"));
                if context { Err(self.error(Expected::NotContext)) } else { Ok(None) }
            }
            Some(b'B') if line.starts_with(b"Binary files ") => Ok(self.plain_binary(line)),
            Some(b'B') if line.starts_with(b"Binary file ") => Ok(self.named_binary(line)),
            Some(b'S') if line.starts_with(b"Submodule ") => Ok(self.named_submodule(line)),
            Some(b'I') if line.starts_with(b"Index: ") => Ok(self.marked_binary(line)),
            _ => Ok(None),
        }
    }

    /// Reads a file that begins with `diff --git`: the extended headers that git's documentation of diff formats lists,
    /// then hunks, a binary patch, or nothing. The two names may be in three places and contradict each other; what is
    /// taken from where is decided in one place at the end, which makes this long.
    fn git_file(&mut self) -> Result<FileDiff<'a>, DiffError> {
        let first = self.next().unwrap_or_default();
        // Kept so that writing the diff gives back the same bytes.
        let crlf = first.ends_with(b"\r");
        self.whole_lines(first)?;
        let names = git_names(&trim_cr(first)[b"diff --git ".len()..]);
        // Errors from here on name the file.
        self.file = names.as_ref().map(|(_, new)| new.clone());
        let mut h = Headers::default();
        // The headers have no fixed order, and programs leave out what they don't know.
        while let Some(raw) = self.peek() {
            if !self.git_header(trim_cr(raw), &mut h)? {
                break;
            }
            self.next();
        }
        let mut body = Body::Unchanged;
        let mut sides = None;
        if let Some(line) = self.peek() {
            // Without any of these the file changed in its mode or its name only, or is empty.
            if line.starts_with(b"--- ") {
                sides = Some(self.names()?);
                body = self.body()?;
            } else if line.starts_with(b"Binary files ") {
                // Without a `new file mode` line these words alone say that a side is missing.
                h.added |= line.starts_with(b"Binary files /dev/null and ");
                h.deleted |= trim_cr(line).ends_with(b" and /dev/null differ");
                body = Body::Binary(Binary::Differ);
                self.next();
            } else if trim_cr(line) == b"GIT binary patch" {
                self.next();
                body = Body::Binary(Binary::Patch(self.binary_patch()?));
            } else if line.starts_with(b"@@ -") {
                // Hunks without names were cut off, or somebody edited the diff by hand.
                return Err(self.error(Expected::FileHeader));
            }
        }
        let (old_gone, new_gone) = match &sides {
            Some((old, new)) => (old.1, new.1),
            None => (false, false),
        };
        // A rename has both sides, whatever other lines say.
        let kind = match h.moved {
            Some(kind) => kind,
            None if h.added || old_gone => Kind::Added,
            None if h.deleted || new_gone => Kind::Deleted,
            None => Kind::Modified,
        };
        // A rename names its file twice, with prefixes and without: what differs are the prefixes, beyond doubt. Files
        // whose names are alone learn them from this.
        let mut prefixed = None;
        if let (Some(from), Some(to)) = (&h.from, &h.to) {
            let text = &trim_cr(first)[b"diff --git ".len()..];
            let mut splits = memchr::memchr_iter(b' ', text).map(|at| (&text[..at], &text[at + 1..]));
            prefixed = splits.find(|(old, new)| old.ends_with(from) && new.ends_with(to));
            if let (Some((old, new)), None) = (prefixed, self.strip) {
                let (old, new) = (&old[..old.len() - from.len()], &new[..new.len() - to.len()]);
                self.votes.join(Votes::Sure((Cow::Borrowed(old), Cow::Borrowed(new))));
            }
        }
        // The most exact source of each name first: `rename from`, then `---`, then the `diff --git` line.
        let (old, new) = match (h.from, h.to, sides) {
            // As many components are taken off as of all others, whose names have prefixes.
            (Some(from), Some(to), _) if self.strip.is_some() => match (prefixed, names) {
                (Some((old, new)), _) => strip_pair(Cow::Borrowed(old), Cow::Borrowed(new), self.strip),
                (None, Some((old, new))) => strip_pair(old, new, self.strip),
                (None, None) => (from, to),
            },
            (Some(from), Some(to), _) => (self.unprefixed(from, false), self.unprefixed(to, true)),
            (_, _, Some(((old, false), (new, false)))) => self.pair(old, new, names),
            (_, _, Some(((_, true), (new, false)))) => {
                let new = self.lone(new, names, true);
                (new.clone(), new)
            }
            (_, _, Some(((old, false), (_, true)))) => {
                let old = self.lone(old, names, false);
                (old.clone(), old)
            }
            (_, _, Some(((_, true), (_, true)))) => return Err(self.error(Expected::Path)),
            (_, _, None) => match names {
                // An empty file: nothing but the first line has its name.
                Some((_, new)) if kind == Kind::Added && self.prefixes.is_some() => {
                    let new = self.unprefixed(new, true);
                    (new.clone(), new)
                }
                Some((old, _)) if kind == Kind::Deleted && self.prefixes.is_some() => {
                    let old = self.unprefixed(old, false);
                    (old.clone(), old)
                }
                // A file that comes or goes has one name, which is on both sides here.
                Some((old, new)) if matches!(kind, Kind::Added | Kind::Deleted) => strip_pair(old, new, self.strip),
                Some((old, new)) => self.pair(old, new, None),
                None => return Err(self.error(Expected::Path)),
            },
        };
        // A prefix may have been all that there was of a name.
        if old.is_empty() || new.is_empty() {
            return Err(self.error(Expected::Path));
        }
        Ok(FileDiff {
            preamble: &[],
            kind,
            old_path: old,
            new_path: new,
            old_mode: h.old_mode,
            new_mode: h.new_mode,
            similarity: h.similarity,
            dissimilarity: h.dissimilarity,
            ids: h.ids,
            body,
            crlf,
        })
    }

    /// Takes one extended header line in; false when the line is none.
    fn git_header(&self, line: &'a [u8], h: &mut Headers<'a>) -> Result<bool, DiffError> {
        let rest = |prefix: &str| line.strip_prefix(prefix.as_bytes());
        let bad = || self.error(Expected::Path);
        // Quoted when it has bytes that git's `core.quotePath` escapes.
        let path = |text: &'a [u8]| match text.first() {
            Some(b'"') => unquote_path(text).map(|(path, _)| Cow::Owned(path)).ok_or_else(bad),
            Some(_) => Ok(Cow::Borrowed(text)),
            None => Err(bad()),
        };
        if let Some(text) = rest("old mode ") {
            h.set_modes(mode(text), h.new_mode);
        } else if let Some(text) = rest("new mode ") {
            h.set_modes(h.old_mode, mode(text));
        } else if let Some(text) = rest("new file mode ") {
            h.set_modes(h.old_mode, mode(text));
            h.added = true;
        } else if let Some(text) = rest("deleted file mode ") {
            h.set_modes(mode(text), h.new_mode);
            h.deleted = true;
        } else if let Some(text) = rest("similarity index ") {
            h.similarity = percent(text);
        } else if let Some(text) = rest("dissimilarity index ") {
            h.dissimilarity = percent(text);
        } else if let Some(text) = rest("rename from ") {
            (h.from, h.moved) = (Some(path(text)?), Some(Kind::Renamed));
        } else if let Some(text) = rest("rename to ") {
            h.to = Some(path(text)?);
        } else if let Some(text) = rest("copy from ") {
            (h.from, h.moved) = (Some(path(text)?), Some(Kind::Copied));
        } else if let Some(text) = rest("copy to ") {
            h.to = Some(path(text)?);
        } else if let Some(text) = rest("index ") {
            let mut words = text.splitn(2, |&b| b == b' ');
            let ids = words.next().unwrap_or_default();
            // A line of prose may begin with `index `, too.
            let Some(dots) = ids.windows(2).position(|w| w == b"..") else { return Ok(false) };
            let (old, new) = (&ids[..dots], &ids[dots + 2..]);
            if ![old, new].iter().all(|id| !id.is_empty() && id.iter().all(u8::is_ascii_hexdigit)) {
                return Ok(false);
            }
            // The mode is here when it stays, and on lines of its own when it doesn't.
            let word = words.next().and_then(mode).filter(|_| h.old_mode.is_none() && h.new_mode.is_none());
            if word.is_some() {
                (h.old_mode, h.new_mode) = (word, word);
            }
            h.ids = Some((old, new, word.is_some()));
        } else {
            return Ok(false);
        }
        Ok(true)
    }

    /// A file without git's header: two name lines and hunks. Prose that begins with `--- ` is none.
    fn plain_file(&mut self) -> Result<Option<FileDiff<'a>>, DiffError> {
        if !self.ahead(1).is_some_and(|l| l.starts_with(b"+++ ")) {
            return match self.ahead(1) {
                Some(next) if hunk_header(next).is_some() => {
                    self.next();
                    Err(self.error(Expected::NewName))
                }
                _ => Ok(None),
            };
        }
        let crlf = self.peek().is_some_and(|l| l.ends_with(b"\r"));
        let ((old, old_gone), (new, new_gone)) = self.names()?;
        let body = self.body()?;
        // Without hunks only properties changed, and the file is on both sides.
        let hunks = if let Body::Text(hunks) = &body { &hunks[..] } else { &[] };
        // The epoch alone doesn't prove it: the side must be empty too.
        let no_old = old.as_ref() == b"/dev/null"
            || old_gone && !hunks.is_empty() && hunks.iter().all(|h| h.old_lines == 0)
            || old_gone && new_gone && hunks.iter().all(|h| h.old_lines == 0);
        let no_new = new.as_ref() == b"/dev/null" || !no_old && new_gone && hunks.iter().all(|h| h.new_lines == 0);
        let (kind, old_path, new_path) = match (no_old, no_new) {
            (true, true) => return Err(self.error(Expected::Path)),
            (true, false) => {
                let path =
                    if old.as_ref() == b"/dev/null" { self.single(new, true) } else { self.pair(old, new, None).1 };
                (Kind::Added, path.clone(), path)
            }
            (false, true) => {
                let path =
                    if new.as_ref() == b"/dev/null" { self.single(old, false) } else { self.pair(old, new, None).0 };
                (Kind::Deleted, path.clone(), path)
            }
            (false, false) => {
                let (old, new) = self.pair(old, new, None);
                (Kind::Modified, old, new)
            }
        };
        // Stripping may have taken all of it.
        if new_path.is_empty() {
            return Err(self.error(Expected::Path));
        }
        Ok(Some(FileDiff { crlf, ..file(kind, old_path, new_path, body) }))
    }

    /// A header line with a CR in it is none: whatever has such lines would be read as one.
    fn whole_lines(&self, line: &[u8]) -> Result<(), DiffError> {
        if trim_cr(line).contains(&b'\r') { Err(self.error(Expected::LineEnds)) } else { Ok(()) }
    }

    /// The `---` and `+++` lines; each name with true when its side isn't there.
    #[expect(clippy::type_complexity, reason = "two sides of a name and a flag, used in two places")]
    fn names(&mut self) -> Result<((Cow<'a, [u8]>, bool), (Cow<'a, [u8]>, bool)), DiffError> {
        // Both lines have the same form, and each its own error when it is missing.
        let side = |reader: &mut Self, prefix: &[u8], expected| {
            let line = reader.peek().unwrap_or_default();
            let Some(text) = line.strip_prefix(prefix) else { return Err(reader.error(expected)) };
            reader.whole_lines(line)?;
            let (name, gone) = header_name(trim_cr(text)).ok_or_else(|| reader.error(Expected::Path))?;
            reader.next();
            let gone = gone || name.as_ref() == b"/dev/null";
            Ok((name, gone))
        };
        let old = side(self, b"--- ", Expected::FileHeader)?;
        let new = side(self, b"+++ ", Expected::NewName)?;
        // A `diff --git` line has named the file already.
        if self.file.is_none() {
            let shown = if new.1 { &old.0 } else { &new.0 };
            self.file = Some(shown.clone());
        }
        Ok((old, new))
    }

    /// The next line without its LF.
    pub(super) fn peek(&self) -> Option<&'a [u8]> {
        let rest = self.input.get(self.at..).filter(|rest| !rest.is_empty())?;
        Some(&rest[..memchr::memchr(b'\n', rest).unwrap_or(rest.len())])
    }

    /// The line `n` lines after the next one.
    pub(super) fn ahead(&self, n: usize) -> Option<&'a [u8]> {
        let mut rest = self.input.get(self.at..)?;
        for _ in 0..n {
            rest = &rest[memchr::memchr(b'\n', rest)? + 1..];
        }
        let line = &rest[..memchr::memchr(b'\n', rest).unwrap_or(rest.len())];
        (!rest.is_empty()).then_some(line)
    }

    /// Takes the next line, without its LF.
    pub(super) fn next(&mut self) -> Option<&'a [u8]> {
        let line = self.peek()?;
        self.at = (self.at + line.len() + 1).min(self.input.len());
        Some(line)
    }

    /// Goes past a line that belongs to the preamble.
    pub(super) fn skip(&mut self) {
        self.next();
    }

    /// An error at the current place. Counting lines looks at all of the input before it, so it is done only here.
    #[cold]
    pub(super) fn error(&self, expected: Expected) -> DiffError {
        let found: String = String::from_utf8_lossy(self.peek().unwrap_or_default()).chars().take(80).collect();
        DiffError {
            file: self.file.as_ref().map(|name| String::from_utf8_lossy(name).into_owned()),
            offset: self.at,
            line: memchr::memchr_iter(b'\n', &self.input[..self.at]).count() + 1,
            expected,
            found: found.trim_end().to_owned(),
        }
    }
}

/// A file of which only the names and the body are known.
pub(super) fn file<'a>(kind: Kind, old_path: Cow<'a, [u8]>, new_path: Cow<'a, [u8]>, body: Body<'a>) -> FileDiff<'a> {
    FileDiff {
        preamble: &[],
        kind,
        old_path,
        new_path,
        old_mode: None,
        new_mode: None,
        similarity: None,
        dissimilarity: None,
        ids: None,
        body,
        crlf: false,
    }
}
