//! Why a diff was refused.

use std::fmt;

/// What the reader wanted to see where it stopped.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Expected {
    /// More lines of a hunk: how many of the old and of the new side.
    HunkLines {
        /// Old lines that are missing.
        old: u32,
        /// New lines that are missing.
        new: u32,
    },
    /// The end of the hunk: its header promises no further line of this kind.
    HunkEnd,
    /// A line marker (blank, `+`, `-` or `\`).
    Marker,
    /// A hunk header such as `@@ -1,2 +3,4 @@`.
    HunkHeader,
    /// A hunk after the one before it, not across or in front of it.
    LaterHunk,
    /// A `+++` line.
    NewName,
    /// A `---` line or a `diff` line in front of a hunk.
    FileHeader,
    /// A path that can be read from this header.
    Path,
    /// A block of a `GIT binary patch`.
    BinaryBlock,
    /// The rest of a block of a binary patch.
    WholeBinaryBlock,
    /// Header lines that end in LF or CR LF.
    LineEnds,
    /// A unified diff; this is a combined (merge) diff.
    NotCombined,
    /// A unified diff; this is a context diff.
    NotContext,
    /// A unified diff; there is none in here.
    AnyDiff,
    /// At most this many bytes.
    AtMostBytes(u64),
}

impl fmt::Display for Expected {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::HunkLines { old, new } => {
                write!(f, "the hunk still lacks {old} old and {new} new lines that its header promises")
            }
            Self::HunkEnd => f.write_str("the hunk has more lines here than its header promises"),
            Self::Marker => f.write_str("expected a line that begins with a blank, `+`, `-` or `\\`"),
            Self::HunkHeader => f.write_str("expected a hunk header such as `@@ -1,2 +3,4 @@`"),
            Self::LaterHunk => f.write_str("hunks are out of order or overlap"),
            Self::NewName => f.write_str("expected a `+++` line after the `---` line"),
            Self::FileHeader => f.write_str("expected a `---` or `diff` line before this hunk: it belongs to no file"),
            Self::Path => f.write_str("the two paths of this header can't be separated"),
            Self::BinaryBlock => f.write_str("expected a `literal` or `delta` block of a binary patch"),
            Self::WholeBinaryBlock => f.write_str("this block of a binary patch is cut or damaged: it doesn't inflate to the size that it promises"),
            Self::LineEnds => f.write_str("lines must end in LF or CR LF, and here is a CR inside of one"),
            // Both forms can be made from what the reader has, so the error says how.
            Self::NotCombined => f.write_str("this is a combined diff of a merge; give the diff against one parent, such as `git diff FIRST..SECOND` makes"),
            Self::NotContext => f.write_str("this is a context diff; make it with `diff -u`"),
            Self::AnyDiff => f.write_str("there is no unified diff in here"),
            Self::AtMostBytes(n) => write!(f, "the limit is {n} bytes"),
        }
    }
}

/// Where and why reading a diff stopped. Nothing of the diff is used then.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DiffError {
    /// The file whose part it is, as far as it was known.
    pub file: Option<String>,
    /// Byte offset from the start of the diff, 0-based.
    pub offset: usize,
    /// Line of the diff, 1-based.
    pub line: usize,
    /// What was wanted.
    pub expected: Expected,
    /// What was there, cut to 80 characters.
    pub found: String,
}

impl fmt::Display for DiffError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "line {} (byte {})", self.line, self.offset)?;
        if let Some(file) = self.file.as_ref().filter(|file| !file.is_empty()) {
            write!(f, ", in the part about {file}")?;
        }
        write!(f, ": {}", self.expected)?;
        if !self.found.is_empty() {
            write!(f, "; found `{}`", self.found)?;
        }
        Ok(())
    }
}

impl std::error::Error for DiffError {}
