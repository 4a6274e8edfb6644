//! `key`: paths of keys in data, that is the pairs of YAML, JSON and TOML, the attributes of HTML's tags, the columns of SQL's
//! tables.
//!
//! A language's table says which nodes have a key and are therefore a step of the path of what is inside of them. One
//! walk gives all paths of a file; lists are passed through, and an alias of YAML is what its anchor marks.
//!
//! Data could be matched with tree queries as code is. But `services.*.image` in YAML is a tower of nodes of many kinds, another one in JSON and in TOML, and none that a person would write down. So each language's table says what a key is,
//! and all paths are listed once for all rules of a file. What is lost is order: that one key comes before another can't
//! be asked.
//!
//! Paths are compared from the front, with one `**` at most. Two of them would need a search that grows with the product
//! of the depths.

use std::ops::Range;
use std::sync::Arc;

use foldhash::{HashMap, HashMapExt};
use tree_sitter::{Node, Tree};

use super::plan::Gather;
use super::{
    Compiled, Extent, FileFinder, Gathered, Languages, Match, Matcher, OnMatch, ParsedFile, Plan, Reader, TooMany,
    limit_languages,
};
use crate::lang::Language;
use crate::pattern::{Children, Hole, PatternError, contents, preorder};
use crate::rule::keys::{Holds, Key};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::{HOLES_KEY, read_holes};
use crate::rule::words::{Word, text_words};

pub(super) const READER: Reader = Reader {
    keys: &[
        Key::new(
            "key",
            Holds::String,
            "A path of keys, with dots between; names under `holes` take any key, ** any number of keys.",
        ),
        Key::new("value", Holds::String, "The hole that takes the value of `key`."),
        HOLES_KEY,
    ],
    read,
};

/// A path of keys, such as `services.NAME.image`. Lists are passed through: each of their elements is looked at.
#[derive(Debug)]
struct KeyMatch {
    /// Its steps.
    steps: Vec<PathSegment>,
    /// What takes the value, by index of the hole.
    value: Option<usize>,
    /// The holes.
    holes: Vec<Hole>,
}

/// One step of a key path.
#[derive(Debug, Clone, PartialEq, Eq)]
enum PathSegment {
    /// This key.
    Key(String),
    /// Any key, which the hole of this index takes.
    Hole(usize),
    /// Any number of keys, none too.
    Any,
}

/// The keys of a path, and whether each is between quotes: so may one that has dots in it.
fn parts(path: &str) -> Vec<(&str, bool)> {
    let mut parts = Vec::new();
    let mut rest = path;
    // Dots between quotes don't part keys, so a path can't simply be split.
    loop {
        // A quotation mark that is never closed, or after which the key goes on, is part of a key.
        let (part, quoted, after) = match rest.strip_prefix('"').and_then(|inner| inner.split_once('"')) {
            Some((key, after)) if after.is_empty() || after.starts_with('.') => (key, true, after),
            _ => {
                let end = rest.find('.').unwrap_or(rest.len());
                (&rest[..end], false, &rest[end..])
            }
        };
        parts.push((part, quoted));
        match after.strip_prefix('.') {
            Some(more) => rest = more,
            None => return parts,
        }
    }
}

