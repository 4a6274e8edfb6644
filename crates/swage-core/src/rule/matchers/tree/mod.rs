//! `tree`: a query on the syntax tree.
//!
//! Two engines answer queries. The general one is the library's and takes any query; it keeps a state for every match
//! that has begun, which pays for large queries over whole trees. Rules ask small questions at known nodes, and for those
//! the plain one is faster (see `plain`). Which of them runs is decided when the query is read, for each language, and
//! both give the same matches but at anchors: tests hold them against each other, on the queries of all packs and on
//! random ones.
//!
//! In the general engine an anchor stops at a comment, so that a comment between two nodes hides them. In the plain one it
//! passes over comments. (The general one can be asked for `(comment)*` at an anchor, but misses half of such matches.)
//!
//! The words in a query's predicates let most files be left unparsed, so they are read from its text. That is done by an
//! expression rather than by a parser of queries: what it misses costs time and nothing else.

mod engine;
mod plain;

use std::borrow::Cow;
use std::sync::{Arc, LazyLock, OnceLock};

use regex::{Captures, Regex};
use tree_sitter::{CaptureQuantifier, Node, Query, StreamingIterator};

pub(super) use self::engine::Families;
use self::plain::PlainQuery;
use super::plan::Gather;
use super::{
    Compiled, FileFinder, Gathered, Languages, Match, Matcher, NodeFinder, OnMatch, ParsedFile, Plan, Reader, TooMany,
    need_languages,
};
use crate::lang::{Class, LANGUAGES, Language};
use crate::pattern::{PatternError, with_any_line_end};
use crate::rule::keys::{Holds, Key};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::words::{Word, regex_words, written_anyhow};

pub(super) const READER: Reader = Reader {
    keys: &[Key::new(
        "tree",
        Holds::String,
        "A tree-sitter query; the finding's place is the capture @here, or else the first.",
    )],
    read,
};

/// Most matches of a query that may be begun and not yet ended.
const MOST_STARTED: u32 = 1 << 14;

/// A tree-sitter query, compiled for each language when it is first needed. The place of a match is the capture `here`,
/// or else the first capture; filters look from the capture `whole`, or else from that place.
#[derive(Debug)]
pub(super) struct TreeMatch {
    /// The query as it was written.
    query: String,
    /// The same with expressions that take either end of a line, which is what is looked for.
    asked: String,
    /// The compiled form for each of [`LANGUAGES`].
    compiled: Vec<OnceLock<Result<Query, PatternError>>>,
    /// The same for where it is plain.
    plain: Vec<OnceLock<Option<PlainQuery>>>,
}

impl TreeMatch {
    /// A query that is yet to be compiled.
    fn new(query: String) -> Self {
        let count = LANGUAGES.len();
        Self {
            asked: with_any_line_ends(&query).into_owned(),
            query,
            compiled: std::iter::repeat_with(OnceLock::new).take(count).collect(),
            plain: std::iter::repeat_with(OnceLock::new).take(count).collect(),
        }
    }

    /// The query for a language, when it is plain enough to do without the general engine.
    fn plain(&self, language: &'static Language) -> Option<&PlainQuery> {
        self.plain[language.index()].get_or_init(|| PlainQuery::read(&self.asked, language)).as_ref()
    }

    /// The names of its captures, as they are written; doubles included.
    fn capture_names(&self) -> impl Iterator<Item = &str> {
        let in_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '?' | '!');
        // Every other piece between quotation marks is a string, in which nothing is captured.
        let code = self.query.split('"').step_by(2).flat_map(|piece| piece.split('@').skip(1));
        code.map(move |rest| &rest[..rest.find(|c| !in_name(c)).unwrap_or(rest.len())])
    }

    /// The query for a language.
    ///
    /// # Errors
    /// When the query isn't one for that language's grammar, or captures nothing.
    fn query(&self, language: &'static Language) -> Result<&Query, &PatternError> {
        // Errors come back as offsets in the query, so that the rule file's line can be shown.
        let compile = || {
            let grammar = &language.tables().grammar;
            let query = Query::new(grammar, &self.asked).or_else(|_| Query::new(grammar, &self.query));
            let query = query.map_err(|e| PatternError {
                offset: e.offset.min(self.query.len()),
                message: format!("no query for {}: {}", language.name, query_fault(&e)),
            })?;
            // Without a capture there is no place to report.
            if query.capture_names().is_empty() {
                let message = "the query captures nothing; name what is to be reported, such as @here".to_owned();
                return Err(PatternError { offset: 0, message });
            }
            Ok(query)
        };
        self.compiled[language.index()].get_or_init(compile).as_ref()
    }
}

