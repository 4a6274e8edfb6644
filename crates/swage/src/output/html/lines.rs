//! The lines of a change as HTML. There may be a hundred thousand, so they are written here and not by the template; everything that
//! comes from the change goes through [`escaped`].

use std::collections::{BTreeMap, HashMap};
use std::fmt::Write;

use minijinja::HtmlEscape;
use swage_core::invisible::shown;
use swage_core::review::{Finding, Marker, Review, Side};
use swage_core::view::{FileView, LineView, Word};

use super::Page;

/// Text in which nothing is markup, and nothing invisible but tabs, which whoever copies code wants to have.
fn escaped(text: &str) -> String {
    text.split('\t').map(|piece| HtmlEscape(&shown(piece)).to_string()).collect::<Vec<_>>().join("\t")
}

/// Names, each with the file and the line where it is defined.
type Targets<'a> = BTreeMap<&'a str, (&'a str, u32)>;

/// Writes lines with the findings that stand at them, and with links to definitions of the change.
pub struct Lines<'a> {
    review: &'a Review,
    /// The findings by path, side and last line.
    placed: HashMap<(&'a str, Side, u32), Vec<&'a Finding>>,
    /// The files by path, for links.
    numbers: HashMap<&'a str, usize>,
    /// For lines that refer to something: the names, each with where it is defined.
    links: BTreeMap<(&'a str, u32), Targets<'a>>,
}

impl<'a> Lines<'a> {
    pub fn new(review: &'a Review, page: &'a Page, placed: HashMap<(&'a str, Side, u32), Vec<&'a Finding>>) -> Self {
        let mut links: BTreeMap<(&str, u32), Targets<'_>> = BTreeMap::new();
        let brief = page.brief.as_ref();
        for use_ in brief.iter().flat_map(|brief| &brief.uses).filter(|use_| use_.in_change) {
            let Some(definition) = brief.and_then(|brief| brief.definitions.get(use_.definition)) else { continue };
            for line in &use_.lines {
                let names = links.entry((&use_.path.text, *line)).or_default();
                names.insert(definition.own_name(), (&definition.path.text, definition.lines.0));
            }
        }
        let numbers = page.view.files.iter().enumerate();
        let numbers = numbers.map(|(number, file)| (file.path.text.as_str(), number)).collect();
        Self { review, placed, numbers, links }
    }

    /// The lines of a file; the keys of findings that are shown at them are added to `in_place`.
    pub fn file(&self, number: usize, file: &FileView, in_place: &mut Vec<&'a str>) -> String {
        let mut out = String::new();
        for (index, hunk) in file.hunks.iter().enumerate() {
            if index > 0 {
                out.push_str("<div class=\"gap\">⋯</div>\n");
            }
            for line in hunk {
                self.line(number, file, line, &mut out);
                for (side, at) in [(Side::New, line.new), (Side::Old, line.old.filter(|_| line.new.is_none()))] {
                    let own = at.and_then(|at| self.placed.get(&(file.path.text.as_str(), side, at)));
                    for f in own.into_iter().flatten() {
                        in_place.push(&f.key);
                        self.finding(f, &mut out);
                    }
                }
            }
        }
        out
    }

    fn line(&self, number: usize, file: &FileView, line: &LineView, out: &mut String) {
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
        let digits = |n: Option<u32>| n.map(|n| n.to_string()).unwrap_or_default();
        _ = write!(out, "<div class=\"{class}\"{id}><i>{}</i><i>{}</i><code>", digits(line.old), digits(line.new));
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
            let (word, behind) = rest.split_at(end);
            let target = links.get(word).and_then(|(path, line)| Some((*self.numbers.get(path)?, *line)));
            match target {
                Some((file, line)) => _ = write!(out, "<a href=\"#f{file}n{line}\">{}</a>", escaped(word)),
                None => out.push_str(&escaped(word)),
            }
            rest = behind;
        }
    }

    /// A finding below its line; the list above has its help.
    fn finding(&self, f: &Finding, out: &mut String) {
        let (severity, key) = (f.severity.word(), escaped(&f.key));
        _ = write!(
            out,
            "<div class=\"f {severity}\" id=\"k{key}\" data-rule=\"{rule}\"><strong>{severity}</strong> {message} <a href=\"#i{key}\">{rule}</a>",
            rule = escaped(&f.rule),
            message = escaped(&f.message),
        );
        if let Some(help) = self.review.rule(&f.rule).and_then(|rule| rule.help.as_deref()) {
            _ = write!(out, "<details><summary>Help</summary><p>{}</p></details>", escaped(help));
        }
        out.push_str("</div>\n");
    }
}

/// The code around a finding that has no place in the change's lines.
pub fn excerpt(f: &Finding) -> String {
    let mut out = String::new();
    for line in &f.excerpt {
        let class = match line.marker {
            Marker::Same => "l",
            Marker::Added => "l a",
            Marker::Removed => "l r",
        };
        let digits = |n: Option<u32>| n.map(|n| n.to_string()).unwrap_or_default();
        let text = escaped(&line.text);
        _ = writeln!(
            out,
            "<div class=\"{class}\"><i>{}</i><i>{}</i><code>{text}</code></div>",
            digits(line.old),
            digits(line.new)
        );
    }
    out
}
