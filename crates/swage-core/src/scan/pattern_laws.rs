//! Laws of code patterns, held on code that nobody wrote for them.
//!
//! A piece of code is a node that a person could copy: an expression, a statement, a definition, a pair. Used as a pattern,
//! it must match where it came from, whatever white space is in it; a hole for any complete part of it takes exactly
//! that part; a run takes any number of siblings; and with one character of a token changed it doesn't match there.
//!
//! The code is that of the examples of all packs and, where cargo's cache of published crates is at hand, of those. For
//! figures by language over other code: `SWAGE_LAWS=FOLDER cargo test --release -p swage-core laws -- --nocapture`, with as
//! many pieces for each language as `SWAGE_LAW_PIECES` says.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "the laws are held to files, and figures are printed"
)]

mod pieces;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use tree_sitter::Node;

use self::pieces::{Dice, File, Files, Outcome, Piece, add, outcome, pieces, walk};
use crate::config::packs::PACKS;
use crate::lang::{Class, LANGUAGES, Language, parse};
use crate::pattern::{Hole, is_irrelevant, preorder};

/// How often a law was tried and held, with a few cases where it didn't.
#[derive(Default)]
struct Law {
    tried: usize,
    held: usize,
    failures: Vec<String>,
}

impl Law {
    /// Counts a try; `describe` describes one that failed.
    fn note(&mut self, held: bool, describe: impl FnOnce() -> String) {
        self.tried += 1;
        if held { self.held += 1 } else { self.failures.push(describe()) }
    }

    /// Between 0 and 1; 1 when nothing was tried.
    fn share(&self) -> f64 {
        if self.tried == 0 { 1.0 } else { self.held as f64 / self.tried as f64 }
    }
}

/// The laws, in the order in which they are counted.
const NAMES: [&str; 6] = ["own text", "white space", "hole", "run", "repeated hole", "changed character"];

/// A hole without conditions.
fn hole(name: &str, many: bool) -> Hole {
    Hole { name: name.to_owned(), many, text: None, stands_for: None, node: None, varies: None }
}

/// Holds all laws to some pieces of a language.
fn hold(files: &[File], language: &'static Language, count: usize, dice: &mut Dice) -> [Law; 6] {
    let mut laws: [Law; 6] = Default::default();
    for piece in pieces(files, language, count, dice) {
        let describe =
            |what: &str, text: &str| format!("{what} {} of {}: {text:?}", piece.node.kind(), piece.file.path);
        let own = outcome(&piece.text, &[], &piece, language);
        let held = matches!(own, Outcome::Matches(_));
        laws[0].note(held, || describe(if own == Outcome::Silent { "silent" } else { "refused" }, &piece.text));
        // Of a piece that doesn't match itself nothing more can be asked.
        if !held {
            continue;
        }
        if let Some(text) = changed(&piece, language, dice) {
            let other = outcome(&text, &[], &piece, language);
            laws[5].note(!matches!(other, Outcome::Matches(_)), || describe("matches", &text));
        }
        if let Some(text) = spaced(&piece, language) {
            let other = outcome(&text, &[], &piece, language);
            laws[1].note(matches!(other, Outcome::Matches(_)), || describe("lost", &text));
        }
        // One part of it, drawn, becomes a hole; then all parts with the same text.
        let parts = parts(&piece);
        if !parts.is_empty() {
            let part = parts[dice.roll(parts.len())];
            if takes_a_name(&piece, part, language)
                && let Some(text) = with_hole(&piece, &[part], "QZ")
            {
                let found = outcome(&text, &[hole("QZ", false)], &piece, language);
                let right = matches!(&found, Outcome::Matches(bound) if taken(bound, &part.byte_range(), &piece));
                laws[2].note(right, || describe(&format!("{found:?}"), &text));
            }
            let source = |n: &Node<'_>| &piece.file.source[n.byte_range()];
            let same: Vec<Node<'_>> = parts.iter().filter(|n| source(n) == source(&part)).copied().collect();
            let apart = same.windows(2).all(|pair| pair[0].end_byte() <= pair[1].start_byte());
            if same.len() > 1
                && apart
                && takes_a_name(&piece, part, language)
                && let Some(text) = with_hole(&piece, &same, "QZ")
            {
                let found = outcome(&text, &[hole("QZ", false)], &piece, language);
                laws[4].note(matches!(found, Outcome::Matches(_)), || describe(&format!("{found:?}"), &text));
            }
        }
        if let Some(text) = with_run(&piece, language, dice) {
            let found = outcome(&text, &[hole("QZ", true)], &piece, language);
            laws[3].note(matches!(found, Outcome::Matches(_)), || describe(&format!("{found:?}"), &text));
        }
    }
    laws
}

