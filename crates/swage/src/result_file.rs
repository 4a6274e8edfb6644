//! Result files of earlier runs, as one side of a comparison: our JSON, or SARIF.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;

use percent_encoding::percent_decode_str;
use serde_json::Value;
use swage_core::baseline::{FileHits, State, compare as pair, keys};
use swage_core::position::{Column, LineNumber};
use swage_core::review::{Anchor, Finding, Path as ShownPath, Review, RuleEntry, Standing, Suppressed};
use swage_core::rule::Severity;
use swage_core::scan::{Figure, Hit, Span};
use swage_core::sides::{Side, Sides};

use crate::failure::Failure;
use crate::output::json::{self, AnchorRecord, FindingRecord, ReviewDocument};
use crate::output::{IDENTITY_FINGERPRINT, KEY_FINGERPRINT, TEXT_FINGERPRINT};

/// The findings of a file, by path, and its rules.
#[derive(Default)]
struct ResultFile {
    hits: BTreeMap<ShownPath, Vec<Hit>>,
    rules: Vec<RuleEntry>,
}

/// Compares two result files. Without the contents there are no line maps, so findings are paired by rule, definition and text.
pub fn compare(before: &Path, after: &Path) -> Result<Review, Failure> {
    let (old, mut new) = (read(before)?, read(after)?);
    let rules = std::mem::take(&mut new.rules);
    let mut review = Review {
        base: None,
        head: None,
        target: None,
        description: format!("{} against {}", after.display(), before.display()),
        series: Vec::new(),
        rules_from: String::new(),
        files: Vec::new(),
        findings: Vec::new(),
        rules,
        totals: None,
        rule_count: 0,
        not_run: Vec::new(),
        notes: Vec::new(),
    };
    add(&mut review, old, new);
    Ok(review)
}

/// Compares a fresh scan with the results of an earlier one.
pub fn against(mut review: Review, baseline: &Path) -> Result<Review, Failure> {
    let old = read(baseline)?;
    let mut new = ResultFile::default();
    let fresh = std::mem::take(&mut review.findings);
    for f in &fresh {
        new.hits.entry(path_of(f.path())).or_default().push(hit(f));
    }
    review.description = format!("{} against {}", review.description, baseline.display());
    add(&mut review, old, new);
    let mut excerpts: HashMap<_, _> =
        fresh.into_iter().map(|f| ((f.rule.clone(), f.path().cloned(), f.span()), f.excerpt)).collect();
    for f in review.findings.iter_mut().filter(|f| f.state != State::Absent) {
        let place = (f.rule.clone(), f.path().cloned(), f.span());
        f.excerpt = excerpts.remove(&place).unwrap_or_default();
        if let Some(anchor) = &mut f.anchor {
            anchor.commit.clone_from(&review.head);
        }
    }
    Ok(review)
}

fn hit(f: &Finding) -> Hit {
    let folded = digest(Some(&f.text_digest), &f.message);
    Hit {
        rule: f.rule.clone(),
        severity: f.severity,
        message: f.message.clone(),
        span: f.span(),
        scope: f.scope.clone(),
        definition: None,
        fix: None,
        exact: folded,
        folded,
        identity: digest(Some(&f.identity), &f.message),
        figure: f.figure,
        suppressed: f.suppressed().map(|a| a.reason.clone()),
        related: Vec::new(),
        secret: false,
    }
}

/// The path that findings are kept under; those on a whole change have none.
fn path_of(path: Option<&ShownPath>) -> ShownPath {
    path.cloned().unwrap_or_else(|| ShownPath::new(b""))
}

