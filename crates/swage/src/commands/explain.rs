//! `swage explain`: why a finding is there, and how else one would write it; nothing is guessed.

mod elsewhere;

use std::fmt::Write;
use std::process::ExitCode;

use serde_json::{Value, json};
use swage_core::baseline::State;
use swage_core::change::Tree;
use swage_core::decision::Decision;
use swage_core::lang::Language;
use swage_core::review::{Finding, Fix, Marker, Proof, Review};
use swage_core::rule::{CodeMatch, ExampleFile, Rule};
use swage_core::scan::try_pattern;
use swage_core::sides::Side;
use swage_git::{FolderTree, LineSince, Repository};

use self::elsewhere::{Accepted, Fixed, accepted, fixed};

use crate::advisor::Advisor;
use crate::chosen::{found, reviewed};
use crate::cli::{ExplainArgs, ExplainFormat};
use crate::configuration::{Configuration, Folder};
use crate::decisions::decisions_of;
use crate::failure::Failure;
use crate::history::day;
use crate::output::{for_people, markdown, print, to_json};
use crate::source::Workspace;
use crate::terminal::{Paint, printable, width, wrap};

/// Most examples and decisions that are shown.
const MOST: usize = 3;

/// Lines shown before and after a finding.
const AROUND: u32 = 2;

pub fn run(args: &ExplainArgs) -> Result<ExitCode, Failure> {
    let workspace = Workspace::find()?;
    let (review, configuration) = reviewed(&workspace, &args.key, args.target.as_deref(), args.config.as_deref())?;
    let finding = found(&review, &args.key)?;
    let bytes = finding.path().filter(|path| !path.encoded && is_new(finding));
    let bytes = bytes.and_then(|path| std::fs::read(workspace.root.join(&path.text)).ok()).unwrap_or_default();
    let decisions = decisions_of(&Folder { root: workspace.root.clone() })?;
    let tree = match &workspace.repository {
        Some(repository) if repository.workdir().is_some() => FolderTree::of_checkout(repository)?,
        Some(_) | None => FolderTree::of(&workspace.root).map_err(Failure::unfinished)?,
    };
    let target = args.target.as_deref();
    let from = Sources {
        repository: workspace.repository.as_ref(),
        tree: &tree,
        configuration: &configuration,
        decisions: &decisions,
        target,
    };
    let explanation = explain(&from, &review, finding, &bytes)?;
    let advice = match (&args.ask, &workspace.repository) {
        (None, _) => None,
        (Some(question), Some(repository)) => {
            let advisor = Advisor::find(repository, args.target.as_deref())?;
            let mut known = explanation.value();
            known["question"] = json!(question);
            let answer = advisor.ask(&known)?;
            Some(Advice { question: question.clone(), from: advisor.name().to_owned(), answer })
        }
        (Some(_), None) => {
            return Err(Failure::wrong("there is no git repository here that could name an advisor"));
        }
    };
    let text = match (args.format, &advice) {
        (ExplainFormat::Human, None) => for_people(&explanation.human()),
        (ExplainFormat::Human, Some(advice)) => for_people(&(explanation.heading() + &advice.human())),
        (ExplainFormat::Json, _) => {
            let rendered = advice.map(|a| json!({ "question": a.question, "from": a.from, "answer": a.answer }));
            let mut value = explanation.value();
            value["advice"] = json!(rendered);
            to_json(&value)
        }
    };
    print(text.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}

/// Where what is known of findings comes from.
pub struct Sources<'a> {
    /// The repository, when there is one.
    pub repository: Option<&'a Repository>,
    /// The files as they are after the change.
    pub tree: &'a dyn Tree,
    /// The rules.
    pub configuration: &'a Configuration,
    /// What was decided.
    pub decisions: &'a [Decision],
    /// The target as it was typed.
    pub target: Option<&'a str>,
}

/// Gathers what is known of a finding; `bytes` are its file's.
pub fn explain<'a>(
    from: &Sources<'a>,
    review: &Review,
    finding: &'a Finding,
    bytes: &[u8],
) -> Result<Explanation<'a>, Failure> {
    let rule = from.configuration.rules.get(&finding.rule).map(|rule| &**rule);
    let path = finding.path().map_or("", |path| path.text.as_str());
    let language = Language::of(path.as_bytes(), bytes);
    let since = finding.span().filter(|_| finding.state == State::Unchanged || review.head.is_none());
    let limits = &from.configuration.config.limits;
    let past = match (rule, from.repository) {
        (Some(rule), Some(repository)) => fixed(repository, rule, from.target, limits)?,
        (Some(_), None) | (None, _) => Vec::new(),
    };
    Ok(Explanation {
        accepted: rule.map(|rule| accepted(from.tree, rule, path, limits)).unwrap_or_default(),
        fixed: past,
        finding,
        key: review.short_keys().of(&finding.key),
        rule,
        // A secret isn't shown.
        code: if rule.is_some_and(|rule| rule.secret) { Vec::new() } else { code(bytes, finding) },
        holes: rule.zip(language).map(|(rule, language)| holes(rule, language, bytes, finding)).unwrap_or_default(),
        examples: rule.map(|rule| examples(rule, language)).unwrap_or_default(),
        decisions: from.decisions.iter().filter(|d| d.rule == finding.rule).take(MOST).cloned().collect(),
        since: since.and_then(|span| from.repository?.line_since(path, span.start_line.into())),
    })
}

