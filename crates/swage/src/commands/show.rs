//! `swage show`: a proposal with all that was said of it.

use std::fmt::Write;
use std::process::ExitCode;

use serde_json::json;
use swage_host::{Event, Proposal, StanceWord, StatusState, Thread, ThreadKind, ThreadPlace, ago};

use crate::cli::{AnswerFormat, ShowArgs};
use crate::failure::Failure;
use crate::history::now;
use crate::hosting::{Hosting, failed};
use crate::output::{for_people, print, to_json};
use crate::source::Workspace;
use crate::terminal::{Paint, count, printable, width, wrap};

pub fn run(args: &ShowArgs) -> Result<ExitCode, Failure> {
    let hosting = Hosting::find(&Workspace::find()?, args.host.host.as_deref())?;
    let client = &hosting.client;
    let proposal = client.proposal(args.number).map_err(failed)?;
    let threads = client.threads(args.number).map_err(failed)?;
    let timeline = client.timeline(args.number).map_err(failed)?;
    client.look(args.number).map_err(failed)?;
    let text = match args.format {
        AnswerFormat::Json => to_json(&json!({ "proposal": proposal, "threads": threads, "timeline": timeline })),
        AnswerFormat::Human => {
            let view = View { proposal: &proposal, threads: &threads, timeline: &timeline, now: now(), args };
            for_people(&view.text(&hosting.page(args.number)))
        }
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// What programs do is reported by the gate; the page and JSON have all of it.
fn is_step(event: &Event) -> bool {
    matches!(event.what.as_str(), "status" | "reported" | "verdict")
}

struct View<'a> {
    proposal: &'a Proposal,
    threads: &'a [Thread],
    timeline: &'a [Event],
    now: i64,
    args: &'a ShowArgs,
}

impl View<'_> {
    fn text(&self, page: &str) -> String {
        let (mut out, paint) = (String::new(), Paint);
        self.head(&mut out);
        if self.args.since_seen {
            let new = self.timeline.iter().filter(|event| event.number > self.proposal.seen);
            self.events(&mut out, new.filter(|event| !is_step(event)));
            let touched: Vec<u64> =
                self.timeline.iter().filter(|e| e.number > self.proposal.seen).filter_map(|e| e.thread).collect();
            self.list(&mut out, self.threads.iter().filter(|thread| touched.contains(&thread.number)));
        } else {
            self.gate(&mut out);
            self.people(&mut out);
            self.list(&mut out, self.threads.iter().filter(|thread| thread.open || self.args.all));
            let closed = self.threads.iter().filter(|thread| !thread.open).count();
            if closed > 0 && !self.args.all {
                _ = writeln!(out, "{}", paint.faint(format!("{} closed: --all shows them.", count(closed, "thread"))));
            }
            let last: Vec<&Event> = self.timeline.iter().filter(|event| !is_step(event)).collect();
            self.events(&mut out, last[last.len().saturating_sub(8)..].iter().copied());
        }
        _ = writeln!(out, "\n{}", paint.faint(page));
        out
    }

    fn head(&self, out: &mut String) {
        let (paint, p) = (Paint, self.proposal);
        _ = writeln!(out, "{}", paint.strong(printable(&format!("{} · {}", p.number, p.title))));
        let state = match p.state.word() {
            "open" if p.draft => "open, work in progress",
            word => word,
        };
        let newest = p.newest();
        let size = newest.map_or(String::new(), |r| format!("{}, +{} -{}", count(r.files, "file"), r.added, r.removed));
        let revision = newest.map_or(String::new(), |r| format!("revision {} ({})", r.number, &r.head[..10]));
        let line = format!(
            "{} · {}:{} into {} · {state} · {revision} · {size} · {}",
            p.author,
            p.source,
            p.branch,
            p.target,
            ago(p.created, self.now)
        );
        wrap(&printable(&line), width().min(100)).iter().for_each(|l| _ = writeln!(out, "{}", paint.faint(l)));
        if !p.labels.is_empty() || p.due.is_some() {
            let due = p.due.iter().map(|day| format!("due {day}"));
            let more: Vec<String> = p.labels.iter().cloned().chain(due).collect();
            _ = writeln!(out, "{}", paint.faint(printable(&more.join(" · "))));
        }
        if !p.description.trim().is_empty() && !self.args.since_seen {
            _ = writeln!(out);
            self.said(out, &p.description, "");
        }
        for ticket in &p.tickets {
            let state = if ticket.open { "" } else { ", closed" };
            _ = writeln!(out, "\ncloses {}{state}: {}", ticket.name, printable(&ticket.title));
            for point in &ticket.points {
                _ = writeln!(out, "  [{}] {}", if point.done { "x" } else { " " }, printable(&point.text));
            }
        }
        if let Some(merged) = &p.merged {
            let how = format!("merged by {} as {} ({})", merged.by, &merged.commit[..10], merged.kind.word());
            _ = writeln!(out, "\n{}", paint.good(how));
        }
    }

    fn gate(&self, out: &mut String) {
        let (paint, p) = (Paint, self.proposal);
        _ = writeln!(out, "\n{}", paint.strong("Gate"));
        let word = |result: &str| match result {
            "pass" => paint.good("pass      "),
            "fail" => paint.error("fail      "),
            _ => paint.warning("incomplete"),
        };
        match &p.verdict {
            None => _ = writeln!(out, "  not judged yet: swage gate --proposal {}", p.number),
            Some(verdict) => {
                for c in &verdict.conditions {
                    _ = writeln!(out, "  {} {}: {}", word(&c.result), printable(&c.name), printable(&c.reason));
                }
                let void = if verdict.holds || p.merged.is_some() { "" } else { ", void: something has changed since" };
                let pair = format!("{} into {}", &verdict.head[..10], &verdict.target[..10]);
                _ = writeln!(out, "  {} {}", word(&verdict.result), paint.faint(format!("{pair}{void}")));
            }
        }
        let newest = p.newest().map_or(0, |revision| revision.number);
        for s in p.statuses.iter().filter(|s| s.revision == newest) {
            let state = match s.state {
                StatusState::Passed => paint.good("passed    "),
                StatusState::Failed => paint.error("failed    "),
                StatusState::Pending => paint.warning("pending   "),
            };
            let more = if s.text.is_empty() { String::new() } else { format!(": {}", s.text) };
            _ = writeln!(out, "  {state} {}{}", printable(&s.name), printable(&more));
            let took = s.steps.windows(2).map(|pair| {
                let seconds = (pair[1].at - pair[0].at) as f64 / 1000.0;
                format!("{} ({seconds:.1} s)", printable(&pair[0].text))
            });
            let took: Vec<String> = took.collect();
            if !took.is_empty() {
                _ = writeln!(out, "             {}", paint.faint(took.join(", ")));
            }
        }
    }

    fn people(&self, out: &mut String) {
        let (paint, p) = (Paint, self.proposal);
        let newest = p.newest().map_or(0, |revision| revision.number);
        let silent: Vec<&String> = p
            .reviewers
            .iter()
            .filter(|name| !p.stances.iter().any(|s| s.person == **name && s.revision == newest))
            .collect();
        if p.stances.is_empty() && silent.is_empty() {
            return;
        }
        _ = writeln!(out, "\n{}", paint.strong("Reviewers"));
        for s in &p.stances {
            let older = if s.revision == newest { String::new() } else { format!(", of revision {}", s.revision) };
            let word = match s.stance {
                StanceWord::Approve if older.is_empty() => paint.good("approve"),
                StanceWord::Approve => paint.faint("approve"),
                StanceWord::Object => paint.error("object "),
                StanceWord::Comment => "comment".to_owned(),
            };
            _ = writeln!(out, "  {word} {}{}", printable(&s.person), paint.faint(older));
            if !s.text.is_empty() {
                self.said(out, &s.text, "          ");
            }
        }
        for name in silent {
            _ = writeln!(out, "  {} {}", paint.faint("asked  "), printable(name));
        }
    }

    fn list<'t>(&self, out: &mut String, threads: impl Iterator<Item = &'t Thread>) {
        let paint = Paint;
        let mut first = true;
        for t in threads {
            if std::mem::take(&mut first) {
                _ = writeln!(out, "\n{}", paint.strong("Threads"));
            }
            self.thread(out, t);
        }
    }

    fn thread(&self, out: &mut String, t: &Thread) {
        let paint = Paint;
        let label = match (&t.finding, t.kind) {
            (Some(f), _) => match f.severity.as_str() {
                "error" => paint.error("error"),
                "warning" => paint.warning("warning"),
                _ => paint.note("note"),
            },
            (None, ThreadKind::Todo) => paint.warning("to-do"),
            (None, ThreadKind::Praise) => paint.good("praise"),
            (None, ThreadKind::Remark) => paint.strong("remark"),
        };
        let said = t.finding.as_ref().map_or(String::new(), |f| format!(" {}", f.message));
        _ = writeln!(out, "  {} {label}{}", paint.faint(format!("{:>3}", t.number)), printable(&said));
        let place = t.anchor.as_ref().map_or_else(
            || "the whole proposal".to_owned(),
            |a| {
                let lines = match (a.start_line, a.end_line) {
                    (Some(first), Some(last)) if first != last => format!(":{first}-{last}"),
                    (Some(first), _) => format!(":{first}"),
                    _ => String::new(),
                };
                format!("{}{lines}", a.path)
            },
        );
        let mut more = vec![place, t.author.clone()];
        more.extend((t.place == ThreadPlace::Outdated).then(|| format!("outdated, of revision {}", t.revision)));
        more.extend(t.closed_by.iter().map(|who| format!("closed by {who}")));
        more.extend(t.draft.then(|| "draft, seen by you only".to_owned()));
        _ = writeln!(out, "      {}", paint.faint(printable(&more.join(" · "))));
        if t.open {
            for line in t.code.iter().filter(|line| line.marker != "same").take(8) {
                // What a finding shows is of both sides; a remark is on lines of one.
                let mark = match line.marker.as_str() {
                    "removed" if t.finding.is_some() => "-",
                    "added" if t.finding.is_some() => "+",
                    _ => " ",
                };
                _ = writeln!(out, "      {:>5} {mark} {}", line.number, printable(&line.text));
            }
        }
        for remark in &t.remarks {
            let draft = if remark.draft { " (draft)" } else { "" };
            _ = writeln!(out, "      {}{draft}, {}:", printable(&remark.author), ago(remark.at, self.now));
            self.said(out, &remark.text, "        ");
            for (word, person) in &remark.reactions {
                _ = writeln!(out, "        {}", paint.faint(printable(&format!("{person}: {word}"))));
            }
        }
    }

    /// What somebody wrote, in its own lines.
    fn said(&self, out: &mut String, text: &str, indent: &str) {
        for line in text.trim_end().lines() {
            let lines = wrap(&printable(line), width().min(100).saturating_sub(indent.len()));
            let lines = if lines.is_empty() { vec![String::new()] } else { lines };
            lines.iter().for_each(|line| _ = writeln!(out, "{}", format!("{indent}{line}").trim_end()));
        }
    }

    fn events<'e>(&self, out: &mut String, events: impl Iterator<Item = &'e Event>) {
        let paint = Paint;
        _ = writeln!(out, "\n{}", paint.strong(if self.args.since_seen { "Since you last looked" } else { "Lately" }));
        let mut any = false;
        for event in events {
            any = true;
            let (did, text) = event.in_words();
            let text = match event.what.as_str() {
                "pushed" | "merged" => text.chars().take(10).collect(),
                _ => text.to_owned(),
            };
            let pushed = event.revision.filter(|_| event.what == "pushed");
            let revision = pushed.map_or_else(String::new, |n| format!(" revision {n}"));
            let more = if text.is_empty() { String::new() } else { format!(": {text}") };
            let line = format!("{} {did}{revision}{more}", event.who);
            _ = writeln!(out, "  {} {}", printable(&line), paint.faint(ago(event.at, self.now)));
        }
        if !any {
            _ = writeln!(out, "  nothing");
        }
    }
}
