//! Rules whose findings an outside program makes.

use super::keys::{Holds, Key, Keys, TIME, words};
use super::problem::Problems;
use super::table::Table;
use super::values::one_of;

/// A program that is run in the tree before the change and in the one after it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Checker {
    /// The program and its arguments; no shell is between.
    pub command: Vec<String>,
    /// The format of what it reports.
    pub output: ReportForm,
    /// The file in the tree that it writes; its standard output when `None`.
    pub output_file: Option<String>,
    /// Exit codes with which it has done its work. By default, 0 and 1.
    pub exit_codes: Vec<i32>,
    /// Most seconds that it may take. By default, 300.
    pub seconds: u64,
    /// Its findings are shown and never counted.
    pub advisory: bool,
}

/// The form of a checker's report.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReportForm {
    /// SARIF 2.1.0.
    Sarif,
    /// Lines of `file:line:column: severity: message`.
    Lines,
}

/// A program that finds.
pub(super) static CHECKER: Keys = Keys::new("checker", "A program whose report holds the findings.", || {
    CHECKER_KEYS.iter().chain([&TIMEOUT_KEY]).collect()
});
/// The keys of a rule with a program.
static CHECKER_KEYS: [Key; 5] = [
    Key::required("checker", Holds::Command, "The program and its arguments."),
    Key::required("output", Holds::OneOf(|| words(&FORMS)), "The form of its report."),
    Key::new("output_file", Holds::String, "The file in the tree that it writes; its standard output when left out."),
    Key::new("exit_codes", Holds::Numbers(0), "Exit codes with which it has done its work; 0 and 1 when left out."),
    Key::new("advisory", Holds::Flag, "Its findings are shown and never counted."),
];
/// The words for forms of reports.
const FORMS: [(&str, ReportForm); 2] = [("sarif", ReportForm::Sarif), ("lines", ReportForm::Lines)];

/// The key of the time that a program has.
pub(crate) static TIMEOUT_KEY: Key = Key::new("timeout", TIME, "How long it may take, such as \"20 s\" or \"5 min\".");

/// Reads a match with `checker`.
pub(super) fn read_checker(table: &mut Table<'_, '_>, name: &str, p: &mut Problems<'_>) -> Option<Checker> {
    let before = p.list.len();
    let command = read_command(table, "checker", name, p)?;
    let output = table.required_string("output", name, p).and_then(|w| one_of(&w, "form of output", FORMS, p));
    let output_file = table.string("output_file", p);
    if let Some(path) = &output_file
        // A path out of the tree could be any file of the user.
        && (path.value.starts_with('/') || path.value.split('/').any(|part| part == ".."))
    {
        p.at(path.at, "`output_file` leads out of the tree", Some("give a path from the root of the tree".into()));
    }
    let exit_codes = table.numbers("exit_codes", p).unwrap_or_else(|| vec![0, 1]);
    let seconds = read_timeout(table, 300, p);
    let advisory = table.flag("advisory", p).unwrap_or(false);
    (p.list.len() == before).then_some(Checker {
        command,
        output: output?,
        output_file: output_file.map(|path| path.value),
        exit_codes: exit_codes.into_iter().filter_map(|code| i32::try_from(code).ok()).collect(),
        seconds,
        advisory,
    })
}

/// The words of a command; `name` is for the error when it has none.
pub(crate) fn read_command(
    table: &mut Table<'_, '_>,
    key: &'static str,
    name: &str,
    p: &mut Problems<'_>,
) -> Option<Vec<String>> {
    let command: Vec<String> = table.strings(key, p)?.into_iter().map(|word| word.value).collect();
    if command.first().is_none_or(String::is_empty) {
        p.at(table.at, format!("{name} names no program"), Some("list the program and its arguments".into()));
    }
    Some(command)
}

/// The seconds that `timeout` gives a program, or those that it has without one.
pub(crate) fn read_timeout(table: &mut Table<'_, '_>, without: u64, p: &mut Problems<'_>) -> u64 {
    let Some(text) = table.string("timeout", p) else { return without };
    parse_timeout(&text.value).unwrap_or_else(|| {
        let hint = format!(
            "write it like \"20 s\" or \"5 min\", at least \"1 s\"; without it, {} min are allowed",
            without / 60
        );
        p.at(text.at, format!("`{}` is no time to run", text.value), Some(hint));
        without
    })
}

/// The seconds of a time like `20 s` or `5 min` (the symbols of the SI); none for anything else and for no time at all.
fn parse_timeout(text: &str) -> Option<u64> {
    let (number, unit) = text.split_once(' ')?;
    let number = number.bytes().all(|b| b.is_ascii_digit()).then(|| number.parse::<u64>().ok())??;
    let seconds = number.checked_mul(match unit {
        "s" => 1,
        "min" => 60,
        "h" => 3600,
        _ => return None,
    })?;
    (seconds > 0).then_some(seconds)
}