/// The complete parts of a piece that a name may stand for.
fn parts<'t>(piece: &Piece<'t>) -> Vec<Node<'t>> {
    let mut parts = Vec::new();
    preorder(piece.node, |node| {
        let range = node.byte_range();
        let kind = node.kind();
        let may = kind.ends_with("expression")
            || kind.ends_with("call")
            || kind.ends_with("literal")
            || matches!(kind, "identifier" | "integer" | "float" | "number" | "string" | "constant" | "variable_name");
        if may && !kind.contains("string_") && range.len() < piece.node.byte_range().len() {
            parts.push(node);
        }
        // What is in a string isn't code for a pattern.
        !node.kind().contains("string")
    });
    parts
}

/// Whether a name may be in the place of a part, and more than the name is left of the piece.
fn takes_a_name(piece: &Piece<'_>, part: Node<'_>, language: &'static Language) -> bool {
    let source = &piece.file.source;
    let (before, after) = (&source[..part.start_byte()], &source[part.end_byte()..]);
    let left =
        [&source[piece.node.start_byte()..part.start_byte()], &source[part.end_byte()..piece.node.end_byte()]].concat();
    let in_word = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    left.iter().any(in_word)
        && !before.last().is_some_and(in_word)
        && !after.first().is_some_and(in_word)
        && parse(&[before, b"qzName", after].concat(), language).is_ok_and(|tree| !tree.root_node().has_error())
}

/// Whether the first hole took a range, not counting a semicolon at its end.
fn taken(bound: &[Option<std::ops::Range<usize>>], wanted: &std::ops::Range<usize>, piece: &Piece<'_>) -> bool {
    let text = |range: &std::ops::Range<usize>| piece.file.source[range.clone()].trim_ascii_end();
    bound.first().is_some_and(|b| {
        b.as_ref().is_some_and(|b| {
            b.start == wanted.start
                && text(b).strip_suffix(b";").unwrap_or(text(b))
                    == text(wanted).strip_suffix(b";").unwrap_or(text(wanted))
        })
    })
}

/// The piece with some parts replaced.
fn with_hole(piece: &Piece<'_>, parts: &[Node<'_>], name: &str) -> Option<String> {
    let start = piece.node.start_byte();
    let ranges = parts.iter().map(|n| n.start_byte() - start..n.end_byte() - start);
    replaced(piece, &ranges.collect::<Vec<_>>(), name)
}

/// The piece with ranges of it replaced; `None` where that can't be done by offsets.
fn replaced(piece: &Piece<'_>, ranges: &[std::ops::Range<usize>], with: &str) -> Option<String> {
    let raw = std::str::from_utf8(&piece.file.source[piece.node.byte_range()]).ok()?;
    // The text as it was copied has other offsets when it has several lines.
    if raw != piece.text {
        return None;
    }
    let mut out = raw.to_owned();
    for range in ranges.iter().rev() {
        out.get(range.clone())?;
        out.replace_range(range.clone(), with);
    }
    Some(out)
}

