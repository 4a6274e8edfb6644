//! `swage rules pages`: a page for each pack, made from its rules.

use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

use swage_core::config::packs::{INTEGRITY, PACKS, Pack};
use swage_core::rule::{Example, Rule};

use crate::failure::Failure;
use crate::output::{print_text, write_file};
use crate::terminal::count;

/// Writes a page for each pack, and one that lists them.
pub fn run(folder: &Path) -> Result<ExitCode, Failure> {
    std::fs::create_dir_all(folder).map_err(|e| {
        Failure::unfinished(format!("{} can't be made: {e}", folder.display()))
            .hint("Give a folder that is there, or can be made.")
    })?;
    let mut index = "# Packs\n\nMade by `swage rules pages docs/packs` from the rules themselves.\n\n".to_owned();
    index += "| pack | looks for | rules | default |\n|---|---|---|---|\n";
    for pack in PACKS.iter().chain([&INTEGRITY]) {
        let (name, count) = (pack.name, pack.rules().len());
        let on = if pack.is_default { "yes" } else { "" };
        _ = writeln!(index, "| [`{name}`]({name}.md) | {} | {count} | {on} |", pack.title);
        write_file(&folder.join(format!("{name}.md")), page(pack).as_bytes())?;
    }
    write_file(&folder.join("README.md"), index.as_bytes())?;
    print_text(&format!("{} pages are in {}.\n", PACKS.len() + 2, folder.display()))?;
    Ok(ExitCode::SUCCESS)
}

fn page(pack: &Pack) -> String {
    let mut out = format!("# `{}`: {}\n\n", pack.name, pack.title);
    out += "Made by `swage rules pages docs/packs` from the rules themselves; change those and make it again.\n\n";
    out += &match (std::ptr::eq(pack, &raw const INTEGRITY), pack.is_default) {
        (true, _) => "These rules are always on.\n\n".to_owned(),
        (_, true) => "It is on where no configuration says which packs are.\n\n".to_owned(),
        (_, false) => format!("Switch it on with `packs = [\"{}\"]` in `swage.toml`.\n\n", pack.name),
    };
    out += "| rule | severity | demands | languages |\n|---|---|---|---|\n";
    for rule in pack.rules() {
        let (id, severity, title) = (&rule.id, rule.severity, &rule.title);
        _ = writeln!(out, "| [`{id}`](#{id}) | {severity} | {title} | {} |", languages(rule));
    }
    pack.rules().iter().for_each(|rule| section(rule, &mut out));
    out
}

fn languages(rule: &Rule) -> String {
    let names: Vec<&str> = rule.languages().iter().map(|l| l.name).collect();
    if names.is_empty() { "all".to_owned() } else { names.join(", ") }
}

fn section(rule: &Rule, out: &mut String) {
    _ = writeln!(out, "\n## {}\n\n**{}.** {}\n", rule.id, rule.title, rule.help.as_deref().unwrap_or_default());
    if let Some(limitations) = &rule.limitations {
        _ = writeln!(out, "What it doesn't see: {limitations}\n");
    }
    let mut skipped: Vec<&str> = rule.skip_areas.iter().map(|area| area.word()).collect();
    if rule.skip_explained {
        skipped.push("what a comment explains");
    }
    if rule.skip_templated {
        skipped.push("what a template fills in or hides");
    }
    if !skipped.is_empty() {
        _ = writeln!(out, "It skips {}.\n", skipped.join(", "));
    }
    for example in &rule.examples {
        let (files, before) = match example {
            Example::Files { files, before } => (files, before),
            Example::Change { shown, findings, .. } => {
                _ = writeln!(out, "A change with {}:\n\n```text\n{shown}\n```\n", count(*findings, "finding"));
                continue;
            }
        };
        for (file, when) in before.iter().map(|f| (f, " before the change")).chain(files.iter().map(|f| (f, ""))) {
            let lines = (1u64..).zip(file.code.lines()).map(|(number, line)| {
                let mark = if file.lines.contains(&number) { "▸" } else { " " };
                format!("{mark} {line}").trim_end().to_owned()
            });
            let code: Vec<String> = lines.collect();
            // A fence is longer than any in the code.
            let fence = if file.code.contains("```") { "`````" } else { "```" };
            _ = writeln!(out, "`{}`{when}\n\n{fence}text\n{}\n{fence}\n", file.path, code.join("\n"));
            if let Some(fixed) = &file.fixed {
                _ = writeln!(out, "fixed\n\n{fence}text\n{}\n{fence}\n", fixed.trim_end());
            }
        }
    }
    out.truncate(out.trim_end().len());
    out.push('\n');
}
