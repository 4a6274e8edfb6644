//! What a unified diff says, as values that borrow from its bytes.

use std::borrow::Cow;
use std::collections::HashSet;

/// A whole diff: one patch for plain diffs, one a commit or a mail for series.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Diff<'a> {
    /// The patches in the order in which they are.
    pub patches: Vec<Patch<'a>>,
}

impl<'a> Diff<'a> {
    /// All files of all patches, in order.
    pub fn files(&self) -> impl Iterator<Item = &FileDiff<'a>> {
        self.patches.iter().flat_map(|p| &p.files)
    }

    /// Whether a file is in several patches, or twice in one of a log without anything between its commits, so that
    /// the order of the patches matters.
    pub fn is_series(&self) -> bool {
        self.patches.len() > 1 || self.steps().len() > 1
    }

    /// The files in the patches that they must belong to: where one comes again that a patch has touched, or text is
    /// between two files that no program writes there, the next patch begins.
    pub fn steps(&self) -> Vec<Vec<&FileDiff<'a>>> {
        let mut steps: Vec<Vec<&FileDiff<'a>>> = Vec::new();
        for patch in &self.patches {
            let mut touched: HashSet<&[u8]> = HashSet::new();
            let mut step: Vec<&FileDiff<'a>> = Vec::new();
            // A log without messages shows the commits one after the other; a path that comes again proves the next one.
            for file in &patch.files {
                let again = step.iter().any(|earlier| !file.may_stand_beside(earlier));
                let next = [&file.old_path, &file.new_path].iter().any(|path| touched.contains(path.as_ref())) && again;
                if next || !step.is_empty() && file.begins_a_commit() {
                    steps.push(std::mem::take(&mut step));
                    touched.clear();
                }
                touched.extend([file.old_path.as_ref(), file.new_path.as_ref()]);
                step.push(file);
            }
            steps.push(step);
        }
        steps.retain(|step| !step.is_empty());
        steps
    }

    /// How many leading folders all paths share.
    pub fn shared_folders(&self) -> usize {
        let folders = |path: &[u8]| path.iter().filter(|b| **b == b'/').count();
        let mut paths = self.files().flat_map(|f| [f.old_path.as_ref(), f.new_path.as_ref()]);
        let Some(first) = paths.next() else { return 0 };
        // Components that agree from the left on.
        let same = |a: &[u8], b: &[u8]| {
            let pairs = a.split(|b| *b == b'/').zip(b.split(|b| *b == b'/'));
            pairs.take_while(|(a, b)| a == b).count()
        };
        paths.fold(folders(first), |shared, path| shared.min(same(first, path)).min(folders(path)))
    }

    /// The same with this many leading components taken off every path; `None` when one has too few.
    pub fn without_leading(&self, components: usize) -> Option<Self> {
        let cut = |path: &Cow<'a, [u8]>| -> Option<Cow<'a, [u8]>> {
            let at = memchr::memchr_iter(b'/', path).nth(components.checked_sub(1)?)? + 1;
            Some(match path {
                Cow::Borrowed(path) => Cow::Borrowed(&path[at..]),
                Cow::Owned(path) => Cow::Owned(path[at..].to_vec()),
            })
        };
        let mut diff = self.clone();
        for file in diff.patches.iter_mut().flat_map(|patch| &mut patch.files) {
            (file.old_path, file.new_path) = (cut(&file.old_path)?, cut(&file.new_path)?);
        }
        Some(diff)
    }

    /// True when the patches are newest first, as a commit log prints them.
    pub fn newest_first(&self) -> bool {
        self.patches.len() > 1
            && self.patches[0]
                .files
                .first()
                .is_some_and(|f| f.preamble.starts_with(b"commit ") || f.preamble.starts_with(b"changeset: "))
    }
}

/// The files of one commit, one mail, or of the whole diff.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Patch<'a> {
    /// The files in the order in which they are.
    pub files: Vec<FileDiff<'a>>,
    /// What follows the last file: a mail signature, a property block, a message without files.
    pub trailer: &'a [u8],
}

/// What happens to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Kind {
    /// It is new.
    Added,
    /// It goes away.
    Deleted,
    /// Its content or its mode changes.
    Modified,
    /// It moves, and may change on the way.
    Renamed,
    /// It is made from another one that stays.
    Copied,
}

impl Kind {
    /// The word for it in files and output.
    pub fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Deleted => "deleted",
            Self::Modified => "modified",
            Self::Renamed => "renamed",
            Self::Copied => "copied",
        }
    }
}

