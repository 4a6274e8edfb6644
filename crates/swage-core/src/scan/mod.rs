//! Scanning one file: content and compiled rules in, hits out.
//!
//! The order of work keeps files that can't hold anything cheap: one pass of an automaton over the bytes tells which
//! rules' words occur; text rules run as regular expressions; only when a structural rule is still possible, or a text
//! match needs its zone, the file is parsed, and one walk over the tree serves all patterns, dispatched by node kind.

mod allow;
mod comments;
mod embedded;
mod filters;
mod forms;
mod fragment;
mod keys;
mod lines;
mod made;
mod measure;
mod names;
#[cfg(test)]
mod pattern_laws;
mod query;
mod run;
mod syntax;
mod text;
mod texts;
mod trial;
mod walk;
mod words;

use std::ops::Range;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

pub use fragment::scan_fragment;
pub(crate) use keys::Keyed;
pub use lines::Lines;
pub(crate) use made::looks_made;
pub use names::SCOPED;
pub use syntax::{Syntax, syntax_errors};
pub use text::decoded;
pub use trial::{Miss, Trial, TrialMatch, try_pattern};

use self::words::Words;
use crate::lang::Language;
use crate::rule::{Gate, Limits, Matcher, Rule, RuleSet, Severity};

/// Where a match stands. Lines and columns are 1-based; columns count Unicode scalar values; the end column is the one
/// behind the last character.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Span {
    /// First line.
    pub start_line: u32,
    /// First column.
    pub start_column: u32,
    /// Last line.
    pub end_line: u32,
    /// Column behind the end.
    pub end_column: u32,
}

impl Span {
    /// Stands for the whole file, for hits that no line can be named for.
    pub const WHOLE_FILE: Span = Span { start_line: 0, start_column: 0, end_line: 0, end_column: 0 };

    /// The span, unless it stands for the whole file.
    pub fn lines(self) -> Option<Self> {
        (self.start_line > 0).then_some(self)
    }

    /// The line that it begins in, counted from 0, unless it stands for the whole file.
    pub fn first_index(self) -> Option<u32> {
        self.start_line.checked_sub(1)
    }
}

/// A measured figure and its limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Figure {
    /// What was measured.
    pub value: u64,
    /// The most that is allowed.
    pub limit: u64,
}

/// One place in a file where a rule holds. It says nothing of the file's path, so it can be stored by content.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hit {
    /// The rule's id.
    pub rule: String,
    /// The rule's severity.
    pub severity: Severity,
    /// The message with its gaps filled in.
    pub message: String,
    /// Where it stands.
    pub span: Span,
    /// The names of the definitions around it, outermost first, joined with dots.
    pub scope: String,
    /// First and last line (1-based) of the innermost definition around it.
    pub definition: Option<(u32, u32)>,
    /// Digest of the matched text, byte for byte.
    pub exact: u64,
    /// Digest of the matched text without its white space.
    pub folded: u64,
    /// Digest of what its rule named: the matched text without its white space and without what `many` holes took.
    pub identity: u64,
    /// For measures, the figure.
    pub figure: Option<Figure>,
    /// Why a comment beside it lets it be.
    pub allowed: Option<String>,
    /// Other places that it is about.
    pub related: Vec<Elsewhere>,
    /// What it found is never shown whole.
    pub secret: bool,
}

/// A place that a hit is about besides its own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Elsewhere {
    /// The file.
    pub path: Vec<u8>,
    /// Whether it is a place before the change.
    pub before: bool,
    /// Where it is.
    pub span: Span,
    /// What it has to do with the hit.
    pub message: String,
}

impl Hit {
    /// The digest of the text that may be shown: a short secret could be guessed from its own.
    pub fn shown_digest(&self) -> u64 {
        if self.secret { short_digest(&[self.rule.as_bytes()]) } else { self.folded }
    }

    /// The identity as it may be shown.
    pub fn shown_identity(&self) -> u64 {
        if self.secret { self.shown_digest() } else { self.identity }
    }

    /// A hit of a rule on this text.
    pub(crate) fn new(
        rule: &Rule,
        message: String,
        span: Span,
        scope: String,
        text: &[u8],
        figure: Option<Figure>,
    ) -> Self {
        let (exact, folded) = digests(text);
        Self {
            rule: rule.id.clone(),
            severity: rule.severity,
            message,
            span,
            scope,
            definition: None,
            exact,
            folded,
            identity: folded,
            figure,
            allowed: None,
            related: Vec::new(),
            secret: rule.secret,
        }
    }
}

