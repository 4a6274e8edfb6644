//! Scanning both sides of every file of a change, comparing them, and putting the result together.

use std::collections::BTreeSet;
use std::sync::Arc;

use rayon::prelude::*;

use super::change_rules::{FileFacts, about_change};
use super::copies::originals;
use super::cross_file::{CrossFile, look_across_files};
use super::examination::{Examination, Fixes, Progress};
use super::excerpt::Code;
use super::file::{Examined, Scope, examine_file, leave_unlisted, needs_lines_only, runs_on_fragments};
use super::finding::{Anchor, Finding, Related, Standing, Suppressed};
use super::fixes::offer_fixes;
use super::foreign::ForeignFolders;
use super::model::{ChangeKind, FileEntry, Review, RuleEntry};
use super::path::Path;
use super::readable::Readable;
use super::written::{Written, written};
use crate::baseline::{self, Compared, FileHits, State};
use crate::change::{Change, ChangedFile, Content, Contents, Nature, NoFiles, Tree};
use crate::diff::{Kind, LineMap};
use crate::ids::{CommitId, FindingKey, RuleId};
use crate::lang::Language;
use crate::rule::{Extent, Origin, Rule, RuleSet};
use crate::scan::{Elsewhere, Hit, Lines};
use crate::sides::Side;
use crate::sides::Sides;

impl Examination<'_> {
    /// Rules that can't run on a language or without whole files, each with the reason.
    fn not_run(&self, languages: &BTreeSet<&'static str>, partial: bool) -> Vec<(RuleId, String)> {
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
            let why =
                "it needs whole files, and the diff shows only those that it adds or deletes whole; give --tree DIR";
            // What looks after suppressions has nothing to say where the rules that they allow don't run.
            let idle = |r: &&Arc<Rule>| {
                r.project_wide.is_none()
                    && !needs_lines_only(r)
                    && !runs_on_fragments(r)
                    && !r.clauses.iter().any(|w| w.matcher.extent() == Extent::Review)
            };
            out.extend(self.rules.rules().iter().filter(idle).map(|r| (r.id.clone(), why.to_owned())));
        }
        out.sort();
        out.dedup();
        out
    }

    /// The rules that ran, and those that found something all the same.
    fn rule_entries(&self, findings: &[Finding], not_run: &[(RuleId, String)]) -> Vec<RuleEntry> {
        let used: BTreeSet<&str> = findings.iter().map(|f| f.rule.as_str()).collect();
        let idle: BTreeSet<&str> = not_run.iter().map(|(id, _)| id.as_str()).collect();
        let ran = |r: &&Arc<Rule>| used.contains(r.id.as_str()) || !idle.contains(r.id.as_str());
        let mut rules: Vec<_> = self.rules.rules().iter().filter(ran).collect();
        // The order in which their files are read mustn't show.
        rules.sort_by_key(|r| &r.id);
        rules
            .into_iter()
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

/// Reviews a change: scans both sides of its files in parallel, compares, and adds excerpts. The result doesn't depend on
/// the number of threads.
pub fn examine(change: &Change, contents: &dyn Contents, with: &Examination<'_>) -> Review {
    let contents = &Readable(contents);
    let Looked { mut review, examined, compared, hits, cross_file } = look(change, contents, with, Scope::Change);
    add_excerpts(&mut review.findings, &compared, &hits, change, contents, &cross_file);
    if with.fixes == Fixes::Tried {
        offer_fixes(&mut review.findings, &compared, &hits, (change, contents), &examined, with);
    }
    let facts = examined.iter().zip(&review.files);
    let facts = facts.map(|(e, f)| FileFacts {
        sizes: e.sizes,
        origin: e.origin,
        lines: f.written,
        unlisted: e.unlisted.iter().sum(),
    });
    let files: Vec<FileFacts> = facts.collect();
    let (about, idle) = about_change(change, &files, with.rules);
    review.findings.extend(about);
    review.not_run.extend(idle);
    review.not_run.sort();
    let patches = contents.series();
    for finding in review.findings.iter_mut().filter(|f| !patches.is_empty() && !f.about_change) {
        finding.patch = finding.shown_in(patches).map(|line| line.patch + 1);
    }
    review.rules = with.rule_entries(&review.findings, &review.not_run);
    review.findings.sort_by_cached_key(Finding::order);
    review
}

/// What examining gave, before excerpts.
struct Looked<'c> {
    review: Review,
    examined: Vec<Examined>,
    compared: Vec<Compared>,
    /// The findings of the changed files, then those of untouched ones.
    hits: Vec<FileHits>,
    cross_file: CrossFile<'c>,
}

