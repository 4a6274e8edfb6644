//! Findings about the change itself: its size, its files, and what is written about it. They have no baseline, so each is
//! new.

use std::collections::HashMap;

use super::finding::{Anchor, Finding, Related, Standing};
use super::path::Path;
use super::written::Written;
use crate::baseline::State;
use crate::change::{Change, ChangedFile, Commit, Nature};
use crate::diff::Kind;
use crate::digest::short_digest;
use crate::ids::{FindingKey, RuleId};
use crate::rule::{ChangeMatch, Fault, Origin, PathSet, Rule, RuleSet, Subject, usually_generated, usually_vendored};
use crate::scan::Figure;
use crate::sides::{Side, Sides};

/// Most files that a finding on the whole change names.
const MOST_RELATED: usize = 3;

/// What is known of a changed file apart from the diff.
#[derive(Debug, Clone, Copy)]
pub(super) struct FileFacts {
    /// Its bytes before and after the change, when they are known.
    pub sizes: Sides<Option<u64>>,
    /// Who writes it.
    pub origin: Origin,
    /// Lines that were written and dropped.
    pub lines: Written,
    /// How many findings of it aren't listed.
    pub unlisted: u64,
}

/// What the rules on changes find, and those that can't be judged, each with the reason. `facts` are those of each file.
pub(super) fn about_change(
    change: &Change,
    facts: &[FileFacts],
    rules: &RuleSet,
) -> (Vec<Finding>, Vec<(RuleId, String)>) {
    let (mut found, mut idle): (Vec<Finding>, _) = (Vec::new(), Vec::new());
    for rule in rules.rules() {
        let Some(wanted) = rule.change() else { continue };
        match (ChangeRuleRun { change, rule, facts, wanted }).find() {
            Ok(list) => found.extend(list),
            Err(why) => idle.push((rule.id.clone(), why.to_owned())),
        }
    }
    // Commits of one subject would share a key.
    let mut seen: HashMap<FindingKey, u64> = HashMap::new();
    for finding in &mut found {
        let number = seen.entry(finding.key.clone()).or_default();
        if *number > 0 {
            finding.key = format!("{:016x}", short_digest(&[finding.key.as_bytes(), &number.to_be_bytes()])).into();
        }
        *number += 1;
    }
    (found, idle)
}

struct ChangeRuleRun<'a> {
    change: &'a Change,
    rule: &'a Rule,
    facts: &'a [FileFacts],
    wanted: &'a ChangeMatch,
}

/// What a finding says of its place.
#[derive(Default)]
struct About<'a> {
    file: Option<&'a ChangedFile>,
    commit: Option<&'a Commit>,
    figure: Option<Figure>,
    text: &'a str,
}