/// Something that a rule collects from a file, to be held against facts of this and other files. There are many, so
/// they hold what is needed to tell whether they meet, and the rest is read from the file when they become findings.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fact {
    /// The digest of the rule's id.
    pub rule: u64,
    /// The collection of the rule's link that it belongs to, by index.
    pub collection: usize,
    /// What the link's kept holes took, in their order.
    pub values: Vec<String>,
    /// Where it stands.
    pub span: Span,
    /// Why a comment beside it lets it be.
    pub allowed: Option<String>,
}

/// What became of a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum Status {
    /// It was examined.
    Examined,
    /// Nothing looks at it: no rule wants the path, or it is binary data of no language.
    NotWanted,
    /// Rules wanted it and it couldn't be examined; the reason.
    NotExamined(String),
}

/// What scanning a file gave.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileScan {
    /// What became of it.
    pub status: Status,
    /// Its hits in the order of their places.
    pub hits: Vec<Hit>,
    /// Its facts in the order of their places.
    pub facts: Vec<Fact>,
    /// It looks like something that a program made, so that rules that skip made files have left it alone.
    pub made: bool,
    /// Where it doesn't parse; `None` when it wasn't parsed.
    pub syntax: Option<Syntax>,
}

impl FileScan {
    /// Nothing was found, for this reason.
    pub fn without_hits(status: Status) -> Self {
        Self { status, hits: Vec::new(), facts: Vec::new(), made: false, syntax: None }
    }
}

/// Whether what a file says of itself counts: that a program made it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Markers {
    /// The file stands as the target has it, so its word counts.
    Heeded,
    /// The change may have written them, so they don't count.
    Ignored,
}

/// Scans a file with the rules that are `wanted` for its path. Byte order marks are taken off before; see [`decoded`].
///
/// `language` decides which rules apply and how the file is parsed. The result depends on nothing but the arguments.
pub fn scan(
    content: &[u8],
    language: Option<&'static Language>,
    rules: &RuleSet,
    wanted: &[bool],
    limits: &Limits,
    markers: Markers,
) -> FileScan {
    Scan { rules, wanted, limits, markers, own: None }.nested(&decoded(content), language, 0)
}

/// What stays the same for a file and the code inside of it.
struct Scan<'a> {
    rules: &'a RuleSet,
    wanted: &'a [bool],
    limits: &'a Limits,
    markers: Markers,
    /// Where the text is a fragment that was completed, the part that is known.
    own: Option<Range<usize>>,
}

