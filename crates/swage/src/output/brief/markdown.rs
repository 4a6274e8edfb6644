//! An overview as Markdown, to be read as a comment. Everything that comes from the change is escaped.

use std::fmt::Write;

use swage_core::brief::Brief;

use super::{about, findings, gist, kind_of_change, lines, of_file, users};
use crate::output::markdown::{code, text};

/// Most files that are listed.
const MOST_FILES: usize = 100;

/// Most definitions and risks of a short overview.
const MOST_SHORT: usize = 12;

/// What the change is made of and where to look twice, in a few lines for the description of a proposal.
pub fn short(brief: &Brief) -> String {
    let mut out = format!("{}.\n", text(&gist(brief)));
    for definition in brief.definitions.iter().take(MOST_SHORT) {
        let (word, kind) = (definition.what.word(), definition.kind);
        _ = writeln!(out, "- {word} {kind} {}", code(&definition.name));
    }
    for risk in brief.risks.iter().take(3) {
        let line = risk.line.map(|line| format!(":{line}")).unwrap_or_default();
        let reasons = text(&risk.reasons.join("; "));
        _ = writeln!(out, "- look twice at {}: {reasons}", code(&format!("{}{line}", risk.path)));
    }
    out.trim_end().to_owned()
}

/// The whole overview.
pub fn format(brief: &Brief) -> String {
    let mut out = String::new();
    _ = writeln!(out, "# {}\n", text(brief.title.as_deref().unwrap_or(&brief.description)));
    _ = writeln!(out, "{}. Findings: {}.\n", text(&gist(brief)), findings(brief));
    if !brief.tickets.is_empty() {
        _ = writeln!(out, "Tickets: {}\n", text(&brief.tickets.join(", ")));
    }
    out.push_str("## Reading order\n\n");
    for (at, path) in brief.order.iter().take(MOST_FILES).enumerate() {
        let Some(file) = brief.files.iter().find(|file| file.path == *path) else { continue };
        let lines = lines(file.written, file.dropped);
        _ = writeln!(out, "{}. {} {} {lines}", at + 1, code(&file.path.text), text(&kind_of_change(file)));
        for (index, definition) in of_file(brief, file) {
            let mut about = about(definition);
            about.extend(users(brief, index, 3));
            let about = if about.is_empty() { String::new() } else { format!(": {}", text(&about.join("; "))) };
            let (word, kind) = (definition.what.word(), definition.kind);
            _ = writeln!(out, "   - {word} {kind} {}{about}", code(&definition.name));
        }
    }
    if let Some(more) = brief.order.len().checked_sub(MOST_FILES).filter(|more| *more > 0) {
        _ = writeln!(out, "\nand {more} more files.");
    }
    if !brief.risks.is_empty() {
        out.push_str("\n## Look twice at\n\n");
    }
    for risk in &brief.risks {
        let line = risk.line.map(|line| format!(":{line}")).unwrap_or_default();
        let name = risk.definition.as_ref().map(|name| format!(" {}", code(name))).unwrap_or_default();
        _ = writeln!(out, "- {}{name}: {}", code(&format!("{}{line}", risk.path)), text(&risk.reasons.join("; ")));
    }
    if !brief.points.is_empty() {
        out.push_str("\n## Acceptance points\n\n| point | spoken of by |\n|---|---|\n");
    }
    for point in &brief.points {
        let names: Vec<String> = point.spoken_of_by.iter().take(6).map(|name| text(name)).collect();
        let names = if names.is_empty() { "nothing".to_owned() } else { names.join(", ") };
        _ = writeln!(out, "| {} | {names} |", text(&point.text));
    }
    if !brief.notes.is_empty() {
        out.push_str("\n## Notes\n\n");
        brief.notes.iter().for_each(|note| _ = writeln!(out, "- {}", text(note)));
    }
    out
}
