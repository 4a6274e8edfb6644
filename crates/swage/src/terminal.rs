//! Text that is fit for a terminal.

use std::borrow::Cow;
use std::fmt::Display;

use anstyle::{AnsiColor, Style};
use swage_core::rule::Severity;
use textwrap::{Options, WordSeparator, WordSplitter};

pub use swage_core::invisible::shown as printable;

/// Styles; what prints them strips them where they aren't wanted.
#[derive(Debug, Clone, Copy)]
pub struct Paint;

impl Paint {
    fn with(self, style: Style, text: impl Display) -> String {
        format!("{style}{text}{style:#}")
    }

    /// Something that is wrong.
    pub fn error(self, text: impl Display) -> String {
        self.with(AnsiColor::Red.on_default().bold(), text)
    }

    /// Something to look at.
    pub fn warning(self, text: impl Display) -> String {
        self.with(AnsiColor::Yellow.on_default().bold(), text)
    }

    /// Something worth knowing.
    pub fn note(self, text: impl Display) -> String {
        self.with(AnsiColor::Cyan.on_default().bold(), text)
    }

    /// Something good, or added.
    pub fn good(self, text: impl Display) -> String {
        self.with(AnsiColor::Green.on_default(), text)
    }

    /// Something that goes.
    pub fn gone(self, text: impl Display) -> String {
        self.with(AnsiColor::BrightRed.on_default(), text)
    }

    /// What a reader may pass over.
    pub fn faint(self, text: impl Display) -> String {
        self.with(Style::new().dimmed(), text)
    }

    /// What a reader looks for.
    pub fn strong(self, text: impl Display) -> String {
        self.with(Style::new().bold(), text)
    }

    /// A severity in its colour.
    pub fn severity(self, severity: Severity, text: impl Display) -> String {
        match severity {
            Severity::Error => self.error(text),
            Severity::Warning => self.warning(text),
            Severity::Note => self.note(text),
        }
    }
}

/// The width of the terminal that is written to, when it is one.
pub fn terminal_width() -> Option<usize> {
    terminal_size::terminal_size().map(|(w, _)| usize::from(w.0).clamp(40, 200))
}

/// The width of the terminal that is written to, or 100 columns.
pub fn width() -> usize {
    terminal_width().unwrap_or(100)
}

/// Cuts a line to a number of columns.
pub fn fit(text: &str, columns: usize) -> Cow<'_, str> {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
    if text.width() <= columns {
        return Cow::Borrowed(text);
    }
    let mut used = 1;
    let mut out = String::new();
    for c in text.chars() {
        used += c.width().unwrap_or(0);
        if used > columns {
            break;
        }
        out.push(c);
    }
    out.push('…');
    Cow::Owned(out)
}

/// Breaks text into lines of at most this many columns, at blanks; a word that is longer is broken, too.
pub fn wrap(text: &str, columns: usize) -> Vec<String> {
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    textwrap::wrap(&text, options(columns)).into_iter().map(Cow::into_owned).collect()
}

/// Text for people with no line longer than this many columns: what goes on is a little further in than its line.
pub fn fitted(text: &str, columns: usize) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let (line, end) = line.strip_suffix('\n').map_or((line, ""), |line| (line, "\n"));
        if textwrap::core::display_width(line) <= columns {
            out += line;
        } else {
            let indent = line.len() - line.trim_start_matches(' ').len();
            let further = " ".repeat((indent + 2).min(columns / 3));
            out += &textwrap::fill(line, options(columns).subsequent_indent(&further));
        }
        out += end;
    }
    out
}

fn options<'a>(columns: usize) -> Options<'a> {
    Options::new(columns.max(1)).word_separator(WordSeparator::AsciiSpace).word_splitter(WordSplitter::NoHyphenation)
}

/// `1 file`, `2 files`.
pub fn count(n: impl TryInto<u64>, what: &str) -> String {
    let n = n.try_into().unwrap_or(u64::MAX);
    format!("{n} {what}{}", if n == 1 { "" } else { "s" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_made_fit_for_a_terminal() {
        let cut = [
            ("berth", 5, "berth"),
            ("berths", 5, "bert…"),
            // A wide sign takes two columns, one that joins takes none.
            ("港港港", 6, "港港港"),
            ("港港港", 5, "港港…"),
            ("港港港", 4, "港…"),
            ("e\u{301}e\u{301}e\u{301}", 2, "e\u{301}…"),
            ("berth", 0, "…"),
        ];
        for (text, columns, expected) in cut {
            assert_eq!(fit(text, columns), expected, "{text:?} in {columns}");
        }
        assert_eq!(wrap("high water at the quay", 10), ["high water", "at the", "quay"]);
        assert_eq!(wrap("highest-water  at", 6), ["highes", "t-wate", "r at"]);
        assert_eq!(fitted("one two three\n  four five\nsix\n", 9), "one two\n  three\n  four\n   five\nsix\n");
        assert_eq!(wrap(" ", 6), [""]);
        assert_eq!([count(0u64, "file"), count(1u64, "file"), count(2u64, "file")], ["0 files", "1 file", "2 files"]);
    }
}