impl Scan<'_> {
    fn nested(&self, content: &[u8], language: Option<&'static Language>, depth: u8) -> FileScan {
        let Scan { rules, wanted, limits, markers, .. } = *self;
        let set = rules.for_language(language);
        let own = set.gates.iter().any(|gate| wanted[gate.rule]);
        // Where no other rule looks there is nothing to allow, so nothing is missed.
        let missed = set.gates.iter().any(|gate| wanted[gate.rule] && !gate.is_about_suppressions);
        let holds_code = language.is_some_and(|l| !l.embedded.is_empty()) && depth < embedded::DEEPEST;
        if !own && !holds_code || !missed && language.is_none() {
            return FileScan::without_hits(Status::NotWanted);
        }
        let given_up = |why: String| {
            FileScan::without_hits(if missed || holds_code { Status::NotExamined(why) } else { Status::NotWanted })
        };
        // Offsets in trees have 32 bits.
        let most = limits.file_size.min(u64::from(u32::MAX));
        if content.len() as u64 > most {
            if language.is_none() && is_binary(content) {
                return FileScan::without_hits(Status::NotWanted);
            }
            return given_up(format!("it has {} bytes, and the limit file_size is {most}", content.len()));
        }
        if let Some(why) = language.and_then(|l| text::unreadable(content, l)) {
            // It can't be parsed, and what expressions find without that is found all the same.
            let plain = self.nested(content, None, depth);
            return FileScan { hits: plain.hits, ..given_up(why) };
        }
        let made = markers == Markers::Heeded && made::looks_made(content, language);
        let looks = |gate: &Gate| wanted[gate.rule] && !(made && gate.skip_generated);
        if made && !holds_code && !set.gates.iter().any(looks) {
            return FileScan { made, ..FileScan::without_hits(Status::NotWanted) };
        }
        let source = text::with_plain_line_ends(content, language);
        let source = source.as_ref();
        let words = Words::find(source, set);
        let possible = set.gates.iter().zip(0u32..);
        let possible = possible.filter(|(gate, _)| looks(gate) && set.gates.is_open(gate, |word| words.has(word)));
        let possible: Vec<u32> = possible.map(|(_, index)| index).collect();
        let mut run = run::Run::new(source, content, language, rules, self.own.clone());
        let allows = allow::may_be_in(source);
        let mut tree_wanted = holds_code || allows && language.is_some();
        for &index in &possible {
            let entry = &set.entries[index as usize];
            let rule = &rules.rules()[entry.rule];
            match &rule.ways[entry.way].matcher {
                Matcher::Text(text) => {
                    let found: Vec<_> =
                        text.regex.find_iter(source).filter(|m| !m.is_empty()).map(|m| m.range()).collect();
                    tree_wanted |= !found.is_empty() && language.is_some();
                    run.text.extend(found.into_iter().map(|range| (index, range)));
                }
                Matcher::Code(_)
                | Matcher::Tree(_)
                | Matcher::Measure(_)
                | Matcher::Key(_)
                | Matcher::Names(_)
                | Matcher::CommentedCode => tree_wanted = true,
                Matcher::Suppression(_) | Matcher::Syntax => {}
            }
        }
        if tree_wanted && let Err(why) = run.parse() {
            return given_up(why);
        }
        let syntax = run.syntax();
        let parts = if holds_code { run.parts() } else { Vec::new() };
        let mut suppressions = if allows { run.suppressions() } else { Vec::new() };
        run.find(set, &possible, &words);
        if let Some(why) = run.fault.take() {
            return FileScan { syntax, ..FileScan::without_hits(Status::NotExamined(why)) };
        }
        let mut status = if own { Status::Examined } else { Status::NotWanted };
        let (mut hits, mut facts) = run.hits();
        if !suppressions.is_empty() {
            allow::apply(&mut suppressions, &mut hits, &mut facts, rules);
            let lines = Lines::new(content);
            let known = rules.rules().iter().zip(wanted).filter(|(_, wanted)| **wanted);
            let known: Vec<&str> = known.map(|(rule, _)| rule.id.as_str()).collect();
            for &index in &possible {
                let rule = &rules.rules()[set.entries[index as usize].rule];
                if let Matcher::Suppression(fault) = rule.ways[set.entries[index as usize].way].matcher {
                    hits.extend(allow::faulty(&suppressions, fault).map(|a| a.hit(rule, &known, content, &lines)));
                }
            }
        }
        for part in parts {
            let inner = self.nested(&part.text, Some(part.language), depth + 1);
            match &inner.status {
                Status::NotExamined(_) => return FileScan { syntax, ..FileScan::without_hits(inner.status) },
                Status::Examined => status = Status::Examined,
                Status::NotWanted => {}
            }
            part.merge(inner, &mut hits, &mut facts);
        }
        hits.sort_by_key(|h| h.span);
        // What an expression finds in a script of a page it finds in the page, too.
        facts.sort_by(|a, b| (a.span, a.rule, a.collection, &a.values).cmp(&(b.span, b.rule, b.collection, &b.values)));
        facts.dedup();
        FileScan { status, hits, facts, made, syntax }
    }
}

/// Gives hits that came of facts the digests of their texts.
pub(crate) fn read_texts(content: &[u8], hits: &mut [Hit]) {
    let lines = Lines::new(content);
    for hit in hits {
        (hit.exact, hit.folded) = digests(lines.text(hit.span));
        // A link names what its facts meet by; without that, the text is all that there is.
        hit.identity = if hit.identity == 0 { hit.folded } else { hit.identity };
    }
}

/// The digests of a text, byte for byte and without its white space.
fn digests(text: &[u8]) -> (u64, u64) {
    (short_digest(&[text]), short_digest(&[&without_white_space(text)]))
}

/// A text without its white space.
pub(crate) fn without_white_space(text: &[u8]) -> Vec<u8> {
    text.iter().copied().filter(|b| !b.is_ascii_whitespace()).collect()
}

