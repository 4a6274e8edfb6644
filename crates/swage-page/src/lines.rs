//! The lines of a change as HTML. There may be a hundred thousand, so they are written here and not by a template; everything that
//! comes from the change goes through [`escaped`].

use std::collections::{BTreeMap, HashMap};
use std::fmt::Write;

use minijinja::HtmlEscape;
use swage_core::brief::Brief;
use swage_core::invisible::shown;
use swage_core::review::Marker;
use swage_core::sides::Side;
use swage_core::view::{ChangeView, FileView, LineView, Word};

/// Text in which nothing is markup, and nothing invisible but tabs, which copied code needs.
pub fn escaped(text: &str) -> String {
    text.split('\t').map(|piece| HtmlEscape(&shown(piece)).to_string()).collect::<Vec<_>>().join("\t")
}

/// Names, each with the file and the line where it is defined.
type Targets<'a> = BTreeMap<&'a str, (&'a str, u32)>;

/// Writes lines, with links from names to their definitions in the change. A line's element is called `f`, the number of its file,
/// `n` or `o` for the new or the old side, and its number: `f0n12`.
pub struct Lines<'a> {
    /// The files by path, for links.
    numbers: HashMap<&'a str, usize>,
    /// For lines that refer to something: the names, each with where it is defined.
    links: BTreeMap<(&'a str, u32), Targets<'a>>,
}

impl<'a> Lines<'a> {
    /// For the lines of a change; with an overview of it, names lead to where the change defines them.
    pub fn new(view: &'a ChangeView, brief: Option<&'a Brief>) -> Self {
        let mut links: BTreeMap<(&str, u32), Targets<'_>> = BTreeMap::new();
        for use_ in brief.iter().flat_map(|brief| &brief.uses).filter(|use_| use_.in_change) {
            let Some(definition) = brief.and_then(|brief| brief.definitions.get(use_.definition)) else { continue };
            for line in &use_.lines {
                let names = links.entry((&use_.path.text, *line)).or_default();
                names.insert(definition.own_name(), (&definition.path.text, definition.lines.0));
            }
        }
        let numbers = view.files.iter().enumerate().map(|(number, file)| (file.path.text.as_str(), number)).collect();
        Self { numbers, links }
    }

    /// The lines of a file. `below` writes what is below a line of a side, and `address` gives where the number of a line leads.
    pub fn file(
        &self,
        number: usize,
        file: &FileView,
        address: &dyn Fn(Side, u32) -> Option<String>,
        below: &mut dyn FnMut(Side, u32, &mut String),
    ) -> String {
        let mut out = String::new();
        for (index, hunk) in file.hunks.iter().enumerate() {
            if index > 0 {
                out.push_str("<div class=\"gap\">⋯</div>\n");
            }
            for line in hunk {
                self.line(number, file, line, address, &mut out);
                for (side, at) in [(Side::New, line.new), (Side::Old, line.old.filter(|_| line.new.is_none()))] {
                    at.into_iter().for_each(|at| below(side, at, &mut out));
                }
            }
        }
        out
    }

    fn line(
        &self,
        number: usize,
        file: &FileView,
        line: &LineView,
        address: &dyn Fn(Side, u32) -> Option<String>,
        out: &mut String,
    ) {
        let class = match line.marker {
            Marker::Same => "l",
            Marker::Added => "l a",
            Marker::Removed => "l r",
        };
        let id = match (line.new, line.old) {
            (Some(new), _) => format!(" id=\"f{number}n{new}\""),
            (None, Some(old)) => format!(" id=\"f{number}o{old}\""),
            (None, None) => String::new(),
        };
        // A line that stays leads to its place after the change.
        let digits = |side: Side, n: Option<u32>| {
            let n = n.map_or_else(String::new, |n| match address(side, n) {
                Some(to) => format!("<a href=\"{}\">{n}</a>", escaped(&to)),
                None => n.to_string(),
            });
            format!("<i>{n}</i>")
        };
        let old = match line.new {
            Some(_) => format!("<i>{}</i>", line.old.map(|n| n.to_string()).unwrap_or_default()),
            None => digits(Side::Old, line.old),
        };
        _ = write!(out, "<div class=\"{class}\"{id}>{old}{}<code>", digits(Side::New, line.new));
        let links = line.new.and_then(|new| self.links.get(&(file.path.text.as_str(), new)));
        let mut at = 0;
        for word in &line.words {
            self.plain(&line.text[at..word.range.start], links, out);
            let class = match word.word {
                Word::Comment => "c",
                Word::Text => "s",
                Word::Number => "n",
                Word::Keyword => "k",
                Word::Definition => "d",
            };
            _ = write!(out, "<b class=\"{class}\">{}</b>", escaped(&line.text[word.range.clone()]));
            at = word.range.end;
        }
        self.plain(&line.text[at..], links, out);
        out.push_str("</code></div>\n");
    }

    /// Text between the words, in which names that the change defines are links.
    fn plain(&self, text: &str, links: Option<&Targets<'_>>, out: &mut String) {
        let Some(links) = links else { return out.push_str(&escaped(text)) };
        let mut rest = text;
        while !rest.is_empty() {
            let is_part = |c: char| c.is_alphanumeric() || c == '_';
            let end = rest.find(is_part).unwrap_or(rest.len());
            out.push_str(&escaped(&rest[..end]));
            rest = &rest[end..];
            let end = rest.find(|c| !is_part(c)).unwrap_or(rest.len());
            let (word, after) = rest.split_at(end);
            let target = links.get(word).and_then(|(path, line)| Some((*self.numbers.get(path)?, *line)));
            match target {
                Some((file, line)) => _ = write!(out, "<a href=\"#f{file}n{line}\">{}</a>", escaped(word)),
                None => out.push_str(&escaped(word)),
            }
            rest = after;
        }
    }
}
