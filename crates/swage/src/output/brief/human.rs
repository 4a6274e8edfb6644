//! An overview as text for people.

use std::fmt::Write;

use swage_core::brief::{Brief, BriefFile, DefinitionChange, DefinitionStatus};

use super::{about, few, findings, gist, kind_of_change, lines, of_file, users};
use crate::terminal::{Paint, count, printable, width, wrap};

const PAINT: Paint = Paint;

/// Most definitions of a file that are listed.
const MOST_OF_FILE: usize = 12;

/// Most files of the reading order that are listed with their definitions.
const MOST_FILES: usize = 60;

/// Most commits that are listed.
const MOST_COMMITS: usize = 12;

/// The whole overview.
pub fn format(brief: &Brief) -> String {
    let mut out = String::new();
    let title = brief.title.as_deref().unwrap_or(&brief.description);
    _ = writeln!(out, "{}", PAINT.strong(printable(title)));
    paragraph(&mut out, 0, &gist(brief));
    groups(&mut out, brief);
    commits(&mut out, brief);
    if !brief.tickets.is_empty() {
        paragraph(&mut out, 0, &format!("Tickets: {}", brief.tickets.join(", ")));
    }
    reading(&mut out, brief);
    risks(&mut out, brief);
    points(&mut out, brief);
    heading(&mut out, "Tests and findings");
    let tests: Vec<String> = brief.tests.iter().map(ToString::to_string).collect();
    let touched = if tests.is_empty() { "no test is touched".to_owned() } else { few(&tests, 6) };
    paragraph(&mut out, 2, &format!("Tests: {touched}"));
    paragraph(&mut out, 2, &format!("Findings: {}; `swage review` lists them", findings(brief)));
    if !brief.notes.is_empty() {
        heading(&mut out, "Notes");
        brief.notes.iter().for_each(|note| paragraph(&mut out, 2, note));
    }
    out
}

fn heading(out: &mut String, text: &str) {
    _ = writeln!(out, "\n{}", PAINT.strong(text));
}

/// Text that is broken to the terminal's width; what continues is indented further.
fn paragraph(out: &mut String, indent: usize, text: &str) {
    let lines = wrap(&printable(text), width().min(100).saturating_sub(indent + 2));
    for (at, line) in lines.iter().enumerate() {
        _ = writeln!(out, "{:indent$}{}{line}", "", if at == 0 { "" } else { "  " });
    }
}

fn groups(out: &mut String, brief: &Brief) {
    for (name, groups) in [("Folders", &brief.areas), ("Languages", &brief.languages)] {
        let one = |group: &swage_core::brief::Group| {
            let (lines, files) = (lines(group.written, group.dropped), count(group.files, "file"));
            format!("{} {files}{}{lines}", group.name, if lines.is_empty() { "" } else { " " })
        };
        let shown: Vec<String> = groups.iter().take(8).map(one).collect();
        let more = if groups.len() > 8 { format!(", and {} more", groups.len() - 8) } else { String::new() };
        if !shown.is_empty() {
            paragraph(out, 0, &format!("{name}: {}{more}", shown.join(", ")));
        }
    }
}

fn commits(out: &mut String, brief: &Brief) {
    if brief.commits.len() < 2 {
        return;
    }
    heading(out, "Commits");
    let one_author = brief.commits.iter().all(|commit| commit.author == brief.commits[0].author);
    for commit in brief.commits.iter().take(MOST_COMMITS) {
        let author = commit.author.split(" <").next().unwrap_or_default();
        let author = if one_author { String::new() } else { format!(" ({author})") };
        paragraph(out, 2, &format!("{} {}{author}", &commit.id[..commit.id.len().min(10)], commit.subject));
    }
    if let Some(more) = brief.commits.len().checked_sub(MOST_COMMITS).filter(|more| *more > 0) {
        paragraph(out, 2, &format!("… and {more} more"));
    }
}

fn reading(out: &mut String, brief: &Brief) {
    if brief.order.is_empty() {
        return;
    }
    heading(out, "Read in this order");
    for (at, path) in brief.order.iter().take(MOST_FILES).enumerate() {
        let Some(file) = brief.files.iter().find(|file| file.path == *path) else { continue };
        file_line(out, at + 1, file);
        let own: Vec<(usize, &DefinitionChange)> = of_file(brief, file).collect();
        for (index, definition) in own.iter().take(MOST_OF_FILE) {
            definition_lines(out, brief, *index, definition);
        }
        if let Some(more) = own.len().checked_sub(MOST_OF_FILE).filter(|more| *more > 0) {
            paragraph(out, 6, &format!("… and {more} more definitions"));
        }
    }
    if let Some(more) = brief.order.len().checked_sub(MOST_FILES).filter(|more| *more > 0) {
        paragraph(out, 2, &format!("… and {} more; `--format json` lists all", count(more, "file")));
    }
}

fn file_line(out: &mut String, number: usize, file: &BriefFile) {
    let new = match file.new_findings {
        0 => String::new(),
        n => format!("  {}", PAINT.warning(count(n, "new finding"))),
    };
    let lines = lines(file.written, file.dropped);
    let lines = if lines.is_empty() { String::new() } else { format!("  {lines}") };
    let path = PAINT.strong(printable(&file.path.text));
    _ = writeln!(out, "{number:>3}. {path}  {}{lines}{new}", PAINT.faint(printable(&kind_of_change(file))));
}

fn definition_lines(out: &mut String, brief: &Brief, index: usize, definition: &DefinitionChange) {
    let word = format!("{:<8}", definition.what.word());
    let word = match definition.what {
        DefinitionStatus::Added => PAINT.good(word),
        DefinitionStatus::Removed => PAINT.gone(word),
        DefinitionStatus::Changed | DefinitionStatus::Renamed | DefinitionStatus::Moved => PAINT.note(word),
    };
    let about = about(definition);
    let about = if about.is_empty() { String::new() } else { format!(" ({})", about.join("; ")) };
    let text = format!("{} {}{about}", definition.kind, definition.name);
    let lines = wrap(&printable(&text), width().min(100).saturating_sub(19));
    for (at, line) in lines.iter().enumerate() {
        _ = if at == 0 { writeln!(out, "      {word} {line}") } else { writeln!(out, "{:17}{line}", "") };
    }
    if let Some(old) = &definition.old_signature
        && let Some(new) = &definition.signature
    {
        paragraph(out, 15, &format!("- {old}"));
        paragraph(out, 15, &format!("+ {new}"));
    }
    if let Some(users) = users(brief, index, 3) {
        paragraph(out, 15, &users);
    }
}

fn risks(out: &mut String, brief: &Brief) {
    if brief.risks.is_empty() {
        return;
    }
    heading(out, "Look twice at");
    for risk in &brief.risks {
        let line = risk.line.map(|line| format!(":{line}")).unwrap_or_default();
        let name = risk.definition.as_ref().map(|name| format!(" {name}")).unwrap_or_default();
        paragraph(out, 2, &format!("{}{line}{name}: {}", risk.path, risk.reasons.join("; ")));
    }
}

fn points(out: &mut String, brief: &Brief) {
    if brief.points.is_empty() {
        return;
    }
    heading(out, "Acceptance points");
    for point in &brief.points {
        let ticked = if point.ticked { "ticked; " } else { "" };
        let spoken = match &point.spoken_of_by[..] {
            [] => "nothing in the change mentions it".to_owned(),
            names => {
                format!("spoken of by {}", few(names, 4))
            }
        };
        paragraph(out, 2, &format!("{}: {ticked}{spoken}", point.text));
    }
}