/// A query whose expressions take either end of a line.
fn with_any_line_ends(query: &str) -> Cow<'_, str> {
    static MATCH: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r#"(match\? @[\w.-]+ )("(?:[^"\\]|\\.)*")"#).ok());
    let rewritten = |found: &Captures<'_>| {
        let expression =
            unquoted(&found[2]).map(|text| with_any_line_end(&text).replace('\\', r"\\").replace('"', "\\\""));
        expression.map_or_else(|| found[0].to_owned(), |text| format!("{}\"{text}\"", &found[1]))
    };
    match &*MATCH {
        Some(matches) if query.contains(r"\\n") => matches.replace_all(query, rewritten),
        _ => Cow::Borrowed(query),
    }
}

/// What is wrong with a query, in words for who wrote it.
fn query_fault(error: &tree_sitter::QueryError) -> String {
    use tree_sitter::QueryErrorKind::{Capture, Field, Language, NodeType, Predicate, Structure, Syntax};
    let what = error.message.lines().next().unwrap_or_default().trim_matches('"');
    match error.kind {
        NodeType => format!("the grammar has no node `{what}`"),
        Field => format!("the grammar has no field `{what}`"),
        Capture => format!("nothing captures `{what}`"),
        Structure => "nodes are never nested like this".to_owned(),
        Predicate => format!("the predicate can't be used: {what}"),
        Syntax | Language => "it doesn't parse here".to_owned(),
    }
}

/// Reads a query and compiles it for each of the rule's languages, so that a mistake shows at once. Rules that ship are
/// held to that by a test and compiled when a file needs them.
fn read(
    table: &mut Table<'_, '_>,
    languages: &mut Languages,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Arc<dyn Matcher>> {
    need_languages(languages, table.at, name, p);
    let query = table.required_string("tree", "a tree match", p)?;
    let found = TreeMatch::new(query.value.clone());
    for language in languages.iter().flatten().filter(|_| !p.shipped) {
        if let Err(error) = found.query(language) {
            p.inside(&query, error.offset, error.message.clone(), "docs/rules.md shows how queries are written".into());
            return None;
        }
    }
    Some(Arc::new(found))
}

impl Matcher for TreeMatch {
    fn captures(&self) -> Vec<&str> {
        self.capture_names().collect()
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        let Some(language) = language else { return Ok(None) };
        let tables = language.tables();
        // Both ways lead to the nodes at which the query begins, and to words without which it can't match.
        let (kinds, words): (Vec<u16>, _) = match self.plain(language) {
            Some(plain) => {
                let rendered = query_words(&self.asked, |name| plain.always(name));
                (plain.heads().collect(), [rendered, plain.keywords(language)].concat())
            }
            None => {
                let query = self.query(language).map_err(Clone::clone)?;
                let heads = if query.pattern_count() == 1 { query_heads(&self.query) } else { None };
                let kinds = heads.unwrap_or_default().iter().flat_map(|head| tables.kinds_named(head, true)).collect();
                (kinds, query_words(&self.asked, |name| is_always_captured(query, name)))
            }
        };
        // Siblings, or any node at all: the general engine goes through the whole tree.
        if kinds.is_empty() {
            let plan = Plan::File { gather: Gather::Nothing, finder: self };
            return Ok(Some(Compiled { plan, words }));
        }
        let plain = self.plain(language);
        let signs = plain.and_then(|plain| plain.signs(language));
        let below = plain.map(|plain| plain.below(language)).unwrap_or_default();
        let families = plain.map(PlainQuery::families).unwrap_or_default();
        let plan = Plan::Nodes { kinds, holds_words: true, signs, below, families, finder: self };
        Ok(Some(Compiled { plan, words }))
    }
}

impl NodeFinder for TreeMatch {
    fn at<'t>(&self, file: &ParsedFile<'t>, node: Node<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        let Some(plain) = self.plain(file.language) else {
            return self.general(file, node, Some(0), found);
        };
        engine::matches(plain, node, file.source, &file.families, &mut |taken| {
            let captured = plain.order.iter().filter_map(|&at| Some((plain.captures[at].as_str(), taken[at]?)));
            self.report(file, &captured.collect::<Vec<_>>(), found);
        })
    }
}

impl FileFinder for TreeMatch {
    fn find<'t>(&self, file: &ParsedFile<'t>, _: &Gathered<'t>, found: OnMatch<'_, 't>) -> Result<(), TooMany> {
        self.general(file, file.root(), None, found)
    }
}

