//! What outside programs found: their reports read, and put in their places.
//!
//! Two forms are read: SARIF 2.1.0, and lines of `file:line:column: severity: message`. A report that isn't wholly of its
//! form, or names a place that isn't there, is refused whole, so that no half of it passes for all.

mod fix;
mod sarif;

use std::borrow::Cow;
use std::sync::OnceLock;

use regex::Regex;

use crate::lang::Language;
use crate::rule::{ReportForm, Rule, Severity};
use crate::scan::{Hit, Lines, Span, decoded, settle};

pub use self::fix::{Region, ReportedFix};

/// A finding of an outside program, as reported by it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reported {
    /// The file, from the root of the tree.
    pub path: Vec<u8>,
    /// First line, 1-based; `None` for the whole file.
    pub start_line: Option<u32>,
    /// First column, 1-based.
    pub start_column: Option<u32>,
    /// Last line, 1-based.
    pub end_line: Option<u32>,
    /// The column after the end, 1-based.
    pub end_column: Option<u32>,
    /// Whether columns count UTF-16 code units rather than characters.
    pub utf16: bool,
    /// How grave the program calls it.
    pub severity: Option<Severity>,
    /// The program's own name for the kind of finding.
    pub id: Option<String>,
    /// What it says.
    pub message: String,
    /// What it would do about it.
    pub fix: Option<ReportedFix>,
}

/// Reads a report. `root` is where the tree lay for the program, which may write whole paths.
///
/// # Errors
/// What in it isn't of the form, and where.
pub fn read_report(form: ReportForm, report: &[u8], root: &str) -> Result<Vec<Reported>, String> {
    match form {
        ReportForm::Sarif => sarif::read(report, root),
        ReportForm::Lines => read_lines(report, root),
    }
}

fn severity(word: &str) -> Option<Severity> {
    match word.to_ascii_lowercase().as_str() {
        "error" | "fatal error" | "fatal" => Some(Severity::Error),
        "warning" => Some(Severity::Warning),
        "note" | "info" | "information" | "hint" | "help" | "none" => Some(Severity::Note),
        _ => None,
    }
}

/// The path from the root of the tree.
fn relative(path: &str, root: &str) -> Result<Vec<u8>, String> {
    let path = path.strip_prefix("file://").unwrap_or(path);
    let inside = match path.strip_prefix(root).filter(|_| !root.is_empty()) {
        Some(inside) if inside.starts_with('/') || root.ends_with('/') => inside.trim_start_matches('/'),
        _ => path,
    };
    let inside = inside.trim_start_matches("./");
    if inside.is_empty() || inside.starts_with('/') || inside.split('/').any(|part| part == "..") {
        return Err(format!("`{path}` is no file of the tree"));
    }
    Ok(inside.as_bytes().to_vec())
}

fn read_lines(report: &[u8], root: &str) -> Result<Vec<Reported>, String> {
    static FORM: OnceLock<Option<Regex>> = OnceLock::new();
    let form = FORM.get_or_init(|| Regex::new(r"^(.+?):(\d+):(?:(\d+):)?\s*([A-Za-z]+(?: error)?)\s*:\s*(.+)$").ok());
    let text = std::str::from_utf8(report).map_err(|e| format!("byte {} of it isn't UTF-8", e.valid_up_to()))?;
    let mut found = Vec::new();
    for (number, line) in (1..).zip(text.lines()) {
        // An indented line goes on with the one before.
        if line.trim().is_empty() || line.starts_with([' ', '\t']) {
            continue;
        }
        let parts = form.as_ref().and_then(|form| form.captures(line));
        let known = parts.as_ref().and_then(|p| severity(&p[4]));
        let (Some(parts), Some(level)) = (parts, known) else {
            let shown: String = line.chars().take(80).collect();
            return Err(format!("line {number} isn't `file:line:column: severity: message`: {shown}"));
        };
        let count = |n: usize| parts.get(n).and_then(|m| m.as_str().parse().ok()).filter(|n| *n > 0);
        let (message, id) = match parts[5].trim_end().strip_suffix(']').and_then(|m| m.rsplit_once(" [")) {
            Some((message, id)) if !id.contains(char::is_whitespace) => (message, Some(id.to_owned())),
            _ => (parts[5].trim_end(), None),
        };
        found.push(Reported {
            path: relative(&parts[1], root)?,
            start_line: count(2),
            start_column: count(3),
            end_line: None,
            end_column: None,
            utf16: false,
            severity: Some(level),
            id,
            message: message.to_owned(),
            fix: None,
        });
    }
    Ok(found)
}

