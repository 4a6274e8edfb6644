//! The slips that people make, in the forms in which they make them, each with neighbours that must not be reported.
//!
//! Each file in `tests/slips` is named after a rule. Under "Slips" stand pieces of code that the rule must report, under
//! "Neighbours" those that it must leave alone, and under "Not met" slips that it doesn't report, each below the reason. A
//! piece begins with its path; `+` before a path adds a file to the next piece, `-` a file as it was before the change.
//!
//! `tests/slips_held_back` holds slips that no rule is ever changed for; what is met of them is printed beside the rest.
#![expect(clippy::disallowed_methods, reason = "the corpus is read from files, and the table becomes a page")]

use std::collections::BTreeMap;
use std::sync::Arc;

use swage_core::config::packs::{INTEGRITY, PACKS, Pack};
use swage_core::fix::{Fixable, Outcome, fix_file};
use swage_core::lang::Language;
use swage_core::review::try_example;
use swage_core::rule::{Example, ExampleFile, Problem, Rule, RuleSet};
use swage_core::scan::Limits;

const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/slips.md");
const MARK: &str = "<!-- Made from crates/swage-core/tests/slips. -->\n";

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Kind {
    Slip,
    Neighbour,
    NotMet,
}

/// A piece of code and what must come of it.
struct Piece {
    kind: Kind,
    line: usize,
    /// Why a slip isn't met.
    reason: String,
    main: ExampleFile,
    beside: Vec<ExampleFile>,
    before: Vec<ExampleFile>,
}

fn pieces(text: &str) -> Vec<Piece> {
    let (mut kind, mut reason, mut all) = (None, String::new(), Vec::new());
    let (mut beside, mut before) = (Vec::new(), Vec::new());
    let mut lines = text.lines().enumerate();
    while let Some((number, line)) = lines.next() {
        match line {
            "## Slips" => kind = Some(Kind::Slip),
            "## Neighbours" => kind = Some(Kind::Neighbour),
            "## Not met" => kind = Some(Kind::NotMet),
            _ => {}
        }
        let Some(head) = line.strip_prefix("```") else {
            if !line.is_empty() {
                line.clone_into(&mut reason);
            }
            continue;
        };
        let code = lines.by_ref().map(|(_, line)| line).take_while(|line| *line != "```");
        let code = code.fold(String::new(), |code, line| code + line + "\n");
        let file =
            |path: &str, code: String| ExampleFile { path: path.to_owned(), code, lines: Vec::new(), fixed: None };
        match (head.strip_prefix('+'), head.strip_prefix('-')) {
            (Some(path), _) => beside.push(file(path, code)),
            (_, Some(path)) => before.push(file(path, code)),
            _ => all.push(Piece {
                kind: kind.expect("a heading before the first piece"),
                line: number + 1,
                reason: reason.clone(),
                main: file(head, code),
                beside: std::mem::take(&mut beside),
                before: std::mem::take(&mut before),
            }),
        }
    }
    all
}

impl Piece {
    /// Whether the rule reports anything in the piece itself.
    fn is_reported(&self, rule: &Arc<Rule>) -> bool {
        let files: Vec<ExampleFile> = [&self.main].into_iter().chain(&self.beside).cloned().collect();
        let mut before = self.before.clone();
        if !before.is_empty() {
            before.extend(files.iter().filter(|file| self.before.iter().all(|old| old.path != file.path)).cloned());
        }
        !try_example(rule, &Example::Files { files, before })[0].found.is_empty()
    }

    /// Why the rule's fix of the piece isn't good, where it proposes one.
    fn fault_of_fix(&self, rule: &Arc<Rule>) -> Option<String> {
        let set = RuleSet::new(vec![rule.clone()]);
        let (path, code) = (self.main.path.as_bytes(), self.main.code.as_bytes());
        let (language, wanted, limits) = (Language::of(path, code), set.wanted(path), Limits::default());
        let file = Fixable { path, language, rules: &set, wanted: &wanted, limits: &limits, reported: &[] };
        fix_file(&file, code, &|_| true).attempts.into_iter().find_map(|attempt| match attempt.outcome {
            Outcome::Refused(why) => Some(why),
            Outcome::Applied(_) | Outcome::GoneWith | Outcome::NoFix => None,
        })
    }

    fn language(&self) -> &'static str {
        Language::of(self.main.path.as_bytes(), self.main.code.as_bytes()).map_or("text", |language| language.name)
    }
}

/// How many slips there are, and how many of them are met.
#[derive(Default, Clone, Copy)]
struct Share {
    slips: usize,
    met: usize,
}

impl Share {
    fn add(&mut self, met: bool) {
        self.slips += 1;
        self.met += usize::from(met);
    }

    fn percent(self) -> usize {
        self.met * 100 / self.slips.max(1)
    }

    fn cells(self) -> String {
        format!("{} | {} | {} %", self.slips, self.met, self.percent())
    }

    fn row(self, name: &str) -> String {
        format!("| {name} | {} |\n", self.cells())
    }
}

/// What became of a folder of slips.
#[derive(Default)]
struct Measured {
    whole: Share,
    by_language: BTreeMap<&'static str, Share>,
    by_rule: BTreeMap<String, Share>,
    neighbours: usize,
    neighbours_reported: usize,
    /// What isn't as the corpus says.
    wrong: String,
    not_met: String,
}

