//! `swage inbox`: what waits for me, and what I wait for.

use std::fmt::Write;
use std::process::ExitCode;

use swage_host::{InboxRow, StatusState, ago};

use crate::cli::{AnswerFormat, InboxArgs};
use crate::failure::Failure;
use crate::history::now;
use crate::hosting::{Hosting, failed};
use crate::output::{for_people, print, to_json};
use crate::source::Workspace;
use crate::terminal::{Paint, count, printable};

pub fn run(args: &InboxArgs) -> Result<ExitCode, Failure> {
    let hosting = Hosting::find(&Workspace::find()?, args.host.host.as_deref())?;
    let which = match () {
        () if args.all => "all",
        () if args.open => "open",
        () => "mine",
    };
    let rows = hosting.client.inbox(which).map_err(failed)?;
    let text = match args.format {
        AnswerFormat::Json => to_json(&rows),
        AnswerFormat::Human => for_people(&human(&rows, which)),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

fn human(rows: &[InboxRow], which: &str) -> String {
    if rows.is_empty() {
        let none = "Nothing waits for you, and you wait for nothing.";
        return match which {
            "mine" => format!("{none} `swage inbox --open` lists all open proposals.\n"),
            _ => "There are no proposals. `swage propose` opens one.\n".to_owned(),
        };
    }
    let (mut out, paint, now) = (String::new(), Paint, now());
    let (waiting, rest): (Vec<&InboxRow>, Vec<&InboxRow>) = rows.iter().partition(|row| row.waits_for_me);
    for (title, rows) in [("Waits for you", waiting), ("Waits for others", rest)] {
        if rows.is_empty() {
            continue;
        }
        _ = writeln!(out, "{}", paint.strong(title));
        for row in rows {
            let new = if row.unseen { paint.note(" new") } else { String::new() };
            _ = writeln!(out, "{:>5}  {}{new}", row.number, printable(&row.title));
            _ = writeln!(out, "       {}", printable(&row.why));
            let mut parts = vec![row.author.clone()];
            parts.extend((!row.roles.is_empty()).then(|| format!("you: {}", row.roles.join(", "))));
            parts.push(format!("revision {}", row.revision));
            parts.push(format!("{}, +{} -{}", count(row.files, "file"), row.added, row.removed));
            let open = row.threads;
            parts.extend(
                (open.open > 0)
                    .then(|| format!("{} ({})", count(open.open, "open thread"), count(open.findings, "finding"))),
            );
            parts.extend((row.approvals > 0).then(|| count(row.approvals, "approval")));
            parts.extend((row.objections > 0).then(|| count(row.objections, "objection")));
            parts.extend(row.status.filter(|s| *s != StatusState::Passed).map(|s| format!("a status {}", s.word())));
            parts.extend(row.due.iter().map(|day| format!("due {day}")));
            parts.push(ago(row.updated, now));
            _ = writeln!(out, "       {}", paint.faint(printable(&parts.join(" · "))));
        }
        out.push('\n');
    }
    _ = writeln!(out, "{}", paint.faint("`swage show N` shows one."));
    out
}
