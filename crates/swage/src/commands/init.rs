//! `swage init`: a first configuration, and a hook.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, ExitCode};

use swage_core::config::packs::PACKS;
use swage_core::lang::Language;
use swage_git::Repository;

use crate::cli::{Hook, InitArgs};
use crate::failure::Failure;
use crate::output::{print_text, write_file};
use crate::source::Workspace;

pub fn run(args: &InitArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let Some(root) = repository.workdir() else {
        return Err(Failure::wrong("this repository has no working tree to set up")
            .hint("Run `swage init` in a clone with a working tree."));
    };
    let mut said = configuration(repository, root)?;
    said += &remember_target(repository)?;
    if let Some(hook) = args.hook {
        said += &install(repository, hook)?;
    }
    said += "\nNext:\n  swage scan             existing findings (never held against a change)\n  swage review           what is new in your own work\n  swage rules list       the rules that are on; `swage rules show ID` explains one\n";
    print_text(&said)?;
    Ok(ExitCode::SUCCESS)
}

/// Writes `swage.toml` unless there is one.
/// Long because it holds the text of the file.
fn configuration(repository: &Repository, root: &Path) -> Result<String, Failure> {
    let path = root.join("swage.toml");
    if path.symlink_metadata().is_ok() {
        return Ok("There is a swage.toml already; it stays as it is.\n".to_owned());
    }
    let languages = languages(repository);
    let target = target_name(repository);
    let fitting: Vec<_> = PACKS
        .iter()
        .filter(|pack| {
            pack.rules()
                .iter()
                .any(|r| r.languages().is_empty() || r.languages().iter().any(|l| languages.contains_key(l.name)))
        })
        .collect();
    let calls = |name: &str| Language::by_name(name).is_some_and(|l| l.abilities().any(|a| a == "call"));
    let first = languages.iter().filter(|(name, _)| calls(name)).max_by_key(|(_, n)| **n);
    let first = first.map_or("python", |(name, _)| *name);
    let chosen: Vec<_> = fitting.iter().filter(|p| p.is_default).collect();
    let names = chosen.iter().map(|p| format!("\"{}\"", p.name)).collect::<Vec<_>>().join(", ");
    let about: String = fitting.iter().map(|p| format!("#   {:12} {}\n", p.name, p.title)).collect();
    let text = format!(
        r##"# What Swage looks for in changes to this repository.
# `swage rules list` shows the rules that are on; every key is described in docs/rules.md of Swage.

# The branch that changes want to enter. The gate reads this file from there, never from the change.
target = "{target}"

# Rules that ship with Swage. Those that are a matter of taste wait to be switched on.
{about}packs = [{names}]

# Further rule files, by path from here; rules in .swage/rules/*.toml are read without being named.
# extends = ["../house-rules.toml"]

[limits]
# Larger files aren't examined, and the gate says so.
file_size = "2 MiB"

[gate]
# Most new findings, by severity; what isn't named isn't limited. Old findings never count.
new = {{ error = 0, warning = 0 }}
# Most measures that got worse.
worse = 0

# A rule of your own. Code is a pattern in the language itself; the names under `holes` stand for anything.
# Take the marks off, change it, and see `swage rules test`.
#
# [[rule]]
# id = "no-direct-store"
# severity = "error"
# title = "Only services reach the store"
# message = "`{{STORE}}.{{CALL}}` reaches the store directly."
# languages = ["{first}"]
# paths = ["src/routes/**"]
# [rule.match]
# code = "STORE.CALL(ARGS)"
# holes.STORE = {{ text = "^(db|store)$" }}
# holes.CALL = {{}}
# holes.ARGS = {{ many = true }}

[[rule]]
id = "too-many-parameters"
severity = "warning"
title = "At most five parameters"
message = "`{{name}}` takes {{value}} parameters; {{limit}} are allowed."
[rule.match]
measure = "parameters"
over = 5
"##
    );
    write_file(&path, text.as_bytes())?;
    let found: Vec<String> = languages.iter().map(|(name, n)| format!("{name} ({n})")).collect();
    let found = if found.is_empty() { "no files of a known language yet".to_owned() } else { found.join(", ") };
    Ok(format!(
        "Wrote swage.toml: target {target}, packs {}.\nFound: {found}.\n",
        chosen.iter().map(|p| p.name).collect::<Vec<_>>().join(", ")
    ))
}

