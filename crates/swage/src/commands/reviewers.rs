//! `swage reviewers`: who should look at a change, with the reason for each.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::process::ExitCode;

use serde_json::json;
use swage_core::change::Change;

use crate::cli::{AnswerFormat, ReviewersArgs};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::output::{for_people, print, to_json};
use crate::source::{Workspace, with_change};
use crate::target::find_target;
use crate::terminal::{Paint, count, printable};

/// Most commits that are looked through for authors.
const MOST_COMMITS: usize = 200;
/// Most people who are suggested for their work.
const MOST_AUTHORS: usize = 3;

pub fn run(args: &ReviewersArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let own = Configuration::of_folder(&workspace.root, None)?;
    let (change, _) = with_change(&workspace, &args.change, &own, |change, _| change)?;
    let target = match &change.target {
        Some(tip) => tip.clone(),
        None => find_target(repository, args.change.target.as_deref())?.tip,
    };
    // Who owns what is the target's to say.
    let named = swage_git::Target { name: "the target".to_owned(), tip: target };
    let owners = Configuration::of_target(repository, &named)?.config.owners;
    let me = repository.author();
    let is_me = |name: &str| me.as_ref().is_some_and(|me| me.split(" <").next() == Some(name));
    let mut reasons: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (person, paths) in owned(&change, &owners) {
        let more = if paths.len() > 3 { format!(" and {} more", paths.len() - 3) } else { String::new() };
        let shown = paths.iter().take(3).cloned().collect::<Vec<_>>().join(", ");
        reasons.entry(person).or_default().push(format!("owns {shown}{more}"));
    }
    let paths: Vec<&[u8]> = change.files.iter().map(|file| file.old_path.as_slice()).collect();
    let base = change.base.as_deref().unwrap_or(&named.tip);
    let authors = if paths.is_empty() { Vec::new() } else { repository.authors_of(base, &paths, MOST_COMMITS)? };
    for (person, commits) in authors.into_iter().filter(|(name, _)| !is_me(name)).take(MOST_AUTHORS) {
        reasons.entry(person).or_default().push(format!("worked on these files in {}", count(commits, "commit")));
    }
    reasons.retain(|person, _| !is_me(person));
    // Owners first.
    let mut list: Vec<(String, Vec<String>)> = reasons.into_iter().collect();
    list.sort_by_key(|(name, reasons)| {
        (!reasons[0].starts_with("owns"), std::cmp::Reverse(reasons.len()), name.clone())
    });
    let text = match args.format {
        AnswerFormat::Json => {
            to_json(&list.iter().map(|(name, why)| json!({ "person": name, "reasons": why })).collect::<Vec<_>>())
        }
        AnswerFormat::Human => for_people(&human(&list)),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// The owners of what a change touches, each with the paths.
fn owned(change: &Change, owners: &swage_core::config::Owners) -> BTreeMap<String, Vec<String>> {
    let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for file in &change.files {
        for person in owners.of(&file.new_path) {
            found.entry(person.clone()).or_default().push(String::from_utf8_lossy(&file.new_path).into_owned());
        }
    }
    found
}

fn human(list: &[(String, Vec<String>)]) -> String {
    if list.is_empty() {
        return "Nobody owns what it touches, and nobody else has worked on these files.\n".to_owned();
    }
    let (mut out, paint) = (String::new(), Paint);
    for (person, reasons) in list {
        _ = writeln!(out, "{}\n  {}", paint.strong(printable(person)), printable(&reasons.join("; ")));
    }
    out
}
