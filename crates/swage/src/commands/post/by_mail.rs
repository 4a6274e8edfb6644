//! Posting by mail: replies to the mails of a series, as a mailbox or over a server.

use std::process::ExitCode;

use jiff::Timestamp;
use swage_core::diff::{Diff, Mail, ReadOptions, decode_mail, read};
use swage_core::review::Fixes;
use swage_mail::{Letter, MailError, MailServer, mailbox};

use super::letters::{Series, Writer};
use crate::checkers::Outside;
use crate::cli::PostArgs;
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::{print, write_file};
use crate::patch_files::PatchFiles;
use crate::source::{Workspace, with_patch};
use crate::terminal::{count, printable};

/// The time at which everything is written, in seconds since 1970-01-01 UTC, for the same bytes in every run.
const EPOCH: &str = "SOURCE_DATE_EPOCH";

pub fn run(args: &PostArgs, workspace: &Workspace) -> Result<ExitCode, Failure> {
    let Some(from) = args.from.as_ref().filter(|_| !args.change.patch.is_empty()) else {
        return Err(Failure::wrong("mail is posted in answer to a series, and by somebody")
            .hint("Give --patch FILE, a mailbox with the series, and --from ADDRESS."));
    };
    let files = PatchFiles::read(&args.change.patch)?;
    let mails = senders(&files)?;
    let configuration = Configuration::of_folder(&workspace.root, None)?;
    let store = crate::commands::cache(workspace.repository.as_ref(), args.no_cache);
    let trusted =
        Configuration::of_trusted(workspace.repository.as_ref(), args.change.target.as_deref(), &configuration);
    let outside = Outside::of_target(workspace.repository.as_ref(), &trusted, &args.outside.checker_results)?;
    let (review, notes) = with_patch(&files, &args.change, &configuration, |change, contents| {
        crate::commands::examine_change(&change, contents, &configuration, store.as_ref(), &outside, Fixes::Tried)
    })?;
    let mut review = review?;
    review.notes.extend(notes);
    let options = ReadOptions { strip: args.change.strip, max_bytes: configuration.config.limits.patch_size };
    let texts: Vec<_> = mails.iter().map(|mail| decode_mail(&mail.raw)).collect();
    // The whole series has been read; a mail by itself may hold none, such as one that only says what the others are for.
    let diffs: Vec<Diff<'_>> = texts.iter().map(|text| read(text, &options).unwrap_or_default()).collect();
    let praise = configuration.config.posting.praise;
    let writer = Writer { from, date: date()?, praise, rules: &configuration.rules };
    let letters = Series { mails: &mails, diffs: &diffs }.replies(&review, &writer);
    if letters.is_empty() {
        review.notes.iter().for_each(|note| anstream::eprintln!("{}", printable(note)));
    }
    let said = if letters.is_empty() {
        "There is nothing new to say, so no mail was written.".to_owned()
    } else {
        let new = review.findings.iter().filter(|f| f.counts_against_change()).count();
        let replies = if letters.len() == 1 { "1 reply".to_owned() } else { format!("{} replies", letters.len()) };
        format!("{} in {replies}", count(new, "new finding"))
    };
    match &args.smtp {
        Some(server) => {
            send(server, &letters)?;
            print(format!("{said}{}\n", if letters.is_empty() { "" } else { ", sent." }).as_bytes())?;
        }
        None => {
            let mailbox = mailbox(&letters).map_err(failed)?;
            match &args.output {
                Some(path) => write_file(path, &mailbox)?,
                None => print(&mailbox)?,
            }
            anstream::eprintln!("{said}{}", if letters.is_empty() { "" } else { "." });
        }
    }
    Ok(ExitCode::SUCCESS)
}

/// The mails, each of which has somebody to answer.
fn senders(files: &PatchFiles) -> Result<Vec<Mail>, Failure> {
    let mails: Vec<Mail> = files.mails().cloned().collect();
    if mails.is_empty() {
        return Err(Failure::wrong(format!("{} holds no mail", files.name())).hint(
            "Give --patch a mailbox or a single mail with its headers, such as `git format-patch --stdout` writes.",
        ));
    }
    let nobody = mails.iter().position(|mail| mail.from.is_none());
    match nobody {
        Some(index) => Err(Failure::wrong(format!("mail {} in {} has no sender", index + 1, files.name()))
            .hint("A mail needs a `From:` header with an address to be answered.")),
        None => Ok(mails),
    }
}

fn date() -> Result<i64, Failure> {
    match std::env::var(EPOCH) {
        Ok(text) => text.trim().parse().map_err(|_| {
            Failure::wrong(format!("{EPOCH} isn't a number of seconds since 1970")).hint("Unset it, or set it to one.")
        }),
        Err(_) => Ok(Timestamp::now().as_second()),
    }
}

/// Sends letters in order. One that the server doesn't take stops it, and is named.
fn send(server: &str, letters: &[Letter]) -> Result<(), Failure> {
    // An address that can't be written to is found before anything is sent.
    mailbox(letters).map_err(failed)?;
    let to = MailServer::at(server).map_err(failed)?;
    for (index, letter) in letters.iter().enumerate() {
        to.send(letter).map_err(|error| {
            let sent = format!("{index} of {} sent; `{}` wasn't", count(letters.len(), "mail"), letter.subject);
            Failure::unfinished(format!("{error} ({sent})")).hint(
                "Letters have the same Message-ID when they are sent again, so that mail programs show them once.",
            )
        })?;
    }
    Ok(())
}

fn failed(error: MailError) -> Failure {
    let failure = Failure::wrong(&error);
    match error {
        MailError::Address(..) => failure.hint("Write it as `ADDRESS` or `NAME <ADDRESS>`."),
        MailError::Server(..) => failure.hint("Give --smtp HOST:PORT."),
        _ => failure,
    }
}
