//! Files that a diff names in a line or two and doesn't show: binary files and submodules, as several programs write them.

use std::borrow::Cow;

use super::fields::trim_cr;
use super::model::{Binary, Body, FileDiff, Kind, Mode};
use super::names::git_names;
use super::read::file;
use super::reader::Reader;

impl<'a> Reader<'a> {
    /// `Binary files X and Y differ`, from a plain `diff -r`.
    pub(super) fn plain_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let text = trim_cr(line).strip_prefix(b"Binary files ")?.strip_suffix(b" differ")?;
        let mut splits =
            // Names with ` and ` in them: the right split has names that belong together, as in a `diff --git` line.
            text.windows(5).enumerate().filter(|(_, w)| *w == b" and ").map(|(at, _)| (&text[..at], &text[at + 5..]));
        let (old, new) = splits
            .clone()
            .find(|(a, b)| git_names(&[a, b" " as &[u8], b].concat()).is_some())
            .or_else(|| splits.next())?;
        // Such a line names a missing side as `/dev/null`, as hunks would.
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
    pub(super) fn named_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let path = trim_cr(line).strip_prefix(b"Binary file ")?.strip_suffix(b" has changed")?;
        self.next();
        Some(file(Kind::Modified, Cow::Borrowed(path), Cow::Borrowed(path), Body::Binary(Binary::Differ)))
    }

    /// `Submodule PATH OLD..NEW`, with two or three dots and perhaps what became of it. Ids of zeros stand for nothing.
    pub(super) fn named_submodule(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let text = trim_cr(line).strip_prefix(b"Submodule ")?;
        // The path may have blanks; the ids are the last word that looks like two of them.
        let (path, old, new) = memchr::memchr_iter(b' ', text).rev().find_map(|at| {
            let ids = text[at + 1..].split(|b| *b == b' ').next()?;
            let ids = ids.strip_suffix(b":").unwrap_or(ids);
            let dots = memchr::memmem::find(ids, b"..")?;
            let (old, new) = (&ids[..dots], ids[dots..].trim_ascii_start());
            let new = &new[new.iter().take_while(|b| **b == b'.').count()..];
            // Seven digits are the shortest that git writes.
            let is_id = |id: &[u8]| id.len() >= 7 && id.iter().all(u8::is_ascii_hexdigit);
            (is_id(old) && is_id(new)).then_some((&text[..at], old, new))
        })?;
        // How git writes that a submodule wasn't there.
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
    pub(super) fn marked_binary(&mut self, line: &'a [u8]) -> Option<FileDiff<'a>> {
        let rule = self.ahead(1)?.starts_with(b"=====");
        let note = trim_cr(self.ahead(2)?);
        if !rule || !note.starts_with(b"Cannot display: ") {
            return None;
        }
        let path = Cow::Borrowed(trim_cr(&line[b"Index: ".len()..]));
        // The marker, its rule and the note; the line with the type after them is preamble.
        for _ in 0..3 {
            self.skip();
        }
        Some(file(Kind::Modified, path.clone(), path, Body::Binary(Binary::Differ)))
    }
}
