//! `swage approve` and `swage object`: a stance on the newest revision, with one's drafts.

use std::process::ExitCode;

use swage_host::{NewStance, StanceWord};

use crate::cli::{AnswerFormat, StanceArgs};
use crate::commands::say::text_of;
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::{for_people, print, to_json};
use crate::source::Workspace;
use crate::terminal::count;

pub fn run(args: &StanceArgs, stance: StanceWord) -> Result<ExitCode, Failure> {
    let hosting = Hosting::find(&Workspace::find()?, args.host.host.as_deref())?;
    let client = &hosting.client;
    let proposal = client.proposal(args.number).map_err(failed)?;
    let newest = proposal.newest().ok_or_else(|| Failure::unfinished("the proposal has no revision"))?;
    match &args.head {
        Some(head) if !newest.head.starts_with(head.as_str()) || head.len() < 7 => {
            return Err(Failure::wrong(format!(
                "{head} isn't revision {} of proposal {}, which is {}",
                newest.number,
                args.number,
                &newest.head[..10]
            ))
            .hint(
                "Look at what is new with `swage show --since-seen` first. A commit is named by at least seven digits.",
            ));
        }
        Some(_) => {}
        // Nobody approves of what they haven't seen.
        None => {
            let events = client.timeline(args.number).map_err(failed)?;
            let pushed = events.iter().rev().find(|event| event.revision == Some(newest.number));
            if proposal.seen > 0 && pushed.is_some_and(|event| event.what == "pushed" && event.number > proposal.seen) {
                return Err(Failure::wrong(format!(
                    "revision {} of proposal {} came since you last looked",
                    newest.number, args.number
                ))
                .hint("Look at it with `swage show --since-seen`, or name its commit with --head."));
            }
        }
    }
    let text = args.text.as_deref().map(text_of).transpose()?.unwrap_or_default();
    let new = NewStance { stance, head: newest.head.clone(), text };
    let published = client.take_stance(args.number, &new).map_err(failed)?;
    let said = match stance {
        StanceWord::Approve => "You approve of",
        StanceWord::Object => "You object to",
        StanceWord::Comment => "You commented on",
    };
    let text = match args.format {
        AnswerFormat::Json => to_json(&published),
        AnswerFormat::Human => {
            let drafts = match published.remarks {
                0 => String::new(),
                n => format!(" {} published with it.", count(n, "draft")),
            };
            let text = format!(
                "{said} revision {} of proposal {} ({}).{drafts}\n{}\n",
                newest.number,
                args.number,
                &newest.head[..10],
                hosting.page(args.number)
            );
            for_people(&text)
        }
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}
