//! What has to be done so that the threads elsewhere agree with a report.

use std::collections::HashMap;

use serde_json::{Value, json};
use swage_host::{Report, ReportedFinding};

/// A thread that a program knows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownThread {
    /// Its name there.
    pub thread: String,
    /// The finding that it is about.
    pub key: String,
    /// Whether it is open.
    pub open: bool,
}

/// One step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PostStep<'a> {
    /// Open a thread about a finding.
    Open(&'a ReportedFinding),
    /// The finding of a thread is still there, perhaps at another place; a closed thread opens again.
    Update(&'a str, &'a ReportedFinding),
    /// The finding of a thread is gone.
    Close {
        /// The thread.
        thread: &'a str,
        /// Its finding.
        key: &'a str,
        /// Why.
        why: String,
    },
}

impl PostStep<'_> {
    /// The step as a program gets it.
    pub fn to_json(&self) -> Value {
        match self {
            PostStep::Open(finding) => json!({ "do": "open", "finding": finding }),
            PostStep::Update(thread, finding) => json!({ "do": "update", "thread": thread, "finding": finding }),
            PostStep::Close { thread, key, why } => json!({ "do": "close", "thread": thread, "key": key, "why": why }),
        }
    }
}

/// The steps from the threads that are there to those of the report, and how many findings stay without a thread because there would be
/// too many. First the findings in their order, then the threads whose finding is gone. Of two threads about one finding the first one
/// stays.
pub fn steps<'a>(known: &'a [KnownThread], report: &'a Report) -> (Vec<PostStep<'a>>, usize) {
    let mut by_key: HashMap<&str, &KnownThread> = HashMap::new();
    for thread in known {
        by_key.entry(&thread.key).or_insert(thread);
    }
    let most = report.most_threads.unwrap_or(u64::MAX);
    let (mut steps, mut left, mut open) = (Vec::new(), 0, 0);
    for finding in &report.findings {
        match by_key.get(finding.key.as_str()) {
            Some(thread) => steps.push(PostStep::Update(&thread.thread, finding)),
            None if open < most => steps.push(PostStep::Open(finding)),
            None => {
                left += 1;
                continue;
            }
        }
        open += 1;
    }
    let here = |thread: &KnownThread| {
        let is_kept = by_key.get(thread.key.as_str()).is_some_and(|kept| std::ptr::eq(*kept, thread));
        is_kept && report.findings.iter().any(|finding| finding.key == thread.key)
    };
    for thread in known.iter().filter(|thread| thread.open && !here(thread)) {
        let settled = report.settled.iter().find(|settled| settled.key == thread.key);
        let why = settled.map_or_else(|| "fixed".to_owned(), |settled| format!("settled as {}", settled.why));
        steps.push(PostStep::Close { thread: &thread.thread, key: &thread.key, why });
    }
    (steps, left)
}

#[cfg(test)]
mod tests {
    use serde_json::json;
    use swage_host::Report;

    use super::{KnownThread, PostStep, steps};

    fn report(keys: &[&str], most: u64) -> Report {
        let findings: Vec<_> = keys
            .iter()
            .map(|key| json!({ "key": key, "rule": "r", "severity": "error", "message": "m", "anchor": null }))
            .collect();
        let settled = json!([{ "key": "quiet", "why": "intended: flat" }]);
        let value = json!({ "format": "swage-report/1", "overview": "", "findings": findings, "settled": settled, "most_threads": most });
        serde_json::from_value(value).expect("a report")
    }

    fn threads(known: &[(&str, &str, bool)]) -> Vec<KnownThread> {
        let thread = |(thread, key, open): &(&str, &str, bool)| KnownThread {
            thread: (*thread).into(),
            key: (*key).into(),
            open: *open,
        };
        known.iter().map(thread).collect()
    }

    /// Known threads, findings and the most at once; what is done.
    #[test]
    fn threads_come_to_agree_with_a_report() {
        let cases = [
            (&[][..], &["a", "b"][..], 9, "open a, open b"),
            (&[("1", "a", true), ("2", "b", false)], &["a", "b"], 9, "update 1, update 2"),
            (&[("1", "a", true), ("2", "b", true), ("3", "c", false)], &["b"], 9, "update 2, close 1 fixed"),
            (&[("1", "quiet", true)], &[], 9, "close 1 settled as intended: flat"),
            (&[("1", "c", true)], &["a", "b", "c"], 1, "open a, update 1 and 1 left"),
            (&[("1", "a", true), ("2", "a", true)], &["a"], 9, "update 1, close 2 fixed"),
        ];
        for (known, keys, most, expected) in cases {
            let (known, report) = (threads(known), report(keys, most));
            let (steps, left) = steps(&known, &report);
            let words = steps.iter().map(|step| match step {
                PostStep::Open(finding) => format!("open {}", finding.key),
                PostStep::Update(thread, _) => format!("update {thread}"),
                PostStep::Close { thread, why, .. } => format!("close {thread} {why}"),
            });
            let mut done = words.collect::<Vec<_>>().join(", ");
            if left > 0 {
                done += &format!(" and {left} left");
            }
            assert_eq!(done, expected);
        }
    }
}