/// The digest of a text without its white space and without some ranges of it, which are in order, and the separators
/// beside them.
fn identity(source: &[u8], whole: &Range<usize>, varying: &[Range<usize>]) -> u64 {
    let separator = |b: &u8| b.is_ascii_whitespace() || matches!(b, b',' | b';');
    let mut kept = Vec::new();
    let mut from = whole.start;
    for range in varying.iter().filter(|r| r.start >= whole.start && r.end <= whole.end) {
        let piece = source.get(from..range.start).unwrap_or_default();
        let end = piece.iter().rposition(|b| !separator(b)).map_or(0, |at| at + 1);
        kept.extend(without_white_space(&piece[..end]));
        // A gap stays a gap.
        kept.push(b' ');
        let rest = source.get(range.end..whole.end).unwrap_or_default();
        from = range.end + rest.iter().take_while(|b| separator(b)).count();
    }
    kept.extend(without_white_space(source.get(from..whole.end).unwrap_or_default()));
    short_digest(&[&kept])
}

/// Gives hits that were found elsewhere what the file says of their places: the definitions around them, and the
/// comments that let them be.
pub(crate) fn settle(content: &[u8], language: Option<&'static Language>, hits: &mut [Hit]) {
    let Some((scopes, mut suppressions)) = run::surroundings(content, language, hits.iter().map(|h| h.span)) else {
        return;
    };
    hits.iter_mut().zip(scopes).for_each(|(hit, (scope, definition))| {
        (hit.scope, hit.definition) = (scope, definition);
    });
    allow::apply(&mut suppressions, hits, &mut [], &RuleSet::new(Vec::new()));
}

/// A NUL among the first 8,000 bytes, as git tells it.
pub fn is_binary(content: &[u8]) -> bool {
    memchr::memchr(0, &content[..content.len().min(8000)]).is_some()
}

/// A name for content that isn't in a repository: its SHA-256, in hexadecimal digits.
pub fn content_id(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|byte| format!("{byte:02x}")).collect()
}

/// A digest that only has to tell texts apart.
pub fn text_digest(text: &[u8]) -> u64 {
    short_digest(&[text])
}