/// The piece with a run of siblings in a list of arguments or elements, perhaps an empty one, replaced.
fn with_run(piece: &Piece<'_>, language: &'static Language, dice: &mut Dice) -> Option<String> {
    let mut lists = Vec::new();
    preorder(piece.node, |node| {
        if matches!(node.kind(), "argument_list" | "arguments" | "array" | "list" | "value_arguments") {
            lists.push(node);
        }
        !node.kind().contains("string")
    });
    if lists.is_empty() {
        return None;
    }
    let list = lists[dice.roll(lists.len())];
    let mut cursor = list.walk();
    let all: Vec<Node<'_>> = list.children(&mut cursor).collect();
    let (open, close) = (all.first()?, all.last()?);
    if !matches!(open.kind(), "(" | "[") || !matches!(close.kind(), ")" | "]") {
        return None;
    }
    let items: Vec<Node<'_>> =
        all[1..all.len() - 1].iter().filter(|n| !is_irrelevant(**n, list.kind_id(), language)).copied().collect();
    if items.iter().any(|n| !n.is_named()) {
        return None;
    }
    let start = piece.node.start_byte();
    // A run to the end, and what comes before it as it is.
    let from = if items.is_empty() { 0 } else { dice.roll(items.len()) };
    let begin = items.get(from).map_or(open.end_byte(), Node::start_byte);
    replaced(piece, std::slice::from_ref(&(begin - start..close.start_byte() - start)), "QZ")
}

/// The piece with one letter or digit of a token changed into another.
fn changed(piece: &Piece<'_>, language: &'static Language, dice: &mut Dice) -> Option<String> {
    let mut comments = Vec::new();
    preorder(piece.node, |node| {
        if language.tables().is(node.kind_id(), Class::Comment) {
            comments.push(node.byte_range());
        }
        true
    });
    let start = piece.node.start_byte();
    let raw = std::str::from_utf8(&piece.file.source[piece.node.byte_range()]).ok()?;
    let places: Vec<usize> = raw
        .char_indices()
        .filter(|(at, c)| c.is_ascii_alphanumeric() && !comments.iter().any(|r| r.contains(&(at + start))))
        .map(|(at, _)| at)
        .collect();
    if places.is_empty() {
        return None;
    }
    let at = places[dice.roll(places.len())];
    let old = raw.as_bytes()[at];
    // Another character of the same class, so that the text stays code.
    let new = match old {
        b'9' => '7',
        b'0'..=b'8' => char::from(old + 1),
        b'z' | b'Z' => 'k',
        _ => char::from(old + 1),
    };
    replaced(piece, std::slice::from_ref(&(at..at + 1)), &new.to_string())
}

/// The piece with twice as much white space between tokens, on their lines.
fn spaced(piece: &Piece<'_>, language: &'static Language) -> Option<String> {
    // White space means something between any two tokens there.
    if matches!(language.name, "markdown" | "html" | "yaml" | "bash") {
        return None;
    }
    let mut leaves = Vec::new();
    preorder(piece.node, |node| {
        let whole = node.child_count() == 0
            || language.tables().is(node.kind_id(), Class::String)
            || node.kind().contains("string")
            || node.kind().contains("text")
            || node.kind().contains("heredoc");
        if whole {
            leaves.push(node.byte_range());
        }
        !whole
    });
    let start = piece.node.start_byte();
    let raw = &piece.file.source[piece.node.byte_range()];
    let gaps = leaves.windows(2).map(|pair| pair[0].end - start..pair[1].start.max(pair[0].end) - start);
    let gaps: Vec<_> = gaps.filter(|gap| !gap.is_empty() && raw[gap.clone()].iter().all(|b| *b == b' ')).collect();
    (!gaps.is_empty()).then(|| replaced(piece, &gaps, "   ")).flatten()
}