impl TreeMatch {
    /// Everything that the general engine finds from a node on, beginning at most so deep below it.
    fn general<'t>(
        &self,
        file: &ParsedFile<'t>,
        root: Node<'t>,
        depth: Option<u32>,
        found: OnMatch<'_, 't>,
    ) -> Result<(), TooMany> {
        let Ok(query) = self.query(file.language) else { return Ok(()) };
        let names = query.capture_names();
        let mut cursor = file.cursor.borrow_mut();
        // Beyond this the engine drops matches silently; then the file counts as unexamined.
        cursor.set_match_limit(MOST_STARTED);
        // At a node of the right kind only matches that begin right there.
        cursor.set_max_start_depth(depth);
        let mut matches = cursor.matches(query, root, file.source);
        while let Some(m) = matches.next() {
            let captured: Vec<_> = m.captures().iter().map(|c| (names[c.index as usize], c.node)).collect();
            self.report(file, &captured, found);
        }
        drop(matches);
        if cursor.did_exceed_match_limit() { Err(TooMany) } else { Ok(()) }
    }

    /// The place of a match is the capture `here`, or else the first one; filters look from the capture `whole`, or else
    /// from that place.
    fn report<'t>(&self, file: &ParsedFile<'t>, taken: &[(&str, Node<'t>)], found: OnMatch<'_, 't>) {
        // A name captured twice counts by its first node.
        let named = |name: &str| taken.iter().find(|(own, _)| *own == name).map(|(_, node)| *node);
        let Some(node) = named("here").or_else(|| taken.first().map(|(_, node)| *node)) else { return };
        // In a fragment nothing of a match may be made up.
        if !taken.iter().all(|(_, node)| file.is_known(*node)) {
            return;
        }
        let captures = taken.iter().map(|(name, node)| (*name, node.byte_range())).collect();
        // A definition stays the same finding while its body is rewritten.
        let varying = body_of(file, node);
        let found_here = Match { captures, varying, is_code: true, ..Match::plain(node.byte_range()) };
        found(named("whole").unwrap_or(node), found_here);
    }
}

/// The body of a definition, loop or branch, or else what comes after its first line: a query that captures one names what it
/// begins with.
fn body_of(file: &ParsedFile<'_>, node: Node<'_>) -> Vec<std::ops::Range<usize>> {
    let tables = file.language.tables();
    let classes = [Class::Function, Class::Class, Class::Loop, Class::Branch];
    if !classes.iter().any(|c| tables.is(node.kind_id(), *c)) {
        return Vec::new();
    }
    // However many lines either takes, the body is what the grammar calls so, or the block at the end.
    let last = (node.named_child_count() as u32).checked_sub(1).and_then(|last| node.named_child(last));
    let block = last.filter(|last| ["block", "compound_statement"].iter().any(|kind| last.kind().ends_with(kind)));
    let whole = node.byte_range();
    let first_line = || Some(whole.start + memchr::memchr(b'\n', file.text(node))?..whole.end);
    let body = node.child_by_field_name("body").or(block).map(|body| body.byte_range());
    body.or_else(first_line).into_iter().collect()
}

/// Whether a capture of a query of one pattern is there in every match.
fn is_always_captured(query: &Query, name: &str) -> bool {
    let quantifier = query.capture_index_for_name(name).and_then(|at| query.capture_quantifiers(0).get(at as usize));
    query.pattern_count() == 1 && quantifier == Some(&CaptureQuantifier::One)
}

