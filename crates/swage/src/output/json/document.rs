//! The JSON document as types: `super::write` fills them, `crate::result_file` reads them, and `docs/review.schema.json` is
//! made from them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use swage_core::baseline::State;
use swage_core::change::Nature;
use swage_core::gate::Verdict;
use swage_core::ids::{CommitId, FindingKey, RuleId};
use swage_core::position::{Column, LineNumber};
use swage_core::review::{
    Anchor, ChangeKind, Counts, ExcerptLine, FileEntry, Finding, Fix, FixEdit, Path, Proof, RuleEntry, Settled,
    Suppressed,
};
use swage_core::rule::{Origin, Severity};
use swage_core::sides::Side;

/// The name and version of the format.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
pub enum Format {
    #[serde(rename = "swage-review/1")]
    Review1,
}

/// What `swage review`, `gate`, `compare` and `scan` write with `--format json`.
///
/// Files and findings are lists in a file that is read, and made one by one while it is written.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[schemars(title = "Swage review")]
pub struct ReviewDocument<Files = Vec<FileRecord>, Findings = Vec<FindingRecord>> {
    pub format: Format,
    pub change: ChangeRecord,
    /// The patches of a series, in order; empty when the change isn't one.
    pub series: Vec<PatchRecord>,
    /// Where the rules come from, for people.
    pub rules_from: String,
    pub files: Files,
    /// Those on the change as a whole, those of the head by path and place, then the absent ones.
    pub findings: Findings,
    /// Of the files that the change touches and of what it causes elsewhere; without what is suppressed, settled or
    /// advisory.
    pub counts: CountsByState,
    /// The rules that have findings.
    pub rules: Vec<RuleEntry>,
    /// All findings of the whole tree, when it was looked at.
    pub totals: Option<Totals>,
    /// How many rules there are, those that couldn't run included.
    pub rule_count: usize,
    /// Rules that couldn't run.
    pub not_run: Vec<RuleAndReason>,
    /// What else a reader should know.
    pub notes: Vec<String>,
    /// How many findings were left out because others were asked for; `counts` has them. Without it, all are there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(min = 1))]
    pub left_out: Option<usize>,
    /// From `gate` only.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub verdict: Option<Verdict>,
}

/// What was compared. In the gate, `base` is the target's tip, and the lines are those of the merged tree.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct ChangeRecord {
    /// Commit id of the base.
    pub base: Option<CommitId>,
    /// Commit id of the head.
    pub head: Option<CommitId>,
    /// Commit id of the target's tip.
    pub target: Option<CommitId>,
    /// What was reviewed, for people.
    pub description: String,
}

/// A patch of a series.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct PatchRecord {
    pub subject: String,
}

/// All findings of the whole tree before and after.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct Totals {
    pub base: u64,
    pub head: u64,
}

/// A rule, and why it did not look at something.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct RuleAndReason {
    /// The rule's id.
    pub rule: RuleId,
    /// Why.
    pub why: String,
}

impl RuleAndReason {
    pub fn list(pairs: &[(RuleId, String)]) -> Vec<Self> {
        pairs.iter().map(|(rule, why)| Self { rule: rule.clone(), why: why.clone() }).collect()
    }
}

/// Numbers of findings by severity.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct BySeverity {
    pub error: u64,
    pub warning: u64,
    pub note: u64,
}

impl BySeverity {
    fn of(number: impl Fn(Severity) -> u64) -> Self {
        Self { error: number(Severity::Error), warning: number(Severity::Warning), note: number(Severity::Note) }
    }
}

/// Numbers of findings by state. `new`, `updated` and `unchanged` are all at the head; `unchanged`, `updated` and `absent`
/// all at the base.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct CountsByState {
    pub new: BySeverity,
    pub updated: BySeverity,
    pub unchanged: BySeverity,
    pub absent: BySeverity,
}

impl CountsByState {
    pub fn of(counts: &Counts) -> Self {
        let of = |state| BySeverity::of(|severity| counts.get(state, severity));
        Self {
            new: of(State::New),
            updated: of(State::Updated),
            unchanged: of(State::Unchanged),
            absent: of(State::Absent),
        }
    }
}