/// Examines all files and what reaches across them; the findings come without excerpts and in the order of what was compared.
fn look<'c>(change: &Change, contents: &'c dyn Contents, with: &Examination<'_>, scope: Scope) -> Looked<'c> {
    let folders = ForeignFolders::new(change, contents, with.rules);
    let mut examined: Vec<Examined> = (0..change.files.len())
        .into_par_iter()
        .map(|index| {
            (with.progress)(Progress::Started { index });
            let result = examine_file(change, index, contents, with, scope, &folders);
            (with.progress)(Progress::Finished { index, bytes: result.sizes.iter().flatten().sum() });
            result
        })
        .collect();
    let cross_file = look_across_files(change, contents, &mut examined, with);
    // What came of other files is no different in such a file.
    if scope == Scope::Change {
        let originals = originals(change, contents, &examined);
        examined.par_iter_mut().zip(originals).enumerate().for_each(|(index, (examined, original))| {
            leave_unlisted(&change.files[index], original.as_deref(), with.rules, &folders, examined);
        });
    }
    let (review, compared, hits) = put_together(change, contents, &examined, &cross_file, with);
    Looked { review, examined, compared, hits, cross_file }
}

/// Compares both sides of all files; the findings are in the order of what was compared, without excerpts.
fn put_together(
    change: &Change,
    contents: &dyn Contents,
    examined: &[Examined],
    cross_file: &CrossFile<'_>,
    with: &Examination<'_>,
) -> (Review, Vec<Compared>, Vec<FileHits>) {
    let extras = cross_file.extras.iter().map(|e| &e.file_hits);
    let hits: Vec<FileHits> = examined.iter().map(|e| &e.file_hits).chain(extras).cloned().collect();
    let texts = |file: usize| {
        let sides = (file < change.files.len()).then(|| contents.sides(file))?;
        Some(sides.map(|content| text(&content).unwrap_or_default()))
    };
    let compared = baseline::compare(&hits, &texts);
    let keys = baseline::keys(&hits, &compared);
    let (compared, keys): (Vec<Compared>, Vec<FindingKey>) =
        compared.into_iter().zip(keys).filter_map(|(c, key)| Some((as_seen(c, &hits, with.rules)?, key))).unzip();
    let findings: Vec<Finding> =
        compared.iter().zip(keys).map(|(c, key)| finding(change, &hits, c, key, with.rules)).collect();
    let mut findings = findings;
    for (c, finding) in compared.iter().zip(&mut findings) {
        let file = c.spoken_for().map(|(_, (file, _))| file);
        let partial = file.and_then(|file| examined.get(file)).is_some_and(|e| e.partial);
        finding.from_fragment = partial && with.rules.get(&finding.rule).is_some_and(|r| !needs_lines_only(r));
    }
    let written = written(&examined.iter().map(|e| &e.lines).collect::<Vec<_>>());
    let files = change.files.iter().zip(examined).zip(written);
    let files = files.map(|((f, e), written)| file_entry(f, e, written)).collect();
    let languages = examined.iter().filter_map(|e| e.language.map(|l| l.name)).collect();
    let mut not_run = with.not_run(&languages, examined.iter().any(|e| e.partial));
    not_run.extend(cross_file.not_run.iter().cloned());
    let review = Review {
        base: change.base.clone(),
        head: change.head.clone(),
        target: change.target.clone(),
        description: change.description.clone(),
        series: change.series.clone(),
        rules_from: String::new(),
        rules: with.rule_entries(&findings, &not_run),
        files,
        findings,
        totals: None,
        rule_count: with.rules.rules().len(),
        not_run,
        notes: cross_file
            .notes
            .iter()
            .cloned()
            .chain(refused_suppressions(&compared, &hits, with.rules))
            .chain(generated_files(change, examined))
            .chain(unlisted_findings(change, examined))
            .chain(unparsed_hunks(change, examined))
            .collect(),
    };
    (review, compared, hits)
}