/// Reads a path and its holes, each of which must be of use.
/// Long because each thing that can be wrong with a path has a message and a way out.
fn read(
    table: &mut Table<'_, '_>,
    languages: &mut Languages,
    _: &str,
    p: &mut Problems<'_>,
) -> Option<Arc<dyn Matcher>> {
    // Languages without keys would silently match nothing.
    let refusal = |language: &Language| format!("there are no keys in {}", language.name);
    limit_languages(languages, |language| language.has_keys(), refusal, table.at, p);
    let path = table.required_string("key", "a key match", p)?;
    let holes = read_holes(table, p);
    // Keys are never imported.
    if let Some(hole) = holes.iter().find(|hole| hole.stands_for.is_some()) {
        let hint = "say with `text` what it must be".to_owned();
        p.at(
            table.at,
            format!("`stands_for` of the hole `{}` asks for imports, and keys have none", hole.name),
            Some(hint),
        );
    }
    if let Some(hole) = holes.iter().find(|hole| hole.varies.is_some()) {
        let message = format!("`varies` of the hole `{}` asks for variables, and keys have none", hole.name);
        p.at(table.at, message, Some("say with `text` what it must be".to_owned()));
    }
    // A value is named only when something is asked of it.
    let value = table.string("value", p);
    // Holes are declared by name; a step that isn't one is a key.
    let index = |name: &str| holes.iter().position(|h| h.name == name);
    let value = match value {
        None => None,
        Some(name) => {
            let found = index(&name.value);
            if found.is_none() {
                let hint = "declare it under `holes`, with `text` to say what the value must be".to_owned();
                p.at(name.at, format!("`value` names no hole: `{}`", name.value), Some(hint));
            }
            found
        }
    };
    // Between quotes a name is always a key, even one that is also a hole's.
    let steps: Vec<PathSegment> = parts(&path.value)
        .into_iter()
        .map(|(step, quoted)| match (step, index(step)) {
            _ if quoted => PathSegment::Key(step.to_owned()),
            ("**", _) => PathSegment::Any,
            (_, Some(hole)) => PathSegment::Hole(hole),
            (key, None) => PathSegment::Key(key.to_owned()),
        })
        .collect();
    // With one `**` the rest of the path is at a known distance from its end; with two it would have to be searched.
    let several = steps.iter().filter(|s| **s == PathSegment::Any).count() > 1;
    let empty = steps.iter().any(|s| matches!(s, PathSegment::Key(key) if key.is_empty()));
    if empty || several || steps.last() == Some(&PathSegment::Any) {
        let hint =
            "separate keys with dots, such as services.NAME.image, and quote a key that contains dots; `**` matches any keys between, once".to_owned();
        p.at(path.at, format!("`{}` is no path of keys", path.value), Some(hint));
        return None;
    }
    // A hole that nothing fills would make every message with it say nothing.
    if let Some(idle) =
        holes.iter().enumerate().find(|(i, _)| value != Some(*i) && !steps.contains(&PathSegment::Hole(*i)))
    {
        p.at(path.at, format!("the hole `{}` is neither in the path nor the `value`", idle.1.name), None);
    }
    // A key or a value is one thing, and no node of a class.
    if let Some(hole) = holes.iter().find(|h| h.many || h.node.is_some()) {
        p.at(
            path.at,
            format!("the hole `{}` takes a key or a value, so only `text` can be asked of it", hole.name),
            None,
        );
    }
    Some(Arc::new(KeyMatch { steps, value, holes }))
}

impl Matcher for KeyMatch {
    fn captures(&self) -> Vec<&str> {
        self.holes.iter().map(|hole| hole.name.as_str()).collect()
    }

    fn extent(&self) -> Extent {
        Extent::File
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        // A rule for all languages looks at those that have keys.
        let Some(language) = language.filter(|language| language.has_keys()) else { return Ok(None) };
        // Keys of one letter are in every file.
        let literal = |step: &PathSegment| match step {
            PathSegment::Key(text) if text.len() > 1 => Some(vec![Word::part(text.as_bytes()).named_in(language)]),
            PathSegment::Key(_) | PathSegment::Hole(_) | PathSegment::Any => None,
        };
        let words = self.steps.iter().filter_map(literal).chain(text_words(&self.holes)).collect();
        Ok(Some(Compiled { plan: Plan::File { gather: Gather::Nothing, finder: self }, words }))
    }
}

impl FileFinder for KeyMatch {
    fn find<'t>(&self, file: &ParsedFile<'t>, _: &Gathered<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        let paths = file.paths.get_or_init(|| Paths::of(file.source, file.language, file.tree)).as_ref();
        let paths = paths.map_err(|_| TooMany)?;
        // One for all paths: a file may have a hundred thousand of them.
        let mut taken = vec![None; self.holes.len()];
        paths.each(|path, value| {
            taken.fill(None);
            if let Some(range) = self.at(file, path, value, &mut taken) {
                let captures = self.holes.iter().zip(&taken);
                let captures =
                    captures.filter_map(|(hole, range)| Some((hole.name.as_str(), range.clone()?))).collect();
                found(file.around(&range), Match { captures, ..Match::plain(range) });
            }
        });
        Ok(())
    }
}

/// The byte ranges that the holes have taken.
type Taken = [Option<Range<usize>>];

impl KeyMatch {
    /// The place, when the path and the value fit: the value when the match names it, else the key.
    fn at(
        &self,
        file: &ParsedFile<'_>,
        path: &[Scalar],
        value: Option<&Scalar>,
        taken: &mut Taken,
    ) -> Option<Range<usize>> {
        if !self.fits(file, &self.steps, path, taken) {
            return None;
        }
        // Without a value in the match the key is the finding's place.
        let found = match self.value {
            None => path.last(),
            Some(hole) => value.filter(|value| self.take(file.source, hole, &value.text, taken)),
        };
        found.map(|scalar| scalar.place.clone())
    }

