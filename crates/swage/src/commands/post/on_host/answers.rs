//! Answering people in the checker's threads: a question gets what is known of the finding, and a word such as `intended` the decision
//! that it offers.

use std::process::ExitCode;

use serde_json::json;
use swage_core::decision::Answer;
use swage_core::review::{Finding, Review};
use swage_git::Repository;
use swage_host::{NewRemark, Thread};

use super::super::Offered;
use super::REPORTER;
use crate::advisor::Advisor;
use crate::cli::PostArgs;
use crate::commands::explain::{Sources, explain};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::{markdown, print, print_text};
use crate::source::{Offer, Workspace, proposal_sides};
use crate::terminal::count;

/// What people said in a thread since the checker last spoke there.
enum Said {
    /// A question; all of what was said.
    Question(String),
    /// A word that could be a decision, and the reason.
    Decision(Answer, String),
}

pub fn run(args: &PostArgs, workspace: &Workspace, hosting: &Hosting, number: u64) -> Result<ExitCode, Failure> {
    let repository = workspace.repository()?;
    let threads = hosting.client.threads(number).map_err(failed)?;
    let own = [hosting.client.me().map_err(failed)?.name, REPORTER.to_owned()];
    let said = |thread| Some((thread, unanswered(thread, &own)?));
    let open: Vec<(&Thread, Said)> = threads.iter().filter_map(said).collect();
    if open.is_empty() {
        print_text(&format!("Nothing is asked in the checker's threads of proposal {number}.\n"))?;
        return Ok(ExitCode::SUCCESS);
    }
    let fetched = hosting.fetch(workspace, number)?;
    let configuration = Configuration::of_target(repository, &fetched.target)?;
    let mut offer = Offer::default();
    offer.take_from(&fetched);
    let (target, _, what) = proposal_sides(&fetched);
    let offered = Offered {
        target,
        base: fetched.revision.base.into(),
        head: fetched.revision.head.into(),
        name: format!("proposal {number}"),
        what,
        offer,
    };
    let review = offered.review(args, repository, &configuration)?;
    for (thread, said) in &open {
        let key = thread.finding.as_ref().map_or("", |finding| finding.key.as_str());
        let finding = review.findings.iter().find(|f| f.key == key);
        let text = match (finding, said) {
            (_, Said::Decision(answer, because)) => decision(key, *answer, because),
            (Some(finding), Said::Question(text)) => {
                explained(repository, &offered, &configuration, (&review, finding), text)?
            }
            (None, Said::Question(_)) => "The finding isn't there any more in the newest revision.".to_owned(),
        };
        hosting.client.reply(thread.number, &NewRemark { text, draft: false }).map_err(failed)?;
    }
    print(
        format!("{} of proposal {number} answered.\n{}\n", count(open.len(), "thread"), hosting.page(number))
            .as_bytes(),
    )?;
    Ok(ExitCode::SUCCESS)
}

/// What people said in an open thread of the checker since it, under one of its `own` names, last spoke there, when that asks for an
/// answer.
fn unanswered(thread: &Thread, own: &[String]) -> Option<Said> {
    if thread.author != REPORTER || thread.finding.is_none() || !thread.open {
        return None;
    }
    let since = thread.remarks.iter().rposition(|remark| own.contains(&remark.author)).map_or(0, |at| at + 1);
    let said: Vec<&str> = thread.remarks[since..].iter().filter(|r| !r.draft).map(|r| r.text.trim()).collect();
    let decision = said.iter().rev().find_map(|text| {
        let (word, rest) = text.split_once(|c: char| !c.is_alphanumeric()).unwrap_or((text, ""));
        let (_, answer) = Answer::ALL.into_iter().find(|(own, _)| own.eq_ignore_ascii_case(word))?;
        Some(Said::Decision(answer, rest.trim_matches(|c: char| c.is_whitespace() || ":,-–—".contains(c)).to_owned()))
    });
    let question = || said.iter().any(|text| text.contains('?')).then(|| Said::Question(said.join("\n\n")));
    decision.or_else(question)
}

/// The command that records a decision. A maintainer runs it, so nothing in it may be anything but a word for the shell.
fn decision(key: &str, answer: Answer, because: &str) -> String {
    let line: String = because.split_whitespace().collect::<Vec<_>>().join(" ");
    let reason = if line.is_empty() { "REASON".to_owned() } else { quoted(&line) };
    let until = if answer == Answer::Later { " --until YYYY-MM-DD" } else { "" };
    let command = format!("swage settle {key} --as {}{until} --because {reason}", answer.word());
    let mut text = format!(
        "Offered as a decision: `{}`. It counts once a maintainer has recorded it on the target:\n\n",
        answer.word()
    );
    markdown::block("", &command, &mut text);
    text
}

/// A text as one word of a POSIX shell.
fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', r"'\''"))
}

/// What is known of a finding, and what the target's advisor says.
fn explained(
    repository: &Repository,
    offered: &Offered,
    configuration: &Configuration,
    (review, finding): (&Review, &Finding),
    question: &str,
) -> Result<String, Failure> {
    let files = repository.files(&offered.head)?;
    let path = finding.path().filter(|path| !path.encoded).map_or("", |path| path.text.as_str());
    let bytes = repository.file_at(&offered.head, path).map_err(Failure::unfinished)?.unwrap_or_default();
    let from = Sources {
        repository: Some(repository),
        tree: &files,
        configuration,
        decisions: &configuration.decisions,
        target: Some(&offered.target.name),
    };
    let explanation = explain(&from, review, finding, &bytes)?;
    let mut text = explanation.markdown();
    if let Some(advisor) = Advisor::of_target(repository, &offered.target, configuration) {
        let mut known = explanation.value();
        known["question"] = json!(question);
        let answer = advisor.ask(&known)?;
        text += &format!("\n\nAdvice from {}, a program; it isn't checked:\n\n", markdown::code(advisor.name()));
        text.extend(answer.lines().map(|line| format!("> {line}\n")));
    }
    Ok(text)
}

#[cfg(test)]
mod tests {
    use super::{Answer, decision};

    /// Whatever somebody says stays one word of the command.
    #[test]
    fn a_reason_is_one_word_for_the_shell() {
        let cases = [
            ("the quay is flat", "--because 'the quay is flat'\n"),
            ("it's so; rm -rf $HOME `id`", "--because 'it'\\''s so; rm -rf $HOME `id`'\n"),
            ("two\nlines\n```\nmore", "--because 'two lines ``` more'\n"),
            ("", "--because REASON\n"),
        ];
        for (because, expected) in cases {
            let text = decision("abc", Answer::Intended, because);
            assert!(text.contains(expected), "{text}");
            assert_eq!(
                text.lines().filter(|line| line.trim().starts_with("swage settle abc --as intended")).count(),
                1
            );
        }
    }
}