/// A note on hunks without a tree that don't parse, even when they are completed.
fn unparsed_hunks(change: &Change, examined: &[Examined]) -> Option<String> {
    let own: Vec<(u32, Path)> = change
        .files
        .iter()
        .zip(examined)
        .filter(|(_, examined)| examined.unparsed_hunks > 0)
        .map(|(file, examined)| (examined.unparsed_hunks, Path::new(&file.new_path)))
        .collect();
    let hunks: u32 = own.iter().map(|(hunks, _)| hunks).sum();
    let mut named: Vec<&str> = own.iter().take(MOST_NAMED).map(|(_, path)| path.text.as_str()).collect();
    if own.len() > MOST_NAMED {
        named.push("...");
    }
    let what = if hunks == 1 { "1 hunk doesn't".to_owned() } else { format!("{hunks} hunks don't") };
    (hunks > 0).then(|| {
        format!(
            "{what} parse without the rest of the file, so rules on structure may have missed something there: {}.",
            named.join(", ")
        )
    })
}

/// Most files that a note names.
const MOST_NAMED: usize = 3;

/// A note on files that packs skip because they are generated.
fn generated_files(change: &Change, examined: &[Examined]) -> Option<String> {
    let (_, files) = named_files(change, examined, |e| e.origin == Origin::Generated)?;
    Some(format!("Generated and vendored files skipped by packs: {files}."))
}

/// A note on findings that aren't listed because their files look generated.
fn unlisted_findings(change: &Change, examined: &[Examined]) -> Option<String> {
    let number = |e: &Examined| e.unlisted.iter().sum::<u64>();
    let (count, files) = named_files(change, examined, |e| number(e) > 0)?;
    let all: u64 = examined.iter().map(number).sum();
    let (plural, look) = (if all == 1 { "" } else { "s" }, if count == 1 { "which looks" } else { "which look" });
    Some(format!(
        "{all} finding{plural} not listed, but counted by the gate, in {files}, {look} generated, vendored or copied. Name what belongs here under \
         `generated` or `vendored` on the target."
    ))
}

/// How many files of a change are of a kind, and the first of them by name.
fn named_files(change: &Change, examined: &[Examined], is: impl Fn(&Examined) -> bool) -> Option<(usize, String)> {
    let own = change.files.iter().zip(examined).filter(|(_, e)| is(e));
    let own: Vec<String> = own.map(|(f, _)| String::from_utf8_lossy(&f.new_path).into_owned()).collect();
    let more = own.len().saturating_sub(MOST_NAMED);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let named = own.iter().take(MOST_NAMED).cloned().collect::<Vec<_>>().join(", ");
    (!own.is_empty()).then(|| (own.len(), named + &more))
}

/// A rule that looks at what a change takes away finds what was there and isn't any more, and nothing else.
fn as_seen(c: Compared, hits: &[FileHits], rules: &RuleSet) -> Option<Compared> {
    let (side, (file, index)) = c.spoken_for()?;
    let hit = &hits[file].hits.on(side)[index];
    match rules.get(&hit.rule).map(|r| r.side) {
        Some(Side::Old) => (side == Side::Old).then_some(Compared { state: State::New, ..c }),
        Some(Side::New) | None => Some(c),
    }
}

