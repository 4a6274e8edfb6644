//! `swage say`: threads and remarks on a proposal.

use std::io::Read;
use std::process::ExitCode;

use swage_host::{Anchor, Mark, NewRemark, NewThread, Side, Thread, ThreadEnd, ThreadKind};

use crate::cli::{AnswerFormat, SayArgs};
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::{for_people, print, to_json};
use crate::source::Workspace;
use crate::terminal::count;

/// What was typed, or what is on standard input.
pub fn text_of(typed: &str) -> Result<String, Failure> {
    if typed != "-" {
        return Ok(typed.to_owned());
    }
    let mut text = String::new();
    std::io::stdin()
        .read_to_string(&mut text)
        .map_err(|e| Failure::wrong(format!("standard input can't be read as text: {e}")))?;
    Ok(text.trim_end().to_owned())
}

pub fn run(args: &SayArgs) -> Result<ExitCode, Failure> {
    let does = args.publish || args.resolve || args.reopen || args.react.is_some();
    if args.text.is_none() && !does {
        return Err(Failure::wrong("nothing is said").hint(
            "Give the text, or `-` for standard input; --publish, --resolve, --reopen and --react go without one.",
        ));
    }
    let anchor = args.at.as_deref().map(|at| place_of(at, args.old)).transpose()?;
    let text = args.text.as_deref().map(text_of).transpose()?;
    let hosting = Hosting::find(&Workspace::find()?, args.host.host.as_deref())?;
    let client = &hosting.client;
    let mut rendered: Vec<String> = Vec::new();
    let mut thread: Option<Thread> = None;
    match (args.thread, text) {
        (Some(number), Some(text)) => {
            let said = client.reply(number, &NewRemark { text, draft: args.draft }).map_err(failed)?;
            rendered.push(format!("Answered in thread {number}{}.", kept(args.draft)));
            thread = Some(said);
        }
        (None, Some(text)) => {
            let kind = match () {
                () if args.todo => ThreadKind::Todo,
                () if args.praise => ThreadKind::Praise,
                () => ThreadKind::Remark,
            };
            let new = NewThread { kind, anchor, revision: None, text, draft: args.draft };
            let opened = client.open_thread(args.number, &new).map_err(failed)?;
            rendered.push(format!("Opened thread {}{}.", opened.number, kept(args.draft)));
            thread = Some(opened);
        }
        (_, None) => {}
    }
    if let (Some(number), Some(word)) = (args.thread, &args.react) {
        let found = client.threads(args.number).map_err(failed)?;
        let last = found.iter().find(|t| t.number == number).and_then(|t| t.remarks.last());
        let last = last.ok_or_else(|| Failure::wrong(format!("nothing was said in thread {number}")))?;
        client.react(last.number, word, Mark::Put).map_err(failed)?;
        rendered.push(format!("Reacted to {} with `{word}`.", last.author));
    }
    if let Some(number) = args.thread.filter(|_| args.resolve || args.reopen) {
        let end = if args.reopen { ThreadEnd::Reopened } else { ThreadEnd::Closed };
        let changed = client.resolve(number, end).map_err(failed)?.changed;
        let state = if args.reopen { "open" } else { "closed" };
        let already = if changed { "" } else { " already" };
        rendered.push(format!("Thread {number} is {state}{already}."));
    }
    if args.publish {
        let published = client.publish(args.number).map_err(failed)?;
        rendered.push(format!("{} published.", count(published.remarks, "draft")));
    }
    let text = match args.format {
        AnswerFormat::Json => to_json(&thread),
        AnswerFormat::Human => for_people(&format!("{}\n{}\n", rendered.join("\n"), hosting.page(args.number))),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

fn kept(draft: bool) -> &'static str {
    if draft { " as a draft, seen by you only until you publish it" } else { "" }
}

/// Reads `PATH`, `PATH:LINE` or `PATH:LINE-LINE`.
fn place_of(typed: &str, old: bool) -> Result<Anchor, Failure> {
    let side = if old { Side::Old } else { Side::New };
    let whole = |path: &str| Anchor {
        path: path.to_owned(),
        path_encoded: false,
        side,
        start_line: None,
        start_column: None,
        end_line: None,
        end_column: None,
    };
    let Some((path, lines)) = typed.rsplit_once(':') else { return Ok(whole(typed)) };
    let number = |text: &str| text.parse::<u32>().ok().filter(|n| *n > 0);
    let (first, last) = lines.split_once('-').unwrap_or((lines, lines));
    match (number(first), number(last)) {
        (Some(first), Some(last)) if first <= last => {
            Ok(Anchor { start_line: Some(first), end_line: Some(last), ..whole(path) })
        }
        _ if lines.chars().any(|c| !c.is_ascii_digit() && c != '-') => Ok(whole(typed)),
        _ => Err(Failure::wrong(format!("`{lines}` isn't a line, or lines, of a file"))
            .hint("Write PATH, PATH:12 or PATH:12-18, with lines counted from 1.")),
    }
}
