//! Watches an examination: a bar on standard error while it takes long, and with `--verbose` what took the time.

use std::cell::Cell;
use std::cmp::Reverse;
use std::io::IsTerminal;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use indicatif::{DecimalBytes, ProgressBar, ProgressDrawTarget, ProgressStyle};
use swage_core::change::Content;
use swage_core::lang::Language;
use swage_core::review::{Examination, Progress};
use swage_core::rule::RuleSet;
use swage_core::scan::Cache;
use swage_core::scan::{FileScan, Markers, scan};
use tracing::Level;

/// With fewer files or rules, no bar is drawn.
pub const FEWEST_STEPS: usize = 200;
/// How many slow files and slow rules are named.
const MOST_NAMED: usize = 5;

thread_local! {
    /// When the file that the thread works on was begun.
    static BEGUN: Cell<Option<Instant>> = const { Cell::new(None) };
}

/// Watches one examination, and counts what its cache had.
pub struct Watch<'a> {
    bar: ProgressBar,
    bytes: AtomicU64,
    cache: &'a dyn Cache,
    hits: AtomicU64,
    misses: AtomicU64,
    begun: Instant,
    /// The slowest files so far, the slowest first; empty unless they are logged.
    slowest: Mutex<Vec<(Duration, usize)>>,
}

impl Cache for Watch<'_> {
    fn get(&self, name: &[u8; 32]) -> Option<FileScan> {
        let found = self.cache.get(name);
        let counter = if found.is_some() { &self.hits } else { &self.misses };
        counter.fetch_add(1, Ordering::Relaxed);
        found
    }

    fn put(&self, name: [u8; 32], scan: &FileScan) {
        self.cache.put(name, scan);
    }
}

impl<'a> Watch<'a> {
    /// Watches the examination of this many files.
    pub fn new(files: usize, cache: &'a dyn Cache) -> Self {
        Self {
            bar: bar(files, FEWEST_STEPS, "{bar:30} {pos} of {len} files, {msg}"),
            bytes: AtomicU64::new(0),
            cache,
            hits: AtomicU64::new(0),
            misses: AtomicU64::new(0),
            begun: Instant::now(),
            slowest: Mutex::default(),
        }
    }

    /// Takes a step of the examination.
    pub fn see(&self, step: Progress) {
        match step {
            Progress::Started { .. } if tracing::enabled!(Level::DEBUG) => BEGUN.set(Some(Instant::now())),
            Progress::Started { .. } => {}
            Progress::Finished { index, bytes } => {
                let done = self.bytes.fetch_add(bytes, Ordering::Relaxed) + bytes;
                if !self.bar.is_hidden() {
                    self.bar.set_message(DecimalBytes(done).to_string());
                    self.bar.inc(1);
                }
                if let Some(begun) = BEGUN.take() {
                    let mut slowest = self.slowest.lock().unwrap_or_else(PoisonError::into_inner);
                    slowest.push((begun.elapsed(), index));
                    slowest.sort_unstable_by_key(|(took, _)| Reverse(*took));
                    slowest.truncate(MOST_NAMED);
                }
            }
        }
    }

    /// Takes the bar away, and logs what took the time. `file` gives a file's path and content by its index.
    pub fn finish(&self, with: &Examination<'_>, file: &dyn Fn(usize) -> (Vec<u8>, Content)) {
        self.bar.finish_and_clear();
        tracing::debug!(
            took = ?self.begun.elapsed(),
            bytes = self.bytes.load(Ordering::Relaxed),
            cache_hits = self.hits.load(Ordering::Relaxed),
            cache_misses = self.misses.load(Ordering::Relaxed),
            "examined",
        );
        let slowest = self.slowest.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let mut contents = Vec::new();
        for (took, index) in slowest {
            let (path, content) = file(index);
            tracing::debug!(file = %String::from_utf8_lossy(&path), ?took, "slow file");
            if let Content::Whole { bytes, .. } = content {
                contents.push((path, bytes));
            }
        }
        for (took, id) in slow_rules(&contents, with).into_iter().take(MOST_NAMED) {
            tracing::debug!(rule = id, ?took, "slow rule, alone on those files");
        }
    }
}

/// A bar of this many steps; with less than the fewest, none. Nothing is drawn in the first half second, nor anywhere but on a terminal.
pub fn bar(steps: usize, fewest: usize, template: &str) -> ProgressBar {
    if !std::io::stderr().is_terminal() || steps < fewest {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::with_draw_target(Some(steps as u64), ProgressDrawTarget::stderr_with_hz(8));
    if let Ok(style) = ProgressStyle::with_template(template) {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(500));
    bar
}

/// What each rule takes on some files when it runs alone, parsing included, the slowest first: together they share one parse and
/// one walk, so that no time of theirs is any rule's own.
fn slow_rules<'r>(files: &[(Vec<u8>, Vec<u8>)], with: &Examination<'r>) -> Vec<(Duration, &'r str)> {
    let time = |rules: &RuleSet| {
        let mut total = Duration::ZERO;
        for (path, bytes) in files {
            let language = Language::of(path, bytes);
            rules.for_language(language);
            let wanted = rules.wanted(path);
            let begun = Instant::now();
            scan(bytes, language, rules, &wanted, with.limits, Markers::Heeded);
            total += begun.elapsed();
        }
        total
    };
    if files.is_empty() {
        return Vec::new();
    }
    let alone = with.rules.rules().iter().map(|rule| (time(&RuleSet::new(vec![Arc::clone(rule)])), rule.id.as_str()));
    let mut alone: Vec<_> = alone.collect();
    alone.sort_by_key(|(took, _)| Reverse(*took));
    alone
}