/// A file mode in git's form, such as `100644`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Mode(pub u32);

impl Mode {
    /// True for a symbolic link, whose content is its target.
    pub fn is_symlink(self) -> bool {
        self.0 == 0o120_000
    }
    /// True for a submodule, whose content is a commit id.
    pub fn is_gitlink(self) -> bool {
        self.0 == 0o160_000
    }
}

/// One file of a patch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileDiff<'a> {
    /// Whatever is between the file before this one and this one's header, verbatim. For a patch's
    /// first file: the commit message, the mail's headers and so on.
    pub preamble: &'a [u8],
    /// What happens to the file.
    pub kind: Kind,
    /// Its path before, without the diff's prefix and unquoted. For an added file: its path after.
    pub old_path: Cow<'a, [u8]>,
    /// Its path after. For a deleted file: its path before.
    pub new_path: Cow<'a, [u8]>,
    /// Its mode before, when the diff has it.
    pub old_mode: Option<Mode>,
    /// Its mode after, when the diff has it.
    pub new_mode: Option<Mode>,
    /// For renames and copies: how alike the two are, in per cent.
    pub similarity: Option<u8>,
    /// For a rewrite: how unlike the two are, in per cent.
    pub dissimilarity: Option<u8>,
    /// The two blob ids (perhaps abbreviated) of git's `index` line, and whether the mode was there.
    pub ids: Option<(&'a [u8], &'a [u8], bool)>,
    /// What happens to the content.
    pub body: Body<'a>,
    /// The header lines ended in CR LF, so a mailer or an editor may have put CRs at the ends of the content's lines too.
    pub crlf: bool,
}

impl FileDiff<'_> {
    /// Whether it comes without git's headers, so that it says little about what becomes of the file.
    pub fn is_plain(&self) -> bool {
        self.ids.is_none() && self.old_mode.is_none() && self.new_mode.is_none() && self.similarity.is_none()
    }

    /// The hunks; none for a binary file or one whose content stays.
    pub fn hunks(&self) -> &[Hunk<'_>] {
        match &self.body {
            Body::Text(hunks) => hunks,
            Body::Unchanged | Body::Binary(_) => &[],
        }
    }

    /// Added and removed lines, in that order.
    pub fn line_counts(&self) -> (usize, usize) {
        let mut counts = (0, 0);
        for line in self.hunks().iter().flat_map(Hunk::lines) {
            match line.kind {
                LineKind::Added => counts.0 += 1,
                LineKind::Removed => counts.1 += 1,
                LineKind::Context => {}
            }
        }
        counts
    }

    /// Whether a patch may hold both files although they share a path: one goes and the other comes, as when a file becomes
    /// a link or two trade names, or one is a copy.
    fn may_stand_beside(&self, earlier: &FileDiff<'_>) -> bool {
        // One file is before the other in the patch, but both describe the same step: they may meet on one side each.
        let (same_old, same_new) = (self.old_path == earlier.old_path, self.new_path == earlier.new_path);
        // Frees its old path.
        let leaves = |f: &FileDiff<'_>| matches!(f.kind, Kind::Deleted | Kind::Renamed);
        // Takes its new path.
        let comes = |f: &FileDiff<'_>| matches!(f.kind, Kind::Added | Kind::Renamed | Kind::Copied);
        let copies = self.kind == Kind::Copied || earlier.kind == Kind::Copied;
        let differ = self.is_gitlink() != earlier.is_gitlink()
            || self.new_mode.or(self.old_mode).is_some_and(Mode::is_symlink)
                != earlier.new_mode.or(earlier.old_mode).is_some_and(Mode::is_symlink);
        match (same_old, same_new) {
            // A change of type is reported as two.
            (true, true) => differ && (leaves(self) && comes(earlier) || comes(self) && leaves(earlier)),
            // Two take from the same file: copies may, and a rename may when the other only removes it.
            (true, false) => copies || leaves(self) && comes(earlier) && self.kind != earlier.kind,
            // Two end at the same path: one has to go first.
            (false, true) => leaves(self) && comes(earlier) || comes(self) && leaves(earlier),
            (false, false) => {
                let (into, out) = (self.new_path == earlier.old_path, self.old_path == earlier.new_path);
                !out && (!into || leaves(earlier) || copies) || out && (into || leaves(self)) || copies
            }
        }
    }

    /// Whether what is before the file is more than programs write between the files of one commit.
    fn begins_a_commit(&self) -> bool {
        self.preamble.split(|b| *b == b'\n').map(<[u8]>::trim_ascii).any(|line| {
            // Words that git, GNU diff and other systems write between files, and lines of their tables of properties.
            // Anything else is taken for the message of a commit.
            let known = [
                &b"diff "[..],
                b"Index: ",
                b"=====",
                b"Only in ",
                b"Binary file",
                b"Cannot display",
                b"svn:",
                b"____",
                b"Property ",
                b"Added: ",
                b"Modified: ",
                b"Deleted: ",
                b"Name: ",
                b"## ",
                b"+",
                b"-",
                b"\\",
                b"Submodule ",
                b">",
                b"<",
                b"Common subdirectories",
                b"File ",
            ];
            !line.is_empty() && !known.iter().any(|start| line.starts_with(start))
        })
    }

    /// True for a submodule on either side.
    pub fn is_gitlink(&self) -> bool {
        self.old_mode.or(self.new_mode).is_some_and(Mode::is_gitlink) || self.new_mode.is_some_and(Mode::is_gitlink)
    }
}

