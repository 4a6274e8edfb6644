//! Changes made at random of which it is known what they planted and what they moved: no planted finding is anything but
//! new, and hardly a moved one is new. `SWAGE_CASES=5000 cargo test --release -p swage --test moves -- --nocapture` tries
//! many and prints both figures.

mod common;
use std::collections::{BTreeMap, BTreeSet};

use common::Sandbox;

const RULES: &str = r#"packs = []
[[rule]]
id = "no-eval"
severity = "error"
title = "No evaluation of text"
message = "`{match}` runs text as code."
languages = ["python"]
match = { code = "eval(X)", holes.X = {} }
"#;

/// A small generator of numbers (SplitMix64), so that a case is the same everywhere.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n as u64) as usize
    }

    fn pick<'l, T>(&mut self, list: &'l [T]) -> &'l T {
        &list[self.below(list.len())]
    }
}

/// What became of a line's finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Outcome {
    Kept,
    Moved,
    Planted,
}

#[derive(Debug, Clone)]
struct Line {
    text: String,
    outcome: Outcome,
}

#[derive(Debug, Clone)]
struct Function {
    name: String,
    lines: Vec<Line>,
    /// Blanks before each of its lines.
    indent: usize,
}

type Project = BTreeMap<String, Vec<Function>>;

const EVALS: [&str; 3] = ["eval(tide)", "eval(boat.name)", "berth = eval(text)"];
const NOUNS: [&str; 12] =
    ["tide", "boat", "berth", "quay", "board", "sailing", "harbour", "ferry", "ticket", "crew", "cargo", "winch"];

fn plain(random: &mut Random) -> String {
    let (a, b, c) = (*random.pick(&NOUNS), *random.pick(&NOUNS), *random.pick(&NOUNS));
    match random.below(6) {
        0 => format!("{a}_{b} = {c}.next({b})"),
        1 => format!("{a}.{b}.append({c}, {})", random.below(90)),
        2 => format!("log.info('{a} of the {b}', {c})"),
        3 => format!("{a} = [{b} for {b} in {c}.all() if {b}.free]"),
        4 => format!("assert {a} is not None, '{b} {c}'"),
        _ => "count += 1".to_owned(),
    }
}

fn is_eval(text: &str) -> bool {
    text.contains("eval(")
}

fn project(random: &mut Random) -> Project {
    let mut number = 0;
    let files = 3 + random.below(4);
    let mut all = Project::new();
    for file in 0..files {
        let count = 2 + random.below(4);
        let functions = (0..count).map(|_| {
            number += 1;
            let length = 4 + random.below(9);
            let mut lines: Vec<Line> =
                (0..length).map(|_| Line { text: plain(random), outcome: Outcome::Kept }).collect();
            if random.below(3) > 0 {
                let at = random.below(lines.len());
                lines[at].text = (*random.pick(&EVALS)).to_owned();
            }
            Function { name: format!("{}_{number}", random.pick(&NOUNS)), lines, indent: 4 }
        });
        all.insert(format!("file{file}.py"), functions.collect());
    }
    all
}

fn files_with(project: &Project, fits: impl Fn(&Function) -> bool) -> Vec<(String, usize)> {
    let of = |(path, list): (&String, &Vec<Function>)| {
        let good = list.iter().enumerate().filter(|(_, f)| fits(f)).map(|(at, _)| (path.clone(), at));
        good.collect::<Vec<_>>()
    };
    project.iter().flat_map(of).collect()
}

fn has_eval(f: &Function) -> bool {
    f.lines.iter().any(|l| is_eval(&l.text))
}