/// What an advisor says.
struct Advice {
    question: String,
    from: String,
    answer: String,
}

impl Advice {
    fn human(&self) -> String {
        let paint = Paint;
        let from = format!("from {}, a program: not checked by Swage", self.from);
        let heading = format!("\n{} {}\n", paint.strong("Advice"), paint.faint(printable(&from)));
        let line = |line: &str| {
            let lines = wrap(&printable(line), width().min(100) - 2);
            if lines.is_empty() { "\n".to_owned() } else { lines.iter().map(|l| format!("  {l}\n")).collect() }
        };
        heading + &self.answer.lines().map(line).collect::<String>()
    }
}

/// All that is known of a finding.
pub struct Explanation<'a> {
    finding: &'a Finding,
    /// The finding's key, as short as it names no other one.
    key: &'a str,
    rule: Option<&'a Rule>,
    /// The lines around it, with their numbers.
    code: Vec<(u32, String)>,
    /// What the holes of the pattern took.
    holes: Vec<(String, String)>,
    /// Examples of the rule in the finding's language.
    examples: Vec<&'a ExampleFile>,
    /// Places that the rule accepts.
    accepted: Vec<Accepted>,
    /// How findings of the rule were fixed before.
    fixed: Vec<Fixed>,
    /// What was decided on findings of the rule.
    decisions: Vec<Decision>,
    /// The commit that introduced it, when the target has it already.
    since: Option<LineSince>,
}

fn is_new(f: &Finding) -> bool {
    f.anchor.as_ref().is_some_and(|anchor| anchor.side == Side::New)
}

fn code(bytes: &[u8], f: &Finding) -> Vec<(u32, String)> {
    let Some(span) = f.span() else { return Vec::new() };
    let text = String::from_utf8_lossy(bytes);
    let wanted = span.start_line.get().saturating_sub(AROUND)..=span.end_line.get().saturating_add(AROUND);
    let lines = (1u32..).zip(text.lines()).filter(|(number, _)| wanted.contains(number));
    lines.map(|(number, line)| (number, line.to_owned())).collect()
}

/// What the holes took, when one of the rule's patterns matches in this very place. A secret's text isn't shown.
fn holes(rule: &Rule, language: &'static Language, bytes: &[u8], f: &Finding) -> Vec<(String, String)> {
    if rule.secret {
        return Vec::new();
    }
    let clauses = rule.clauses.iter().filter(|c| c.languages.is_empty() || c.languages.contains(&language));
    let patterns = clauses.filter_map(|clause| clause.matcher_as::<CodeMatch>());
    let matches = patterns.filter_map(|code| try_pattern(bytes, language, code).ok()).flat_map(|trial| trial.matches);
    matches.filter(|m| Some(m.span) == f.span()).map(|m| m.holes).next().unwrap_or_default()
}

/// Examples in the language, those with their fixed form first.
fn examples<'r>(rule: &'r Rule, language: Option<&'static Language>) -> Vec<&'r ExampleFile> {
    let files = rule.examples.iter().flat_map(|example| example.files());
    let own = |e: &&ExampleFile| Language::of(e.path.as_bytes(), e.code.as_bytes()) == language && !e.lines.is_empty();
    let mut all: Vec<&ExampleFile> = files.filter(own).collect();
    all.sort_by_key(|example| example.fixed.is_none());
    all.truncate(MOST);
    all
}

