//! `file:line:column: severity: message`, the form that compilers write and editors read.

use std::fmt::Write;

use swage_core::baseline::State;

use super::{Document, Purpose};
use crate::terminal::printable;

/// One line a finding: those that count against the change; after `scan` and with `--all`, all that are there.
pub fn format(document: &Document<'_>) -> String {
    let all = document.show_all || document.purpose == Purpose::Scan;
    let mut out = String::new();
    for f in document
        .review
        .findings
        .iter()
        .filter(|f| f.state != State::Absent && f.allowed.is_none() && (all || f.counts_against_change()))
    {
        // What is about the whole change has no file to stand before it.
        let place = f.anchor.as_ref().map(|a| format!("{}: ", printable(&a.to_string()))).unwrap_or_default();
        _ = writeln!(out, "{place}{}: {} [{}]", f.severity, printable(&f.message), f.rule);
    }
    out
}