/// A change, step by step. `taboo` are the functions in which a text was before: what comes there again stayed.
fn change(base: &Project, random: &mut Random) -> Project {
    let mut head = base.clone();
    let before = |name: &str, text: &str| {
        base.values().flatten().any(|f| f.name == name && f.lines.iter().any(|l| l.text == text))
    };
    // What has a copy isn't moved as well: nobody could say which of the two came from there.
    let mut copied: BTreeSet<String> = BTreeSet::new();
    for _ in 0..1 + random.below(5) {
        let may_move = |f: &Function| {
            has_eval(f) && !copied.contains(&f.name) && f.lines.iter().all(|l| l.outcome == Outcome::Kept)
        };
        match random.below(7) {
            // Take a finding away.
            0 | 1 => {
                let with = files_with(&head, has_eval);
                let Some((path, at)) = (!with.is_empty()).then(|| random.pick(&with).clone()) else { continue };
                let function = &mut head.get_mut(&path).expect("a file")[at];
                let line = function.lines.iter().position(|l| is_eval(&l.text)).expect("it has one");
                function.lines.remove(line);
            }
            // Plant one, alone or among new lines, the same text as others.
            2 | 3 => {
                let (path, at) = random.pick(&files_with(&head, |_| true)).clone();
                let text = (*random.pick(&EVALS)).to_owned();
                let function = &mut head.get_mut(&path).expect("a file")[at];
                if before(&function.name, &text) || function.lines.iter().any(|l| l.text == text) {
                    continue;
                }
                let place = random.below(function.lines.len() + 1);
                let mut new = vec![Line { text, outcome: Outcome::Planted }];
                for _ in 0..random.below(3) {
                    let line = Line { text: plain(random), outcome: Outcome::Kept };
                    let at = random.below(new.len() + 1);
                    new.insert(at, line);
                }
                function.lines.splice(place..place, new);
            }
            // Copy a function with its finding to another file.
            4 => {
                let with = files_with(&head, |f| has_eval(f) && f.lines.iter().all(|l| l.outcome == Outcome::Kept));
                let Some((path, at)) = (!with.is_empty()).then(|| random.pick(&with).clone()) else { continue };
                let mut copy = head[&path][at].clone();
                copied.insert(copy.name.clone());
                copy.lines.iter_mut().for_each(|l| l.outcome = Outcome::Planted);
                copy.name += "_copy";
                let paths: Vec<String> = head.keys().filter(|p| **p != path).cloned().collect();
                head.get_mut(random.pick(&paths)).expect("a file").push(copy);
            }
            // Move a function to another file, re-indented or not.
            5 => {
                let with = files_with(&head, may_move);
                let Some((path, at)) = (!with.is_empty()).then(|| random.pick(&with).clone()) else { continue };
                let mut moved = head.get_mut(&path).expect("a file").remove(at);
                moved.lines.iter_mut().for_each(|l| l.outcome = Outcome::Moved);
                moved.indent = *random.pick(&[4, 2, 8]);
                let paths: Vec<String> = head.keys().filter(|p| **p != path).cloned().collect();
                let to = head.get_mut(random.pick(&paths)).expect("a file");
                let place = random.below(to.len() + 1);
                to.insert(place, moved);
            }
            // Move a run of lines with a finding into another function.
            _ => {
                let with = files_with(&head, may_move);
                let Some((path, at)) = (!with.is_empty()).then(|| random.pick(&with).clone()) else { continue };
                let function = &mut head.get_mut(&path).expect("a file")[at];
                let line = function.lines.iter().position(|l| is_eval(&l.text)).expect("it has one");
                let from = line.saturating_sub(random.below(4));
                let to = (line + 1 + random.below(4)).min(function.lines.len());
                let signs = |l: &Line| l.text.chars().filter(|c| c.is_alphanumeric()).count();
                if to - from < 3 || function.lines[from..to].iter().map(signs).sum::<usize>() < 30 {
                    continue;
                }
                let mut run: Vec<Line> = function.lines.drain(from..to).collect();
                let text = run.iter().find(|l| is_eval(&l.text)).expect("it has one").text.clone();
                let own = function.name.clone();
                run.iter_mut().for_each(|l| l.outcome = Outcome::Moved);
                let others = files_with(&head, |f| f.name != own && !before(&f.name, &text));
                let Some((path, at)) = (!others.is_empty()).then(|| random.pick(&others).clone()) else { return head };
                let function = &mut head.get_mut(&path).expect("a file")[at];
                let place = random.below(function.lines.len() + 1);
                function.lines.splice(place..place, run);
            }
        }
    }
    if random.below(4) == 0 {
        // A file under another name.
        let path = random.pick(&head.keys().cloned().collect::<Vec<_>>()).clone();
        let file = head.remove(&path).expect("a file");
        head.insert(path.replace("file", "new"), file);
    }
    head
}

/// The text of a file.
fn render(functions: &[Function]) -> String {
    let mut text = "import log\n".to_owned();
    for function in functions {
        text += &format!("\n\ndef {}(quay):\n", function.name);
        for line in &function.lines {
            text += &format!("{}{}\n", " ".repeat(function.indent), line.text);
        }
        if function.lines.is_empty() {
            text += "    pass\n";
        }
    }
    text
}

/// Both sides, to look at.
fn shown(base: &Project, head: &Project) -> String {
    let side = |name: &str, p: &Project| {
        p.iter().map(|(path, list)| format!("== {name} {path}\n{}", render(list))).collect::<String>()
    };
    side("old", base) + &side("new", head)
}

#[test]
fn what_is_planted_is_new_and_what_is_moved_is_not() {
    let cases: u64 = std::env::var("SWAGE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(300);
    let s = Sandbox::bare_folder();
    s.write("rules.toml", RULES);
    let (mut planted, mut moved, mut new_though_moved) = (0, 0, Vec::new());
    for case in 0..cases {
        let mut random = Random(case);
        let base = project(&mut random);
        let head = change(&base, &mut random);
        for (folder, project) in [("old", &base), ("new", &head)] {
            _ = std::fs::remove_dir_all(s.root.join(folder));
            project.iter().for_each(|(path, list)| s.write(&format!("{folder}/{path}"), render(list)));
        }
        let json = s.swage(&["compare", "old", "new", "--config", "rules.toml", "--format", "json"]).json();
        for text in EVALS {
            // Where a diff aligns a line that left with an equal one that came, it is another of that text that is new.
            let message = text.trim_start_matches("berth = ");
            let new = json["findings"].as_array().into_iter().flatten().filter(|f| {
                f["state"] == "new" && f["message"].as_str().is_some_and(|m| m.starts_with(&format!("`{message}`")))
            });
            let new = new.count();
            let lines = || head.values().flatten().flat_map(|f| &f.lines).filter(|l| l.text == text);
            let of = |outcome: Outcome| lines().filter(|l| l.outcome == outcome).count();
            assert!(
                new >= of(Outcome::Planted),
                "case {case}: {} of `{text}` planted, {new} new\n{}",
                of(Outcome::Planted),
                shown(&base, &head)
            );
            (planted, moved) = (planted + of(Outcome::Planted), moved + of(Outcome::Moved));
            new_though_moved.extend((of(Outcome::Planted)..new).map(|_| case));
        }
    }
    println!("{cases} cases: {planted} planted, all new; {moved} moved, {} of them new", new_though_moved.len());
    assert!(planted > cases as usize / 2 && moved > cases as usize / 4, "{planted} planted, {moved} moved");
    assert!(new_though_moved.len() * 50 <= moved, "of {moved} moved: {new_though_moved:#?}");
}