/// Pairs the findings of both sides and puts them, with the rules of the old side, into the review.
fn add(review: &mut Review, mut old: ResultFile, mut new: ResultFile) {
    let mut paths: Vec<ShownPath> = old.hits.keys().chain(new.hits.keys()).cloned().collect();
    paths.sort();
    paths.dedup();
    let files: Vec<FileHits> = paths
        .iter()
        .map(|path| FileHits {
            old_path: path.text.clone().into_bytes(),
            new_path: path.text.clone().into_bytes(),
            hits: Sides {
                old: old.hits.remove(path).unwrap_or_default(),
                new: new.hits.remove(path).unwrap_or_default(),
            },
            ..Default::default()
        })
        .collect();
    let compared = pair(&files, &|_| None);
    let findings = compared.iter().zip(keys(&files, &compared)).filter_map(|(c, key)| {
        let of = |side: Side, (file, index): (usize, usize)| {
            let hit = &files[file].hits.on(side)[index];
            (Anchor { path: paths[file].clone(), side, span: hit.span, commit: None }, hit)
        };
        let before = c.place.old.map(|place| of(Side::Old, place));
        let now = c.place.new.map(|place| of(Side::New, place));
        let figure_before = before.as_ref().filter(|_| now.is_some()).and_then(|(_, h)| h.figure).map(|f| f.value);
        let (anchor, hit) = now.or(before)?;
        Some(Finding {
            key,
            rule: hit.rule.clone(),
            severity: hit.severity,
            message: hit.message.clone(),
            state: c.state,
            anchor: Some(anchor).filter(|a| !a.path.text.is_empty()),
            related: Vec::new(),
            about_change: false,
            standing: Suppressed::of(c, &files).map_or(Standing::Counted, Standing::Suppressed),
            from_fragment: false,
            patch: None,
            before: None,
            scope: hit.scope.clone(),
            text_digest: format!("{:016x}", hit.folded),
            identity: format!("{:016x}", hit.identity),
            on_changed_line: false,
            figure: hit.figure,
            figure_before,
            excerpt: Vec::new(),
            fix: None,
        })
    });
    review.findings = findings.collect();
    for rule in old.rules {
        if !review.rules.iter().any(|r| r.id == rule.id) {
            review.rules.push(rule);
        }
    }
    review
        .notes
        .push("Result files hold no code, so findings were paired by file, rule, definition and text, and none counts as moved to another file.".to_owned());
}

/// How to get such a file.
const WAYS: &str = "Write one with `swage scan --format json` or `--format sarif`.";

fn read(path: &Path) -> Result<ResultFile, Failure> {
    let bad = |why: String| Failure::wrong(format!("{} isn't a result file: {why}", path.display())).hint(WAYS);
    let bytes = std::fs::read(path).map_err(|e| Failure::unreadable("", path, &e).hint(WAYS))?;
    let value: Value = serde_json::from_slice(&bytes).map_err(|e| bad(e.to_string()))?;
    let mut runs = value["runs"].as_array().into_iter().flatten();
    if value["left_out"].is_u64() || runs.any(|run| run["properties"]["findingsLeftOut"].is_u64()) {
        return Err(bad("findings were left out of it, by --rule, --path, --severity or --state".into()));
    }
    let mut side = if json::is_review(&value) {
        // From the text again, so that an error names its line.
        from_json(serde_json::from_slice(&bytes).map_err(|e| bad(e.to_string()))?)
    } else if value["version"] == "2.1.0" && value["runs"].is_array() {
        from_sarif(&value).ok_or_else(|| bad("a result in it lacks its rule, severity, message or place".into()))?
    } else {
        return Err(bad("it is neither a Swage review nor SARIF 2.1.0".into()));
    };
    side.hits.values_mut().for_each(|hits| hits.sort_by(|a, b| (a.span, &a.rule).cmp(&(b.span, &b.rule))));
    Ok(side)
}

fn severity(value: &Value) -> Option<Severity> {
    let word = value.as_str().unwrap_or("warning");
    Severity::ALL.into_iter().find(|s| s.word() == word).or(Some(Severity::Note))
}

/// First line and column, last line and column; without a first line, the whole file.
fn span(numbers: [Option<u32>; 4]) -> Option<Span> {
    let [start_line, start_column, end_line, end_column] = numbers.map(|number| number.filter(|n| *n > 0));
    let start_line = start_line?;
    let start_column = start_column.unwrap_or(1);
    let (end_line, end_column) = (end_line.unwrap_or(start_line), end_column.unwrap_or(start_column));
    Span::from_numbers([start_line, start_column, end_line, end_column])
}

