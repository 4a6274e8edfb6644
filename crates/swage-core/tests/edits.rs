//! Edits that mean nothing, on every slip of the corpus: none gets past its rule by one, none is new by one, and no neighbour
//! becomes a slip.

mod common;
#[path = "common/corpus.rs"]
mod corpus;

use std::sync::Arc;

use common::{Memory, whole};
use corpus::{Kind, all_pieces, shipped_rules};
use swage_core::baseline::State;
use swage_core::change::{Change, ChangedFile, Nature};
use swage_core::diff::{self, LineMap};
use swage_core::review::{Examination, Fixes, examine};
use swage_core::rule::{Rule, RuleSet};
use swage_core::scan::{Limits, NoCache};
use swage_core::sides::Sides;

/// An edit that changes nothing for whoever compiles or runs a file; `None` where it would.
type Edit = fn(&str, &'static str) -> Option<String>;

/// Every line, changed by a function.
fn by_line(code: &str, edit: impl Fn(&str) -> String) -> String {
    code.lines().map(|line| edit(line) + "\n").collect()
}

/// Whether a text goes over several lines or its end is alone on one, so that blanks count in it.
fn has_long_text(code: &str) -> bool {
    ["<<", ">>>>>>>", "`", "\"\"\"", "'''", "\\\n"].iter().any(|sign| code.contains(sign))
}

/// A character of a line, with those around it and how many parentheses are open.
struct Sign {
    before: char,
    it: char,
    after: char,
    open: usize,
}

/// Code in which blanks and breaks inside of a line mean nothing, changed at some of its characters. Lines with texts, comments
/// or directives in them stay as they are.
fn within_lines(code: &str, language: &str, edit: impl Fn(&Sign) -> Option<&'static str>) -> Option<String> {
    let free = [
        "c",
        "cpp",
        "csharp",
        "go",
        "java",
        "javascript",
        "kotlin",
        "php",
        "python",
        "rust",
        "swift",
        "tsx",
        "typescript",
    ];
    let plain =
        |line: &str| !line.contains(['"', '\'', '`', '#', '\\']) && !line.contains("//") && !line.contains("/*");
    let edited = |line: &str| {
        let indent = line.len() - line.trim_start().len();
        let mut open = 0usize;
        let (own, rest) = line.split_at(indent);
        let signs: Vec<char> = [' '].into_iter().chain(rest.chars()).chain([' ']).collect();
        let changed = signs.windows(3).map(|around| {
            let [before, it, after] = around.try_into().unwrap_or_default();
            match it {
                '(' => open += 1,
                ')' => open = open.saturating_sub(1),
                _ => {}
            }
            edit(&Sign { before, it, after, open }).map_or_else(|| it.to_string(), str::to_owned)
        });
        own.to_owned() + &changed.collect::<String>()
    };
    let line = |line: &str| if plain(line) { edited(line) } else { line.to_owned() };
    (free.contains(&language) && !has_long_text(code)).then(|| by_line(code, line))
}

/// How a comment begins in a language, to the line's end.
fn comment_sign(language: &str) -> Option<&'static str> {
    match language {
        "bash" | "python" | "ruby" | "toml" | "yaml" => Some("#"),
        "c" | "cpp" | "csharp" | "go" | "java" | "javascript" | "kotlin" | "php" | "rust" | "scala" | "swift"
        | "typescript" => Some("//"),
        _ => None,
    }
}

/// Code with comments: one at the end of each line, or on a line of its own after each.
fn with_comments(code: &str, language: &str, before: &str, said: &str) -> Option<String> {
    let sign = comment_sign(language)?;
    let takes_none =
        |line: &str| line.is_empty() || line.starts_with("<?") || line.ends_with('\\') || line.contains(sign);
    let commented = |line: &str| if takes_none(line) { line.to_owned() } else { format!("{line}{before}{sign}{said}") };
    let has_block = ["/*", "|\n", "-----"].iter().any(|begins| code.contains(begins));
    (!has_long_text(code) && !has_block).then(|| by_line(code, commented))
}

/// What conditions of rules look for in code, in words that explain nothing.
const SAID: &str = " timeout=1; raise_log(close()); free(x); f.close(); except(Error); exit(); err err; x.release()";

/// Rules about comments, and those of which the manual says that a comment lets a place be.
const HEED_COMMENTS: [&str; 10] = [
    "bare-except",
    "branches-alike",
    "commented-out-code",
    "commented-out-lines",
    "debugger-stop",
    "disabled-test",
    "empty-test",
    "function-without-docs",
    "type-without-docs",
    "unused-import",
];

/// Whose matches are texts in some languages: a comment in one is part of it.
const BY_TEXT: &str = "certificate-not-checked";

