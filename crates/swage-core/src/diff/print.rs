//! Printing a diff in git's form. Reading what was printed gives the same value again.

use super::model::{Binary, Body, Diff, FileDiff, Kind, Mode};
use super::names::quote_path;

impl Diff<'_> {
    /// The diff as text, with its preambles, and with git's headers and `a/` and `b/` prefixes for every file.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = Vec::new();
        for patch in &self.patches {
            for file in &patch.files {
                file.write(&mut out);
            }
            out.extend_from_slice(patch.trailer);
        }
        out
    }
}

impl FileDiff<'_> {
    /// Writes the file's preamble, headers and body. The order of the headers is git's.
    /// Long because there are that many.
    fn write(&self, out: &mut Vec<u8>) {
        // Headers end as they ended; the bodies have their own line ends inside.
        let eol: &[u8] = if self.crlf { b"\r\n" } else { b"\n" };
        let mut line = |parts: &[&[u8]]| {
            parts.iter().for_each(|part| out.extend_from_slice(part));
            out.extend_from_slice(eol);
        };
        let prefixed = |prefix: &[u8], path: &[u8]| quote_path(&[prefix, path].concat()).into_owned();
        let (old, new) = (prefixed(b"a/", &self.old_path), prefixed(b"b/", &self.new_path));
        let mode = |mode: Mode| format!("{:06o}", mode.0).into_bytes();
        // A mode that stays is at the end of the `index` line, and nowhere else.
        let shared = self.ids.is_some_and(|(_, _, with_mode)| with_mode);

        let mut preamble = self.preamble.to_vec();
        // A preamble cut from another diff may lack the end of its last line.
        if !preamble.is_empty() && preamble.last() != Some(&b'\n') {
            preamble.push(b'\n');
        }
        let body_lines = |out: &mut Vec<u8>| {
            if let Body::Text(hunks) = &self.body {
                for hunk in hunks {
                    out.extend_from_slice(hunk.text);
                    out.push(b'\n');
                }
            }
        };
        line(&[&preamble, b"diff --git ", &old, b" ", &new]);
        match (self.kind, self.old_mode, self.new_mode) {
            // A plain diff says nothing of modes, and then nothing is made up.
            (Kind::Added, _, Some(new)) if !shared => line(&[b"new file mode ", &mode(new)]),
            (Kind::Deleted, Some(old), _) if !shared => line(&[b"deleted file mode ", &mode(old)]),
            (_, old, new) if !shared => {
                old.iter().for_each(|m| line(&[b"old mode ", &mode(*m)]));
                new.iter().for_each(|m| line(&[b"new mode ", &mode(*m)]));
            }
            _ => {}
        }
        if let Some(n) = self.similarity {
            line(&[b"similarity index ", n.to_string().as_bytes(), b"%"]);
        }
        if let Some(n) = self.dissimilarity {
            line(&[b"dissimilarity index ", n.to_string().as_bytes(), b"%"]);
        }
        let moved: Option<&[u8]> = match self.kind {
            Kind::Renamed => Some(b"rename"),
            Kind::Copied => Some(b"copy"),
            Kind::Added | Kind::Deleted | Kind::Modified => None,
        };
        if let Some(word) = moved {
            line(&[word, b" from ", &quote_path(&self.old_path)]);
            line(&[word, b" to ", &quote_path(&self.new_path)]);
        }
        if let Some((old, new, with_mode)) = self.ids {
            // As they were: abbreviated ids stay abbreviated.
            let mode = self.new_mode.filter(|_| with_mode).map(mode);
            line(&[b"index ", old, b"..", new, if mode.is_some() { b" " } else { b"" }, &mode.unwrap_or_default()]);
        }
        match &self.body {
            Body::Unchanged => {}
            Body::Binary(Binary::Differ) => {
                // The missing side is `/dev/null`, whose name has no prefix.
                let old: &[u8] = if self.kind == Kind::Added { b"/dev/null" } else { &old };
                let new: &[u8] = if self.kind == Kind::Deleted { b"/dev/null" } else { &new };
                line(&[b"Binary files ", old, b" and ", new, b" differ"]);
            }
            Body::Binary(Binary::Patch(blocks)) => {
                line(&[b"GIT binary patch"]);
                out.extend_from_slice(blocks);
            }
            Body::Text(_) => {
                // A name with a blank gets a tab after it, so that it can't be mistaken for a time stamp.
                let tab: &[u8] =
                    if self.old_path.contains(&b' ') || self.new_path.contains(&b' ') { b"\t" } else { b"" };
                let tab = |name: &[u8]| if name.starts_with(b"\"") { b"" } else { tab };
                let (none_old, none_new) = (self.kind == Kind::Added, self.kind == Kind::Deleted);
                if none_old {
                    line(&[b"--- /dev/null"])
                } else {
                    line(&[b"--- ", &old, tab(&old)])
                }
                if none_new {
                    line(&[b"+++ /dev/null"])
                } else {
                    line(&[b"+++ ", &new, tab(&new)])
                }
                body_lines(out);
            }
        }
    }
}