/// Where changes of this clone want to go, for git's configuration: the swage.toml of a change can't set it.
fn remember_target(repository: &Repository) -> Result<String, Failure> {
    if let Some(name) = repository.configured_target() {
        return Ok(format!("This clone's target is {name}, by swage.target in git's configuration.\n"));
    }
    let target = target_name(repository);
    let set = repository.git().args(["config", "--local", "swage.target", &target]).output();
    let set = set.map_err(|e| Failure::unfinished(format!("git can't be run: {e}")))?;
    if !set.status.success() {
        let why = String::from_utf8_lossy(&set.stderr).trim().to_owned();
        return Err(Failure::unfinished(format!("git's configuration can't be written: {why}")));
    }
    Ok(format!("Set swage.target to {target} in this clone's git configuration.\n"))
}

/// The branch that changes want to enter: the usual one, or while there is none other, the current one.
fn target_name(repository: &Repository) -> String {
    let usual = repository.usual_target().map(|t| t.name.trim_start_matches("origin/").to_owned());
    usual.ok().or_else(|| repository.current_branch()).unwrap_or_else(|| "main".to_owned())
}

/// How many tracked and untracked files there are of each language.
fn languages(repository: &Repository) -> BTreeMap<&'static str, usize> {
    let mut counts = BTreeMap::new();
    if let Ok(output) = repository.git().args(["ls-files", "--cached", "--others", "--exclude-standard", "-z"]).output()
    {
        for language in output.stdout.split(|b| *b == 0).filter_map(|path| Language::of(path, b"")) {
            *counts.entry(language.name).or_default() += 1;
        }
    }
    counts
}

/// The line that distinguishes our hook from others.
const MARK: &str = "# Installed by `swage init --hook`.";

/// Installs a hook beside one that is there: that one is kept and run first.
fn install(repository: &Repository, hook: Hook) -> Result<String, Failure> {
    use std::os::unix::fs::PermissionsExt;
    let (name, call) = match hook {
        Hook::Commit => ("pre-commit", "swage review --staged --format lines --fail-on error"),
        Hook::Push => ("pre-push", "swage review --committed --format lines --fail-on error"),
    };
    let output = repository
        .git()
        .args(["rev-parse", "--git-path", "hooks"])
        .output()
        .map_err(|e| Failure::unfinished(format!("git can't be run: {e}")))?;
    let relative = String::from_utf8_lossy(&output.stdout).trim().to_owned();
    let folder = repository.workdir().unwrap_or(Path::new(".")).join(relative);
    let path = folder.join(name);
    let kept = folder.join(format!("{name}.before-swage"));
    let failed = |e: std::io::Error| Failure::unwritable(&path, &e);
    let mut said = String::new();
    match std::fs::read_to_string(&path) {
        Ok(text) if text.contains(MARK) => said += &format!("The {name} hook is there already.\n"),
        other => {
            if other.is_ok() || path.symlink_metadata().is_ok() {
                if kept.symlink_metadata().is_ok() {
                    return Err(Failure::wrong(format!("{} and {} are both there", path.display(), kept.display()))
                        .hint("Take one of the two hooks away and call this again; nothing was changed."));
                }
                std::fs::rename(&path, &kept).map_err(failed)?;
                said += &format!("The {name} hook that was there is kept as {name}.before-swage and runs first.\n");
            }
            std::fs::create_dir_all(&folder).map_err(failed)?;
            let script = format!(
                r#"#!/bin/sh
{MARK}
# Shows what the work adds, and stops on errors; `git commit --no-verify` and `git push --no-verify` go past it.
before="$(dirname "$0")/{name}.before-swage"
if [ -x "$before" ]; then "$before" "$@" || exit $?; fi
if ! command -v swage >/dev/null 2>&1; then
  echo "swage: not found on the PATH, so nothing was reviewed" >&2
  exit 0
fi
{call} </dev/null >&2
case $? in
  0) ;;
  1) echo "swage: new errors; fix them, or skip this hook with --no-verify" >&2; exit 1 ;;
  2) echo "swage: the configuration is at fault, so nothing was reviewed; fix it, or go past this hook with --no-verify" >&2; exit 1 ;;
  *) echo "swage: the review could not be finished, so it doesn't stop you" >&2 ;;
esac
"#
            );
            write_file(&path, script.as_bytes())?;
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o755)).map_err(failed)?;
            said += &format!("Installed the {name} hook.\n");
        }
    }
    if Command::new("swage").arg("--version").output().is_err() {
        said += "`swage` isn't on the PATH, and the hook only says so until it is.\n";
    }
    Ok(said)
}
