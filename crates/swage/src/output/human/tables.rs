//! Findings counted by rule and by file.

use std::collections::BTreeMap;

use swage_core::review::Finding;

use super::Page;
use crate::output::{Document, Purpose};
use crate::table::{Align, NOTHING, Table};
use crate::terminal::printable;

/// A column of a table of findings.
struct Column {
    /// What it counts: a state of findings, or a severity.
    name: &'static str,
    width: usize,
    tone: Tone,
}

/// How a figure is painted.
#[derive(Clone, Copy)]
enum Tone {
    Bad,
    Good,
    Plain,
}

const OF_A_CHANGE: [Column; 5] = [
    Column { name: "new", width: 9, tone: Tone::Bad },
    Column { name: "fixed", width: 9, tone: Tone::Good },
    Column { name: "unchanged", width: 11, tone: Tone::Plain },
    Column { name: "worse", width: 7, tone: Tone::Bad },
    Column { name: "improved", width: 10, tone: Tone::Good },
];

const OF_A_TREE: [Column; 3] = [
    Column { name: "error", width: 9, tone: Tone::Bad },
    Column { name: "warning", width: 10, tone: Tone::Bad },
    Column { name: "note", width: 7, tone: Tone::Plain },
];

impl Page<'_> {
    /// Per rule and per file: new, fixed, unchanged, worse, improved.
    pub(super) fn tables(&self, document: &Document<'_>, out: &mut String) {
        self.table("rule", document, |f| f.rule.to_string(), out);
        self.table("file", document, |f| f.path().map_or_else(|| "the change".to_owned(), |p| p.text.clone()), out);
    }

    pub(super) fn table(
        &self,
        title: &str,
        document: &Document<'_>,
        name: impl Fn(&Finding) -> String,
        out: &mut String,
    ) {
        let columns = if document.purpose == Purpose::Scan { &OF_A_TREE[..] } else { &OF_A_CHANGE };
        let mut rows: BTreeMap<String, Vec<u64>> = BTreeMap::new();
        for f in self.review.findings.iter().filter(|f| f.is_open() && document.shown.has(f)) {
            let row = rows.entry(printable(&name(f)).into_owned()).or_insert_with(|| vec![0; columns.len()]);
            let word = if document.purpose == Purpose::Scan { f.severity.word() } else { f.state_word() };
            columns.iter().position(|column| column.name == word).into_iter().for_each(|at| row[at] += 1);
        }
        if rows.is_empty() {
            return;
        }
        let heads = columns.iter().map(|column| (column.name, Align::Right, column.width));
        let mut table = Table::new(0, std::iter::once((title, Align::Left, 4)).chain(heads));
        for (name, row) in rows {
            let cells = columns.iter().zip(row).map(|(column, n)| match (n, column.tone) {
                (0, _) => NOTHING.to_owned(),
                (n, Tone::Bad) => self.paint.gone(n),
                (n, Tone::Good) => self.paint.good(n),
                (n, Tone::Plain) => n.to_string(),
            });
            table.row(std::iter::once(name).chain(cells).collect());
        }
        out.push_str(&table.render(self.width, |head| self.paint.strong(head)));
        out.push('\n');
    }
}
