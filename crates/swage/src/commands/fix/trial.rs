//! Trying the fixes of a change: each file by itself, then all of them together.

use std::collections::{BTreeMap, HashSet};

use rayon::prelude::*;
use swage_core::change::{Change, Content, Contents};
use swage_core::checker::Reported;
use swage_core::diff::LineMap;
use swage_core::fix::{Attempt, Fixable, FixedContents, FixedFile, Outcome, fix_file, keep_good};
use swage_core::lang::Language;
use swage_core::review::{CheckerReport, Finding, Fixes, Review};
use swage_core::rule::RuleSet;
use swage_core::scan::{Hit, Span};
use swage_store::Store;

use super::FixPlan;
use crate::checkers::Outside;
use crate::chosen::Wanted;
use crate::cli::ChangeArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::source::{Workspace, with_change};

/// Most reviews of the change that are made to find which fixes bring findings to other files.
const MOST_REVIEWS: u32 = 60;

/// Tries the fixes of what is wanted in a change, as far as they make nothing worse.
pub fn tried(
    workspace: &Workspace,
    change: &ChangeArgs,
    configuration: &Configuration,
    store: Option<&Store>,
    wanted: &Wanted<'_>,
) -> Result<FixPlan, Failure> {
    let trusted = Configuration::of_trusted(workspace.repository.as_ref(), change.target.as_deref(), configuration);
    let outside = Outside::of_target(workspace.repository.as_ref(), &trusted, &[])?;
    // What is proposed is tried here, once, and not with each review.
    let examine = |change: &Change, contents: &dyn Contents| {
        crate::commands::examine_change(change, contents, configuration, store, &outside, Fixes::LeftAside)
    };
    let (work, _) = with_change(workspace, change, configuration, |change, contents| {
        let review = examine(&change, contents)?;
        wanted.are_in(&review)?;
        // Programs that have run on committed trees aren't run on them again.
        let reports = outside.of_change(&change, contents, &configuration.rules)?;
        let trial = Trial { change: &change, contents, review: &review, configuration, reports: &reports };
        let (fixed, after) = trial.without_breaking(trial.fix_files(wanted), &examine)?;
        Ok::<_, Failure>(FixPlan::new(&change, contents, review, fixed, after))
    })?;
    work
}

/// A finding of a file by its rule and its place.
type Chosen<'a> = (&'a str, Option<Span>);

/// Reviews a change.
type Examine<'a> = dyn Fn(&Change, &dyn Contents) -> Result<Review, Failure> + 'a;

/// A change whose fixes are tried.
struct Trial<'a> {
    change: &'a Change,
    contents: &'a dyn Contents,
    /// The change as it is.
    review: &'a Review,
    configuration: &'a Configuration,
    reports: &'a [CheckerReport],
}