    /// Whether the wanted steps take the path to its end.
    fn fits(&self, file: &ParsedFile<'_>, wanted: &[PathSegment], path: &[Scalar], taken: &mut Taken) -> bool {
        match (wanted.split_first(), path.split_first()) {
            (None, None) => true,
            (Some((PathSegment::Any, rest)), _) => {
                // There is one such step at most, so the rest must match the end of the path.
                path.len().checked_sub(rest.len()).is_some_and(|skip| self.fits(file, rest, &path[skip..], taken))
            }
            (Some((PathSegment::Key(text), rest)), Some((at, deeper))) => {
                let key = &file.source[at.text.clone()];
                let same = key == text.as_bytes()
                    || file.language.names_in_any_case && key.eq_ignore_ascii_case(text.as_bytes());
                same && self.fits(file, rest, deeper, taken)
            }
            (Some((PathSegment::Hole(hole), rest)), Some((at, deeper))) => {
                self.take(file.source, *hole, &at.text, taken) && self.fits(file, rest, deeper, taken)
            }
            (None, Some(_)) | (Some(_), None) => false,
        }
    }

    /// Gives a hole a text, when that fits its condition and what it took before.
    fn take(&self, source: &[u8], hole: usize, range: &Range<usize>, taken: &mut Taken) -> bool {
        let text = &source[range.clone()];
        let fits = self.holes[hole].text.as_ref().is_none_or(|regex| regex.is_match(text))
            && taken[hole].as_ref().is_none_or(|before| &source[before.clone()] == text);
        if fits {
            taken[hole] = Some(range.clone());
        }
        fits
    }
}

/// A key or a value: byte ranges of the source.
#[derive(Debug, Clone)]
pub(super) struct Scalar {
    /// What it is, without quotes.
    text: Range<usize>,
    /// Where it is asked for: elsewhere, when by an alias.
    place: Range<usize>,
}

/// How many nodes aliases may stand for in a file: ten of which each stands for ten of the next would be thousands of
/// millions.
const MOST_ALIASED: usize = 100_000;

/// All paths of keys in a file, outer before inner, each with its value.
#[derive(Debug, Default)]
pub(super) struct Paths {
    /// Each key with the index of the one around it. Whole paths would take memory by the square of how deep a file nests.
    keys: Vec<(Scalar, Option<usize>)>,
    /// For each place, the index of its last key, and its value.
    places: Vec<(usize, Option<Scalar>)>,
}

impl Paths {
    /// Long because keys, values, lists and aliases are met on one way through the tree.
    ///
    /// # Errors
    ///
    /// When aliases stand for more than [`MOST_ALIASED`] nodes.
    fn of(source: &[u8], language: &Language, tree: &Tree) -> Result<Self, TooMany> {
        let mut all = Self::default();
        let anchors = Anchors::of(source, language, tree);
        let mut aliased = 0;
        // Nodes that are yet to be looked at, each with the key around it, and the alias that stands for it.
        let mut open: Vec<(Node<'_>, Option<usize>, Option<Range<usize>>)> = vec![(tree.root_node(), None, None)];
        // A list of its own instead of recursion: data may nest as deep as a file is long.
        while let Some((node, around, alias)) = open.pop() {
            // Only what an alias stands for counts: everything else is there as often as it is written.
            aliased += usize::from(alias.is_some());
            if aliased > MOST_ALIASED {
                return Err(TooMany);
            }
            if let Some(marked) = anchors.marked_by(source, node) {
                open.push((marked, around, Some(alias.unwrap_or_else(|| node.byte_range()))));
                continue;
            }
            let scalar = |node: Node<'_>, place: Option<Range<usize>>| {
                let text = plain(source, anchors.marked_by(source, node).unwrap_or(node));
                Scalar { text, place: alias.clone().or(place).unwrap_or_else(|| plain(source, node)) }
            };
            // Most nodes have no key: they only lead to others that may.
            let keyed = language.keyed.iter().find(|k| k.node == node.kind());
            let key = keyed.and_then(|keyed| keyed.key_of(node));
            let mut last = around;
            if let Some(key) = key {
                // `a.b = 1` in TOML is the key `b` in the key `a`.
                for part in parts_of_key(key) {
                    all.keys.push((scalar(part, None), last));
                    last = Some(all.keys.len() - 1);
                }
            }
            if let (Some(key), Some(own)) = (key, last) {
                // Grammars without such a field put the value last.
                let last_but_key = || Children::code(node).last().filter(|last| *last != key);
                let value = node.child_by_field_name("value").or_else(last_but_key);
                // What wraps a value in YAML has tags and anchors of its own.
                let value = value.map(heart);
                let marked = value.and_then(|value| anchors.marked_by(source, value));
                match marked.or(value) {
                    // Each element of a list is a value at the same path.
                    Some(list) if is_list(list) && Children::code(list).next().is_some() => {
                        let place = value.filter(|_| marked.is_some()).map(|value| value.byte_range());
                        let elements = Children::code(list).map(heart).filter(|element| !is_list(*element));
                        all.places.extend(elements.map(|element| (own, Some(scalar(element, place.clone())))));
                    }
                    _ => all.places.push((own, value.map(|value| scalar(value, None)))),
                }
                // What is merged has the keys that are around it (YAML 1.1, the type `merge`).
                if language.has_anchors && source[heart(key).byte_range()] == *b"<<" {
                    last = around;
                }
            }
            let from = open.len();
            let children = Children::code(node).filter(|child| Some(*child) != key);
            open.extend(children.map(|child| (child, last, alias.clone())));
            open[from..].reverse();
        }
        Ok(all)
    }