/// Every piece of a folder, with the rule that it is about.
fn all_pieces(folder: &str, rules: &BTreeMap<String, Arc<Rule>>) -> Vec<(Arc<Rule>, Piece)> {
    let folder = format!("{}/tests/{folder}", env!("CARGO_MANIFEST_DIR"));
    let mut files: Vec<_> = std::fs::read_dir(folder).expect("the corpus").map(|f| f.expect("a file").path()).collect();
    files.sort();
    let pieces = files.iter().flat_map(|path| {
        let id = path.file_stem().and_then(|stem| stem.to_str()).expect("a rule's name");
        let rule = rules.get(id).unwrap_or_else(|| panic!("no rule {id}"));
        let pieces = pieces(&std::fs::read_to_string(path).expect("a file of the corpus"));
        pieces.into_iter().map(|piece| (rule.clone(), piece))
    });
    pieces.collect()
}

fn measure(folder: &str, rules: &BTreeMap<String, Arc<Rule>>) -> Measured {
    let mut all = Measured::default();
    for (rule, piece) in all_pieces(folder, rules) {
        let id = &rule.id;
        let reported = piece.is_reported(&rule);
        if reported != (piece.kind == Kind::Slip) {
            let what = if reported { "is reported" } else { "isn't reported" };
            all.wrong += &format!("{id}.md:{} {:?} {} {what}\n", piece.line, piece.kind, piece.main.path);
        }
        if let Some(why) = piece.fault_of_fix(&rule) {
            all.wrong += &format!("{id}.md:{} {} isn't fixed: {why}\n", piece.line, piece.main.path);
        }
        if piece.kind == Kind::Neighbour {
            all.neighbours += 1;
            all.neighbours_reported += usize::from(reported);
            continue;
        }
        all.whole.add(reported);
        all.by_language.entry(piece.language()).or_default().add(reported);
        all.by_rule.entry(id.to_string()).or_default().add(reported);
        if piece.kind == Kind::NotMet {
            all.not_met += &format!("| `{id}` | {} | {} |\n", piece.language(), piece.reason);
        }
    }
    all
}

/// The shipped rules by their names.
fn shipped_rules() -> BTreeMap<String, Arc<Rule>> {
    let read = |pack: &Pack| {
        let problems = |all: Vec<Problem>| all.iter().map(|p| format!("{p}\n")).collect::<String>();
        pack.read().unwrap_or_else(|all| panic!("{}", problems(all)))
    };
    let rules = PACKS.iter().chain([&INTEGRITY]).flat_map(read);
    rules.map(|rule| (rule.id.to_string(), Arc::new(rule))).collect()
}

#[test]
fn slips_are_met_and_their_neighbours_left_alone() {
    let rules = shipped_rules();
    let all = measure("slips", &rules);
    assert!(all.wrong.is_empty(), "{}{} of {} slips are met", all.wrong, all.whole.met, all.whole.slips);
    assert!(all.whole.slips >= 600 && all.whole.percent() >= 85, "{} of {}", all.whole.met, all.whole.slips);
    let held_back = measure("slips_held_back", &rules);
    let kept = std::fs::read_to_string(PAGE).expect("docs/slips.md");
    let (by_hand, _) = kept.split_once(MARK).expect("the mark in docs/slips.md");
    let table =
        |title: &str, rows: Vec<String>| format!("| {title} | slips | met | |\n|---|---|---|---|\n{}", rows.concat());
    let rows_of = |by_rule: &BTreeMap<String, Share>| {
        by_rule.iter().map(|(name, share)| share.row(&format!("`{name}`"))).collect::<Vec<_>>()
    };
    let page = format!(
        "{by_hand}{MARK}\n\
         | | slips | met | | neighbours | of them reported |\n|---|---|---|---|---|---|\n\
         | corpus | {} | {} | {} |\n| held back | {} | {} | {} |\n\n{}\n{}\n## Held back\n\n{}\n\
         ## Not met\n\n| rule | language | why |\n|---|---|---|\n{}",
        all.whole.cells(),
        all.neighbours,
        all.neighbours_reported,
        held_back.whole.cells(),
        held_back.neighbours,
        held_back.neighbours_reported,
        table("language", all.by_language.iter().map(|(name, share)| share.row(name)).collect()),
        table("rule", rows_of(&all.by_rule)),
        table("rule", rows_of(&held_back.by_rule)),
        all.not_met,
    );
    if std::env::var_os("SWAGE_WRITE_PAGES").is_some() {
        std::fs::write(PAGE, page).expect("written");
        return;
    }
    assert!(page == kept, "make it again: SWAGE_WRITE_PAGES=1 cargo test -p swage-core --test slips");
}

/// An edit that changes nothing for whoever compiles or runs a file; `None` where it would.
type Edit = fn(&str, &'static str) -> Option<String>;

/// Every line, changed by a function.
fn by_line(code: &str, edit: impl Fn(&str) -> String) -> String {
    code.lines().map(|line| edit(line) + "\n").collect()
}

/// Whether a text goes over several lines or its end stands alone on one, so that blanks count in it.
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

/// Edits that mean nothing, with what they are.
const EDITS: [(&str, Edit); 9] = [
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
                let Some(edited) = edit(&code, language) else { continue };
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
