//! A page in one file, without any outside reference: the verdict, the findings, the change line by line with the findings in place, and
//! what `swage brief` knows of it. It can be read and printed without scripts; the one that it has adds filters, two columns, keys and
//! read marks, and is named by its digest in the page's content security policy, so that no other runs.

use std::collections::{BTreeMap, HashMap};
use std::fmt::Write;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment, Value, context};
use sha2::{Digest, Sha256};
use swage_core::brief::{Background, Brief, Map, brief};
use swage_core::change::{Change, Contents};
use swage_core::gate::Outcome;
use swage_core::invisible::shown;
use swage_core::review::{Finding, Marker, Proof, Review};
use swage_core::rule::Severity;
use swage_core::sides::Side;
use swage_core::view::ChangeView;
use swage_page::{Lines, escaped, reading_order};

use super::{Document, Purpose, brief as overviews};
use crate::configuration::Configuration;
use crate::failure::Failure;
use crate::terminal::count;

const TEMPLATE: &str = include_str!("page.html.jinja");
const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// What a page shows apart from the review.
#[derive(Debug, Clone, Default)]
pub struct Page {
    /// The change line by line.
    pub view: ChangeView,
    /// What it is made of.
    pub brief: Option<Brief>,
}

impl Page {
    /// The lines of a change that has been reviewed, and what it is made of.
    pub fn of(change: &Change, contents: &dyn Contents, review: &Review, configuration: &Configuration) -> Self {
        let background = Background { max_file_size: configuration.config.limits.file_size, ..Background::default() };
        Self {
            view: ChangeView::of(change, contents, review, &configuration.rules),
            brief: Some(brief(change, contents, review, &background)),
        }
    }
}

/// The whole page.
/// Long because it gathers all that the template names.
pub fn format(document: &Document<'_>) -> Result<String, Failure> {
    let empty = Page::default();
    let page = document.page.unwrap_or(&empty);
    let review = document.review;
    let mut findings: Vec<&Finding> = review.findings.iter().filter(|f| document.shows(f)).collect();
    findings.sort_by_key(|f| (f.severity, f.path().cloned(), f.span()));
    // A finding is at its line where that is shown, else in the list.
    let mut placed: HashMap<(&str, Side, u32), Vec<&Finding>> = HashMap::new();
    for f in &findings {
        if let (Some(anchor), Some(span)) = (&f.anchor, f.span()) {
            placed.entry((&anchor.path.text, anchor.side, span.end_line.into())).or_default().push(f);
        }
    }
    let lines = Lines::new(&page.view, page.brief.as_ref());
    let mut in_place = Vec::new();
    let files: Vec<Value> = page
        .view
        .files
        .iter()
        .enumerate()
        .map(|(number, file)| {
            let shown_lines = lines.file(number, file, &|_, _| None, &mut |side, line, out| {
                for f in placed.get(&(file.path.text.as_str(), side, line)).into_iter().flatten() {
                    in_place.push(f.key.as_str());
                    finding_in_place(f, review, out);
                }
            });
            let entry = review.files.iter().find(|entry| entry.new_path == file.path || entry.old_path == file.path);
            let new = findings.iter().filter(|f| f.path() == Some(&file.path)).count();
            context! {
                number,
                path => shown(&file.path.text),
                kind => entry.map_or("", |entry| entry.kind.word()),
                figures => entry.map(|entry| format!("+{} -{}", entry.added, entry.removed)),
                note => file.note.as_deref().map(shown),
                rows => file.hunks.iter().map(Vec::len).sum::<usize>(),
                findings => new,
                lines => Value::from_safe_string(shown_lines),
            }
        })
        .collect();
    let rules: BTreeMap<&str, usize> = findings.iter().fold(BTreeMap::new(), |mut rules, f| {
        *rules.entry(f.rule.as_str()).or_default() += 1;
        rules
    });
    let list: Vec<Value> = findings.iter().map(|f| finding(f, review, in_place.contains(&f.key.as_str()))).collect();
    // Without arrows a map says no more than the list.
    let map = page.brief.as_ref().map(Map::of).filter(|map| !map.arrows.is_empty());
    let map = map.map(|map| overviews::map::svg(&map, &review.description)).transpose()?;
    let script = [swage_page::SCRIPT, SCRIPT].concat();
    let digest = BASE64_STANDARD.encode(Sha256::digest(script.as_bytes()));
    let values = context! {
        description => shown(&review.description),
        rules_from => shown(&review.rules_from),
        verdict => document.verdict.map(|verdict| context! {
            word => verdict.result.word(),
            says => says(verdict.result),
            conditions => verdict.conditions.iter().map(|c| context! {
                result => c.result.word(), name => c.name.as_str(), reason => shown(&c.reason),
            }).collect::<Vec<_>>(),
        }),
        counts => counts(document),
        rules => rules.into_iter().map(|(rule, n)| context! { rule, n }).collect::<Vec<_>>(),
        findings => list,
        files,
        brief => page.brief.as_ref().map(|brief| overview(brief, &page.view)),
        map => map.map(Value::from_safe_string),
        remarks => remarks(review),
        style => Value::from_safe_string([STYLE, swage_page::STYLE].concat()),
        script => Value::from_safe_string(script),
        digest => Value::from_safe_string(digest),
    };
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    let page = environment.render_str(TEMPLATE, values);
    page.map_err(|e| Failure::unfinished(format!("the page could not be made: {e:#}")))
}