    /// Calls `visit` with each path and its value.
    fn each(&self, mut visit: impl FnMut(&[Scalar], Option<&Scalar>)) {
        let mut path = Vec::new();
        for (last, value) in &self.places {
            path.clear();
            let mut at = Some(*last);
            while let Some((key, around)) = at.and_then(|at| self.keys.get(at)) {
                path.push(key.clone());
                at = *around;
            }
            // Keys were met from the innermost outwards.
            path.reverse();
            visit(&path, value.as_ref());
        }
    }
}

/// What the anchors of a file mark, by their names, each in the order of the file: one may be used again, and a hostile file has
/// a hundred thousand.
struct Anchors<'t>(HashMap<&'t [u8], Vec<Node<'t>>>);

impl<'t> Anchors<'t> {
    fn of(source: &'t [u8], language: &Language, tree: &'t Tree) -> Self {
        let mut all: HashMap<_, Vec<_>> = HashMap::new();
        // Files without anchors are by far the most, and this walk would double their cost.
        let has = |sign| memchr::memchr(sign, source).is_some();
        if language.has_anchors && has(b'&') && has(b'*') {
            preorder(tree.root_node(), |node| {
                // From what is marked: a node doesn't know its parent.
                if matches!(node.kind(), "block_node" | "flow_node")
                    && let Some(anchor) = Children::named(node).find(|child| child.kind() == "anchor")
                    && let Some(name) = source.get(anchor.start_byte() + 1..anchor.end_byte())
                {
                    all.entry(name).or_default().push(heart(node));
                }
                true
            });
        }
        Self(all)
    }

    /// What an alias stands for: what the last anchor of its name before it marks. One in what its own anchor marks never ends.
    fn marked_by(&self, source: &[u8], node: Node<'_>) -> Option<Node<'t>> {
        let name = source.get(node.start_byte() + 1..node.end_byte()).filter(|_| node.kind() == "alias")?;
        let own = self.0.get(name)?;
        let before = own.partition_point(|marked| marked.start_byte() < node.start_byte());
        own[..before].last().filter(|marked| marked.end_byte() <= node.start_byte()).copied()
    }
}

/// The parts of a key: several where it is written with dots.
fn parts_of_key(key: Node<'_>) -> Vec<Node<'_>> {
    let (mut parts, mut open) = (Vec::new(), vec![key]);
    while let Some(node) = open.pop() {
        if node.kind() == "dotted_key" {
            let from = open.len();
            open.extend(Children::code(node));
            open[from..].reverse();
        } else {
            // A tag or an anchor of YAML before it is no part of it.
            parts.push(heart(node));
        }
    }
    parts
}

/// Whether a node is a list, in the grammars of data.
fn is_list(node: Node<'_>) -> bool {
    matches!(node.kind(), "array" | "flow_sequence" | "block_sequence")
}

/// The node inside of nodes that merely wrap it.
fn heart(mut node: Node<'_>) -> Node<'_> {
    while matches!(node.kind(), "block_node" | "flow_node" | "block_sequence_item" | "plain_scalar")
        && let Some(inner) = Children::code(node).last()
    {
        node = inner;
    }
    node
}

/// A scalar's range without its quotes.
fn plain(source: &[u8], node: Node<'_>) -> Range<usize> {
    let range = node.byte_range();
    let text = &source[range.clone()];
    // YAML's scalars may have no quotes.
    let quoted = matches!(text.first(), Some(b'"' | b'\''));
    match contents(text).filter(|inside| quoted && inside.start <= 3) {
        Some(inside) => range.start + inside.start..range.start + inside.end,
        None => range,
    }
}
