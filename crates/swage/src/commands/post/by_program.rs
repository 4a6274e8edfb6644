//! Posting through a program of the target's, which keeps threads wherever the project has them. docs/post-protocol.md describes what
//! is said.

use std::process::ExitCode;
use std::time::Duration;

use serde_json::{Value, json};
use swage_core::gate::Outcome;
use swage_git::Head;
use swage_host::Report;
use tempfile::TempDir;

use super::Offered;
use super::steps::{KnownThread, steps};
use crate::cli::{ChangeArgs, PostArgs};
use crate::configuration::Configuration;
use crate::conversation::Conversation;
use crate::export::export_tree;
use crate::failure::Failure;
use crate::hosting::Hosting;
use crate::output::print_text;
use crate::program::{Program, watch_interrupts};
use crate::source::{Offer, Range, Workspace, gate_sides, proposal_sides};
use crate::terminal::count;

/// The protocol's name and version.
const FORMAT: &str = "swage-post/1";
/// How often a step that is to be tried again is.
const MOST_TRIES: u32 = 6;
/// The longest pause before a step is tried again, in seconds.
const LONGEST_PAUSE: u64 = 30;

pub fn run(args: &PostArgs, workspace: &Workspace) -> Result<ExitCode, Failure> {
    let repository = workspace.repository()?;
    let offered = offered(args, workspace)?;
    let configuration = Configuration::of_target(repository, &offered.target)?;
    let named = configuration.config.posting.program.clone().ok_or_else(|| {
        Failure::wrong(format!("the target {} names no program to post with", offered.target.name))
            .hint("Name it in swage.toml there: `command = [\"tools/post\"]` under `[post]`.")
    })?;
    let (report, verdict) = offered.report(args, repository, &configuration)?;
    let temporary = || {
        TempDir::with_prefix("swage-").map_err(|e| Failure::unfinished(format!("there is no temporary folder: {e}")))
    };
    let (program, home) = (Program::from(&named), temporary()?);
    if program.is_in_tree() {
        export_tree(&repository.files(&offered.target.tip)?, home.path()).map_err(Failure::unfinished)?;
    }
    watch_interrupts();
    let mut talk = Talk {
        // It runs where this command does, so that it may keep a file there.
        with: Conversation::start(&program, &workspace.root, home.path()).map_err(Failure::unfinished)?,
        call: 0,
    };
    let passed = verdict.result == Outcome::Pass;
    let done = talk.send_report(&offered, &report, passed).map_err(|why| {
        Failure::unfinished(format!("not all was posted: {why}"))
            .hint("Run it again: it goes on from the threads that the program knows.")
    })?;
    talk.with.end().map_err(|why| Failure::unfinished(format!("all was posted, but {why}")))?;
    print_text(&format!("{done}\n"))?;
    Ok(ExitCode::SUCCESS)
}

fn offered(args: &PostArgs, workspace: &Workspace) -> Result<Offered, Failure> {
    let repository = workspace.repository()?;
    let mut offer = Offer::of(&args.change)?;
    if let Some(number) = args.change.proposal {
        let fetched = Hosting::find(workspace, args.change.host.as_deref())?.fetch(workspace, number)?;
        offer.take_from(&fetched);
        let (target, _, what) = proposal_sides(&fetched);
        let name = format!("proposal {number}");
        return Ok(Offered {
            target,
            base: fetched.revision.base.into(),
            head: fetched.revision.head.into(),
            name,
            what,
            offer,
        });
    }
    // Threads are about commits: unsaved work has no name that others know.
    let change = ChangeArgs { committed: args.change.range.is_none(), ..args.change.clone() };
    let (target, head, what) = gate_sides(repository, &change)?;
    let Head::Commit(head) = head else { return Err(Failure::wrong("only commits can be posted")) };
    let base = repository.merge_base(&target.tip, &head)?;
    let typed = args.change.range.as_deref().map(Range::parse).transpose()?.map(|range| range.to.to_owned());
    let name = typed.filter(|name| name != "HEAD").or_else(|| repository.current_branch());
    let name = name.unwrap_or_else(|| head.chars().take(10).collect());
    Ok(Offered { target, base, head, name, what, offer })
}

struct Talk {
    with: Conversation,
    call: u64,
}

impl Talk {
    fn send_report(&mut self, offered: &Offered, report: &Report, passed: bool) -> Result<String, String> {
        let (target, base, head) = (&offered.target, &offered.base, &offered.head);
        let about = json!({
            "do": "begin", "format": FORMAT, "change": offered.name, "title": offered.offer.title,
            "target": target.name, "target_commit": target.tip, "base": base, "head": head,
        });
        let known = known_threads(&self.ask(about)?)?;
        let (steps, left) = steps(&known, report);
        let mut overview = report.overview.clone();
        if left > 0 {
            overview += &format!("\n\n{} without a thread.", count(left, "more finding"));
        }
        overview.extend(report.praise.iter().map(|praise| format!("\n\n{praise}")));
        for step in &steps {
            self.ask(step.to_json())?;
        }
        self.ask(json!({ "do": "overview", "text": overview }))?;
        let state = if passed { "passed" } else { "failed" };
        let text = format!("the findings: {}", report.verdict.as_deref().unwrap_or_default());
        self.ask(json!({ "do": "status", "state": state, "text": text }))?;
        Ok(format!("{}: {} posted, {text}.", offered.name, count(steps.len(), "thread")))
    }

    /// One step; it is tried again as long as the program asks for that, within bounds.
    fn ask(&mut self, mut step: Value) -> Result<Value, String> {
        self.call += 1;
        let what = step["do"].as_str().unwrap_or_default().to_owned();
        step["call"] = json!(self.call);
        let line = step.to_string();
        let mut tries = 0;
        loop {
            tries += 1;
            let answer = self.with.ask(&line)?;
            let answer: Value =
                serde_json::from_str(&answer).map_err(|e| format!("the answer to `{what}` isn't JSON: {e}"))?;
            if answer["call"] != step["call"] {
                return Err(format!("the answer to `{what}` names call {}, not {}", answer["call"], self.call));
            }
            match answer["done"].as_bool() {
                Some(true) => return Ok(answer),
                Some(false) => {}
                None => return Err(format!("the answer to `{what}` doesn't say whether it is `done`")),
            }
            let why = answer["why"].as_str().unwrap_or("it doesn't say why");
            match answer["again_after"].as_u64() {
                Some(seconds) if tries < MOST_TRIES => {
                    std::thread::sleep(Duration::from_secs(seconds.min(LONGEST_PAUSE)));
                }
                _ => return Err(format!("`{what}` was refused: {why}")),
            }
        }
    }
}

/// The threads that the program names when it is first spoken to.
fn known_threads(answer: &Value) -> Result<Vec<KnownThread>, String> {
    let threads = answer["threads"].as_array().ok_or("the answer to `begin` has no list `threads`")?;
    let text = |value: &Value| value.as_str().map(str::to_owned);
    let read = |thread: &Value| {
        Some(KnownThread {
            thread: text(&thread["thread"])?,
            key: text(&thread["key"])?,
            open: thread["open"].as_bool()?,
        })
    };
    let all: Option<Vec<KnownThread>> = threads.iter().map(read).collect();
    all.ok_or_else(|| "a thread in the answer to `begin` lacks `thread`, `key` or `open`".to_owned())
}