impl<'a> ChangeRuleRun<'a> {
    fn find(&self) -> Result<Vec<Finding>, &'static str> {
        let wanted = || self.change.files.iter().zip(self.facts).filter(|(f, facts)| self.is_wanted(f, facts));
        let files: Vec<&ChangedFile> = wanted().map(|(file, _)| file).collect();
        let figure = |value: u64| match self.wanted.fault {
            Fault::Over(limit) if value > limit => Some(Figure { value, limit }),
            Fault::Over(_)
            | Fault::Under(_)
            | Fault::Has(_)
            | Fault::MustMatch(_)
            | Fault::Without(_)
            | Fault::There => None,
        };
        let total = |value: u64| {
            let over = figure(value).map(|figure| self.finding(&About { figure: Some(figure), ..About::default() }));
            over.into_iter().collect::<Vec<_>>()
        };
        let commits = || self.change.commits.as_deref().ok_or("the commits of the change aren't known here");
        Ok(match self.wanted.subject {
            Subject::Files => total(files.len() as u64),
            Subject::Lines => total(wanted().map(|(_, f)| (f.lines.written + f.lines.dropped) as u64).sum()),
            Subject::Commits => total(commits()?.len() as u64),
            Subject::FileSize => {
                // What was over the limit before is none of the change's doing, unless it grew.
                let grew = |Sides { old, new }: Sides<Option<u64>>| new.filter(|new| old.is_none_or(|old| old < *new));
                let over = wanted().filter_map(|(file, facts)| Some((file, figure(grew(facts.sizes)?)?)));
                over.map(|(file, figure)| {
                    self.finding(&About { file: Some(file), figure: Some(figure), ..About::default() })
                })
                .collect()
            }
            Subject::Binary => files
                .into_iter()
                .filter(|f| f.nature == Nature::Binary && f.kind != Kind::Deleted)
                .map(|file| self.finding(&About { file: Some(file), ..About::default() }))
                .collect(),
            Subject::Generated => self.generated(wanted().filter(|(_, facts)| facts.unlisted > 0)),
            Subject::Paths => self.paths(&files),
            Subject::Title => {
                let title = self.change.title.as_deref().ok_or("the change has no title here; give --title")?;
                self.text(title, About::default())
            }
            Subject::Description => {
                let body = self.change.body.as_deref();
                let body = body.ok_or("the change has no description here; give --description")?;
                self.text(body, About::default())
            }
            Subject::Subject => self.each(commits()?, Commit::subject),
            Subject::Message => self.each(commits()?, |c| c.message.trim_end()),
            Subject::Author => self.each(commits()?, |c| &c.author),
        })
    }

    /// Files that look generated, those of a folder together.
    fn generated(&self, files: impl Iterator<Item = (&'a ChangedFile, &'a FileFacts)>) -> Vec<Finding> {
        let files: Vec<_> = files.collect();
        if files.is_empty() {
            return Vec::new();
        }
        let known: Vec<PathSet> = [usually_vendored(), usually_generated()].into_iter().flatten().collect();
        // A folder with a known name stands for all in it, however deep.
        let folder = |file: &'a ChangedFile| {
            let path = &file.new_path;
            let has_known_name = |end: &usize| known.iter().any(|set| set.has(&[&path[..*end], b"x"].concat()));
            let mut ends = memchr::memchr_iter(b'/', path).map(|at| at + 1);
            let last = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
            &path[..ends.find(has_known_name).unwrap_or(last)]
        };
        let mut files: Vec<_> = files.into_iter().map(|(file, facts)| (folder(file), file, facts.unlisted)).collect();
        files.sort_by_key(|(folder, file, _)| (*folder, &file.new_path));
        // An outer folder comes before those in it.
        let mut outer: &[u8] = b"";
        let groups = files.chunk_by(|(before, ..), (folder, ..)| {
            if outer.is_empty() || !before.starts_with(outer) {
                outer = before;
            }
            !outer.is_empty() && folder.starts_with(outer)
        });
        groups
            .filter_map(|group| {
                let ((folder, first, _), others) = group.split_first()?;
                let value = group.iter().map(|(.., unlisted)| unlisted).sum();
                let path = String::from_utf8_lossy(if others.is_empty() { &first.new_path } else { folder });
                let text = if others.is_empty() { path.into() } else { format!("{path} ({} files)", group.len()) };
                let figure = Some(Figure { value, limit: 0 });
                let mut finding = self.finding(&About { file: Some(first), figure, text: &text, ..About::default() });
                let related = others.iter().take(MOST_RELATED);
                finding.related = related
                    .map(|(_, file, _)| Related { anchor: self.anchor(file), message: "this one, too".to_owned() })
                    .collect();
                Some(finding)
            })
            .collect()
    }

    fn is_wanted(&self, file: &ChangedFile, facts: &FileFacts) -> bool {
        let path = if file.kind == Kind::Deleted { &file.old_path } else { &file.new_path };
        !(self.rule.skip_generated && facts.origin == Origin::Generated)
            && self.rule.wants_path(path)
            && (self.wanted.kinds.is_empty() || self.wanted.kinds.contains(&file.kind))
    }

    fn each(&self, commits: &'a [Commit], text: impl Fn(&'a Commit) -> &'a str) -> Vec<Finding> {
        commits.iter().flat_map(|c| self.text(text(c), About { commit: Some(c), ..About::default() })).collect()
    }

    /// A text that is too long or too short, has what it mustn't or lacks what it must have.
    fn text(&self, text: &'a str, about: About<'a>) -> Vec<Finding> {
        let long = matches!(self.wanted.subject, Subject::Description | Subject::Message);
        let length = |line: &str| line.chars().count() as u64;
        let (figure, shown) = match &self.wanted.fault {
            Fault::Over(limit) => {
                let lines = text.lines().map(|line| (length(line), line));
                let whole = (length(text), text);
                let (value, line) = if long { lines.max_by_key(|(n, _)| *n).unwrap_or((0, "")) } else { whole };
                if value <= *limit {
                    return Vec::new();
                }
                (Some(Figure { value, limit: *limit }), line)
            }
            Fault::Under(limit) => {
                let value = length(text.trim());
                if value >= *limit {
                    return Vec::new();
                }
                (Some(Figure { value, limit: *limit }), text)
            }
            Fault::Has(regex) => match regex.find(text.as_bytes()) {
                Some(found) => (None, text.get(found.range()).unwrap_or(text)),
                None => return Vec::new(),
            },
            Fault::MustMatch(regex) if regex.is_match(text.as_bytes()) => return Vec::new(),
            Fault::MustMatch(_) | Fault::Without(_) | Fault::There => (None, text),
        };
        vec![self.finding(&About { figure, text: shown, ..about })]
    }

    /// Files that mustn't be touched, or not without others.
    fn paths(&self, files: &[&'a ChangedFile]) -> Vec<Finding> {
        let Some(first) = files.first() else { return Vec::new() };
        let wanted = self.change.files.iter().zip(self.facts).filter(|(f, facts)| self.is_wanted(f, facts));
        let added: u64 = wanted.map(|(_, facts)| facts.lines.written as u64).sum();
        let figure = self.wanted.added_over.map(|limit| Figure { value: added, limit });
        if figure.is_some_and(|f| f.value <= f.limit) {
            return Vec::new();
        }
        let Fault::Without(others) = &self.wanted.fault else {
            return files.iter().map(|f| self.finding(&About { file: Some(f), ..About::default() })).collect();
        };
        if self.change.files.iter().any(|f| touches(others, f)) {
            return Vec::new();
        }
        let path = String::from_utf8_lossy(&first.new_path);
        let mut finding = self.finding(&About { text: &path, figure, ..About::default() });
        let related = files.iter().take(MOST_RELATED);
        finding.related =
            related.map(|f| Related { anchor: self.anchor(f), message: "this is touched".to_owned() }).collect();
        vec![finding]
    }

    fn anchor(&self, file: &ChangedFile) -> Anchor {
        let (path, side, commit) = match file.kind {
            Kind::Deleted => (&file.old_path, Side::Old, &self.change.base),
            _ => (&file.new_path, Side::New, &self.change.head),
        };
        Anchor { path: Path::new(path), side, span: None, commit: commit.clone() }
    }

    /// Which patch of a series has the commit; there is one for each.
    fn patch(&self, about: &About<'_>) -> Option<usize> {
        let (commit, commits) = (about.commit?, self.change.commits.as_deref()?);
        let at = commits.iter().position(|other| std::ptr::eq(other, commit))?;
        (self.change.series.len() == commits.len()).then_some(at + 1)
    }

    fn finding(&self, about: &About<'_>) -> Finding {
        let anchor = about.file.map(|file| self.anchor(file));
        let path = anchor.as_ref().map_or(about.text, |a| &a.path.text);
        let message = self.rule.say(|gap| match gap {
            "match" => Some(about.text.to_owned()),
            "path" => Some(path.to_owned()),
            "value" => about.figure.map(|f| f.value.to_string()),
            "limit" => about.figure.map(|f| f.limit.to_string()),
            "commit" => about.commit.map(|c| c.id.chars().take(10).collect()),
            _ => None,
        });
        // A commit's id changes with every rebase; its subject is what people know it by.
        let subject = about.commit.map_or("", Commit::subject);
        let place = anchor.as_ref().map_or(subject, |a| &a.path.text);
        let identity = format!("{:016x}", short_digest(&[place.as_bytes()]));
        let key = format!("{:016x}", short_digest(&[self.rule.id.as_bytes(), b"change", place.as_bytes()]));
        let related = Vec::new();
        Finding {
            key: key.into(),
            rule: self.rule.id.clone(),
            severity: self.rule.severity,
            message,
            state: State::New,
            anchor,
            related,
            about_change: true,
            standing: Standing::Counted,
            from_fragment: false,
            patch: self.patch(about),
            before: None,
            scope: String::new(),
            text_digest: format!("{:016x}", short_digest(&[about.text.as_bytes()])),
            identity,
            on_changed_line: false,
            figure: about.figure,
            figure_before: None,
            excerpt: Vec::new(),
            fix: None,
        }
    }
}

fn touches(paths: &PathSet, file: &ChangedFile) -> bool {
    [&file.old_path, &file.new_path].iter().any(|path| paths.has(path))
}
