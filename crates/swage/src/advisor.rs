//! Asking a program about a finding. Which one, the user says, or else the target; never the change.

use serde_json::Value;
use swage_core::config::NamedProgram;
use swage_git::{Repository, Target};
use tempfile::TempDir;

use crate::configuration::Configuration;
use crate::export::export_tree;
use crate::failure::Failure;
use crate::output::to_json;
use crate::program::{Program, watch_interrupts};
use crate::target::find_target;

/// The seconds that the user's own advisor may take.
const SECONDS: u64 = 60;
/// Most bytes of an answer.
const MOST_ANSWER: usize = 1 << 20;

/// A program that is asked.
pub struct Advisor<'a> {
    repository: &'a Repository,
    program: NamedProgram,
    /// The target, when it is the target's.
    target: Option<Target>,
}

impl<'a> Advisor<'a> {
    /// The one that git's `swage.advisor` names, else the one of the target's `[advisor]`.
    pub fn find(repository: &'a Repository, target: Option<&str>) -> Result<Self, Failure> {
        if let Some(path) = repository.configured_advisor() {
            return Ok(Self {
                repository,
                program: NamedProgram { command: vec![path], seconds: SECONDS },
                target: None,
            });
        }
        let target = find_target(repository, target)?;
        let configuration = Configuration::of_target(repository, &target)?;
        Self::of_target(repository, &target, &configuration).ok_or_else(|| {
            let hint = "`git config swage.advisor PROGRAM` names one for you, `[advisor]` in swage.toml on the target one for all.";
            Failure::wrong("there is no advisor to ask").hint(hint)
        })
    }

    /// The one of a target's `[advisor]`, when it has one.
    pub fn of_target(repository: &'a Repository, target: &Target, configuration: &Configuration) -> Option<Self> {
        let program = configuration.config.advisor.clone()?;
        Some(Self { repository, program, target: Some(target.clone()) })
    }

    /// Its name as shown.
    pub fn name(&self) -> &str {
        &self.program.command[0]
    }

    /// What it says to a question, which it gets as JSON on standard input.
    pub fn ask(&self, question: &Value) -> Result<String, Failure> {
        let name = self.name();
        let failed = |why: String| Failure::unfinished(format!("the advisor has no answer: {why}"));
        let temporary = || TempDir::with_prefix("swage-").map_err(|e| failed(format!("no temporary folder: {e}")));
        let program = Program::from(&self.program);
        let (folder, home) = (temporary()?, temporary()?);
        if let Some(target) = self.target.as_ref().filter(|_| program.is_in_tree()) {
            export_tree(&self.repository.files(&target.tip)?, home.path()).map_err(failed)?;
        }
        watch_interrupts();
        let text = to_json(question);
        let ran = program.run(folder.path(), home.path(), Some(text.into_bytes())).map_err(failed)?;
        if !ran.status.success() {
            return Err(failed(format!("`{name}` failed with {}{}", ran.status, ran.complaint())));
        }
        let answer = ran.output.map_err(|why| failed(format!("the output of `{name}` can't be used: {why}")))?;
        let answer = String::from_utf8(answer).ok().filter(|text| text.len() <= MOST_ANSWER);
        let answer = answer.ok_or_else(|| failed(format!("what `{name}` says isn't UTF-8, or longer than 1 MiB")))?;
        Some(answer.trim().to_owned())
            .filter(|text| !text.is_empty())
            .ok_or_else(|| failed(format!("`{name}` says nothing")))
    }
}