/// The stored digest of the text; for results of other programs, one of the message.
fn digest(stored: Option<&str>, message: &str) -> u64 {
    stored
        .and_then(|s| u64::from_str_radix(s, 16).ok())
        .unwrap_or_else(|| swage_core::digest::text_digest(message.as_bytes()))
}

fn figure(value: &Value) -> Option<Figure> {
    Some(Figure { value: value["value"].as_u64()?, limit: value["limit"].as_u64()? })
}

/// The findings of our own document; its absent ones are of an older state.
fn from_json(document: ReviewDocument) -> ResultFile {
    let mut hits: BTreeMap<ShownPath, Vec<Hit>> = BTreeMap::new();
    for f in document.findings.into_iter().filter(|f| f.state != State::Absent) {
        let path = f.anchor.as_ref().map_or_else(|| path_of(None), AnchorRecord::path);
        hits.entry(path).or_default().push(recorded_hit(f));
    }
    ResultFile { hits, rules: document.rules }
}

fn recorded_hit(f: FindingRecord) -> Hit {
    let folded = digest(Some(&f.text_digest), &f.message);
    Hit {
        rule: f.rule,
        severity: f.severity,
        span: f.anchor.and_then(|a| {
            let number = |column: Option<Column>| column.map(u32::from);
            let line = |line: Option<LineNumber>| line.map(u32::from);
            span([line(a.start_line), number(a.start_column), line(a.end_line), number(a.end_column)])
        }),
        scope: f.scope,
        definition: None,
        fix: None,
        exact: folded,
        folded,
        identity: digest(Some(&f.identity), &f.message),
        figure: f.figure.map(|figure| Figure { value: figure.value, limit: figure.limit }),
        suppressed: f.suppressed.map(|suppressed| suppressed.reason),
        message: f.message,
        related: Vec::new(),
        secret: false,
    }
}

fn from_sarif(value: &Value) -> Option<ResultFile> {
    let region = ["startLine", "startColumn", "endLine", "endColumn"];
    let mut side = ResultFile { hits: BTreeMap::new(), rules: Vec::new() };
    for run in value["runs"].as_array()? {
        for r in run["results"].as_array().into_iter().flatten() {
            if r["baselineState"] == "absent" {
                continue;
            }
            let place = &r["locations"][0]["physicalLocation"];
            let message = r["message"]["text"].as_str()?.to_owned();
            let prints = &r["partialFingerprints"];
            let folded = digest(prints[TEXT_FINGERPRINT].as_str(), &message);
            let named = prints[IDENTITY_FINGERPRINT].as_str().or(prints[TEXT_FINGERPRINT].as_str());
            let hit = Hit {
                rule: r["ruleId"].as_str()?.into(),
                severity: severity(&r["level"])?,
                span: span(region.map(|key| u32::try_from(place["region"][key].as_u64()?).ok())),
                scope: r["locations"][0]["logicalLocations"][0]["fullyQualifiedName"]
                    .as_str()
                    .unwrap_or_default()
                    .to_owned(),
                exact: digest(prints[KEY_FINGERPRINT].as_str(), &message),
                definition: None,
                fix: None,
                folded,
                identity: digest(named, &message),
                figure: figure(&r["properties"]),
                suppressed: r["suppressions"][0]["justification"].as_str().map(str::to_owned),
                message,
                related: Vec::new(),
                secret: false,
            };
            let whole = r["locations"].as_array().is_none_or(Vec::is_empty);
            let uri = place["artifactLocation"]["uri"].as_str().or(whole.then_some(""));
            let uri = percent_decode_str(uri?);
            let path = ShownPath::new(&uri.collect::<Vec<u8>>());
            side.hits.entry(path).or_default().push(hit);
        }
        for rule in run["tool"]["driver"]["rules"].as_array().into_iter().flatten() {
            let id = rule["id"].as_str()?.to_owned();
            let title = rule["shortDescription"]["text"].as_str().unwrap_or(&id).to_owned();
            let help = rule["help"]["text"].as_str().map(str::to_owned);
            side.rules.push(RuleEntry {
                severity: severity(&rule["defaultConfiguration"]["level"])?,
                title,
                help,
                tags: Vec::new(),
                id: id.into(),
            });
        }
    }
    Some(side)
}