fn finding(change: &Change, hits: &[FileHits], c: &Compared, key: FindingKey, rules: &RuleSet) -> Finding {
    let at = |side: Side, (file, index): (usize, usize)| {
        let (path, hit) = (hits[file].path(side), &hits[file].hits.on(side)[index]);
        let commit = if side == Side::Old { &change.base } else { &change.head };
        (Anchor { path: Path::new(path), side, span: hit.span, commit: commit.clone() }, hit, file)
    };
    let before = c.place.old.map(|place| at(Side::Old, place));
    let now = c.place.new.map(|place| at(Side::New, place));
    let figure_before = before.as_ref().and_then(|(_, hit, _)| hit.figure).map(|f| f.value);
    // Every compared finding is on one side at least; the head speaks for it when it is there.
    let (anchor, hit, file) = now.clone().or_else(|| before.clone()).expect("a compared finding is on some side");
    let map = &hits[file].map;
    let lines = hit.span.map_or(0..0, |span| span.start_line.index()..span.end_line.get());
    let on_changed_line = match anchor.side {
        Side::New => lines.into_iter().any(|l| map.to_old(l).is_none()),
        Side::Old => lines.into_iter().any(|l| map.to_new(l).is_none()),
    };
    let hit: &Hit = hit;
    let rule = rules.get(&hit.rule);
    let standing = Suppressed::of(c, hits)
        .filter(|suppressed| !suppressed.in_change || rule.is_none_or(may_be_suppressed))
        .map_or_else(|| unsuppressed(rule), Standing::Suppressed);
    Finding {
        key,
        rule: hit.rule.clone(),
        severity: hit.severity,
        message: hit.message.clone(),
        state: c.state,
        before: before
            .map(|(anchor, ..)| anchor)
            .filter(|b| now.is_some() && (b.path != anchor.path || b.span != anchor.span)),
        anchor: Some(anchor),
        related: hit.related.iter().map(|place| related(change, place)).collect(),
        about_change: false,
        standing,
        scope: hit.scope.clone(),
        text_digest: format!("{:016x}", hit.shown_digest()),
        identity: format!("{:016x}", hit.shown_identity()),
        on_changed_line,
        figure: hit.figure,
        from_fragment: false,
        patch: None,
        figure_before: figure_before.filter(|_| now.is_some()),
        excerpt: Vec::new(),
        fix: None,
    }
}

/// The standing of a finding of a rule that no comment suppresses.
fn unsuppressed(rule: Option<&Arc<Rule>>) -> Standing {
    let advisory = rule.and_then(|rule| rule.checker()).is_some_and(|checker| checker.advisory);
    if advisory { Standing::Advisory } else { Standing::Counted }
}

/// Whether a comment that a change adds may suppress the rule's findings.
fn may_be_suppressed(rule: &Arc<Rule>) -> bool {
    !rule.locked || rule.suppressible
}

/// Says which comments of the change suppress nothing, as their rules are locked.
fn refused_suppressions(compared: &[Compared], hits: &[FileHits], rules: &RuleSet) -> Vec<String> {
    let refused = compared.iter().filter(|c| Suppressed::of(c, hits).is_some_and(|suppressed| suppressed.in_change));
    let refused = refused.filter_map(|c| {
        let (file, index) = c.place.new?;
        let hit = &hits[file].hits.new[index];
        let rule = rules.get(&hit.rule).filter(|rule| !may_be_suppressed(rule))?;
        let (path, line) = (Path::new(&hits[file].new_path), hit.start_line()?);
        Some(format!(
            "A comment of the change suppresses `{}` at {path}:{line}, which is locked, so it has no effect.",
            rule.id
        ))
    });
    refused.collect()
}

fn related(change: &Change, place: &Elsewhere) -> Related {
    let (side, commit) = if place.before { (Side::Old, &change.base) } else { (Side::New, &change.head) };
    let (path, span) = (Path::new(&place.path), Some(place.span));
    Related { anchor: Anchor { path, side, span, commit: commit.clone() }, message: place.message.clone() }
}

