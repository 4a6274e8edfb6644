//! Scanning both sides of every file of a change, comparing them, and putting the result together.

use std::collections::BTreeSet;
use std::sync::Arc;

use rayon::prelude::*;
use sha2::{Digest, Sha256};

use super::excerpt::excerpt;
use super::model::{Allowed, Anchor, FileEntry, Finding, Path, Review, RuleEntry, Side};
use crate::baseline::{self, Compared, FileHits, State};
use crate::change::{Cache, Change, ChangedFile, Content, Contents, Nature};
use crate::diff::{Kind, LineMap};
use crate::lang::Language;
use crate::rule::{Limits, Matcher, Rule, RuleSet, RuleSide};
use crate::scan::{FileScan, Hit, Lines, Status, scan};

/// What an examination needs besides the change.
pub struct Examination<'a> {
    /// The rules.
    pub rules: &'a RuleSet,
    /// The limits.
    pub limits: &'a Limits,
    /// Where results are kept.
    pub cache: &'a dyn Cache,
    /// Told of every file that is done, from any thread.
    pub done: &'a (dyn Fn() + Sync),
}

impl Examination<'_> {
    /// Scans one side of a file, or takes the result from the cache.
    fn side(&self, path: &[u8], content: &Content) -> FileScan {
        let (id, bytes) = match content {
            Content::Absent => return FileScan { status: Status::NotWanted, hits: Vec::new() },
            Content::Unavailable(why) => {
                return FileScan { status: Status::NotExamined(why.clone()), hits: Vec::new() };
            }
            Content::Partial { bytes, numbers } => return self.partial(path, bytes, numbers),
            Content::Whole { id, bytes } => (id, bytes),
        };
        let language = Language::of(path, bytes);
        let wanted = self.rules.wanted(path);
        let run = || scan(bytes, language, self.rules, &wanted, self.limits);
        let Some(id) = id else { return run() };
        let mut name = Sha256::new();
        name.update(id.as_bytes());
        name.update(self.rules.digest(&wanted, language));
        name.update(self.limits.file_size.to_le_bytes());
        let name: [u8; 32] = name.finalize().into();
        self.cache.get(&name).unwrap_or_else(|| {
            let result = run();
            self.cache.put(name, &result);
            result
        })
    }

    /// Only rules that need nothing but lines run where only a diff's lines are known.
    fn partial(&self, path: &[u8], bytes: &[u8], numbers: &[u32]) -> FileScan {
        let mut wanted = self.rules.wanted(path);
        for (wanted, rule) in wanted.iter_mut().zip(self.rules.rules()) {
            *wanted = *wanted && needs_lines_only(rule);
        }
        let mut result = scan(bytes, None, self.rules, &wanted, self.limits);
        let number = |line: u32| numbers.get(line as usize - 1).copied().unwrap_or(line);
        for hit in &mut result.hits {
            hit.span.start_line = number(hit.span.start_line);
            hit.span.end_line = number(hit.span.end_line);
        }
        result
    }

    /// Rules that can't run on a language or without whole files, each with the reason.
    fn not_run(&self, languages: &BTreeSet<&'static str>, partial: bool) -> Vec<(String, String)> {
        let mut out: Vec<_> =
            languages
                .iter()
                .filter_map(|name| Language::by_name(name))
                .flat_map(|l| {
                    self.rules.for_language(Some(l)).errors.iter().map(move |(id, error)| {
                        (id.clone(), format!("its pattern can't be used on {}: {error}", l.name))
                    })
                })
                .collect();
        if partial {
            let why = "it needs whole files; give --tree DIR";
            // What looks after allowances has nothing to say where the rules that they allow don't run.
            let idle = |r: &&Arc<Rule>| {
                !needs_lines_only(r) && !r.ways.iter().any(|w| matches!(w.matcher, Matcher::Allowance(_)))
            };
            out.extend(self.rules.rules().iter().filter(idle).map(|r| (r.id.clone(), why.to_owned())));
        }
        out.sort();
        out.dedup();
        out
    }

    fn rule_entries(&self, findings: &[Finding]) -> Vec<RuleEntry> {
        let used: BTreeSet<&str> = findings.iter().map(|f| f.rule.as_str()).collect();
        let rules = self.rules.rules().iter().filter(|r| used.contains(r.id.as_str()));
        rules
            .map(|r| RuleEntry {
                id: r.id.clone(),
                severity: r.severity,
                title: r.title.clone(),
                help: r.help.clone(),
                tags: r.tags.clone(),
            })
            .collect()
    }
}

