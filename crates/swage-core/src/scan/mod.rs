//! Scanning one file: content and compiled rules in, hits out.
//!
//! The order of work keeps files that can't hold anything cheap: one pass of an automaton over the bytes finds which
//! rules' words occur; text rules run as regular expressions; only when a structural rule is still possible, or a text
//! match needs its zone, the file is parsed, and one walk over the tree serves all patterns, dispatched by node kind.

mod allow;
mod beginnings;
mod cache;
mod embedded;
mod explained;
mod filters;
mod fix;
mod found;
mod fragment;
mod gather;
mod generated;
mod hit;
mod limits;
mod lines;
mod macros;
mod paths;
#[cfg(test)]
mod pattern_laws;
#[cfg(test)]
mod pruning;
mod run;
mod search;
mod statements;
mod syntax;
mod templated;
mod text;
mod translate;
mod trial;
mod walk;
mod words;

use std::collections::HashMap;
use std::ops::Range;

use sha2::{Digest, Sha256};

pub use cache::{Cache, NoCache};
pub use fix::{Edit, ProposedFix};
pub use fragment::scan_fragment;
pub(crate) use generated::looks_generated;
pub use hit::{Elsewhere, Fact, FileScan, Hit, Span, Status};
pub use limits::Limits;
pub use lines::Lines;
pub(crate) use syntax::hides_security;
pub use syntax::{Syntax, syntax_errors};
pub use text::decoded;
pub use trial::{Miss, Trial, TrialMatch, try_pattern};

use self::hit::digests;
use self::translate::translated;
use self::words::Words;
use crate::digest::{short_digest, without_white_space};
use crate::lang::Language;
pub use crate::rule::Figure;
use crate::rule::{Plan, Prefilter, RuleSet, SuppressionFault};

/// Whether what a file says of itself counts: that a program made it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Markers {
    /// The file is as the target has it, so its word counts.
    Heeded,
    /// The change may have written them, so they don't count.
    Ignored,
}

/// Scans a file with the rules that are `wanted` for its path. Byte order marks are taken off before; see [`decoded`].
///
/// `language` decides which rules apply and how the file is parsed. The result depends only on the arguments.
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
    /// For each rule, whether it looks at the path.
    wanted: &'a [bool],
    limits: &'a Limits,
    markers: Markers,
    /// Where the text is a fragment that was completed, the part that is known.
    own: Option<Range<usize>>,
}

impl Scan<'_> {
    /// Scans a file, or a piece of code in it, `depth` levels down. The steps go from cheap to costly, and each may end the
    /// work; they share what the ones before found, which makes this long.
    fn nested(&self, content: &[u8], language: Option<&'static Language>, depth: u8) -> FileScan {
        let Scan { rules, wanted, limits, markers, .. } = *self;
        // Compiled once a language and shared by all files and threads.
        let set = rules.for_language(language);
        let own = set.prefilters.iter().any(|gate| wanted[gate.rule]);
        // Where no other rule looks there is nothing to allow, so nothing is missed.
        let missed = set.prefilters.iter().any(|gate| wanted[gate.rule] && !gate.is_about_suppressions);
        let holds_code = depth < embedded::DEEPEST && language.is_some_and(|l| embedded::may_be_in(content, l));
        if !own && !holds_code || !missed && language.is_none() {
            return FileScan::without_hits(Status::NotWanted);
        }
        // Nothing is lost where no rule would have looked.
        let given_up = |why: String| {
            FileScan::without_hits(if missed || holds_code { Status::NotExamined(why) } else { Status::NotWanted })
        };
        // Offsets in trees have 32 bits.
        let most = limits.file_size.min(u64::from(u32::MAX));
        if content.len() as u64 > most {
            // Large pictures and archives are everywhere, and no rule means them.
            if language.is_none() && is_binary(content) {
                return FileScan::without_hits(Status::NotWanted);
            }
            return given_up(format!("it has {} bytes, and the limit file_size is {most}", content.len()));
        }
        // Bytes that no parser of the language takes, such as a NUL in code.
        if let Some(why) = language.and_then(|l| text::unreadable(content, l)) {
            // It can't be parsed, and what expressions find without that is found all the same.
            let plain = self.nested(content, None, depth);
            return FileScan { hits: plain.hits, ..given_up(why) };
        }
        let generated = markers == Markers::Heeded && generated::looks_generated(content, language);
        let looks = |gate: &Prefilter| wanted[gate.rule] && !(generated && gate.skip_generated);
        // Some rules look at generated files all the same, such as those on secrets.
        if generated && !holds_code && !set.prefilters.iter().any(looks) {
            return FileScan { generated, ..FileScan::without_hits(Status::NotWanted) };
        }
        let source = translated(content, language);
        let source = source.as_ref();
        // The one pass over the bytes; all that follows asks it instead of the text.
        let words = Words::find(source, set);
        let possible = set.prefilters.iter().zip(0u32..);
        let possible = possible.filter(|(gate, _)| looks(gate) && set.prefilters.is_open(gate, |word| words.has(word)));
        let possible: Vec<u32> = possible.map(|(_, index)| index).collect();
        let mut run = run::Run::new(source, content, language, rules, self.own.clone());
        // A suppression counts in comments only, and it takes the tree to know them.
        let allows = allow::may_be_in(source);
        let needs_tree = run.search_text(set, &possible);
        let tree_wanted = holds_code || allows && language.is_some() || needs_tree;
        // A parser that gives up leaves the file unexamined, and that is reported.
        // Parsing takes most of the time of a scan, so it is put off until somebody needs the tree.
        if tree_wanted && let Err(why) = run.parse() {
            return given_up(why);
        }
        let syntax = run.syntax();
        let parts = match if holds_code { run.parts() } else { Ok(Vec::new()) } {
            Ok(parts) => parts,
            Err(why) => return given_up(why),
        };
        let mut suppressions = if allows { run.suppressions() } else { Vec::new() };
        if let Err(why) = run.find(set, &possible, &words) {
            return FileScan { syntax, ..FileScan::without_hits(Status::NotExamined(why)) };
        }
        // A file may hold code of a language that rules want, and be of one that none wants.
        let mut status = if own { Status::Examined } else { Status::NotWanted };
        let (mut hits, mut facts) = run.hits();
        if !suppressions.is_empty() {
            allow::apply(&mut suppressions, &mut hits, &mut facts, rules);
            let lines = Lines::new(content);
            // For the hint of a suppression that names a rule which doesn't look here.
            // A rule that skips this path can't have been meant.
            let known = rules.rules().iter().zip(wanted).filter(|(_, wanted)| **wanted);
            let known: Vec<&str> = known.map(|(rule, _)| rule.id.as_str()).collect();
            for &index in &possible {
                let entry = &set.entries[index as usize];
                if let Plan::Suppressions(fault) = entry.plan {
                    let rule = &rules.rules()[entry.rule];
                    // In a fragment what it covers may be outside, so nothing proposes to take it away.
                    let unused = fault == SuppressionFault::Unused && self.own.is_none();
                    hits.extend(allow::faulty(&suppressions, fault).map(|suppression| Hit {
                        fix: suppression.removal(content).filter(|_| unused),
                        ..suppression.hit(rule, &known, content, &lines)
                    }));
                }
            }
        }
        let mut known = HashMap::new();
        if !parts.is_empty() {
            known.extend(hits.iter().enumerate().map(|(at, hit)| ((hit.rule.clone(), hit.span), at)));
        }
        for part in parts {
            // With the same steps, from its words on: a part is a file to its rules.
            let inner = self.nested(&part.text, Some(part.language), depth + 1);
            match &inner.status {
                Status::NotExamined(_) => return FileScan { syntax, ..FileScan::without_hits(inner.status) },
                Status::Examined => status = Status::Examined,
                Status::NotWanted => {}
            }
            part.merge(inner, &mut hits, &mut known, &mut facts);
        }
        // Parts were found after the code around them.
        hits.sort_by_key(|h| h.span);
        // What an expression finds in a script of a page it finds in the page, too.
        facts.sort_by(|a, b| (a.span, a.rule, a.collection, &a.values).cmp(&(b.span, b.rule, b.collection, &b.values)));
        facts.dedup();
        FileScan { status, hits, facts, generated, syntax }
    }
}