/// The first eight bytes of SHA-256, for digests that only have to tell texts apart.
pub(crate) fn short_digest(parts: &[&[u8]]) -> u64 {
    let mut hash = Sha256::new();
    for part in parts {
        hash.update((part.len() as u64).to_le_bytes());
        hash.update(part);
    }
    let bytes: [u8; 32] = hash.finalize().into();
    u64::from_be_bytes([bytes[0], bytes[1], bytes[2], bytes[3], bytes[4], bytes[5], bytes[6], bytes[7]])
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;
    use std::sync::Arc;

    use super::*;
    use crate::link::{Held, judge};
    use crate::packs::PACKS;
    use crate::rule::read_rules;

    /// The ids and lines of what all rules find in some files, their links judged among those alone.
    fn told(files: &[(&str, &str)], set: &dyn Fn(&'static Language) -> RuleSet) -> BTreeSet<(String, String, u32)> {
        let mut told = BTreeSet::new();
        let mut facts: Vec<(&str, Fact)> = Vec::new();
        let mut rules = Vec::new();
        for (path, code) in files {
            let Some(language) = Language::of(path.as_bytes(), code.as_bytes()) else { continue };
            let set = set(language);
            let wanted = set.wanted(path.as_bytes());
            let found = scan(code.as_bytes(), Some(language), &set, &wanted, &Limits::default(), Markers::Heeded);
            told.extend(found.hits.into_iter().map(|h| (h.rule, (*path).to_owned(), h.span.start_line)));
            facts.extend(found.facts.into_iter().map(|fact| (*path, fact)));
            rules = set.rules().to_vec();
        }
        for rule in &rules {
            let Some(link) = rule.link() else { continue };
            let of = facts.iter().filter(|(_, fact)| fact.rule == rule.mark());
            let held: Vec<Held<'_>> =
                of.map(|(path, fact)| Held { path: path.as_bytes(), fact, fresh: true, touched: true }).collect();
            for (index, hit) in judge(rule, link, &held, None) {
                let path = String::from_utf8_lossy(held[index].path).into_owned();
                told.insert((hit.rule, path, hit.span.start_line));
            }
        }
        told
    }

    /// A match, files, and the places that are found.
    type Case = (&'static str, &'static [(&'static str, &'static str)], &'static str);

    /// What is asked for stands in other files than what asks, or not at all.
    const MATCHES: &[Case] = &[
        (
            "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nnot_enclosed_by = { code = \"with lock:\\n    B\", holes.B = { many = true } }",
            &[("a.py", "open(a)\n"), ("b.py", "with lock:\n    open(b)\n")],
            "a.py:1",
        ),
        (
            "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nenclosed_by = [{ code = \"with lock:\\n    B\", holes.B = { many = true } }, { code = \"while late:\\n    B\", holes.B = { many = true } }]",
            &[("a.py", "open(a)\n"), ("b.py", "while late:\n    open(b)\n"), ("c.py", "with lock:\n    open(c)\n")],
            "b.py:2 c.py:2",
        ),
        (
            "languages = ['python']\ncode = 'open(X)'\nholes.X = {}\nunless = { code = 'open(lock)' }\nnot_encloses = { code = 'safe(Y)', holes.Y = {} }",
            &[("a.py", "open(a)\nopen(lock)\nopen(safe(b))\n"), ("b.py", "open(c)\n")],
            "a.py:1 b.py:1",
        ),
        (
            "languages = ['python']\ncode = 'X(a)'\nholes.X = { text = '^(open|shut)$' }\nencloses = { text = 'a' }",
            &[("a.py", "shut(a)\n"), ("b.py", "open(a)\n"), ("c.py", "hold(a)\n")],
            "a.py:1 b.py:1",
        ),
        (
            "languages = ['python']\ntree = '((call function: (identifier) @f) @here (#match? @f \"^(open|shut)$\"))'\nnot_preceded_by = { code = 'lock(X)', holes.X = {} }",
            &[("a.py", "shut(a)\n"), ("b.py", "lock(a)\nopen(b)\n")],
            "a.py:1 b.py:2",
        ),
        (
            "each = 'used'\nmust_not_meet = 'dropped'\nunless_meets = ['kept']\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ndropped = { languages = ['python'], code = 'drop(N)', holes.N = {} }\nkept = { languages = ['python'], code = 'keep(N)', holes.N = {} }",
            &[("a.py", "use(x)\nuse(y)\n"), ("b.py", "drop(x)\ndrop(y)\n"), ("c.py", "keep(y)\n")],
            "a.py:1",
        ),
        (
            "each = 'used'\nmust_not_meet = 'dropped'\nunless_meets = ['kept']\nwithin = 'file'\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ndropped = { languages = ['python'], code = 'drop(N)', holes.N = {} }\nkept = { languages = ['python'], code = 'keep(N)', holes.N = {} }",
            &[("a.py", "use(x)\ndrop(x)\n"), ("b.py", "use(x)\n"), ("c.py", "use(x)\ndrop(x)\nkeep(x)\n")],
            "a.py:1",
        ),
        (
            "each = 'used'\nmust_meet = 'given'\nwithin = 'file'\n[rule.match.collect]\nused = { languages = ['python'], code = 'use(N)', holes.N = {} }\ngiven = { languages = ['python'], any = [{ code = 'give(N)', holes.N = {} }, { code = 'lend(N)', holes.N = {} }] }",
            &[("a.py", "use(x)\n"), ("b.py", "use(x)\nlend(x)\n"), ("c.py", "give(x)\n")],
            "a.py:1",
        ),
    ];

    /// Words, openers and what must stand beside a fact only save work: without them the same is found.
    #[test]
    fn what_words_leave_out_finds_nothing() {
        let packs = || PACKS.iter().flat_map(|pack| pack.rules().iter().cloned()).collect::<Vec<_>>();
        let mut found = 0;
        for example in packs().iter().flat_map(|rule| &rule.examples) {
            let files: Vec<(&str, &str)> = example.files().iter().map(|f| (&*f.path, &*f.code)).collect();
            let with = told(&files, &|_| RuleSet::new(packs()));
            let without = told(&files, &|language| RuleSet::new(packs()).without_words(language));
            assert_eq!(with, without, "{files:?}");
            found += with.len();
        }
        assert!(found > 500, "{found} findings");
        for (matcher, files, expected) in MATCHES {
            let head = "[[rule]]\nid = \"r\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\n[rule.match]\n";
            let read = read_rules("r.toml", &format!("{head}{matcher}\n"), false);
            let read = read.unwrap_or_else(|problems| panic!("{matcher}: {}", problems[0]));
            let rules: Vec<_> = read.rules.into_iter().map(|(rule, _)| Arc::new(rule)).collect();
            for set in
                [&|_| RuleSet::new(rules.clone()), &|language| RuleSet::new(rules.clone()).without_words(language)]
                    as [&dyn Fn(&'static Language) -> RuleSet; 2]
            {
                let places = told(files, set).into_iter().map(|(_, path, line)| format!("{path}:{line}"));
                assert_eq!(places.collect::<Vec<_>>().join(" "), *expected, "{matcher}");
            }
        }
    }
}
