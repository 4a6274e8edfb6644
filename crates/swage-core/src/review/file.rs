//! Scanning both sides of one file of a change.

use std::collections::BTreeSet;
use std::sync::Arc;

use sha2::{Digest, Sha256};

use super::examination::{Examination, WhyNot};
use super::foreign::ForeignFolders;
use super::licences::Grants;
use super::path::Path;
use super::unexamined;
use super::written::ChangedLines;
use crate::baseline::FileHits;
use crate::change::{Change, ChangedFile, Content, Contents, Nature, Tree};
use crate::diff::Kind;
use crate::ids::RuleId;
use crate::lang::Language;
use crate::position::LineNumber;
use crate::rule::{Area, Clause, Extent, Origin, Rule, RuleSet, Severity, SyntaxFault};
use crate::scan::{
    Fact, FileScan, Hit, Markers, Span, Status, Syntax, hides_security, is_binary, looks_generated, scan,
    scan_fragment, syntax_errors,
};
use crate::sides::Sides;

/// What scanning one side of a file gave, and where it is kept.
struct Scanned {
    scan: FileScan,
    name: Option<[u8; 32]>,
}

impl Examination<'_> {
    /// Scans one side of a file, or takes the result from the cache. Without an origin its path and content decide on it.
    fn side(&self, path: &[u8], content: &Content, origin: Option<Origin>) -> Scanned {
        let without = |status| Scanned { scan: FileScan::without_hits(status), name: None };
        let (id, bytes) = match content {
            Content::Absent => return without(Status::NotWanted),
            Content::Unavailable(why) => return without(Status::NotExamined(why.clone())),
            Content::Partial { bytes, numbers } => {
                return Scanned {
                    scan: self.partial(path, bytes, numbers, origin.unwrap_or(Origin::Written)),
                    name: None,
                };
            }
            Content::Whole { id, bytes } => (id, bytes),
        };
        let language = Language::of(path, bytes);
        let (wanted, markers) = match origin {
            None => (self.rules.wanted(path), Markers::Heeded),
            Some(origin) => (self.rules.wanted_as(path, origin), Markers::Ignored),
        };
        let run = || scan(bytes, language, self.rules, &wanted, self.limits, markers);
        let Some(id) = id else { return Scanned { scan: run(), name: None } };
        let name = self.name(id, self.rules, &wanted, language, markers);
        let scan = self.cache.get(&name).unwrap_or_else(|| {
            let result = run();
            self.cache.put(name, &result);
            result
        });
        Scanned { scan, name: Some(name) }
    }

    /// Where one side of a file doesn't parse; `None` when that is unknown.
    fn syntax(&self, path: &[u8], content: &Content, scanned: &mut Scanned) -> Option<Syntax> {
        let Content::Whole { bytes, .. } = content else { return None };
        if scanned.scan.syntax.is_none() && bytes.len() as u64 <= self.limits.file_size {
            scanned.scan.syntax = syntax_errors(bytes, Language::of(path, bytes)?).ok();
            if let Some(name) = scanned.name {
                self.cache.put(name, &scanned.scan);
            }
        }
        scanned.scan.syntax.clone()
    }

    /// The name under which the result of a content is kept.
    fn name(
        &self,
        id: &str,
        rules: &RuleSet,
        wanted: &[bool],
        language: Option<&'static Language>,
        markers: Markers,
    ) -> [u8; 32] {
        let mut name = Sha256::new();
        name.update([u8::from(markers == Markers::Heeded)]);
        name.update(id.as_bytes());
        name.update(rules.digest(wanted, language));
        name.update(self.limits.file_size.to_le_bytes());
        name.finalize().into()
    }

    /// What some rules find in a file of a tree, which is read only when no result is kept; `None` when none of them
    /// looks at it.
    pub(super) fn of_tree(&self, rules: &RuleSet, tree: &dyn Tree, index: usize) -> Option<FileScan> {
        let path = &tree.files()[index].path;
        let wanted = rules.wanted(path);
        if !wanted.contains(&true) {
            return None;
        }
        // Where the name decides the language, the content doesn't matter.
        let rendered = Language::by_path(path);
        let name = |id: &str, language| self.name(id, rules, &wanted, language, Markers::Heeded);
        let kept = tree.id(index).filter(|_| rendered.is_some()).map(|id| name(&id, rendered));
        if let Some(scan) = kept.and_then(|name| self.cache.get(&name)) {
            return Some(scan);
        }
        match tree.content(index) {
            Content::Whole { id, bytes } => {
                let language = Language::of(path, &bytes);
                let name = id.map(|id| name(&id, language));
                let again = name.filter(|_| kept.is_none()).and_then(|name| self.cache.get(&name));
                Some(again.unwrap_or_else(|| {
                    let result = scan(&bytes, language, rules, &wanted, self.limits, Markers::Heeded);
                    if let Some(name) = name {
                        self.cache.put(name, &result);
                    }
                    result
                }))
            }
            Content::Unavailable(why) => Some(FileScan::without_hits(Status::NotExamined(why))),
            Content::Absent | Content::Partial { .. } => None,
        }
    }

    /// What can be found in the lines that a diff shows: rules on lines in all of them, and rules on structure in each run
    /// of neighbouring lines. `syntax` says how many of these runs don't parse.
    fn partial(&self, path: &[u8], bytes: &[u8], numbers: &[u32], origin: Origin) -> FileScan {
        let own = self.rules.wanted_as(path, origin);
        let only = |wants: fn(&Rule) -> bool| -> Vec<bool> {
            own.iter().zip(self.rules.rules()).map(|(wanted, rule)| *wanted && wants(rule)).collect()
        };
        let lines_only = only(needs_lines_only);
        let mut result = scan(bytes, None, self.rules, &lines_only, self.limits, Markers::Ignored);
        let number = |line: u32| numbers.get(line as usize - 1).copied().unwrap_or(line);
        let in_file = |line: LineNumber| LineNumber::new(number(line.get())).unwrap_or(line);
        let renumber = |hit: &mut Hit| {
            if let Some(span) = &mut hit.span {
                (span.start_line, span.end_line) = (in_file(span.start_line), in_file(span.end_line));
            }
        };
        result.hits.iter_mut().for_each(renumber);
        let Some(language) = Language::by_path(path) else { return result };
        let structural = only(|rule| !needs_lines_only(rule) && runs_on_fragments(rule));
        if !structural.contains(&true) {
            return result;
        }
        let ends: Vec<usize> = memchr::memchr_iter(b'\n', bytes).map(|at| at + 1).collect();
        let (mut first, mut unparsed) = (0, 0);
        while first < numbers.len().min(ends.len()) {
            let run = numbers[first..].windows(2).take_while(|pair| pair[1] == pair[0] + 1).count();
            let last = (first + run).min(ends.len() - 1);
            let start = first.checked_sub(1).map_or(0, |before| ends[before]);
            let found = scan_fragment(&bytes[start..ends[last]], language, self.rules, &structural, self.limits);
            if found.status == Status::Examined {
                result.status = Status::Examined;
            }
            unparsed += u32::from(found.syntax.is_some_and(|syntax| syntax.errors > 0));
            result.hits.extend(found.hits.into_iter().map(|mut hit| {
                if let Some(span) = &mut hit.span {
                    span.start_line += numbers[first] - 1;
                    span.end_line += numbers[first] - 1;
                }
                hit
            }));
            first = last + 1;
        }
        result.hits.sort_by_key(|hit| hit.span);
        result.syntax = Some(Syntax { errors: unparsed, places: Vec::new() });
        result
    }
}