/// Gives hits that came of facts the digests of their texts.
pub(crate) fn read_texts(content: &[u8], hits: &mut [Hit]) {
    let lines = Lines::new(content);
    for hit in hits {
        (hit.exact, hit.folded) = digests(hit.span.map_or(content, |span| lines.text(span)));
        // A link names what its facts meet by; without that, the text is all that there is.
        hit.identity = if hit.identity == 0 { hit.folded } else { hit.identity };
    }
}

/// The digest of a text without its white space, without the comments in it and without some ranges of it, which are in
/// order, and the separators beside them. Nothing is left where a range was, so that one that holds nothing makes no
/// difference.
fn identity(source: &[u8], whole: &Range<usize>, varying: &[Range<usize>], comments: &[Range<usize>]) -> u64 {
    // Blanks in the place of comments go with all white space.
    let mut text = source.get(whole.clone()).unwrap_or_default().to_vec();
    for comment in comments {
        text[comment.start - whole.start..comment.end - whole.start].fill(b' ');
    }
    // A run that took one element more has one comma more.
    let separator = |b: &u8| b.is_ascii_whitespace() || matches!(b, b',' | b';');
    let mut kept = Vec::new();
    // Where the text goes on after the last range.
    let mut from = 0;
    for range in varying.iter().filter(|r| r.start >= whole.start && r.end <= whole.end) {
        let (start, end) = (range.start - whole.start, range.end - whole.start);
        let piece = text.get(from..start).unwrap_or_default();
        let upto = piece.iter().rposition(|b| !separator(b)).map_or(0, |at| at + 1);
        kept.extend(without_white_space(&piece[..upto]));
        from = end + text[end..].iter().take_while(|b| separator(b)).count();
    }
    kept.extend(without_white_space(text.get(from..).unwrap_or_default()));
    short_digest(&[&kept])
}

/// Gives hits that were found elsewhere what the file says of their places: the definitions around them, and the
/// comments that suppress them.
pub(crate) fn settle(content: &[u8], language: Option<&'static Language>, hits: &mut [Hit]) {
    let Some((scopes, mut suppressions)) = found::surroundings(content, language, hits.iter().map(|h| h.span)) else {
        return;
    };
    // In the order in which they were asked for.
    hits.iter_mut().zip(scopes).for_each(|(hit, (scope, definition))| {
        (hit.scope, hit.definition) = (scope, definition);
    });
    allow::apply(&mut suppressions, hits, &mut [], &RuleSet::new(Vec::new()));
}

/// A NUL among the first 8,000 bytes, as git decides it.
pub fn is_binary(content: &[u8]) -> bool {
    memchr::memchr(0, &content[..content.len().min(8000)]).is_some()
}

/// A name for content that isn't in a repository: its SHA-256, in hexadecimal digits.
pub fn content_id(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|byte| format!("{byte:02x}")).collect()
}