fn needs_lines_only(rule: &crate::rule::Rule) -> bool {
    rule.ways.iter().all(|w| {
        w.languages.is_empty() && w.filters.is_empty() && matches!(&w.matcher, Matcher::Text(t) if t.zones.is_empty())
    })
}

/// What became of a file on both sides.
struct Examined {
    hits: FileHits,
    language: Option<&'static Language>,
    why_not: Option<(String, bool)>,
    partial: bool,
}

/// Reviews a change: scans both sides of its files in parallel, compares, and adds excerpts. The result doesn't depend on
/// the number of threads.
pub fn examine(change: &Change, contents: &dyn Contents, with: &Examination<'_>) -> Review {
    let examined: Vec<Examined> = (0..change.files.len())
        .into_par_iter()
        .map(|index| {
            let result = examine_file(&change.files[index], index, contents, with);
            (with.done)();
            result
        })
        .collect();
    let (mut review, compared) = put_together(change, &examined, with);
    add_excerpts(&mut review.findings, &compared, change, contents);
    review
        .findings
        .sort_by_cached_key(|f| (f.state == State::Absent, f.anchor.path.clone(), f.anchor.span, f.rule.clone()));
    review
}

/// Compares both sides of all files; the findings are in the order of what was compared, without excerpts.
fn put_together(change: &Change, examined: &[Examined], with: &Examination<'_>) -> (Review, Vec<Compared>) {
    let hits: Vec<FileHits> = examined.iter().map(|e| e.hits.clone()).collect();
    let compared = baseline::compare(&hits);
    let keys = baseline::keys(&hits, &compared);
    let (compared, keys): (Vec<Compared>, Vec<String>) =
        compared.into_iter().zip(keys).filter_map(|(c, key)| Some((as_seen(c, &hits, with.rules)?, key))).unzip();
    let findings: Vec<Finding> = compared.iter().zip(keys).map(|(c, key)| finding(change, &hits, c, key)).collect();
    let files = change.files.iter().zip(examined).map(|(f, e)| file_entry(f, e)).collect();
    let languages = examined.iter().filter_map(|e| e.language.map(|l| l.name)).collect();
    let review = Review {
        base: change.base.clone(),
        head: change.head.clone(),
        target: change.target.clone(),
        description: change.description.clone(),
        rules_from: String::new(),
        rules: with.rule_entries(&findings),
        files,
        findings,
        not_run: with.not_run(&languages, examined.iter().any(|e| e.partial)),
        notes: Vec::new(),
    };
    (review, compared)
}

/// A rule that looks at what a change takes away finds what was there and isn't any more, and nothing else.
fn as_seen(c: Compared, hits: &[FileHits], rules: &RuleSet) -> Option<Compared> {
    let on = |place: Option<(usize, usize)>, side: fn(&FileHits) -> &Vec<Hit>| {
        place.and_then(|(file, index)| side(&hits[file]).get(index))
    };
    let hit = on(c.head, |f| &f.head).or_else(|| on(c.base, |f| &f.base))?;
    match rules.get(&hit.rule).map(|r| r.side) {
        Some(RuleSide::Old) => c.head.is_none().then_some(Compared { state: State::New, ..c }),
        Some(RuleSide::New) | None => Some(c),
    }
}