/// What happens to a file's content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Body<'a> {
    /// Nothing: a pure rename, a mode change, an empty file that comes or goes.
    Unchanged,
    /// Lines change. Hunks are in order and don't overlap.
    Text(Vec<Hunk<'a>>),
    /// Bytes change that aren't lines.
    Binary(Binary<'a>),
}

/// How a diff shows a binary change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Binary<'a> {
    /// Only that the two differ.
    Differ,
    /// A `GIT binary patch`: its blocks, verbatim, from the first `literal` or `delta` line on.
    Patch(&'a [u8]),
}

/// A run of changed lines with the lines around them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hunk<'a> {
    /// First old line, 1-based; when `old_lines` is 0, the line after which the new ones go (0: the start).
    pub old_start: u32,
    /// How many old lines the hunk covers.
    pub old_lines: u32,
    /// First new line, 1-based; when `new_lines` is 0, the line after which the old ones were.
    pub new_start: u32,
    /// How many new lines the hunk covers.
    pub new_lines: u32,
    /// The hunk from its `@@` to the end of its last line, without that line's LF.
    pub(super) text: &'a [u8],
    /// Where in `text` the body begins.
    pub(super) body_at: u32,
}

impl<'a> Hunk<'a> {
    /// Its header line, from `@@` on.
    pub fn header(&self) -> &'a [u8] {
        self.text[..self.body_at as usize].trim_ascii_end()
    }

    /// The body's lines, with their markers and without the LF after the last.
    pub fn body(&self) -> &'a [u8] {
        &self.text[self.body_at as usize..]
    }

    /// The body's lines in order.
    pub fn lines(&self) -> impl Iterator<Item = HunkLine<'a>> + use<'a> {
        // The body of a hunk without lines is empty, and an empty text would be one empty line.
        let mut rest = if self.old_lines == 0 && self.new_lines == 0 { None } else { Some(self.body()) };
        std::iter::from_fn(move || {
            let bytes = rest?;
            let (line, tail) = split_line(bytes);
            let (kind, text) = match line.first() {
                Some(b'+') => (LineKind::Added, &line[1..]),
                Some(b'-') => (LineKind::Removed, &line[1..]),
                Some(b' ') => (LineKind::Context, &line[1..]),
                // Some programs strip the blank of an empty context line.
                _ => (LineKind::Context, line),
            };
            let mut newline = true;
            rest = tail;
            // `\ No newline at end of file`, in whatever language: it belongs to the line before.
            if let Some(b'\\') = tail.and_then(|t| t.first()) {
                newline = false;
                rest = split_line(tail.unwrap_or_default()).1;
            }
            Some(HunkLine { kind, text, newline })
        })
    }
}

/// Splits off the first line; the rest is `None` after the last one.
fn split_line(bytes: &[u8]) -> (&[u8], Option<&[u8]>) {
    match memchr::memchr(b'\n', bytes) {
        Some(at) => (&bytes[..at], Some(&bytes[at + 1..])),
        None => (bytes, None),
    }
}

/// Which side of the change a hunk's line is on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum LineKind {
    /// On both.
    Context,
    /// On the old side.
    Removed,
    /// On the new side.
    Added,
}

/// One line of a hunk.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct HunkLine<'a> {
    /// Its side.
    pub kind: LineKind,
    /// Its text without marker and LF; a CR at its end belongs to the text.
    pub text: &'a [u8],
    /// False when the file ends after this line without an LF.
    pub newline: bool,
}