/// A file of the change.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct FileRecord {
    pub old_path: String,
    /// `old_path` is percent-encoded (RFC 3986, section 2.1), because it isn't UTF-8.
    #[serde(default, skip_serializing_if = "is_false")]
    pub old_path_encoded: bool,
    pub new_path: String,
    /// `new_path` is percent-encoded.
    #[serde(default, skip_serializing_if = "is_false")]
    pub new_path_encoded: bool,
    pub kind: ChangeKind,
    /// Added lines.
    pub added: usize,
    /// Removed lines.
    pub removed: usize,
    pub language: Option<String>,
    /// Whether the rules that apply to it have examined it.
    pub examined: bool,
    /// Why it wasn't examined; also said when no rule applies to it.
    pub why_not: Option<String>,
    /// A rule applies to it and couldn't examine it.
    pub incomplete: bool,
    pub nature: Nature,
    /// It is generated, so packs skip it.
    pub generated: bool,
    /// Places that don't parse after the change.
    pub syntax_errors: u32,
    /// Added lines, without those that only moved or were re-indented.
    pub written: usize,
    /// Removed lines, without those that only moved or were re-indented.
    pub dropped: usize,
    /// New findings that aren't listed, since the file looks generated, vendored or copied; the gate counts them. Without it, there are none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unlisted: Option<BySeverity>,
    /// Rules for its language that skip it.
    pub skipped_by: Vec<RuleAndReason>,
}

impl From<&FileEntry> for FileRecord {
    fn from(f: &FileEntry) -> Self {
        Self {
            old_path: f.old_path.text.clone(),
            old_path_encoded: f.old_path.encoded,
            new_path: f.new_path.text.clone(),
            new_path_encoded: f.new_path.encoded,
            kind: f.kind,
            added: f.added,
            removed: f.removed,
            language: f.language.clone(),
            examined: f.examined,
            why_not: f.why_not.clone(),
            incomplete: f.incomplete,
            nature: f.nature,
            generated: f.origin == Origin::Generated,
            syntax_errors: f.syntax_errors,
            written: f.written.written,
            dropped: f.written.dropped,
            unlisted: (f.unlisted != [0; 3]).then(|| BySeverity::of(|severity| f.unlisted[severity as usize])),
            skipped_by: RuleAndReason::list(&f.skipped_by),
        }
    }
}

/// Where a finding is. The four numbers are null for a whole file.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct AnchorRecord {
    pub path: String,
    /// `path` is percent-encoded (RFC 3986, section 2.1), because it isn't UTF-8.
    #[serde(default, skip_serializing_if = "is_false")]
    pub path_encoded: bool,
    pub side: Side,
    /// 1-based.
    pub start_line: Option<LineNumber>,
    /// 1-based; counts Unicode scalar values.
    pub start_column: Option<Column>,
    pub end_line: Option<LineNumber>,
    /// The column after the end.
    pub end_column: Option<Column>,
    /// The commit that the numbers refer to, when the side is one.
    pub commit: Option<CommitId>,
}

impl AnchorRecord {
    pub fn path(&self) -> Path {
        Path { text: self.path.clone(), encoded: self.path_encoded }
    }
}

impl From<&Anchor> for AnchorRecord {
    fn from(a: &Anchor) -> Self {
        Self {
            path: a.path.text.clone(),
            path_encoded: a.path.encoded,
            side: a.side,
            start_line: a.span.map(|s| s.start_line),
            start_column: a.span.map(|s| s.start_column),
            end_line: a.span.map(|s| s.end_line),
            end_column: a.span.map(|s| s.end_column),
            commit: a.commit.clone(),
        }
    }
}

/// Another place that a finding is about.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct RelatedRecord {
    pub anchor: AnchorRecord,
    /// What it has to do with the finding.
    pub message: String,
}

/// A measured figure.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
pub struct FigureRecord {
    pub value: u64,
    /// The most that is allowed.
    pub limit: u64,
    /// The figure before the change, when the finding was there.
    pub before: Option<u64>,
}