fn examine_file(file: &ChangedFile, index: usize, contents: &dyn Contents, with: &Examination<'_>) -> Examined {
    let mut out = Examined {
        hits: FileHits {
            old_path: file.old_path.clone(),
            new_path: file.new_path.clone(),
            map: file.map.clone(),
            ..Default::default()
        },
        language: Language::of(&file.new_path, b""),
        why_not: None,
        partial: false,
    };
    match file.nature {
        Nature::Symlink => out.why_not = Some(("it is a symbolic link".into(), false)),
        Nature::Submodule => out.why_not = Some(("it is a submodule".into(), false)),
        Nature::Binary if out.language.is_none() => out.why_not = Some(("it is binary data".into(), false)),
        Nature::Text | Nature::Binary => {
            let sides = contents.sides(index);
            out.partial = [&sides.old, &sides.new].iter().any(|c| matches!(c, Content::Partial { .. }));
            if let Content::Whole { bytes, .. } = &sides.new {
                out.language = Language::of(&file.new_path, bytes);
            }
            let (old, new) = (with.side(&file.old_path, &sides.old), with.side(&file.new_path, &sides.new));
            let side_there = if file.kind == Kind::Deleted { &old } else { &new };
            out.why_not = match (&new.status, &old.status) {
                (Status::NotExamined(why), _) => Some((why.clone(), true)),
                (_, Status::NotExamined(why)) => Some((format!("before the change, {why}"), true)),
                _ if side_there.status == Status::NotWanted => Some(("no rule looks at it".into(), false)),
                _ => None,
            };
            (out.hits.base, out.hits.head) = (old.hits, new.hits);
        }
    }
    out
}

fn finding(change: &Change, hits: &[FileHits], c: &Compared, key: String) -> Finding {
    let at = |side: Side, (file, index): (usize, usize)| {
        let (path, hit, commit) = match side {
            Side::Old => (&hits[file].old_path, &hits[file].base[index], &change.base),
            Side::New => (&hits[file].new_path, &hits[file].head[index], &change.head),
        };
        (Anchor { path: Path::new(path), side, span: hit.span, commit: commit.clone() }, hit, file)
    };
    let before = c.base.map(|place| at(Side::Old, place));
    let now = c.head.map(|place| at(Side::New, place));
    let figure_before = before.as_ref().and_then(|(_, hit, _)| hit.figure).map(|f| f.value);
    // Every compared finding is on one side at least; the head speaks for it when it is there.
    let (anchor, hit, file) = now.clone().or_else(|| before.clone()).expect("a compared finding is on some side");
    let map = &hits[file].map;
    let lines = hit.span.start_line - 1..hit.span.end_line;
    let on_changed_line = match anchor.side {
        Side::New => lines.into_iter().any(|l| map.to_old(l).is_none()),
        Side::Old => lines.into_iter().any(|l| map.to_new(l).is_none()),
    };
    let hit: &Hit = hit;
    Finding {
        key,
        rule: hit.rule.clone(),
        severity: hit.severity,
        message: hit.message.clone(),
        state: c.state,
        before: before
            .map(|(anchor, ..)| anchor)
            .filter(|b| now.is_some() && (b.path != anchor.path || b.span != anchor.span)),
        anchor,
        scope: hit.scope.clone(),
        text_digest: format!("{:016x}", hit.folded),
        on_changed_line,
        figure: hit.figure,
        figure_before: figure_before.filter(|_| now.is_some()),
        allowed: Allowed::of(c, hits),
        excerpt: Vec::new(),
    }
}

/// Loads the files of findings that are shown once more, one at a time, and cuts the excerpts out.
fn add_excerpts(findings: &mut [Finding], compared: &[Compared], change: &Change, contents: &dyn Contents) {
    let mut by_file: Vec<Vec<usize>> = vec![Vec::new(); change.files.len()];
    for (index, c) in compared.iter().enumerate() {
        if c.state != State::Unchanged
            && let Some((file, _)) = c.head.or(c.base)
        {
            by_file[file].push(index);
        }
    }
    for (file, indices) in by_file.iter().enumerate().filter(|(_, list)| !list.is_empty()) {
        let sides = contents.sides(file);
        let whole = |content: &Content| match content {
            Content::Whole { bytes, .. } => Some(bytes.clone()),
            Content::Partial { bytes, numbers } => Some(spread(bytes, numbers)),
            Content::Absent | Content::Unavailable(_) => None,
        };
        let (old, new) = (whole(&sides.old), whole(&sides.new));
        let (old, new) = (old.as_deref().map(Lines::new), new.as_deref().map(Lines::new));
        for &index in indices {
            let anchor = findings[index].anchor.clone();
            findings[index].excerpt =
                excerpt(old.as_ref(), new.as_ref(), &change.files[file].map, anchor.side, anchor.span);
        }
    }
}