/// Whether a rule looks at nothing that a piece of a file couldn't hold.
pub(super) fn runs_on_fragments(rule: &Rule) -> bool {
    let on_pieces = |clause: &Clause| matches!(clause.matcher.extent(), Extent::Line | Extent::Piece);
    rule.project_wide.is_none() && rule.clauses.iter().all(on_pieces)
}

/// Whether a rule looks at lines alone, whatever is around them.
pub(super) fn needs_lines_only(rule: &Rule) -> bool {
    let on_lines = |clause: &Clause| {
        clause.languages.is_empty() && clause.filters.is_empty() && clause.matcher.extent() == Extent::Line
    };
    rule.clauses.iter().all(on_lines)
}

/// What is reviewed: a change, or all that there is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Scope {
    /// What a change does; what it says in its own favour doesn't count.
    Change,
    /// A whole tree, with nothing to compare it with.
    Tree,
}

/// What became of a file on both sides.
pub(super) struct Examined {
    pub file_hits: FileHits,
    /// Its facts.
    pub facts: Sides<Vec<Fact>>,
    /// Who writes it. Generated only when there are rules that skip it for that.
    pub origin: Origin,
    /// Whether it wasn't there before.
    pub is_new: bool,
    /// The id of its content after the change, when it is known.
    pub new_id: Option<String>,
    /// Whether it is a new file that looks generated or vendored, of which the target knows nothing. Asked only when
    /// something may be found in it, as is the next.
    pub looks_foreign: bool,
    /// The licences at the beginning of a new file.
    pub granted: Grants,
    /// How many findings aren't listed, since the file looks generated: errors, warnings, notes.
    pub unlisted: [u64; 3],
    /// Its bytes, when they are known.
    pub sizes: Sides<Option<u64>>,
    pub language: Option<&'static Language>,
    pub why_not: Option<WhyNot>,
    pub partial: bool,
    /// How many places of it don't parse after the change.
    pub syntax_errors: u32,
    /// Of a file of which only hunks are known: how many of them don't parse after the change.
    pub unparsed_hunks: u32,
    /// The lines that it got and lost.
    pub lines: ChangedLines,
    /// Rules that would look at it and skip it, each with the reason.
    pub skipped_by: Vec<(RuleId, String)>,
}

