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
/// tells the file, the byte offset, the line and what was expected.
pub fn read<'a>(input: &'a [u8], options: &ReadOptions) -> Result<Diff<'a>, DiffError> {
    let start = Reader { input, at: 0, strip: options.strip, prefixes: None, votes: Votes::default(), file: None };
    if let Some(max) = options.max_bytes.filter(|&max| input.len() as u64 > max) {
        return Err(start.error(Expected::AtMostBytes(max)));
    }
    let (mut diff, votes) = in_sections(&start, SECTION)?;
    // Names that stand alone don't tell their prefix; all others of the input do.
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
    old_mode: Option<Mode>,
    new_mode: Option<Mode>,
    added: bool,
    deleted: bool,
    moved: Option<Kind>,
    from: Option<Cow<'a, [u8]>>,
    to: Option<Cow<'a, [u8]>>,
    similarity: Option<u8>,
    dissimilarity: Option<u8>,
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

    fn git_file(&mut self) -> Result<FileDiff<'a>, DiffError> {
        let first = self.next().unwrap_or_default();
        let crlf = first.ends_with(b"\r");
        self.whole_lines(first)?;
        let names = git_names(&trim_cr(first)[b"diff --git ".len()..]);
        self.file = names.as_ref().map(|(_, new)| new.clone());
        let mut h = Headers::default();
        while let Some(raw) = self.peek() {
            if !self.git_header(trim_cr(raw), &mut h)? {
                break;
            }
            self.next();
        }
        let mut body = Body::Unchanged;
        let mut sides = None;
        if let Some(line) = self.peek() {
            if line.starts_with(b"--- ") {
                sides = Some(self.names()?);
                body = self.body()?;
            } else if line.starts_with(b"Binary files ") {
                h.added |= line.starts_with(b"Binary files /dev/null and ");
                h.deleted |= trim_cr(line).ends_with(b" and /dev/null differ");
                body = Body::Binary(Binary::Differ);
                self.next();
            } else if trim_cr(line) == b"GIT binary patch" {
                self.next();
                body = Body::Binary(Binary::Patch(self.binary_patch()?));
            } else if line.starts_with(b"@@ -") {
                return Err(self.error(Expected::FileHeader));
            }
        }
        let (old_gone, new_gone) = match &sides {
            Some((old, new)) => (old.1, new.1),
            None => (false, false),
        };
        let kind = match h.moved {
            Some(kind) => kind,
            None if h.added || old_gone => Kind::Added,
            None if h.deleted || new_gone => Kind::Deleted,
            None => Kind::Modified,
        };
        if let (Some(from), Some(to), None) = (&h.from, &h.to, self.strip) {
            let text = &trim_cr(first)[b"diff --git ".len()..];
            let mut splits = memchr::memchr_iter(b' ', text).map(|at| (&text[..at], &text[at + 1..]));
            let split = splits.find(|(old, new)| old.ends_with(from) && new.ends_with(to));
            if let Some((old, new)) = split {
                let (old, new) = (&old[..old.len() - from.len()], &new[..new.len() - to.len()]);
                self.votes.join(Votes::Sure((Cow::Borrowed(old), Cow::Borrowed(new))));
            }
        }
        // The most exact source of each name first: `rename from`, then `---`, then the `diff --git` line.
        let (old, new) = match (h.from, h.to, sides) {
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
                Some((_, new)) if kind == Kind::Added && self.prefixes.is_some() => {
                    let new = self.unprefixed(new, true);
                    (new.clone(), new)
                }
                Some((old, _)) if kind == Kind::Deleted && self.prefixes.is_some() => {
                    let old = self.unprefixed(old, false);
                    (old.clone(), old)
                }
                // A file that comes or goes has one name, which stands on both sides here.
                Some((old, new)) if matches!(kind, Kind::Added | Kind::Deleted) => strip_pair(old, new, self.strip),
                Some((old, new)) => self.pair(old, new, None),
                None => return Err(self.error(Expected::Path)),
            },
        };
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
            let Some(dots) = ids.windows(2).position(|w| w == b"..") else { return Ok(false) };
            let (old, new) = (&ids[..dots], &ids[dots + 2..]);
            if ![old, new].iter().all(|id| !id.is_empty() && id.iter().all(u8::is_ascii_hexdigit)) {
                return Ok(false);
            }
            // The mode stands here when it stays, and on lines of its own when it doesn't.
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
        if new_path.is_empty() {
            return Err(self.error(Expected::Path));
        }
        Ok(Some(FileDiff { crlf, ..file(kind, old_path, new_path, body) }))
    }

    /// A header line in which a CR stands is none: whatever has such lines would be read as one.
    fn whole_lines(&self, line: &[u8]) -> Result<(), DiffError> {
        if trim_cr(line).contains(&b'\r') { Err(self.error(Expected::LineEnds)) } else { Ok(()) }
    }

    /// `Binary files X and Y differ`, from a plain `diff -r`.
    fn plain_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let text = trim_cr(line).strip_prefix(b"Binary files ")?.strip_suffix(b" differ")?;
        let mut splits =
            text.windows(5).enumerate().filter(|(_, w)| *w == b" and ").map(|(at, _)| (&text[..at], &text[at + 5..]));
        let (old, new) = splits
            .clone()
            .find(|(a, b)| super::names::git_names(&[a, b" " as &[u8], b].concat()).is_some())
            .or_else(|| splits.next())?;
        let (old, new) = (Cow::Borrowed(old), Cow::Borrowed(new));
        let (kind, old, new) = match (old.as_ref() == b"/dev/null", new.as_ref() == b"/dev/null") {
            (true, _) => {
                let path = self.single(new, true);
                (Kind::Added, path.clone(), path)
            }
            (_, true) => {
                let path = self.single(old, false);
                (Kind::Deleted, path.clone(), path)
            }
            _ => {
                let (old, new) = self.pair(old, new, None);
                (Kind::Modified, old, new)
            }
        };
        self.next();
        Some(FileDiff { crlf: line.ends_with(b"\r"), ..file(kind, old, new, Body::Binary(Binary::Differ)) })
    }

    /// `Binary file X has changed`, which says nothing more.
    fn named_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let path = trim_cr(line).strip_prefix(b"Binary file ")?.strip_suffix(b" has changed")?;
        self.next();
        Some(file(Kind::Modified, Cow::Borrowed(path), Cow::Borrowed(path), Body::Binary(Binary::Differ)))
    }

    /// `Submodule PATH OLD..NEW`, with two or three dots and perhaps what became of it. Ids of zeros stand for nothing.
    fn named_submodule(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let text = trim_cr(line).strip_prefix(b"Submodule ")?;
        let (path, old, new) = memchr::memchr_iter(b' ', text).rev().find_map(|at| {
            let ids = text[at + 1..].split(|b| *b == b' ').next()?;
            let ids = ids.strip_suffix(b":").unwrap_or(ids);
            let dots = memchr::memmem::find(ids, b"..")?;
            let (old, new) = (&ids[..dots], ids[dots..].trim_ascii_start());
            let new = &new[new.iter().take_while(|b| **b == b'.').count()..];
            let is_id = |id: &[u8]| id.len() >= 7 && id.iter().all(u8::is_ascii_hexdigit);
            (is_id(old) && is_id(new)).then_some((&text[..at], old, new))
        })?;
        let nothing = |id: &[u8]| id.iter().all(|b| *b == b'0');
        let (kind, old_mode, new_mode) = match (nothing(old), nothing(new)) {
            (true, _) => (Kind::Added, None, Some(Mode(0o160_000))),
            (_, true) => (Kind::Deleted, Some(Mode(0o160_000)), None),
            _ => (Kind::Modified, Some(Mode(0o160_000)), Some(Mode(0o160_000))),
        };
        self.next();
        let path = Cow::Borrowed(path);
        Some(FileDiff { old_mode, new_mode, ..file(kind, path.clone(), path, Body::Unchanged) })
    }

    /// An `Index:` block that says that the file is binary and shows nothing.
    fn marked_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let rule = self.ahead(1)?.starts_with(b"=====");
        let note = trim_cr(self.ahead(2)?);
        if !rule || !note.starts_with(b"Cannot display: ") {
            return None;
        }
        let path = Cow::Borrowed(trim_cr(&line[b"Index: ".len()..]));
        for _ in 0..3 {
            self.skip();
        }
        Some(file(Kind::Modified, path.clone(), path, Body::Binary(Binary::Differ)))
    }

    /// The `---` and `+++` lines; each name with true when its side isn't there.
    #[expect(clippy::type_complexity, reason = "two sides of a name and a flag, used in two places")]
    fn names(&mut self) -> Result<((Cow<'a, [u8]>, bool), (Cow<'a, [u8]>, bool)), DiffError> {
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

    /// The line `n` lines behind the next one.
    pub(super) fn ahead(&self, n: usize) -> Option<&'a [u8]> {
        let mut rest = self.input.get(self.at..)?;
        for _ in 0..n {
            rest = &rest[memchr::memchr(b'\n', rest)? + 1..];
        }
        let line = &rest[..memchr::memchr(b'\n', rest).unwrap_or(rest.len())];
        (!rest.is_empty()).then_some(line)
    }

    pub(super) fn next(&mut self) -> Option<&'a [u8]> {
        let line = self.peek()?;
        self.at = (self.at + line.len() + 1).min(self.input.len());
        Some(line)
    }

    fn skip(&mut self) {
        self.next();
    }

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

fn file<'a>(kind: Kind, old_path: Cow<'a, [u8]>, new_path: Cow<'a, [u8]>, body: Body<'a>) -> FileDiff<'a> {
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
