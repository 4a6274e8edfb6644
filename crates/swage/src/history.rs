//! The history of runs in a repository: every review, gate and scan leaves a row.

use std::collections::BTreeMap;
use std::time::{SystemTime, UNIX_EPOCH};

use swage_core::baseline::State;
use swage_core::digest::text_digest;
use swage_core::gate::Verdict;
use swage_core::review::{Finding, Review};
use swage_core::rule::RuleSet;
use swage_git::Repository;
use swage_store::{Count, FindingRecord, History, Run};

use crate::cli::ChangeArgs;
use crate::source::Range;

/// The state of what a scan finds, which is compared with nothing.
pub const ALL: &str = "all";

/// The history of a repository, unless it can't be had.
pub fn open(repository: &Repository) -> Option<History> {
    History::open(&repository.common_dir().join("swage").join("history.db"))
}

/// Now, in seconds since 1970 (UTC).
pub fn now() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| i64::try_from(d.as_secs()).unwrap_or(0))
}

/// The day of a time in UTC, as `YYYY-MM-DD`.
pub fn day(at: i64) -> String {
    jiff::Timestamp::from_second(at).map(|t| t.strftime("%Y-%m-%d").to_string()).unwrap_or_default()
}

/// The name of a rule set, which changes with each of its rules.
pub fn name_of(rules: &RuleSet) -> String {
    let digests: Vec<u8> = rules.rules().iter().flat_map(|rule| rule.digest).collect();
    format!("{:016x}", text_digest(&digests))
}

/// How many counted findings of each rule and severity there are. Those of a scan have one state for all.
pub fn counts(review: &Review, is_scan: bool) -> Vec<Count> {
    let mut counts: BTreeMap<(&str, &str, &str), u64> = BTreeMap::new();
    for f in review.findings.iter().filter(|f| f.is_counted()) {
        let state = if is_scan { ALL } else { f.state_word() };
        *counts.entry((&f.rule, f.severity.word(), state)).or_default() += 1;
    }
    let count = |((rule, severity, state), findings): ((&str, &str, &str), u64)| Count {
        rule: rule.into(),
        severity: severity.to_owned(),
        state: state.to_owned(),
        findings,
    };
    counts.into_iter().map(count).collect()
}

/// A run that is to be recorded.
pub struct Record<'a> {
    /// `review`, `gate` or `scan`.
    pub command: &'a str,
    /// What it found.
    pub review: &'a Review,
    /// What the gate said.
    pub verdict: Option<&'a Verdict>,
    /// The rules that it went by.
    pub rules: &'a RuleSet,
    /// The branch that it looked at, and whether at all of its work.
    pub branch: Option<(String, bool)>,
}

impl Record<'_> {
    /// Leaves a row. A history that can't be written is logged, and the run goes on.
    pub fn leave(&self, repository: &Repository) {
        let Some(history) = open(repository) else { return };
        let review = self.review;
        let is_scan = self.command == "scan";
        let at = now();
        let run = Run {
            at,
            command: self.command.to_owned(),
            base: review.base.clone(),
            head: review.head.clone(),
            rules: name_of(self.rules),
            verdict: self.verdict.map(|verdict| verdict.result.word().to_owned()),
            counts: counts(review, is_scan),
        };
        let branch = self.branch.as_ref().map(|(branch, _)| branch.clone()).unwrap_or_default();
        let finding = |f: &Finding| FindingRecord {
            rule: f.rule.clone(),
            key: f.key.to_string(),
            branch: branch.clone(),
            path: f.path().map(|path| path.text.clone()).unwrap_or_default(),
            place: f.place(),
            message: f.message.clone(),
            suppressed: f.suppressed().is_some(),
            first: at,
            last: at,
            gone: None,
        };
        let new = review.findings.iter().filter(|f| !is_scan && f.state == State::New && f.settled().is_none());
        let findings: Vec<FindingRecord> = new.map(finding).collect();
        // What couldn't be examined may still be there.
        let whole = self.branch.as_ref().filter(|(_, whole)| *whole && review.incomplete().next().is_none());
        if let Err(error) = history.record(&run, &findings, whole.map(|(branch, _)| branch.as_str())) {
            tracing::info!(%error, "the history wasn't written");
        }
    }
}

/// The branch whose work a change is, and whether it is all of it.
pub fn branch_of(repository: &Repository, change: &ChangeArgs) -> Option<(String, bool)> {
    if !change.patch.is_empty() {
        return None;
    }
    match change.range.as_deref() {
        Some(range) => {
            let head = Range::parse(range).ok()?.to;
            let branch = if head == "HEAD" { repository.current_branch()? } else { head.to_owned() };
            Some((branch, true))
        }
        None => {
            let whole = !(change.staged || change.uncommitted || change.committed);
            Some((repository.current_branch()?, whole))
        }
    }
}