/// Edits that mean nothing, with what they are.
const EDITS: [(&str, Edit); 13] = [
    ("ends of lines of other systems", |code, _| Some(code.replace('\n', "\r\n"))),
    ("a byte order mark", |code, _| (!code.starts_with("#!")).then(|| format!("\u{feff}{code}"))),
    ("an empty line before all", |code, _| (!code.starts_with("#!")).then(|| format!("\n{code}"))),
    ("no end of the last line", |code, _| code.strip_suffix('\n').map(str::to_owned)),
    ("blanks at the ends of lines", |code, language| {
        (language != "markdown" && !has_long_text(code)).then(|| by_line(code, |line| format!("{line} \t ")))
    }),
    ("all of it further in", |code, language| {
        let counts = ["python", "yaml", "markdown", "text", "kotlin", "scala"].contains(&language);
        let indented = || by_line(code, |line| if line.is_empty() { String::new() } else { format!("\t  {line}") });
        (!counts && !has_long_text(code)).then(indented)
    }),
    ("wider blanks", |code, language| within_lines(code, language, |sign| (sign.it == ' ').then_some(" \t "))),
    ("lines broken in parentheses", |code, language| {
        within_lines(code, language, |sign| match sign.it {
            '(' => Some("(\n        "),
            ',' if sign.open > 0 => Some(",\n        "),
            _ => None,
        })
    }),
    ("lines broken after dots", |code, language| {
        let ends = |c: char| c.is_ascii_alphanumeric() || ")]".contains(c);
        let may = |sign: &Sign| {
            ends(sign.before) && sign.after.is_ascii_alphabetic() && (language != "python" || sign.open > 0)
        };
        within_lines(code, language, |sign| (sign.it == '.' && may(sign)).then_some(".\n        "))
    }),
    ("empty comments at the ends of lines", |code, language| with_comments(code, language, "  ", "")),
    ("lines with empty comments", |code, language| with_comments(code, language, "\n", "")),
    ("code in comments", |code, language| with_comments(code, language, "  ", SAID)),
    ("empty comments in parentheses", |code, language| {
        let [opened, comma] = if language == "python" { ["( #\n  ", ", #\n  "] } else { ["(/**/", ",/**/"] };
        let commented = |sign: &Sign| match sign.it {
            '(' => Some(opened),
            ',' if sign.open > 0 => Some(comma),
            _ => None,
        };
        // In a comment it would end it.
        (!code.contains("/*")).then(|| within_lines(code, language, commented)).flatten()
    }),
];

/// No slip gets past its rule, and no neighbour becomes one, by an edit that means nothing.
#[test]
fn edits_that_mean_nothing_change_nothing() {
    let rules = shipped_rules();
    let (mut tried, mut wrong) = ([0; EDITS.len()], String::new());
    for folder in ["slips", "slips_held_back"] {
        for (rule, mut piece) in all_pieces(folder, &rules) {
            let (code, language) = (piece.main.code.clone(), piece.language());
            let before = piece.is_reported(&rule);
            for ((what, edit), tried) in EDITS.iter().zip(&mut tried) {
                let is_heeded = *what == "code in comments" && HEED_COMMENTS.iter().any(|heeds| rule.id == *heeds);
                let Some(edited) = edit(&code, language).filter(|_| !is_heeded) else { continue };
                *tried += 1;
                piece.main.code = edited;
                if piece.is_reported(&rule) != before {
                    let (path, line) = (&piece.main.path, piece.line);
                    wrong += &format!("{folder}/{}.md:{line} {path} with {what}: it was {before}\n", rule.id);
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
    assert!(tried.iter().all(|tried| *tried > 700), "{tried:?}");
}

/// How the lines of a text become those of another: by one that is put before all, or else by all of them.
fn map_between(old: &str, new: &str) -> LineMap {
    let lines = |sign: char, text: &str| {
        let all = text.split_inclusive('\n').map(|line| match line.strip_suffix('\n') {
            Some(_) => format!("{sign}{line}"),
            None => format!("{sign}{line}\n\\ No newline at end of file\n"),
        });
        all.collect::<String>()
    };
    let count = |text: &str| text.split_inclusive('\n').count();
    let hunk = if new.strip_prefix('\n') == Some(old) {
        "@@ -0,0 +1 @@\n+\n".to_owned()
    } else {
        format!("@@ -1,{} +1,{} @@\n{}{}", count(old), count(new), lines('-', old), lines('+', new))
    };
    let text = format!("--- a/f\n+++ b/f\n{hunk}");
    let diff = diff::read(text.as_bytes(), &diff::ReadOptions::default()).expect("a diff");
    LineMap::from_hunks(diff.files().next().expect("a file").hunks())
}

/// The states of what a rule finds where a change makes one text of another.
fn states(rule: &Arc<Rule>, path: &str, old: &str, new: &str) -> Vec<State> {
    let contents = Memory(vec![Sides { old: whole(old), new: whole(new) }]);
    let file = ChangedFile {
        old_path: path.into(),
        new_path: path.into(),
        kind: diff::Kind::Modified,
        nature: Nature::Text,
        mode_only: false,
        modes: None,
        executable: Sides::default(),
        map: map_between(old, new),
        added: 0,
        removed: 0,
    };
    let change = Change { files: vec![file], ..Default::default() };
    let (rules, limits) = (RuleSet::new(vec![rule.clone()]), Limits::default());
    let with = Examination {
        rules: &rules,
        limits: &limits,
        cache: &NoCache,
        reports: &[],
        fixes: Fixes::LeftAside,
        progress: &|_| {},
    };
    examine(&change, &contents, &with).findings.iter().map(|finding| finding.state).collect()
}

/// Whoever formats a file or turns its line ends around answers for nothing that was in it.
#[test]
fn edits_that_mean_nothing_make_nothing_new() {
    let (rules, mut compared, mut wrong) = (shipped_rules(), 0, String::new());
    for (rule, piece) in all_pieces("slips", &rules) {
        // What lies in other files, or was there before, is another matter.
        let by_text = |what: &str| what.contains("comments") && rule.id == BY_TEXT;
        if piece.kind != Kind::Slip || !piece.beside.is_empty() || !piece.before.is_empty() {
            continue;
        }
        let (path, code) = (&piece.main.path, &piece.main.code);
        for (what, edit) in &EDITS {
            let Some(edited) = edit(code, piece.language()).filter(|_| !by_text(what)) else { continue };
            let states = states(&rule, path, code, &edited);
            compared += states.len();
            if states.contains(&State::New) {
                wrong += &format!("{}.md:{} {path} with {what}: {states:?}\n", rule.id, piece.line);
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
    assert!(compared > 3000, "{compared}");
}
