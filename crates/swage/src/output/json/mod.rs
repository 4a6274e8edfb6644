//! One JSON object. `docs/formats.md` describes it.

mod document;

use std::collections::BTreeMap;
use std::io::{self, Write};

use serde::{Deserialize, Serialize, Serializer};
use serde_json::Value;
use serde_json::ser::{Formatter, PrettyFormatter};
use swage_core::gate::Verdict;
use swage_core::invisible::escaped_json;
use swage_core::review::{FileEntry, Finding, Review, RuleEntry};

pub use self::document::{AnchorRecord, FindingRecord, ReviewDocument};
use self::document::{ChangeRecord, CountsByState, FileRecord, Format, PatchRecord, RuleAndReason, Totals};
use super::Document;

/// Whether a JSON value says that it is such a document.
pub fn is_review(value: &Value) -> bool {
    Format::deserialize(&value["format"]).is_ok()
}

/// The files, each made when its turn has come.
struct Files<'a>(&'a [FileEntry]);

impl Serialize for Files<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq(self.0.iter().map(FileRecord::from))
    }
}

/// The findings that were asked for, each made when its turn has come.
struct ShownFindings<'a>(&'a Document<'a>);

impl Serialize for ShownFindings<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq(self.0.review.findings.iter().filter(|f| self.0.shown.has(f)).map(FindingRecord::from))
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

/// Writes the whole document piece by piece, so that it never is in memory as a whole.
pub fn write(document: &Document<'_>, mut to: impl Write) -> io::Result<()> {
    let r = document.review;
    let has_findings = |rule: &&RuleEntry| r.findings.iter().any(|f| f.rule == rule.id);
    let whole = ReviewDocument {
        format: Format::Review1,
        change: change(r),
        series: r.series.iter().map(|subject| PatchRecord { subject: subject.clone() }).collect(),
        rules_from: r.rules_from.clone(),
        files: Files(&r.files),
        findings: ShownFindings(document),
        counts: CountsByState::of(&r.counts()),
        rules: r.rules.iter().filter(has_findings).cloned().collect(),
        totals: totals(r),
        rule_count: r.rule_count,
        not_run: RuleAndReason::list(&r.not_run),
        notes: r.notes.clone(),
        left_out: Some(document.left_out()).filter(|n| *n > 0),
        verdict: document.verdict.cloned(),
    };
    whole.serialize(&mut serde_json::Serializer::with_formatter(&mut to, Escaped(PrettyFormatter::new())))?;
    to.write_all(b"\n")
}

fn change(r: &Review) -> ChangeRecord {
    let (base, head, target) = (r.base.clone(), r.head.clone(), r.target.clone());
    ChangeRecord { base, head, target, description: r.description.clone() }
}

fn totals(r: &Review) -> Option<Totals> {
    r.totals.map(|totals| Totals { base: totals.old, head: totals.new })
}

/// How many findings of each state there are by name.
type StatesByName = BTreeMap<String, BTreeMap<&'static str, u64>>;

/// Counts alone.
#[derive(Serialize)]
struct Summary<'a> {
    format: &'static str,
    change: ChangeRecord,
    files: usize,
    counts: CountsByState,
    totals: Option<Totals>,
    by_rule: StatesByName,
    by_path: StatesByName,
    by_severity: StatesByName,
    not_examined: usize,
    not_run: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    verdict: Option<&'a Verdict>,
}

/// Counts alone: of all findings, and of those that are shown by rule, by file and by severity.
pub fn summary(document: &Document<'_>) -> String {
    let r = document.review;
    let by = |name: &dyn Fn(&Finding) -> String| {
        let mut rows = StatesByName::new();
        for f in r.findings.iter().filter(|f| f.is_open() && document.shown.has(f)) {
            *rows.entry(name(f)).or_default().entry(f.state_word()).or_default() += 1;
        }
        rows
    };
    super::to_json(&Summary {
        format: "swage-summary/1",
        change: change(r),
        files: r.files.len(),
        counts: CountsByState::of(&r.counts()),
        totals: totals(r),
        by_rule: by(&|f| f.rule.to_string()),
        by_path: by(&|f| f.path().map_or_else(String::new, |path| path.text.clone())),
        by_severity: by(&|f| f.severity.word().to_owned()),
        not_examined: r.incomplete().count(),
        not_run: r.idle_rules(),
        verdict: document.verdict,
    })
}

#[cfg(test)]
mod tests {
    use schemars::generate::SchemaSettings;

    use super::ReviewDocument;

    /// The published schema is the one of the types; `SWAGE_WRITE_PAGES=1` writes it.
    #[test]
    fn the_published_schema_is_the_one_of_the_types() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/review.schema.json");
        let generator = SchemaSettings::draft2020_12().for_serialize().into_generator();
        let schema = generator.into_root_schema_for::<ReviewDocument>();
        let text = serde_json::to_string_pretty(&schema).expect("JSON") + "\n";
        if std::env::var_os("SWAGE_WRITE_PAGES").is_some() {
            std::fs::write(path, &text).expect("a file");
        }
        let published = std::fs::read_to_string(path).expect("the published schema");
        assert!(published == text, "docs/review.schema.json is out of date: run this test with SWAGE_WRITE_PAGES=1");
    }
}