/// Puts what was reported of one file into its places.
///
/// # Errors
/// When a place isn't in the file.
pub fn place(
    reported: &[&Reported],
    rule: &Rule,
    language: Option<&'static Language>,
    content: &[u8],
) -> Result<Vec<Hit>, String> {
    let decoded = decoded(content);
    let lines = Lines::new(&decoded);
    // Edits are made in UTF-8 only.
    let editable = matches!(decoded, Cow::Borrowed(_));
    let mut hits = Vec::with_capacity(reported.len());
    for r in reported {
        let span = match r.start_line {
            None => None,
            Some(line) if line as usize > lines.count().max(1) => {
                let path = String::from_utf8_lossy(&r.path);
                return Err(format!("it names line {line} of {path}, which has {}", lines.count()));
            }
            Some(line) => region(r, line, &lines),
        };
        let text: Vec<u8> = span.map_or_else(Vec::new, |s| {
            s.lines().map(|line| lines.get(line.index() as usize)).collect::<Vec<_>>().join(&b'\n')
        });
        let id = r.id.as_deref().unwrap_or_default();
        let message = rule.say(|gap| match gap {
            "message" => Some(r.message.clone()),
            "id" => Some(id.to_owned()),
            "match" => Some(String::from_utf8_lossy(text.trim_ascii()).into_owned()),
            _ => None,
        });
        // The program's own names distinguish findings of one line.
        let whole = [id.as_bytes(), &text, r.message.as_bytes()].join(&0);
        let rendered = [id.as_bytes(), &text].join(&0);
        let mut hit = Hit::new(rule, message, span, String::new(), &rendered, None);
        hit.exact = crate::digest::text_digest(&whole);
        hit.severity = rule.severity.max(r.severity.unwrap_or(rule.severity));
        hit.fix = r.fix.as_ref().filter(|_| editable).and_then(|fix| fix.proposed(&decoded, &lines, r.utf16));
        hits.push(hit);
    }
    settle(content, language, &mut hits);
    hits.sort_by(|a, b| (a.span, &a.message).cmp(&(b.span, &b.message)));
    hits.dedup_by(|a, b| a.span == b.span && a.message == b.message);
    Ok(hits)
}

/// The reported place in lines and characters, kept inside of the file.
fn region(r: &Reported, line: u32, lines: &Lines<'_>) -> Option<Span> {
    let text = |line: u32| String::from_utf8_lossy(lines.get(line as usize - 1));
    let column = |line: u32, column: u32| {
        let text = text(line);
        let most = text.chars().count() as u32 + 1;
        if !r.utf16 {
            return column.min(most);
        }
        let mut units = 1;
        let before = text.chars().take_while(|c| {
            units += c.len_utf16() as u32;
            units <= column
        });
        (before.count() as u32 + 1).min(most)
    };
    let indent = |line: u32| text(line).chars().take_while(|c| c.is_whitespace()).count() as u32 + 1;
    let end_line = r.end_line.unwrap_or(line).clamp(line, (lines.count() as u32).max(line));
    let start_column = r.start_column.map_or_else(|| indent(line), |c| column(line, c));
    let end_column = match r.end_column {
        Some(c) => column(end_line, c),
        None if r.start_column.is_some() && end_line == line => start_column,
        None => text(end_line).chars().count() as u32 + 1,
    };
    let end_column = if end_line == line { end_column.max(start_column) } else { end_column };
    Span::from_numbers([line, start_column, end_line, end_column])
}
