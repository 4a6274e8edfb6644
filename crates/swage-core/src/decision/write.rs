//! Writing the file of decisions.

use std::fmt::Write;

use super::Decision;

const HEAD: &str = "# Decisions about findings. `swage settle` writes this file; docs/decisions.md describes it.\n";

/// The file with these decisions, in their order: by rule, file, definition and text.
pub fn write_decisions(decisions: &[Decision]) -> String {
    let mut sorted: Vec<&Decision> = decisions.iter().collect();
    sorted.sort();
    let mut out = HEAD.to_owned();
    for d in sorted {
        out.push_str("\n[[decision]]\n");
        let mut put = |key: &str, value: &str| _ = writeln!(out, "{key} = {}", quoted(value));
        put("rule", &d.rule);
        put("path", &d.path);
        if !d.definition.is_empty() {
            put("definition", &d.definition);
        }
        put("message", &d.message);
        put("scope", d.scope.word());
        put("as", d.answer.word());
        put("because", &d.because);
        if let Some(until) = &d.until {
            put("until", until);
        }
        put("by", &d.by);
        put("on", &d.on);
        put("key", &d.key);
        put("text", &d.text);
    }
    out
}

/// A basic string of TOML (version 1.0.0, section String). JSON's escapes are among TOML's, which wants DEL escaped, too.
fn quoted(text: &str) -> String {
    serde_json::to_string(text).unwrap_or_default().replace('\u{7f}', "\\u007F")
}
