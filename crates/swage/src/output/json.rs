//! One JSON object. `docs/formats.md` describes it, and `docs/review.schema.json` holds it to account.

use std::collections::BTreeMap;
use std::io::{self, Write};

use serde::{Serialize, Serializer};
use serde_json::ser::{Formatter, PrettyFormatter};
use serde_json::{Map, Value, json};
use swage_core::baseline::State;
use swage_core::gate::Verdict;
use swage_core::invisible::escaped_json;
use swage_core::review::{Anchor, Counts, FileEntry, Finding, Fix, Path, Proof, RuleEntry};
use swage_core::rule::Severity;

use super::Document;

/// The value of `format`.
pub const FORMAT: &str = "swage-review/1";

/// The whole document, in the order of its keys.
#[derive(Serialize)]
struct Whole<'a> {
    format: &'static str,
    change: Value,
    series: Value,
    rules_from: &'a str,
    files: Each<'a, FileEntry>,
    findings: Shown<'a>,
    counts: Value,
    rules: Value,
    totals: Value,
    rule_count: usize,
    not_run: Value,
    notes: &'a [String],
    #[serde(skip_serializing_if = "Option::is_none")]
    left_out: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    verdict: Option<Value>,
}

/// What a list holds, each made when its turn has come.
struct Each<'a, T>(&'a [T], fn(&T) -> Value);

impl<T> Serialize for Each<'_, T> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq(self.0.iter().map(self.1))
    }
}

/// The findings that were asked for.
struct Shown<'a>(&'a Document<'a>);

impl Serialize for Shown<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq(self.0.review.findings.iter().filter(|f| self.0.shown.has(f)).map(finding))
    }
}

/// Indented JSON with nothing in it that could do something to a terminal.
struct Escaped(PrettyFormatter<'static>);

impl Formatter for Escaped {
    fn write_string_fragment<W: ?Sized + Write>(&mut self, to: &mut W, text: &str) -> io::Result<()> {
        to.write_all(escaped_json(text).as_bytes())
    }
    fn begin_array<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.begin_array(to)
    }
    fn end_array<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.end_array(to)
    }
    fn begin_array_value<W: ?Sized + Write>(&mut self, to: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(to, first)
    }
    fn end_array_value<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.end_array_value(to)
    }
    fn begin_object<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.begin_object(to)
    }
    fn end_object<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.end_object(to)
    }
    fn begin_object_key<W: ?Sized + Write>(&mut self, to: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(to, first)
    }
    fn begin_object_value<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.begin_object_value(to)
    }
    fn end_object_value<W: ?Sized + Write>(&mut self, to: &mut W) -> io::Result<()> {
        self.0.end_object_value(to)
    }
}

/// Writes the whole document piece by piece, so that it never stands in memory as a whole.
pub fn write(document: &Document<'_>, mut to: impl Write) -> io::Result<()> {
    let r = document.review;
    let has_findings = |rule: &&RuleEntry| r.findings.iter().any(|f| f.rule == rule.id);
    let whole = Whole {
        change: json!({ "base": r.base, "head": r.head, "target": r.target, "description": r.description }),
        counts: counts(&r.counts()),
        files: Each(&r.files, file),
        findings: Shown(document),
        format: FORMAT,
        left_out: Some(document.left_out()).filter(|n| *n > 0),
        not_run: r.not_run.iter().map(|(rule, why)| json!({ "rule": rule, "why": why })).collect(),
        notes: &r.notes,
        rule_count: r.rule_count,
        rules: r.rules.iter().filter(has_findings).map(|rule| json!({ "id": rule.id, "severity": rule.severity, "title": rule.title, "help": rule.help, "tags": rule.tags })).collect(),
        rules_from: &r.rules_from,
        series: r.series.iter().map(|subject| json!({ "subject": subject })).collect(),
        totals: json!(r.totals.map(|(base, head)| json!({ "base": base, "head": head }))),
        verdict: document.verdict.map(verdict_of),
    };
    whole.serialize(&mut serde_json::Serializer::with_formatter(&mut to, Escaped(PrettyFormatter::new())))?;
    to.write_all(b"\n")
}

fn verdict_of(verdict: &Verdict) -> Value {
    json!({
        "result": verdict.result,
        "conditions": verdict.conditions.iter().map(|c| json!({ "name": c.name, "result": c.result, "reason": c.reason })).collect::<Vec<_>>(),
    })
}

