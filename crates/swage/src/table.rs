//! Tables for people, which become lists where the terminal is too narrow for them.

use std::fmt::Write;

use unicode_width::UnicodeWidthStr;

use crate::terminal::{fit, wrap};

/// What stands for nothing in a cell; a list leaves it out.
pub const NOTHING: &str = "·";
/// What says that the row has what its column is about; in a list, that it does is said by the column's head alone.
pub const YES: &str = "yes";

/// On which side of its column a cell is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Align {
    Left,
    Right,
    /// Left, as the last column: what there is no room for is cut.
    Rest,
}

/// A table with a name in its first column.
pub struct Table {
    heads: Vec<(String, Align, usize)>,
    rows: Vec<Vec<String>>,
    gap: usize,
}

impl Table {
    /// An empty table with this many blanks between its columns, each of which has at least a width.
    pub fn new(gap: usize, heads: impl IntoIterator<Item = (impl Into<String>, Align, usize)>) -> Self {
        let heads = heads.into_iter().map(|(head, align, width)| (head.into(), align, width));
        Self { heads: heads.collect(), rows: Vec::new(), gap }
    }

    /// Adds a row; its cells may be painted.
    pub fn row(&mut self, cells: Vec<String>) {
        self.rows.push(cells);
    }

    /// The table in this many columns; what paints its heads is given. A name that is too long is cut as long as enough of it is left.
    pub fn render(&self, columns: usize, paint: impl Fn(&str) -> String) -> String {
        /// Least columns of a name that are of use.
        const LEAST: usize = 16;
        let mut widths: Vec<usize> = self.heads.iter().map(|(head, _, width)| head.width().max(*width)).collect();
        for row in &self.rows {
            widths.iter_mut().zip(row).for_each(|(width, cell)| *width = (*width).max(shown_width(cell)));
        }
        let is_rest = |index: usize| self.heads[index].1 == Align::Rest;
        let others: usize =
            (1..widths.len()).filter(|index| !is_rest(*index)).map(|index| widths[index] + self.gap).sum();
        let Some(first) = widths.first_mut() else { return String::new() };
        let room = columns.saturating_sub(others);
        if room < LEAST.min(*first) {
            return self.list(columns, paint);
        }
        *first = (*first).min(room);
        let rest = room.saturating_sub(*first + self.gap);
        (1..widths.len()).filter(|index| is_rest(*index)).for_each(|index| widths[index] = widths[index].min(rest));
        let line = |cells: &mut dyn Iterator<Item = &str>| {
            let mut line = String::new();
            for (index, (cell, width)) in cells.zip(&widths).enumerate().filter(|(_, (_, width))| **width > 0) {
                let cell = if shown_width(cell) > *width { fit(cell, *width) } else { cell.into() };
                let blank = " ".repeat(width.saturating_sub(shown_width(&cell)));
                let gap = " ".repeat(if index == 0 { 0 } else { self.gap });
                line += &match self.heads[index].1 {
                    Align::Left | Align::Rest => format!("{gap}{cell}{blank}"),
                    Align::Right => format!("{gap}{blank}{cell}"),
                };
            }
            line.trim_end().to_owned()
        };
        let mut out = format!("{}\n", paint(&line(&mut self.heads.iter().map(|(head, ..)| head.as_str()))));
        for row in &self.rows {
            out += &line(&mut row.iter().map(String::as_str));
            out.push('\n');
        }
        out
    }

    /// The same as a list: the name of each row, and below it what its cells say.
    fn list(&self, columns: usize, paint: impl Fn(&str) -> String) -> String {
        let mut out = String::new();
        for row in &self.rows {
            let mut cells = row.iter();
            let name = cells.next().map_or("", String::as_str);
            let name = if name.is_empty() { String::new() } else { paint(&fit(name, columns)) };
            _ = writeln!(out, "{name}");
            let said = cells.zip(&self.heads[1..]).filter(|(cell, _)| !["", "-", NOTHING].contains(&cell.as_str()));
            let said = said.map(|(cell, (head, ..))| if cell == YES { head.clone() } else { format!("{head} {cell}") });
            let said: Vec<String> = said.collect();
            for line in wrap(&said.join(", "), columns.saturating_sub(2)) {
                _ = writeln!(out, "  {line}");
            }
        }
        out
    }
}

/// The columns that a text takes, its colours left out.
fn shown_width(text: &str) -> usize {
    anstream::adapter::strip_str(text).to_string().width()
}

#[cfg(test)]
mod tests {
    use super::{Align, NOTHING, Table};

    #[test]
    fn tables_become_lists_where_they_do_not_fit() {
        let mut table =
            Table::new(2, [("rule", Align::Left, 4), ("found", Align::Right, 5), ("fixed", Align::Right, 5)]);
        table.row(vec!["a-rule-with-a-long-name".to_owned(), "\u{1b}[1m12\u{1b}[0m".to_owned(), NOTHING.to_owned()]);
        table.row(vec!["潮".to_owned(), "1".to_owned(), "3".to_owned()]);
        let plain = |columns| anstream::adapter::strip_str(&table.render(columns, str::to_owned)).to_string();
        assert_eq!(
            plain(80),
            "rule                     found  fixed\na-rule-with-a-long-name     12      ·\n潮                           1      3\n"
        );
        assert_eq!(
            plain(32),
            "rule                found  fixed\na-rule-with-a-lon…     12      ·\n潮                      1      3\n"
        );
        assert_eq!(plain(20), "a-rule-with-a-long-…\n  found 12\n潮\n  found 1, fixed 3\n");
    }
}