fn says(result: Outcome) -> &'static str {
    match result {
        Outcome::Pass => "This may be merged.",
        Outcome::Incomplete => "Some checks could not run, so the change does not pass.",
        Outcome::Fail => "This may not be merged as it is.",
    }
}

fn counts(document: &Document<'_>) -> Vec<Value> {
    let counts = document.review.finding_counts();
    let cell = |name: &str, n: u64| context! { name, n };
    if document.purpose == Purpose::Scan {
        return Severity::ALL.iter().zip(counts.new).map(|(severity, n)| cell(severity.word(), n)).collect();
    }
    let new = counts.new.iter().sum();
    let all = [("new", new), ("fixed", counts.fixed), ("unchanged", counts.unchanged)];
    let measures = [("worse", counts.worse), ("improved", counts.improved)];
    all.into_iter().chain(measures).map(|(name, n)| cell(name, n)).collect()
}

/// A finding below its line; the list above has its fix.
fn finding_in_place(f: &Finding, review: &Review, out: &mut String) {
    let (severity, key) = (f.severity.word(), escaped(&f.key));
    _ = write!(
        out,
        "<div class=\"f {severity}\" id=\"k{key}\" data-rule=\"{rule}\"><strong>{severity}</strong> {message} <a href=\"#i{key}\">{rule}</a>",
        rule = escaped(&f.rule),
        message = escaped(&f.message),
    );
    if let Some(help) = review.rule(&f.rule).and_then(|rule| rule.help.as_deref()) {
        _ = write!(out, "<details><summary>Help</summary><p>{}</p></details>", escaped(help));
    }
    out.push_str("</div>\n");
}

/// The code around a finding that has no place in the change's lines.
fn excerpt(f: &Finding) -> String {
    let mut out = String::new();
    for line in &f.excerpt {
        let class = match line.marker {
            Marker::Same => "l",
            Marker::Added => "l a",
            Marker::Removed => "l r",
        };
        let digits = |n: Option<u32>| n.map(|n| n.to_string()).unwrap_or_default();
        let (old, new, text) = (digits(line.old), digits(line.new), escaped(&line.text));
        _ = writeln!(out, "<div class=\"{class}\"><i>{old}</i><i>{new}</i><code>{text}</code></div>");
    }
    out
}

/// A finding with its help and fix.
fn finding(f: &Finding, review: &Review, in_place: bool) -> Value {
    let fix = f.fix.as_ref().map(|fix| {
        let edits = fix.edits.iter().map(|edit| {
            context! { line => edit.span.start_line.get(), text => shown(&edit.text), removes => edit.text.is_empty() }
        });
        let why = match &fix.proof {
            Proof::Proved => None,
            Proof::Unproved(why) => Some(shown(why)),
        };
        context! { title => shown(&fix.title), edits => edits.collect::<Vec<_>>(), why }
    });
    context! {
        key => f.key.as_str(),
        rule => f.rule.as_str(),
        severity => f.severity.word(),
        state => f.state_word(),
        message => shown(&f.message),
        place => shown(&f.place()),
        path => f.path().map(|path| shown(&path.text)),
        scope => shown(&f.scope),
        help => review.rule(&f.rule).and_then(|rule| rule.help.as_deref()).map(shown),
        related => f.related.iter().map(|r| format!("{}: {}", shown(&r.message), shown(&r.anchor.to_string()))).collect::<Vec<_>>(),
        code => if in_place { Value::from(()) } else { Value::from_safe_string(excerpt(f)) },
        in_place,
        fix,
    }
}

/// What `swage brief` says, as far as the page shows it.
fn overview(brief: &Brief, view: &ChangeView) -> Value {
    let risks = brief.risks.iter().map(|risk| {
        let name = risk.definition.as_deref().unwrap_or("");
        context! { path => shown(&risk.path.text), line => risk.line, name => shown(name), reasons => shown(&risk.reasons.join("; ")) }
    });
    let points = brief.points.iter().map(|point| {
        context! { text => shown(&point.text), by => point.spoken_of_by.iter().map(|by| shown(by).into_owned()).collect::<Vec<_>>() }
    });
    context! {
        gist => shown(&overviews::gist(brief)),
        tickets => shown(&brief.tickets.join(", ")),
        commits => brief.commits.iter().map(|c| context! { id => c.id[..c.id.len().min(10)].to_owned(), subject => shown(&c.subject), author => shown(c.author.split(" <").next().unwrap_or_default()) }).collect::<Vec<_>>(),
        order => Serde(reading_order(brief, view)),
        risks => risks.collect::<Vec<_>>(),
        points => points.collect::<Vec<_>>(),
    }
}

/// What wasn't examined or didn't run, and what else to know.
fn remarks(review: &Review) -> Vec<String> {
    let missed = review.incomplete().map(|file| {
        format!("Not examined: {}: {}", shown(&file.new_path.text), shown(file.why_not.as_deref().unwrap_or_default()))
    });
    let idle = (review.idle_rules() > 0).then(|| format!("{} could not run.", count(review.idle_rules(), "rule")));
    let not_run = review.not_run.iter().map(|(rule, why)| format!("Not run: {}: {}", shown(rule), shown(why)));
    let notes = review.notes.iter().map(|note| shown(note).into_owned());
    missed.chain(idle).chain(not_run).chain(notes).collect()
}
