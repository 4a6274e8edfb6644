//! Reading the file of decisions, with the place of each mistake.

use super::{Answer, Decision, Scope, is_date};
use crate::rule::{Holds, Key, Keys, Problem, Problems, Table, one_of, parse_toml, words};

static DECISIONS: Keys = Keys::new("decisions", "The file of decisions.", || vec![&DECISIONS_KEY]);
static DECISIONS_KEY: Key = Key::new("decision", Holds::Tables(&DECISION), "A decision.");
static DECISION: Keys = Keys::new("decision", "A decision.", || DECISION_KEYS.iter().collect());
static DECISION_KEYS: [Key; 12] = [
    Key::required("rule", Holds::String, "The rule that found it."),
    Key::required("path", Holds::String, "The file in which it was found."),
    Key::new("definition", Holds::String, "The names of the definitions around it."),
    Key::required("text", Holds::String, "Digest of the text that was found."),
    Key::required("key", Holds::String, "The finding's key when it was settled."),
    Key::required("scope", Holds::OneOf(|| words(&Scope::ALL)), "How far it reaches."),
    Key::required("as", Holds::OneOf(|| words(&Answer::ALL)), "What was decided."),
    Key::required("because", Holds::String, "Why."),
    Key::new("until", Holds::String, "The last day of `later`."),
    Key::required("by", Holds::String, "Who decided."),
    Key::required("on", Holds::String, "When."),
    Key::new("message", Holds::String, "What the finding said then."),
];

/// Reads decisions. `file` is the name that mistakes are reported under.
///
/// # Errors
/// All mistakes of the file; then no decision counts.
pub fn read_decisions(file: &str, text: &str) -> Result<Vec<Decision>, Vec<Problem>> {
    let mut p = Problems::of(file, text);
    let root = parse_toml(&mut p);
    if !p.list.is_empty() {
        return Err(p.list);
    }
    let mut table = Table::new(root.get_ref(), 0, &DECISIONS);
    let mut decisions = Vec::new();
    for mut entry in table.tables("decision", &mut p) {
        decisions.extend(read_decision(&mut entry, &mut p));
        entry.finish(&mut p);
    }
    table.finish(&mut p);
    if p.list.is_empty() { Ok(decisions) } else { Err(p.list) }
}

fn read_decision(table: &mut Table<'_, '_>, p: &mut Problems<'_>) -> Option<Decision> {
    let mut text = |key: &'static str, p: &mut Problems<'_>| table.required_string(key, "a decision", p);
    let (rule, path, because) = (text("rule", p), text("path", p), text("because", p));
    let (answer, scope) = (text("as", p), text("scope", p));
    let (digest, key, by, on) = (text("text", p), text("key", p), text("by", p), text("on", p));
    let answer = answer.and_then(|word| one_of(&word, "answer", Answer::ALL, p));
    let scope = scope.and_then(|word| one_of(&word, "scope of a decision", Scope::ALL, p));
    let definition = table.string("definition", p).map(|d| d.value).unwrap_or_default();
    let message = table.string("message", p).map(|m| m.value).unwrap_or_default();
    let until = table.string("until", p);
    for date in until.iter().chain(&on).filter(|date| !is_date(&date.value)) {
        p.at(date.at, format!("`{}` is no date", date.value), Some("write it as YYYY-MM-DD".to_owned()));
    }
    if let (Some(because), true) = (&because, because.as_ref().is_some_and(|b| b.value.trim().is_empty())) {
        p.at(because.at, "a decision needs a reason", Some("say in `because` why the finding is accepted".to_owned()));
    }
    let until = until.map(|date| date.value);
    if let Some(answer) = answer
        && (answer == Answer::Later) != until.is_some()
    {
        let hint = "give `until` with `as = \"later\"`, and with nothing else".to_owned();
        p.at(table.at, "`later` and a date go together", Some(hint));
    }
    Some(Decision {
        rule: rule?.value.into(),
        path: path?.value,
        definition,
        text: digest?.value,
        key: key?.value.into(),
        scope: scope?,
        answer: answer?,
        because: because?.value,
        until,
        by: by?.value,
        on: on?.value,
        message,
    })
}