impl Explanation<'_> {
    fn human(&self) -> String {
        let mut out = self.heading();
        self.why(&mut out);
        self.how_else(&mut out);
        self.here(&mut out);
        self.past(&mut out);
        out
    }

    /// The finding and the code around it.
    fn heading(&self) -> String {
        let (mut out, paint, f) = (String::new(), Paint, self.finding);
        let place = f.place();
        let label = paint.severity(f.severity, f.severity.word());
        _ = writeln!(out, "{label} {}", paint.strong(printable(&f.message)));
        let scope = if f.scope.is_empty() { String::new() } else { format!(" in {}", f.scope) };
        _ = writeln!(
            out,
            "{}{}",
            printable(&place),
            paint.faint(printable(&format!("{scope} · {} · {}", f.rule, self.key)))
        );
        let is_own = |number: &u32| f.span().is_some_and(|s| s.has_number(*number));
        for (number, line) in &self.code {
            let mark = if is_own(number) { paint.severity(f.severity, "▸") } else { " ".to_owned() };
            _ = writeln!(out, "  {mark}{number:5} {}", printable(line));
        }
        out
    }

    fn why(&self, out: &mut String) {
        let paint = Paint;
        let heading = |out: &mut String, text: &str| _ = writeln!(out, "\n{}", paint.strong(text));
        heading(out, "Why");
        if let Some(rule) = self.rule {
            _ = writeln!(out, "  {} ({})", printable(&rule.title), printable(&rule.provenance.origin));
            let help = rule.help.as_deref().unwrap_or_default().replace('\n', " ");
            wrap(&printable(&help), width().min(100) - 2).iter().for_each(|line| _ = writeln!(out, "  {line}"));
        }
        if !self.holes.is_empty() {
            heading(out, "What matched");
            for (hole, text) in &self.holes {
                let text = if text.is_empty() { paint.faint("nothing") } else { printable(text).into_owned() };
                _ = writeln!(out, "  {hole} = {text}");
            }
        }
    }

    fn how_else(&self, out: &mut String) {
        let paint = Paint;
        if let Some(Fix { title, proof, .. }) = &self.finding.fix {
            _ = writeln!(out, "\n{}", paint.strong("Fix"));
            let how = match proof {
                Proof::Proved => format!("swage fix --key {} shows it", self.key),
                Proof::Unproved(why) => format!("a hint; not proved: {why}"),
            };
            _ = writeln!(out, "  {} ({})", printable(title), printable(&how));
        } else if self.rule.is_some_and(|rule| rule.clauses.iter().any(|clause| clause.fix.is_some())) {
            // Fixes of what was there before are tried when they are asked for.
            _ = writeln!(out, "\n{}", paint.strong("Fix"));
            _ = writeln!(out, "  swage fix --key {} tries what the rule proposes", self.key);
        }
        for example in &self.examples {
            _ = writeln!(out, "\n{} {}", paint.strong("Example"), paint.faint(printable(&example.path)));
            for (number, line) in (1u64..).zip(example.code.lines()) {
                let mark = if example.lines.contains(&number) { "▸" } else { " " };
                _ = writeln!(out, "  {mark} {}", printable(line));
            }
            if let Some(fixed) = &example.fixed {
                _ = writeln!(out, "  {}", paint.good("fixed"));
                fixed.lines().for_each(|line| _ = writeln!(out, "    {}", printable(line)));
            }
        }
    }

    fn here(&self, out: &mut String) {
        let paint = Paint;
        if !self.accepted.is_empty() {
            _ = writeln!(out, "\n{}", paint.strong("Accepted here"));
        }
        for a in &self.accepted {
            let place = format!("{}:{}", a.path, a.line);
            _ = writeln!(out, "  {}  {}", paint.faint(printable(&place)), printable(&a.text));
        }
        for f in &self.fixed {
            let what = format!("{} {}, {}: {}", &f.commit[..f.commit.len().min(10)], day(f.at), f.place, f.subject);
            _ = writeln!(out, "\n{} {}", paint.strong("Fixed before"), paint.faint(printable(&what)));
            for line in &f.lines {
                let text = printable(&line.text);
                _ = match line.marker {
                    Marker::Same => writeln!(out, "    {text}"),
                    Marker::Added => writeln!(out, "  {}", paint.good(format!("+ {text}"))),
                    Marker::Removed => writeln!(out, "  {}", paint.gone(format!("- {text}"))),
                };
            }
        }
    }

    fn past(&self, out: &mut String) {
        let paint = Paint;
        if !self.decisions.is_empty() {
            _ = writeln!(out, "\n{}", paint.strong("Decisions on similar findings"));
        }
        for d in &self.decisions {
            let text = format!("{} at {}: {} ({}, {})", d.answer.word(), d.path, d.because, d.by, d.on);
            wrap(&printable(&text), width().min(100) - 2).iter().for_each(|line| _ = writeln!(out, "  {line}"));
        }
        if let Some(since) = &self.since {
            let short = &since.commit[..10];
            let moved = self.finding.path().is_some_and(|path| path.text != since.path);
            let from = if moved { format!(", in {}", since.path) } else { String::new() };
            let text = format!("{short} {}, {}{from}: {}", since.author, day(since.at), since.subject);
            _ = writeln!(out, "\n{}\n  {}", paint.strong("Introduced by"), printable(&text));
        }
        let key = self.key;
        let settle = format!("`swage settle {key} --as intended --because TEXT` records that the code is intended.");
        _ = writeln!(out, "\n{}", paint.faint(settle));
    }

    /// Why it is reported and how else one would write it, for an answer in a thread that shows the finding itself.
    pub fn markdown(&self) -> String {
        let mut out = String::new();
        if let Some(rule) = self.rule {
            _ = writeln!(out, "{}", markdown::text(&rule.title));
            let help = rule.help.as_deref().unwrap_or_default().replace('\n', " ");
            _ = writeln!(out, "{}\n", markdown::text(help.trim()));
        }
        for (hole, text) in self.holes.iter().filter(|_| self.rule.is_some_and(|rule| !rule.secret)) {
            _ = writeln!(
                out,
                "- {} is {}",
                markdown::code(hole),
                markdown::code(if text.is_empty() { "nothing" } else { text })
            );
        }
        if !self.accepted.is_empty() {
            out.push_str("\nThe rule accepts it like this:\n\n");
        }
        for a in &self.accepted {
            let place = format!("{}:{}", a.path, a.line);
            _ = writeln!(out, "- {}: {}", markdown::code(&place), markdown::code(a.text.trim()));
        }
        let example = self.examples.first().filter(|_| self.accepted.is_empty());
        if let Some((example, fixed)) = example.and_then(|example| Some((example, example.fixed.as_ref()?))) {
            out.push_str("\nAn example, and its fixed form:\n\n");
            markdown::block("", example.code.trim_end(), &mut out);
            markdown::block("", fixed.trim_end(), &mut out);
        }
        for f in &self.fixed {
            let what = format!("{} {}", &f.commit[..f.commit.len().min(10)], f.subject);
            _ = writeln!(out, "\nFixed before in {}, at {}.", markdown::code(&what), markdown::code(&f.place));
        }
        for d in &self.decisions {
            let text = format!("{} at {}: {}", d.answer.word(), d.path, d.because);
            _ = writeln!(out, "\nDecided by {} on {}: {}", markdown::text(&d.by), d.on, markdown::text(&text));
        }
        out.trim().to_owned()
    }

    /// The same as one JSON value.
    pub fn value(&self) -> Value {
        let f = self.finding;
        let code = self.code.iter().map(|(line, text)| json!({ "line": line, "text": text }));
        let holes = self.holes.iter().map(|(name, text)| json!({ "name": name, "text": text }));
        let examples =
            self.examples.iter().map(|e| json!({ "path": e.path, "code": e.code, "lines": e.lines, "fixed": e.fixed }));
        let decisions = self
            .decisions
            .iter()
            .map(|d| json!({ "path": d.path, "as": d.answer.word(), "because": d.because, "by": d.by, "on": d.on }));
        let fix = f.fix.as_ref().map(|fix| {
            let edits = fix.edits.iter().map(|edit| json!({ "span": edit.span, "text": edit.text }));
            json!({ "title": fix.title, "proved": fix.proof == Proof::Proved, "edits": edits.collect::<Vec<_>>() })
        });
        let since = self.since.as_ref().map(|s| {
            json!({ "commit": s.commit, "author": s.author, "on": day(s.at), "subject": s.subject, "path": s.path })
        });
        let rule = self
            .rule
            .map(|rule| json!({ "title": rule.title, "help": rule.help, "from": rule.provenance.origin, "match": rule.provenance.written }));
        json!({
            "format": "swage-explanation/1",
            "key": f.key,
            "rule": f.rule,
            "severity": f.severity,
            "message": f.message,
            "path": f.path().map(|path| &path.text),
            "span": f.span(),
            "definition": f.scope,
            "about": rule,
            "code": code.collect::<Vec<Value>>(),
            "holes": holes.collect::<Vec<Value>>(),
            "fix": fix,
            "examples": examples.collect::<Vec<Value>>(),
            "accepted": self.accepted.iter().map(|a| json!({ "path": a.path, "line": a.line, "text": a.text })).collect::<Vec<_>>(),
            "fixed_before": self.fixed.iter().map(|f| json!({
                "commit": f.commit, "on": day(f.at), "subject": f.subject, "place": f.place,
                "lines": f.lines.iter().map(|l| json!({ "marker": l.marker, "old": l.old, "new": l.new, "text": l.text })).collect::<Vec<_>>(),
            })).collect::<Vec<_>>(),
            "decisions": decisions.collect::<Vec<Value>>(),
            "since": since,
        })
    }
}