/// Puts a diff's lines at their numbers, with empty lines between, as long as that stays small.
fn spread(bytes: &[u8], numbers: &[u32]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut next = 1;
    for (line, &number) in bytes.split_inclusive(|b| *b == b'\n').zip(numbers) {
        if number > 1_000_000 {
            break;
        }
        while next < number {
            out.push(b'\n');
            next += 1;
        }
        out.extend_from_slice(line);
        next += 1;
    }
    out
}

fn file_entry(file: &ChangedFile, examined: &Examined) -> FileEntry {
    let kind = match file.kind {
        _ if file.nature == Nature::Binary => "binary",
        Kind::Modified if file.mode_only => "mode",
        Kind::Added => "added",
        Kind::Deleted => "deleted",
        Kind::Modified => "modified",
        Kind::Renamed => "renamed",
        Kind::Copied => "copied",
    };
    let (why_not, incomplete) = match &examined.why_not {
        Some((why, incomplete)) => (Some(why.clone()), *incomplete),
        None => (None, false),
    };
    FileEntry {
        old_path: Path::new(&file.old_path),
        new_path: Path::new(&file.new_path),
        kind: kind.to_owned(),
        added: file.added,
        removed: file.removed,
        language: examined.language.map(|l| l.name.to_owned()),
        examined: why_not.is_none(),
        why_not,
        incomplete,
    }
}

/// A file of a tree that is scanned as a whole.
#[derive(Debug, Clone)]
pub struct TreeFile {
    /// Its path.
    pub path: Vec<u8>,
    /// What kind of thing it is.
    pub nature: Nature,
}

/// Scans every file of a tree; every finding is `new`, as there is nothing to compare with. `content` gives a file's
/// content by its index, from any thread.
pub fn scan_tree(
    files: &[TreeFile],
    content: &(dyn Fn(usize) -> Content + Sync),
    commit: Option<&str>,
    with: &Examination<'_>,
) -> Review {
    let examined: Vec<Examined> = files
        .par_iter()
        .enumerate()
        .map(|(index, file)| {
            let mut out = Examined {
                hits: FileHits {
                    old_path: file.path.clone(),
                    new_path: file.path.clone(),
                    map: LineMap::identity(),
                    ..Default::default()
                },
                language: None,
                why_not: None,
                partial: false,
            };
            if matches!(file.nature, Nature::Text | Nature::Binary) {
                let content = content(index);
                let bytes: &[u8] = if let Content::Whole { bytes, .. } = &content { bytes } else { &[] };
                out.language = Language::of(&file.path, bytes);
                let result = with.side(&file.path, &content);
                out.hits.head = result.hits;
                out.why_not = match result.status {
                    Status::Examined => None,
                    Status::NotWanted => Some(("no rule looks at it".into(), false)),
                    Status::NotExamined(why) => Some((why, true)),
                };
            } else {
                out.why_not = Some(("it is no file of its own".into(), false));
            }
            (with.done)();
            out
        })
        .collect();
    let listed = files.iter().map(|f| ChangedFile {
        old_path: f.path.clone(),
        new_path: f.path.clone(),
        kind: Kind::Modified,
        nature: f.nature,
        mode_only: false,
        modes: None,
        map: LineMap::identity(),
        added: 0,
        removed: 0,
    });
    let change = Change { head: commit.map(str::to_owned), files: listed.collect(), ..Default::default() };
    let (mut review, _) = put_together(&change, &examined, with);
    review.findings.iter_mut().for_each(|f| f.on_changed_line = false);
    review.findings.sort_by_cached_key(|f| (f.anchor.path.clone(), f.anchor.span, f.rule.clone()));
    review
}
