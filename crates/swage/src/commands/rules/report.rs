//! `swage rules report`: what people make of each rule, and what follows from it.

use std::fmt::Write;
use std::process::ExitCode;

use serde_json::json;
use swage_core::decision::{Adjustment, PastFinding, RuleReport, report};
use swage_core::rule::{PathSet, Severity};
use swage_store::FindingRecord;
use toml_edit::{Array, ArrayOfTables, DocumentMut, Item, Table as TomlTable, value};

use crate::cli::{ReportArgs, ReportFormat};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::history;
use crate::output::{for_people, print, to_json, write_file};
use crate::source::Workspace;
use crate::table::{Align, Table};
use crate::terminal::{Paint, printable, width, wrap};

/// What is found first within this many seconds is found lately: 30 days.
const LATELY: i64 = 30 * 86_400;

/// The file in which proposals are applied.
const FILE: &str = "swage.toml";

pub fn run(args: &ReportArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let repository = workspace.repository()?;
    let configuration = Configuration::of_folder(&workspace.root, args.rules.config.as_deref())?;
    let history = history::open(repository).ok_or_else(|| {
        Failure::unfinished("the history of this repository can't be read").hint("Run with --verbose to see why.")
    })?;
    let records = history.findings().map_err(|e| Failure::unfinished(format!("the history can't be read: {e}")))?;
    let since = history::now() - LATELY;
    let past = |f: FindingRecord| PastFinding {
        gone: f.gone.is_some(),
        suppressed: f.suppressed,
        lately: f.first >= since,
        rule: f.rule,
        key: f.key.into(),
        path: f.path,
    };
    let findings: Vec<PastFinding> = records.into_iter().map(past).collect();
    let mut reports = report(&findings, &configuration.decisions);
    for report in &mut reports {
        let rule = configuration.rules.get(&report.rule);
        let fits = |edit: &Adjustment| match edit {
            // What can't be adjusted, or is so already, isn't proposed.
            _ if rule.is_none_or(|rule| rule.locked) => false,
            Adjustment::Note => rule.is_some_and(|rule| rule.severity != Severity::Note),
            Adjustment::SkipPath(_) | Adjustment::Off => true,
        };
        report.proposals.retain(|proposal| fits(&proposal.edit));
    }
    if let Some(number) = args.apply {
        return apply(&workspace, &configuration, &reports, number);
    }
    let text = match args.format {
        ReportFormat::Human => for_people(&table(&reports)),
        ReportFormat::Json => document(&reports),
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// All proposals in order, each with its rule; their numbers are their places, from 1.
fn proposals(reports: &[RuleReport]) -> impl Iterator<Item = (&str, &str, &Adjustment)> {
    reports.iter().flat_map(|r| r.proposals.iter().map(|p| (r.rule.as_str(), p.why.as_str(), &p.edit)))
}

fn table(reports: &[RuleReport]) -> String {
    if reports.is_empty() {
        return "No review or gate has found anything here yet, and nothing was settled.\n".to_owned();
    }
    let paint = Paint;
    let mut out = String::new();
    let heads = ["found", "lately", "fixed", "suppressed", "intended", "wrong", "later", "useful"];
    let heads = heads.map(|head| (head, Align::Right, 5));
    let mut table = Table::new(2, std::iter::once(("rule", Align::Left, 4)).chain(heads));
    for r in reports {
        let useful = r.useful.map_or("-".to_owned(), |share| format!("{share} %"));
        let figures = [r.found, r.lately, r.fixed, r.suppressed].into_iter().chain(r.settled).map(|n| n.to_string());
        table.row(std::iter::once(printable(&r.rule).into_owned()).chain(figures).chain([useful]).collect());
    }
    out += &table.render(width(), |head| paint.faint(head));
    let mut any = false;
    for (number, (rule, why, edit)) in (1..).zip(proposals(reports)) {
        if !any {
            _ = writeln!(out, "\n{}", paint.strong("Proposals"));
            any = true;
        }
        let what = match edit {
            Adjustment::SkipPath(pattern) => format!("skip {pattern}"),
            Adjustment::Note => "make it a note".to_owned(),
            Adjustment::Off => "switch it off".to_owned(),
        };
        for (at, line) in wrap(&printable(&format!("{rule}: {why}: {what}?")), width().min(100) - 5).iter().enumerate()
        {
            _ = if at == 0 { writeln!(out, "{number:>3}. {line}") } else { writeln!(out, "     {line}") };
        }
    }
    if any {
        _ = writeln!(out, "\n`swage rules report --apply N` writes one to {FILE}.");
    }
    out
}

fn document(reports: &[RuleReport]) -> String {
    let mut number = 0;
    let rules: Vec<_> = reports
        .iter()
        .map(|r| {
            let [intended, wrong, later] = r.settled;
            let proposals = r.proposals.iter().map(|p| {
                number += 1;
                let edit = match &p.edit {
                    Adjustment::SkipPath(pattern) => json!({ "skip_paths": [pattern] }),
                    Adjustment::Note => json!({ "severity": "note" }),
                    Adjustment::Off => json!({ "off": true }),
                };
                json!({ "number": number, "why": p.why, "adjust": edit })
            });
            let proposals: Vec<_> = proposals.collect();
            json!({
                "rule": r.rule, "found": r.found, "lately": r.lately, "fixed": r.fixed, "suppressed": r.suppressed,
                "intended": intended, "wrong": wrong, "later": later, "useful": r.useful, "proposals": proposals,
            })
        })
        .collect();
    let value = json!({ "format": "swage-rules-report/1", "rules": rules });
    to_json(&value)
}

/// Writes a proposal into the project's own file, as an adjustment of the rule.
fn apply(
    workspace: &Workspace,
    configuration: &Configuration,
    reports: &[RuleReport],
    number: usize,
) -> Result<ExitCode, Failure> {
    let found = number.checked_sub(1).and_then(|at| proposals(reports).nth(at));
    let (rule, _, edit) = found.ok_or_else(|| {
        Failure::wrong(format!("there is no proposal {number}")).hint("`swage rules report` lists them.")
    })?;
    let path = workspace.root.join(FILE);
    let text = match std::fs::read_to_string(&path) {
        Ok(text) => text,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => String::new(),
        Err(e) => return Err(Failure::unfinished(format!("{FILE} can't be read: {e}"))),
    };
    let mut document: DocumentMut = text.parse().map_err(|e| Failure::wrong(format!("{FILE} can't be read: {e}")))?;
    let skipped = configuration.rules.get(rule).and_then(|rule| rule.skip_paths.as_ref());
    let skipped = skipped.map_or(&[][..], PathSet::patterns);
    adjust(&mut document, rule, edit, skipped)
        .ok_or_else(|| Failure::wrong(format!("`adjust` in {FILE} isn't a list of tables")))?;
    write_file(&path, document.to_string().as_bytes())?;
    print(format!("Adjusted `{rule}` in {FILE}. It counts in the gate once it is on the target.\n").as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// Puts an adjustment into the table of its rule, which is made when there is none. The list of what is skipped takes the place of
/// the rule's own, which therefore comes along.
fn adjust(document: &mut DocumentMut, rule: &str, edit: &Adjustment, skipped: &[String]) -> Option<()> {
    let tables = document.entry("adjust").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
    let tables = tables.as_array_of_tables_mut()?;
    let known = tables.iter().position(|table| table.get("rule").and_then(Item::as_str) == Some(rule));
    let at = known.unwrap_or_else(|| {
        let mut table = TomlTable::new();
        table.insert("rule", value(rule));
        tables.push(table);
        tables.len() - 1
    });
    let table = tables.get_mut(at)?;
    match edit {
        Adjustment::SkipPath(pattern) => {
            let list = table.entry("skip_paths").or_insert(value(skipped.iter().collect::<Array>()));
            list.as_array_mut()?.push(pattern.as_str());
        }
        Adjustment::Note => _ = table.insert("severity", value("note")),
        Adjustment::Off => _ = table.insert("off", value(true)),
    }
    Some(())
}