/// Counts alone: of all findings, and of those that are shown by rule, by file and by severity.
pub fn summary(document: &Document<'_>) -> String {
    let r = document.review;
    let by = |name: &dyn Fn(&Finding) -> String| {
        let mut rows: BTreeMap<String, BTreeMap<&str, u64>> = BTreeMap::new();
        for f in r.findings.iter().filter(|f| f.is_open() && document.shown.has(f)) {
            *rows.entry(name(f)).or_default().entry(f.state_word()).or_default() += 1;
        }
        json!(rows)
    };
    let mut object = json!({
        "format": "swage-summary/1",
        "change": { "base": r.base, "head": r.head, "target": r.target, "description": r.description },
        "files": r.files.len(),
        "counts": counts(&r.counts()),
        "totals": r.totals.map(|(base, head)| json!({ "base": base, "head": head })),
        "by_rule": by(&|f| f.rule.clone()),
        "by_path": by(&|f| f.path().map_or_else(String::new, |path| path.text.clone())),
        "by_severity": by(&|f| f.severity.word().to_owned()),
        "not_examined": r.incomplete().count(),
        "not_run": r.idle_rules(),
    });
    if let Some(verdict) = document.verdict {
        object["verdict"] = verdict_of(verdict);
    }
    super::to_json(&object)
}

/// A path under a key, with the mark that says that it is percent-encoded.
fn put_path(object: &mut Map<String, Value>, key: &str, path: &Path) {
    object.insert(key.to_owned(), json!(path.text));
    if path.encoded {
        object.insert("path_encoded".to_owned(), json!(true));
    }
}

fn file(f: &FileEntry) -> Value {
    let mut object = Map::new();
    put_path(&mut object, "old_path", &f.old_path);
    put_path(&mut object, "new_path", &f.new_path);
    let rest = json!({
        "kind": f.kind, "added": f.added, "removed": f.removed, "language": f.language, "examined": f.examined, "why_not": f.why_not, "incomplete": f.incomplete,
        "nature": f.nature, "generated": f.generated, "syntax_errors": f.syntax_errors,
        "written": f.written.written, "dropped": f.written.dropped,
        "skipped_by": f.skipped_by.iter().map(|(rule, why)| json!({ "rule": rule, "why": why })).collect::<Vec<_>>(),
    });
    object.extend(rest.as_object().cloned().unwrap_or_default());
    Value::Object(object)
}

fn anchor(a: &Anchor) -> Value {
    let mut object = Map::new();
    put_path(&mut object, "path", &a.path);
    let rest = json!({
        "side": a.side,
        "start_line": a.span.map(|s| s.start_line),
        "start_column": a.span.map(|s| s.start_column),
        "end_line": a.span.map(|s| s.end_line),
        "end_column": a.span.map(|s| s.end_column),
        "commit": a.commit,
    });
    object.extend(rest.as_object().cloned().unwrap_or_default());
    Value::Object(object)
}

fn finding(f: &Finding) -> Value {
    let before = f.before.iter().map(|b| json!({ "anchor": anchor(b), "message": "it stood here before the change" }));
    let related = f.related.iter().map(|r| json!({ "anchor": anchor(&r.anchor), "message": r.message }));
    let related: Vec<Value> = before.chain(related).collect();
    json!({
        "key": f.key,
        "rule": f.rule,
        "severity": f.severity,
        "message": f.message,
        "state": f.state,
        "anchor": f.anchor.as_ref().map(anchor),
        "about_change": f.about_change,
        "advisory": f.is_advisory(),
        "from_fragment": f.from_fragment,
        "patch": f.patch,
        "scope": f.scope,
        "text_digest": f.text_digest,
        "identity": f.identity,
        "on_changed_line": f.on_changed_line,
        "figure": f.figure.map(|now| json!({ "value": now.value, "limit": now.limit, "before": f.figure_before })),
        "suppressed": f.suppressed().map(|a| json!({ "reason": a.reason, "in_change": a.in_change })),
        "related": related,
        "excerpt": f.excerpt.iter().map(|l| json!({ "marker": l.marker, "old": l.old, "new": l.new, "text": l.text, "skipped": l.skipped })).collect::<Vec<_>>(),
        "fix": f.fix.as_ref().map(fix),
        "decision": f.settled().map(|s| json!({ "as": s.answer, "because": s.because, "until": s.until, "by": s.by, "on": s.on })),
    })
}

fn fix(fix: &Fix) -> Value {
    let why_not = match &fix.proof {
        Proof::Proved => None,
        Proof::Unproved(why) => Some(why),
    };
    let edits = fix.edits.iter().map(|edit| {
        json!({
            "start_line": edit.span.start_line,
            "start_column": edit.span.start_column,
            "end_line": edit.span.end_line,
            "end_column": edit.span.end_column,
            "text": edit.text,
        })
    });
    json!({ "title": fix.title, "proved": why_not.is_none(), "why_not": why_not, "edits": edits.collect::<Vec<_>>() })
}

fn counts(counts: &Counts) -> Value {
    let states = State::ALL.into_iter().map(|state| {
        let severities = Severity::ALL.into_iter().map(|s| (s.word().to_owned(), json!(counts.get(state, s))));
        (state.word().to_owned(), Value::Object(severities.collect()))
    });
    Value::Object(states.collect())
}