impl Trial<'_> {
    /// Fixes what is wanted in each file of the change, by the file's index.
    fn fix_files(&self, wanted: &Wanted<'_>) -> BTreeMap<usize, FixedFile> {
        let mut chosen: BTreeMap<&str, HashSet<Chosen<'_>>> = BTreeMap::new();
        for f in self.review.findings.iter().filter(|f| wanted.wants(f)) {
            if let (Some(path), Some(span)) = (f.path(), f.span()) {
                chosen.entry(&path.text).or_default().insert((&f.rule, Some(span)));
            }
        }
        let files = self.review.files.iter().enumerate().collect::<Vec<_>>();
        let fixed = files.into_par_iter().filter_map(|(index, entry)| {
            let own = chosen.get(entry.new_path.text.as_str())?;
            Some((index, self.fix_one(index, own)?))
        });
        fixed.collect()
    }

    /// Fixes the chosen findings of one file; `None` when its content can't be had.
    fn fix_one(&self, index: usize, chosen: &HashSet<Chosen<'_>>) -> Option<FixedFile> {
        let Content::Whole { bytes, .. } = self.contents.sides(index).new else { return None };
        let path = &self.change.files[index].new_path;
        let rules = &self.configuration.rules;
        let looks = rules.wanted_as(path, self.review.files[index].origin);
        let (language, limits) = (Language::of(path, &bytes), &self.configuration.config.limits);
        let reported = reported_in(path, &bytes, rules, self.reports);
        let file = Fixable { path, language, rules, wanted: &looks, limits, reported: &reported };
        Some(fix_file(&file, &bytes, &|hit| chosen.contains(&(hit.rule.as_str(), hit.span))))
    }

    /// Reviews the change as it would be, and leaves out the fixes that bring findings elsewhere, such as in files that used
    /// what has gone: first those of whole files, then, in each of these, only the ones at fault.
    fn without_breaking(
        &self,
        mut fixed: BTreeMap<usize, FixedFile>,
        examine: &Examine<'_>,
    ) -> Result<(BTreeMap<usize, FixedFile>, Review), Failure> {
        let mut reviews = MOST_REVIEWS;
        let is_changed = |file: &FixedFile| file.attempts.iter().any(|attempt| attempt.outcome.is_fixed());
        let changed = fixed.iter().filter(|(_, file)| is_changed(file)).map(|(index, _)| *index).collect();
        let kept = keep_good(changed, |set| {
            let files = set.iter().filter_map(|index| Some((*index, fixed.get(index)?.clone()))).collect();
            self.examine_with(files, examine, &mut reviews)
        })?;
        let mut after = kept.result;
        let mut good: BTreeMap<usize, FixedFile> =
            kept.good.iter().filter_map(|index| Some((*index, fixed.get(index)?.clone()))).collect();
        for (index, why) in kept.refused {
            let Some(file) = fixed.get_mut(&index) else { continue };
            if let Some((part, review)) = self.good_part((index, file), &good, examine, &mut reviews)? {
                good.insert(index, part.clone());
                (*file, after) = (part, Some(review));
            } else if let Content::Whole { bytes, .. } = self.contents.sides(index).new {
                for attempt in file.attempts.iter_mut().filter(|attempt| attempt.outcome.is_fixed()) {
                    attempt.outcome = Outcome::Refused(why.clone());
                }
                (file.content, file.map) = (bytes, LineMap::identity());
            }
        }
        Ok((fixed, after.unwrap_or_else(|| self.review.clone())))
    }

    /// Those fixes of a file that break nothing beside the `good` files, and what a review says then; `None` when there are
    /// none.
    fn good_part(
        &self,
        (index, file): (usize, &FixedFile),
        good: &BTreeMap<usize, FixedFile>,
        examine: &Examine<'_>,
        reviews: &mut u32,
    ) -> Result<Option<(FixedFile, Review)>, Failure> {
        let is_applied = |at: &usize| matches!(file.attempts[*at].outcome, Outcome::Applied(_));
        let applied: Vec<usize> = (0..file.attempts.len()).filter(is_applied).collect();
        if applied.len() < 2 {
            return Ok(None);
        }
        let kept = keep_good(applied.clone(), |set| {
            let is_chosen = |at: &usize| set.contains(at) || !applied.contains(at);
            let hits = (0..file.attempts.len()).filter(is_chosen).map(|at| &file.attempts[at].hit);
            let Some(part) = self.fix_one(index, &hits.map(|hit| (hit.rule.as_str(), hit.span)).collect()) else {
                return Ok(Err("its content is gone".to_owned()));
            };
            let mut files = good.clone();
            files.insert(index, part.clone());
            Ok::<_, Failure>(self.examine_with(files, examine, reviews)?.map(|review| (part, review)))
        })?;
        let Some((mut part, review)) = kept.result else { return Ok(None) };
        for (at, why) in kept.refused {
            let hit = file.attempts[at].hit.clone();
            part.attempts.push(Attempt { hit, outcome: Outcome::Refused(why) });
        }
        Ok(Some((part, review)))
    }

    /// Reviews the change with some files fixed; the error is why that isn't good.
    fn examine_with(
        &self,
        files: BTreeMap<usize, FixedFile>,
        examine: &Examine<'_>,
        reviews: &mut u32,
    ) -> Result<Result<Review, String>, Failure> {
        let Some(left) = reviews.checked_sub(1) else {
            return Ok(Err("too many fixes of this change bring findings to other files".to_owned()));
        };
        *reviews = left;
        let contents = FixedContents::new(self.contents, &files);
        let after = examine(&contents.change(self.change), &contents)?;
        let known =
            |f: &Finding| self.review.findings.iter().any(|own| own.counts_against_change() && own.key == f.key);
        let broken = after.findings.iter().find(|f| f.counts_against_change() && !known(f));
        let broken = broken.map(|f| format!("it would add a finding of `{}` at {}", f.rule, f.place()));
        Ok(broken.or_else(|| self.left_by_program(&after, &files)).map_or(Ok(after), Err))
    }

    /// Why the fixes of outside programs don't hold: the program still finds what they were to fix, or couldn't run any more.
    fn left_by_program(&self, after: &Review, fixed: &BTreeMap<usize, FixedFile>) -> Option<String> {
        let applied = |a: &&Attempt| {
            matches!(a.outcome, Outcome::Applied(_)) && self.reports.iter().any(|report| report.rule == a.hit.rule)
        };
        for (index, file) in fixed {
            let path = &self.review.files[*index].new_path.text;
            for hit in file.attempts.iter().filter(applied).map(|a| &a.hit) {
                if let Some((rule, why)) = after.not_run.iter().find(|(rule, _)| *rule == hit.rule) {
                    return Some(format!("`{rule}` couldn't run any more: {why}"));
                }
                let is_own = |f: &&Finding| {
                    f.rule == hit.rule && f.span() == hit.span && f.path().is_some_and(|own| own.text == *path)
                };
                let own = self.review.findings.iter().find(is_own);
                let still = |own: &Finding| after.findings.iter().any(|f| f.is_open() && f.key == own.key);
                if own.is_some_and(still) {
                    return Some(format!("`{}` would still find it", hit.rule));
                }
            }
        }
        None
    }
}

/// What outside programs found in a file after the change.
fn reported_in(path: &[u8], bytes: &[u8], rules: &RuleSet, reports: &[CheckerReport]) -> Vec<Hit> {
    let of_report = |report: &CheckerReport| {
        let rule = rules.get(&report.rule).filter(|rule| rule.wants_path(path))?;
        let own: Vec<&Reported> = report.found.new.as_ref().ok()?.iter().filter(|r| r.path == path).collect();
        swage_core::checker::place(&own, rule, Language::of(path, bytes), bytes).ok()
    };
    reports.iter().filter_map(of_report).flatten().collect()
}