/// Lists of words of each of which one is wherever a query matches: those that a predicate `#eq?`, `#any-of?` or
/// `#match?` wants of a capture that is always there.
fn query_words(text: &str, always: impl Fn(&str) -> bool) -> Vec<Vec<Word>> {
    static PREDICATE: OnceLock<Option<Regex>> = OnceLock::new();
    let predicate =
        PREDICATE.get_or_init(|| Regex::new(r#"\(#(eq|any-of|match)\? @([\w.]+)((?: "(?:[^"\\]|\\.)+")+)\)"#).ok());
    let rendered = predicate.iter().flat_map(|p| p.captures_iter(text)).filter(|c| always(&c[2]));
    let lists = rendered.filter_map(|c| {
        // The strings are quoted, with single blanks between them.
        let strings: Option<Vec<String>> = c[3].trim_start().split("\" \"").map(unquoted).collect();
        let words = match &c[1] {
            "match" => regex_words(strings?.first()?)?,
            _ => strings?.iter().map(|s| Word::part(s.as_bytes())).collect(),
        };
        // A single letter is in every file.
        words.iter().all(|word| word.text.len() > 1).then(|| written_anyhow(words)).flatten()
    });
    lists.collect()
}

/// A query's string without its quotes and escapes; `None` for one with escapes other than of quotes and backslashes.
fn unquoted(text: &str) -> Option<String> {
    let mut out = String::new();
    let mut rest = text.trim_matches('"').chars();
    while let Some(c) = rest.next() {
        match c {
            '\\' => out.push(rest.next().filter(|c| matches!(c, '"' | '\\'))?),
            c => out.push(c),
        }
    }
    Some(out)
}

/// The kinds of the nodes that a query begins with; `None` when it begins with siblings, or with anything but plain nodes.
fn query_heads(text: &str) -> Option<Vec<&str>> {
    let text = text.trim_start();
    let inner = text.strip_prefix(['(', '['])?.trim_start();
    if text.starts_with('(') && !inner.starts_with(['(', '[']) {
        // A plain node: its kind is the first word.
        let name = inner.split(|c: char| !c.is_ascii_alphanumeric() && c != '_').next()?;
        return (!name.is_empty() && name != "_").then(|| vec![name]);
    }
    // A group or a list of choices; predicates aren't nodes.
    let items: Vec<&str> = groups(inner)?.into_iter().filter(|item| !item.starts_with("(#")).collect();
    // Several nodes in parentheses are siblings.
    if text.starts_with('(') && items.len() != 1 {
        return None;
    }
    let heads: Option<Vec<Vec<&str>>> = items.into_iter().map(query_heads).collect();
    heads.map(|lists| lists.concat()).filter(|list| !list.is_empty())
}

/// The bracketed parts that are side by side up to the bracket that closes what is around them.
fn groups(text: &str) -> Option<Vec<&str>> {
    // Brackets in strings are text.
    let (mut out, mut depth, mut start, mut quoted, mut escaped) = (Vec::new(), 0, 0, false, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            _ if quoted => {}
            '(' | '[' => {
                if depth == 0 {
                    start = at;
                }
                depth += 1;
            }
            ')' | ']' if depth == 0 => return Some(out),
            ')' | ']' => {
                depth -= 1;
                if depth == 0 {
                    out.push(&text[start..=at]);
                }
            }
            _ => {}
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rule::words::tests::rendered;

    /// A query, its lists of words, and the nodes that it begins with.
    #[test]
    fn words_and_heads_of_queries() {
        let cases = [
            (r#"((identifier) @a (#eq? @a "open"))"#, "[open]", "identifier"),
            (r#"((identifier) @a (#any-of? @a "open" "shut"))"#, "[open shut]", "identifier"),
            (r#"((identifier) @a (#any-of? @a "open" "x"))"#, "", "identifier"),
            (r#"((identifier) @a (#match? @a "^(?i:open)"))"#, "[open~]", "identifier"),
            (r#"((string) @a (#match? @a "^\\s*(open)"))"#, "[open]", "string"),
            (r#"((string) @a (#match? @a "it is \"open"))"#, "[it is \"open]", "string"),
            (r#"((attribute) @a (#match? @a "^io\\.(read|write)_all$"))"#, "[read_all write_all]", "attribute"),
            (r#"((identifier) @a (#not-eq? @a "open"))"#, "", "identifier"),
            (r#"(call (identifier)? @a (#eq? @a "open"))"#, "", "call"),
            (
                r#"(call function: (identifier) @a (#eq? @a "open") arguments: (_ (string) @b) (#eq? @b "'x'"))"#,
                "[open] ['x']",
                "call",
            ),
            (r#"[(call) (string)] @a"#, "", "call string"),
            (r#"([(call) (string)] @a (#match? @a "^open"))"#, "[open]", "call string"),
            (r#"((call) @a . (string))"#, "", ""),
            (r#"(_ (call) @a)"#, "", ""),
        ];
        let python = Language::by_name("python").expect("a known language");
        for (text, words, heads) in cases {
            let query = Query::new(&python.tables().grammar, text).unwrap_or_else(|e| panic!("{text}: {e}"));
            let lists = query_words(text, |name| is_always_captured(&query, name));
            let lists: Vec<String> = lists.iter().map(|list| format!("[{}]", rendered(list))).collect();
            assert_eq!(lists.join(" "), words, "{text}");
            assert_eq!(query_heads(text).unwrap_or_default().join(" "), heads, "{text}");
        }
    }
}
