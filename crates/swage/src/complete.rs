//! What a shell completes apart from the words of the command line: rules, languages and branches as they are here.

use clap::{Arg, Command};
use clap_complete::CompleteEnv;
use clap_complete::engine::{ArgValueCandidates, CompletionCandidate};
use clap_complete::env::{EnvCompleter, Shells};
use swage_core::config::packs::{INTEGRITY, PACKS};
use swage_core::lang::LANGUAGES;

use crate::cli;
use crate::configuration::Configuration;
use crate::source::Workspace;

/// Set by the scripts of shells that ask for completions.
const ASKED: &str = "SWAGE_COMPLETE";

/// Answers and ends when a shell asks; else does nothing.
pub fn answer() {
    CompleteEnv::with_factory(|| with_values(cli::command())).var(ASKED).complete();
}

/// The script that makes a shell ask; `None` for a shell that can't.
pub fn script(shell: clap_complete::Shell) -> Option<Vec<u8>> {
    let shells = Shells::builtins();
    let completer: &dyn EnvCompleter = shells.completer(&shell.to_string())?;
    let mut script = Vec::new();
    completer.write_registration(ASKED, "swage", "swage", "swage", &mut script).ok()?;
    Some(script)
}

/// The values of arguments are recognised by the names that help gives them.
fn with_values(command: Command) -> Command {
    let known = |arg: Arg| {
        let name = arg.get_value_names().and_then(|names| names.first()).map(|name| name.to_string());
        match name.as_deref() {
            Some("RULE") => arg.add(ArgValueCandidates::new(rules)),
            Some("LANGUAGE") => arg.add(ArgValueCandidates::new(languages)),
            Some("BRANCH" | "REVISION" | "RANGE") => arg.add(ArgValueCandidates::new(branches)),
            _ => arg,
        }
    };
    command.mut_args(known).mut_subcommands(with_values)
}

/// The rules of the configuration; those of all packs where it can't be read.
fn rules() -> Vec<CompletionCandidate> {
    let own = Workspace::find().and_then(|workspace| Configuration::of_folder(&workspace.root, None)).map(|c| c.rules);
    let shipped = || PACKS.iter().chain([&INTEGRITY]).flat_map(|pack| pack.rules().iter().cloned()).collect();
    let rules: Vec<_> = own.map_or_else(|_| shipped(), |rules| rules.rules().to_vec());
    rules.iter().map(|rule| CompletionCandidate::new(rule.id.as_str()).help(Some(rule.title.clone().into()))).collect()
}

fn languages() -> Vec<CompletionCandidate> {
    LANGUAGES.iter().map(|language| CompletionCandidate::new(language.name)).collect()
}

fn branches() -> Vec<CompletionCandidate> {
    let repository = Workspace::find().ok().and_then(|workspace| workspace.repository);
    let branches = repository.and_then(|repository| repository.branches().ok()).unwrap_or_default();
    branches.into_iter().map(|(name, _)| CompletionCandidate::new(name)).collect()
}