/// One place where a rule holds, or held.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct FindingRecord {
    /// Its stable name: the same in every run as long as it is the same finding.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub key: FindingKey,
    /// The rule's id.
    pub rule: RuleId,
    pub severity: Severity,
    pub message: String,
    pub state: State,
    /// Null when it is about the change as a whole.
    pub anchor: Option<AnchorRecord>,
    /// It is about the change rather than about what is in its files.
    pub about_change: bool,
    /// It is shown and never counted.
    pub advisory: bool,
    /// It was found in the part of the file that a diff shows, without the rest.
    pub from_fragment: bool,
    /// Which patch of the series shows it, 1-based.
    #[schemars(range(min = 1))]
    pub patch: Option<usize>,
    /// The names of the definitions around it, outermost first, joined with dots.
    pub scope: String,
    /// Digest of the matched text without its white space.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub text_digest: String,
    /// Digest of what the rule named: the matched text without its white space and without what `many` holes took. Findings
    /// are paired by it.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub identity: String,
    /// Whether the change added (for absent ones: removed) a line of it.
    pub on_changed_line: bool,
    /// For measures only.
    pub figure: Option<FigureRecord>,
    /// The comment beside it that suppresses it; such findings are in no count.
    pub suppressed: Option<Suppressed>,
    /// Other places that it is about: the other side of a link, where it was before.
    pub related: Vec<RelatedRecord>,
    /// The code around it.
    pub excerpt: Vec<ExcerptLine>,
    /// What its rule proposes, for findings that count against the change.
    pub fix: Option<FixRecord>,
    /// The decision that settles it; settled findings are in no count.
    pub decision: Option<Settled>,
}

impl From<&Finding> for FindingRecord {
    fn from(f: &Finding) -> Self {
        let before = f.before.iter().map(|anchor| (anchor, "it was here before the change"));
        let related = before.chain(f.related.iter().map(|r| (&r.anchor, r.message.as_str())));
        let related = related.map(|(anchor, message)| RelatedRecord { anchor: anchor.into(), message: message.into() });
        Self {
            key: f.key.clone(),
            rule: f.rule.clone(),
            severity: f.severity,
            message: f.message.clone(),
            state: f.state,
            anchor: f.anchor.as_ref().map(AnchorRecord::from),
            about_change: f.about_change,
            advisory: f.is_advisory(),
            from_fragment: f.from_fragment,
            patch: f.patch,
            scope: f.scope.clone(),
            text_digest: f.text_digest.clone(),
            identity: f.identity.clone(),
            on_changed_line: f.on_changed_line,
            figure: f.figure.map(|now| FigureRecord { value: now.value, limit: now.limit, before: f.figure_before }),
            suppressed: f.suppressed().cloned(),
            related: related.collect(),
            excerpt: f.excerpt.clone(),
            fix: f.fix.as_ref().map(FixRecord::from),
            decision: f.settled().cloned(),
        }
    }
}

/// What a rule proposes to do about a finding.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct FixRecord {
    /// What it does, in a line.
    pub title: String,
    /// With it the file parses, the finding is gone, and no other has come.
    pub proved: bool,
    /// Why it isn't proved.
    pub why_not: Option<String>,
    /// In order; they don't overlap.
    pub edits: Vec<EditRecord>,
}

impl From<&Fix> for FixRecord {
    fn from(fix: &Fix) -> Self {
        let why_not = match &fix.proof {
            Proof::Proved => None,
            Proof::Unproved(why) => Some(why.clone()),
        };
        let edits = fix.edits.iter().map(EditRecord::from).collect();
        Self { title: fix.title.clone(), proved: why_not.is_none(), why_not, edits }
    }
}

/// A piece of a file's new side that a fix replaces; lines and columns as in an anchor.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct EditRecord {
    pub start_line: LineNumber,
    pub start_column: Column,
    pub end_line: LineNumber,
    pub end_column: Column,
    /// What takes its place.
    pub text: String,
}

impl From<&FixEdit> for EditRecord {
    fn from(edit: &FixEdit) -> Self {
        Self {
            start_line: edit.span.start_line,
            start_column: edit.span.start_column,
            end_line: edit.span.end_line,
            end_column: edit.span.end_column,
            text: edit.text.clone(),
        }
    }
}

fn is_false(flag: &bool) -> bool {
    !flag
}