/// Loads the files of findings that are shown once more, one at a time, and cuts the excerpts out.
fn add_excerpts(
    findings: &mut [Finding],
    compared: &[Compared],
    hits: &[FileHits],
    change: &Change,
    contents: &dyn Contents,
    cross_file: &CrossFile<'_>,
) {
    let mut by_file: Vec<Vec<usize>> = vec![Vec::new(); hits.len()];
    for (index, c) in compared.iter().enumerate() {
        if c.state != State::Unchanged
            && let Some((_, (file, _))) = c.spoken_for()
        {
            by_file[file].push(index);
        }
    }
    for (file, indices) in by_file.iter().enumerate().filter(|(_, list)| !list.is_empty()) {
        let extra = file.checked_sub(change.files.len()).zip(cross_file.tree.as_deref());
        let sides = match extra {
            None => contents.sides(file),
            Some((extra, tree)) => {
                let content = tree.content(cross_file.extras[extra].index);
                Sides { old: content.clone(), new: content }
            }
        };
        let texts = sides.as_ref().map(text);
        let lines = texts.as_ref().map(|text| text.as_deref().map(Lines::new));
        let secret = |hits: &[Hit]| hits.iter().filter(|h| h.secret).filter_map(|h| h.span).collect::<Vec<_>>();
        let code = Code {
            lines: lines.as_ref().map(Option::as_ref),
            map: &hits[file].map,
            hidden: hits[file].hits.as_ref().map(|hits| secret(hits)),
        };
        for &index in indices {
            if let Some(Anchor { side, span: Some(span), .. }) = findings[index].anchor {
                findings[index].excerpt = code.around(side, span);
            }
        }
    }
}

/// What is known of a file's text, with its lines at their numbers.
fn text(content: &Content) -> Option<Vec<u8>> {
    match content {
        Content::Whole { bytes, .. } => Some(bytes.clone()),
        Content::Partial { bytes, numbers } => Some(spread(bytes, numbers)),
        Content::Absent | Content::Unavailable(_) => None,
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

fn file_entry(file: &ChangedFile, examined: &Examined, written: Written) -> FileEntry {
    let kind = match file.kind {
        _ if file.nature == Nature::Binary => ChangeKind::Binary,
        Kind::Added => ChangeKind::Added,
        Kind::Deleted => ChangeKind::Deleted,
        Kind::Modified if file.mode_only => ChangeKind::Mode,
        Kind::Modified => ChangeKind::Modified,
        Kind::Renamed => ChangeKind::Renamed,
        Kind::Copied => ChangeKind::Copied,
    };
    let (why_not, incomplete) = match &examined.why_not {
        Some((why, incomplete)) => (Some(why.clone()), *incomplete),
        None => (None, false),
    };
    FileEntry {
        old_path: Path::new(&file.old_path),
        new_path: Path::new(&file.new_path),
        kind,
        added: file.added,
        removed: file.removed,
        language: examined.language.map(|l| l.name.to_owned()),
        examined: why_not.is_none(),
        why_not,
        incomplete,
        origin: examined.origin,
        syntax_errors: examined.syntax_errors,
        written,
        unlisted: examined.unlisted,
        skipped_by: examined.skipped_by.clone(),
        nature: file.nature,
    }
}

/// Scans every file of a tree; every finding is `new`, as there is nothing to compare with.
pub fn scan_tree(tree: &dyn Tree, commit: Option<&CommitId>, with: &Examination<'_>) -> Review {
    let listed = tree.files().iter().map(|f| ChangedFile {
        old_path: f.path.clone(),
        new_path: f.path.clone(),
        kind: Kind::Modified,
        nature: f.nature,
        mode_only: false,
        modes: None,
        executable: Sides { old: f.executable, new: f.executable },
        map: LineMap::identity(),
        added: 0,
        removed: 0,
    });
    let change = Change { head: commit.cloned(), files: listed.collect(), ..Default::default() };
    let whole = Whole(tree);
    let Looked { mut review, .. } = look(&change, &Readable(&whole as &dyn Contents), with, Scope::Tree);
    review.findings.iter_mut().for_each(|f| f.on_changed_line = false);
    review.findings.sort_by_cached_key(Finding::order);
    review
}

/// A tree as a change that adds all of it.
struct Whole<'t>(&'t dyn Tree);

impl Contents for Whole<'_> {
    fn sides(&self, index: usize) -> Sides<Content> {
        Sides { old: Content::Absent, new: self.0.content(index) }
    }

    fn tree(&self) -> Result<Box<dyn Tree + '_>, String> {
        Ok(Box::new(NoFiles))
    }
}
