//! The ticket that a change names, and which of its acceptance points the change mentions.

use std::collections::BTreeSet;

use serde::Serialize;

/// An acceptance point of a ticket.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Point {
    /// Its text.
    pub text: String,
    /// Whether its author has ticked it off.
    pub ticked: bool,
    /// What mentions it: `title`, `description`, `commit abc1234`, `name load.open_day`, `test tests/board.py`.
    pub spoken_of_by: Vec<String>,
}

/// Words that are in every sentence.
const COMMON: [&str; 56] = [
    "about", "after", "all", "also", "and", "any", "are", "before", "but", "can", "each", "every", "for", "from",
    "has", "have", "how", "into", "its", "may", "more", "must", "never", "not", "now", "one", "only", "other", "out",
    "own", "per", "see", "shall", "should", "shown", "such", "than", "that", "the", "their", "them", "then", "there",
    "they", "this", "too", "two", "was", "when", "where", "which", "who", "will", "with", "without", "yet",
];

/// The items of a Markdown list (CommonMark 0.31, section 5.3), with what continues them; `[x]` at the beginning says that one
/// is done.
pub(super) fn read(markdown: &str) -> Vec<(String, bool)> {
    let mut points: Vec<(String, bool)> = Vec::new();
    let mut open = false;
    for line in markdown.lines() {
        let text = line.trim();
        let numbered =
            text.split_once(['.', ')']).filter(|(n, _)| !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit()));
        let item =
            text.strip_prefix(['-', '*', '+']).or(numbered.map(|(_, rest)| rest)).filter(|rest| rest.starts_with(' '));
        if let Some(item) = item {
            let item = item.trim();
            let done = item.strip_prefix("[x]").or_else(|| item.strip_prefix("[X]"));
            let text = done.or_else(|| item.strip_prefix("[ ]")).unwrap_or(item).trim();
            points.push((text.to_owned(), done.is_some()));
            open = true;
        } else if open && line.starts_with(' ') && !text.is_empty() {
            if let Some((point, _)) = points.last_mut() {
                point.push(' ');
                point.push_str(text);
            }
        } else {
            open = false;
        }
    }
    points
}

/// For each point, which of the named texts mention it: those that have at least half of its words, and at least two
/// where it has two.
pub fn cover(points: Vec<(String, bool)>, texts: &[(String, String)]) -> Vec<Point> {
    let texts: Vec<(&String, BTreeSet<String>)> = texts.iter().map(|(name, text)| (name, words(text))).collect();
    let cover = |(text, ticked): (String, bool)| {
        let wanted = words(&text);
        let needed = wanted.len().div_ceil(2).max(wanted.len().min(2));
        let speaks = |(_, has): &&(&String, BTreeSet<String>)| needed > 0 && wanted.intersection(has).count() >= needed;
        let spoken_of_by = texts.iter().filter(speaks).map(|(name, _)| (*name).clone()).collect();
        Point { text, ticked, spoken_of_by }
    };
    points.into_iter().map(cover).collect()
}

/// The words of a text or a name, in small letters and without endings, those that are in every sentence left out.
fn words(text: &str) -> BTreeSet<String> {
    let mut parts = vec![String::new()];
    let mut last = ' ';
    for c in text.chars() {
        if !c.is_alphanumeric() || c.is_uppercase() && last.is_lowercase() {
            parts.push(String::new());
        }
        if c.is_alphanumeric() {
            parts.last_mut().into_iter().for_each(|part| part.extend(c.to_lowercase()));
        }
        last = c;
    }
    let kept = parts.into_iter().filter(|word| word.chars().count() > 2 && !COMMON.contains(&word.as_str()));
    kept.map(|word| stem(&word).to_owned()).collect()
}

/// A word without the commonest English endings, so that `sailings` meets `sailing`.
fn stem(word: &str) -> &str {
    let endings = ["ings", "ing", "ies", "ed", "es", "s"];
    endings.iter().find_map(|ending| word.strip_suffix(ending).filter(|rest| rest.chars().count() > 3)).unwrap_or(word)
}

/// The tickets that texts name: `#12`, or capitals and a number such as `FERRY-12`; each once, in the order of the texts.
pub(super) fn tickets<'t>(texts: impl Iterator<Item = &'t str>) -> Vec<String> {
    let mut found: Vec<String> = Vec::new();
    for text in texts {
        for word in text.split(|c: char| !c.is_ascii_alphanumeric() && c != '-' && c != '#' && c != '_') {
            let number =
                |digits: &str| !digits.is_empty() && digits.len() < 10 && digits.bytes().all(|b| b.is_ascii_digit());
            let is_ticket = word.strip_prefix('#').is_some_and(number)
                || word.split_once('-').is_some_and(|(project, digits)| {
                    let capitals = |b: u8| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_';
                    number(digits)
                        && project.len() > 1
                        && project.as_bytes()[0].is_ascii_uppercase()
                        && project.bytes().all(capitals)
                });
            // Names of standards look like tickets.
            let is_standard = ["UTF-", "RFC-", "ISO-", "SHA-", "CVE-"].iter().any(|begin| word.starts_with(begin));
            if is_ticket && !is_standard && !found.iter().any(|known| known == word) {
                found.push(word.to_owned());
            }
        }
    }
    found
}
