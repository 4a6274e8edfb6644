//! Text that is fit for a terminal.

use std::borrow::Cow;
use std::fmt::Display;

use anstyle::{AnsiColor, Style};
use swage_core::rule::Severity;

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

/// The width of the terminal that standard output goes to, or 100 columns.
pub fn width() -> usize {
    terminal_size::terminal_size().map_or(100, |(w, _)| usize::from(w.0)).clamp(40, 200)
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

/// Breaks text into lines of at most so many columns, at blanks.
pub fn wrap(text: &str, columns: usize) -> Vec<String> {
    use unicode_width::UnicodeWidthStr;
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let Some(line) = lines.last_mut() else { break };
        if !line.is_empty() && line.width() + 1 + word.width() > columns {
            lines.push(word.to_owned());
            continue;
        }
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    lines
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
        assert_eq!(wrap("highest-water  at", 6), ["highest-water", "at"]);
        assert_eq!(wrap(" ", 6), [""]);
        assert_eq!([count(0u64, "file"), count(1u64, "file"), count(2u64, "file")], ["0 files", "1 file", "2 files"]);
    }
}