pub(super) fn examine_file(
    change: &Change,
    index: usize,
    contents: &dyn Contents,
    with: &Examination<'_>,
    scope: Scope,
    folders: &ForeignFolders<'_>,
) -> Examined {
    let file = &change.files[index];
    let mut out = Examined {
        file_hits: FileHits {
            old_path: file.old_path.clone(),
            new_path: file.new_path.clone(),
            map: file.map.clone(),
            ..Default::default()
        },
        facts: Sides::default(),
        origin: Origin::Written,
        is_new: false,
        new_id: None,
        looks_foreign: false,
        granted: Grants::default(),
        unlisted: [0; 3],
        sizes: Sides::default(),
        language: Language::of(&file.new_path, b""),
        why_not: None,
        partial: false,
        syntax_errors: 0,
        unparsed_hunks: 0,
        lines: ChangedLines::default(),
        skipped_by: Vec::new(),
    };
    match (file.nature, scope) {
        (Nature::Symlink, Scope::Tree) => out.why_not = Some(("it is a symbolic link".into(), false)),
        (Nature::Symlink, Scope::Change) => {
            out.why_not = Some(unexamined::link(file, change, &contents.sides(index).new, with));
        }
        (Nature::Submodule, _) => out.why_not = Some(unexamined::submodule(file, change)),
        (Nature::Text | Nature::Binary, _) => {
            examine_text(file, &contents.sides(index), with, (scope, folders), &mut out)
        }
    }
    out
}