/// Shares of each language and law, and what didn't hold.
fn report(name: &str, laws: &[Law; 6], most: usize) -> String {
    let figure = |law: &Law| format!("{:>5}/{:<5}", law.held, law.tried);
    let mut out = format!("{name:<11}{}\n", laws.iter().map(figure).collect::<Vec<_>>().join(" "));
    for (law, name) in laws.iter().zip(NAMES) {
        // One of each kind, those that fail most first.
        let mut by_kind: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
        for failure in &law.failures {
            by_kind.entry(failure.split(" of ").next().unwrap_or_default()).or_default().push(failure);
        }
        let mut kinds: Vec<_> = by_kind.into_values().collect();
        kinds.sort_by_key(|list| std::cmp::Reverse(list.len()));
        for list in kinds.iter().take(most) {
            out += &format!("  {name}: {} times, {}\n", list.len(), list[0]);
        }
    }
    out
}

/// The files in a folder by language, not all of a language with very many.
fn gather(folder: &Path, only: Option<&str>, most: usize, files: &mut Files) {
    let mut found = Vec::new();
    walk(folder, 100_000, &mut found);
    let mut of_language: BTreeMap<&str, Vec<PathBuf>> = BTreeMap::new();
    for path in found {
        let Some(language) = path.to_str().and_then(|p| Language::by_path(p.as_bytes())) else { continue };
        if only.is_none_or(|only| only == language.name) {
            of_language.entry(language.name).or_default().push(path);
        }
    }
    let mut dice = Dice(7);
    for mut paths in of_language.into_values() {
        for _ in 0..most.min(paths.len()) {
            let path = paths.swap_remove(dice.roll(paths.len()));
            if let Ok(source) = std::fs::read(&path) {
                add(files, &path.to_string_lossy(), source);
            }
        }
    }
}

/// A number or a word that the environment gives for a large run.
fn asked<T: std::str::FromStr>(name: &str) -> Option<T> {
    std::env::var(name).ok().filter(|text| !text.is_empty()).and_then(|text| text.parse().ok())
}

#[test]
fn laws_hold_on_code_that_nobody_wrote_for_them() {
    let mut files = Files::new();
    let only: Option<String> = asked("SWAGE_LAW_LANGUAGE");
    let folder: Option<PathBuf> = asked("SWAGE_LAWS");
    match &folder {
        Some(folder) => gather(folder, only.as_deref(), 400, &mut files),
        None => {
            for example in PACKS.iter().flat_map(|pack| pack.rules()).flat_map(|rule| &rule.examples) {
                for file in example.files() {
                    add(&mut files, &file.path, file.code.clone().into_bytes());
                }
            }
            let home = asked("CARGO_HOME").or_else(|| asked::<PathBuf>("HOME").map(|home| home.join(".cargo")));
            let crates = home.map(|home| home.join("registry/src")).filter(|crates| crates.is_dir());
            match crates {
                Some(crates) => gather(&crates, None, 30, &mut files),
                None => println!("skipped: cargo's cache of published crates isn't there"),
            }
        }
    }
    let pieces = asked("SWAGE_LAW_PIECES").unwrap_or(60);
    let most = asked("SWAGE_LAW_FAILURES").unwrap_or(5);
    let mut rendered = format!("{:<11}{}\n", "", NAMES.map(|n| format!("{n:<11.11}")).join(" "));
    let mut broken = false;
    for language in LANGUAGES {
        let Some(files) = files.get(language.name) else { continue };
        let laws = hold(files, language, pieces, &mut Dice(31));
        rendered += &report(language.name, &laws, most);
        // Bash has few of some, as holes within words aren't holes.
        let least = match language.name {
            "bash" => 0.88,
            "html" | "sql" | "markdown" => 0.93,
            _ => 0.96,
        };
        broken |= laws[..5].iter().any(|law| law.tried > 20 && law.share() < least) || laws[5].share() < 1.0;
    }
    println!("{rendered}");
    assert!(!broken, "{rendered}");
}