fn examine_text(
    file: &ChangedFile,
    sides: &Sides<Content>,
    with: &Examination<'_>,
    (scope, folders): (Scope, &ForeignFolders<'_>),
    out: &mut Examined,
) {
    out.partial = sides.iter().any(|c| matches!(c, Content::Partial { .. }));
    out.sizes = sides.as_ref().map(length);
    if let Content::Whole { bytes, id } = &sides.new {
        out.language = Language::of(&file.new_path, bytes);
        (out.is_new, out.new_id) = (sides.old == Content::Absent, id.clone());
    }
    if scope == Scope::Change {
        out.lines = ChangedLines::of(file, sides);
    }
    let there = if file.kind == Kind::Deleted { &sides.old } else { &sides.new };
    if file.nature == Nature::Binary
        && matches!(there, Content::Unavailable(_) | Content::Partial { .. } | Content::Absent)
        && out.language.is_none()
    {
        out.why_not = Some(("it is binary data".into(), false));
        return;
    }
    let known = match scope {
        Scope::Tree => None,
        Scope::Change => Some(known_origin(file, sides, with.rules, folders)),
    };
    let mut old = with.side(&file.old_path, &sides.old, known);
    let mut new = with.side(&file.new_path, &sides.new, known);
    if let (Content::Partial { .. }, Some(syntax)) = (&sides.new, &new.scan.syntax) {
        out.unparsed_hunks = syntax.errors;
    }
    let side_there = if file.kind == Kind::Deleted { &old } else { &new };
    out.why_not = match (&new.scan.status, &old.scan.status) {
        (Status::NotExamined(why), _) => Some((why.clone(), true)),
        (_, Status::NotExamined(why)) => Some((format!("before the change, {why}"), true)),
        _ if side_there.scan.status == Status::NotWanted => Some((not_wanted(there), false)),
        _ => None,
    };
    let path = if file.kind == Kind::Deleted { &file.old_path } else { &file.new_path };
    let skips = with.rules.rules().iter().any(|r| r.skip_generated && r.wants_path(path));
    let looks_generated = || new.scan.generated || with.rules.is_generated(path) && out.language.is_some();
    let origin = known.unwrap_or_else(|| if looks_generated() { Origin::Generated } else { Origin::Written });
    if skips {
        out.origin = origin;
    }
    match scope {
        Scope::Change => out.skipped_by = skipped_by(path, out.language, origin, with.rules),
        Scope::Tree => out.syntax_errors = new.scan.syntax.as_ref().map_or(0, |syntax| syntax.errors),
    }
    if known == Some(Origin::Written) {
        (out.looks_foreign, out.granted) = look_of_new(path, sides, &new.scan, with.rules);
        let broken = broken_by_the_change(file, sides, Sides { old: &mut old, new: &mut new }, with, out);
        new.scan.hits.extend(broken);
    }
    out.file_hits.hits = Sides { old: old.scan.hits, new: new.scan.hits };
    out.facts = Sides { old: old.scan.facts, new: new.scan.facts };
}

/// How many bytes a content has, when all of it is known.
fn length(content: &Content) -> Option<u64> {
    if let Content::Whole { bytes, .. } = content { Some(bytes.len() as u64) } else { None }
}

/// Rules for files of a language that skip this one, each with the reason.
fn skipped_by(
    path: &[u8],
    language: Option<&'static Language>,
    origin: Origin,
    rules: &RuleSet,
) -> Vec<(RuleId, String)> {
    let looks_at = |rule: &Rule| {
        rule.clauses
            .iter()
            .any(|clause| clause.languages.is_empty() || language.is_some_and(|l| clause.languages.contains(&l)))
            && rule.paths.as_ref().is_none_or(|paths| paths.has(path))
    };
    // The same for all rules.
    let areas = Area::of(path);
    let reason = |rule: &Rule| match () {
        () if origin == Origin::Generated && rule.skip_generated => Some("the file is generated".to_owned()),
        () if rule.skip_paths.as_ref().is_some_and(|skipped| skipped.has(path)) => {
            Some("its skip_paths name the file".to_owned())
        }
        () => {
            let area = rule.skip_areas.iter().find(|area| areas.contains(area))?;
            Some(format!("it skips {}", area.word()))
        }
    };
    let skipped = rules.rules().iter().filter(|rule| looks_at(rule));
    skipped.filter_map(|rule| Some((rule.id.clone(), reason(rule)?))).collect()
}

/// Why no rule looks at a file.
fn not_wanted(content: &Content) -> String {
    match content {
        Content::Whole { bytes, .. } if is_binary(bytes) => "it is binary data".to_owned(),
        _ => "no rule applies to it".to_owned(),
    }
}

/// Who writes a file, as far as the target knows. It knows that a program does when its configuration names the path, or the
/// file is there already under a usual name, or with a marker that it still has, or its folder is, under a usual name.
fn known_origin(file: &ChangedFile, sides: &Sides<Content>, rules: &RuleSet, folders: &ForeignFolders<'_>) -> Origin {
    let path = if file.kind == Kind::Deleted { &file.old_path } else { &file.new_path };
    let is_generated = rules.is_named_as_generated(path)
        || match &sides.old {
            Content::Whole { bytes: old, .. } | Content::Partial { bytes: old, .. } if !old.is_empty() => {
                stays_generated(file, old, &sides.new, rules)
            }
            Content::Whole { .. } | Content::Partial { .. } | Content::Absent => folders.hold(path),
            Content::Unavailable(_) => false,
        };
    if is_generated { Origin::Generated } else { Origin::Written }
}

/// Whether a file that was there looks generated before and after the change.
fn stays_generated(file: &ChangedFile, old: &[u8], new: &Content, rules: &RuleSet) -> bool {
    let still = match new {
        Content::Whole { bytes, .. } | Content::Partial { bytes, .. } => looks_foreign(&file.new_path, bytes, rules),
        Content::Absent | Content::Unavailable(_) => true,
    };
    looks_foreign(&file.old_path, old, rules) && still
}

/// Whether a new file of which something may be found looks generated or vendored, and the licences at its beginning.
fn look_of_new(path: &[u8], sides: &Sides<Content>, scan: &FileScan, rules: &RuleSet) -> (bool, Grants) {
    match (&sides.old, &sides.new) {
        (Content::Absent, Content::Whole { bytes, .. }) if !(scan.hits.is_empty() && scan.facts.is_empty()) => {
            (looks_foreign(path, bytes, rules), Grants::at_head_of(bytes))
        }
        _ => Default::default(),
    }
}

/// Whether a file looks generated or vendored by its path or its content.
fn looks_foreign(path: &[u8], bytes: &[u8], rules: &RuleSet) -> bool {
    rules.is_generated(path) || looks_generated(bytes, Language::of(path, bytes))
}

/// Takes the warnings and notes out of a file that the change adds and that looks generated or vendored or has a licence of its
/// own, and of one with a licence of others in a folder around it: nobody edits such a file line by line. The target doesn't know it as such, so it
/// may only look so: errors stay, and what rules find that are locked or about security, and the gate counts the others by
/// severity, so that no verdict is better for it. What a comment suppresses stays, since the gate limits that on its own.
/// What is copied from another file, its `original`, is fixed there.
pub(super) fn leave_unlisted(
    file: &ChangedFile,
    original: Option<&[u8]>,
    rules: &RuleSet,
    folders: &ForeignFolders<'_>,
    out: &mut Examined,
) {
    let is_lesser = |rule: &Arc<Rule>| {
        rule.skip_generated && rule.severity != Severity::Error && !rule.locked && !rule.is_about_security()
    };
    let leave = |hit: &Hit| hit.suppressed.is_none() && rules.get(&hit.rule).is_some_and(is_lesser);
    if out.partial || out.origin != Origin::Written || !out.file_hits.hits.new.iter().any(leave) {
        return;
    }
    let why = match original {
        Some(original) => format!("the file is a copy of {}", Path::new(original)),
        // Licences are looked for last: that takes the whole tree.
        None if out.looks_foreign || folders.are_of_others(&file.new_path, out.granted) => {
            "the file looks generated or vendored".to_owned()
        }
        None => return,
    };
    let unlisted: Vec<Hit> = out.file_hits.hits.new.extract_if(.., |hit| leave(hit)).collect();
    for hit in &unlisted {
        out.unlisted[hit.severity as usize] += 1;
    }
    let by: BTreeSet<RuleId> = unlisted.into_iter().map(|hit| hit.rule).collect();
    out.skipped_by.extend(by.into_iter().map(|rule| (rule, why.clone())));
}

/// The finding of a file that parsed whole before the change and doesn't after it.
fn broken_by_the_change(
    file: &ChangedFile,
    sides: &Sides<Content>,
    Sides { old, new }: Sides<&mut Scanned>,
    with: &Examination<'_>,
    out: &mut Examined,
) -> Option<Hit> {
    if file.kind == Kind::Deleted || !matches!(new.scan.status, Status::Examined | Status::NotWanted) {
        return None;
    }
    let syntax = with.syntax(&file.new_path, &sides.new, new)?;
    out.syntax_errors = syntax.errors;
    if syntax.errors == 0 || with.syntax(&file.old_path, &sides.old, old)?.errors > 0 {
        return None;
    }
    let (language, Content::Whole { bytes, .. }) = (out.language?, &sides.new) else { return None };
    let is_added = |line: u32| file.map.to_old(line - 1).is_none();
    let has = |fault| match fault {
        SyntaxFault::Broken => true,
        SyntaxFault::HidesSecurity => hides_security(bytes, language, with.rules, &is_added),
    };
    let wants = |rule: &&Arc<Rule>| rule.wants_path(&file.new_path) && rule.syntax_faults(language).any(has);
    let rule = with.rules.rules().iter().find(wants)?;
    let added = |span: &&Span| span.lines().any(|line| is_added(line.get()));
    let place = syntax.places.iter().find(added).or(syntax.places.first())?;
    let message = rule.say(|gap| (gap == "value").then(|| syntax.errors.to_string()));
    Some(Hit::new(rule, message, Some(*place), String::new(), b"", None))
}
