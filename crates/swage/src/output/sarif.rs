//! SARIF 2.1.0 (OASIS, Static Analysis Results Interchange Format), one run.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Value, json};
use swage_core::baseline::State;
use swage_core::gate::Outcome;
use swage_core::invisible::escaped_json;
use swage_core::review::{Anchor, Finding, Fix, Path, Proof, Review, Standing};
use swage_core::sides::Side;

use super::{Document, Purpose};

/// The name of our key among a result's partial fingerprints.
pub const KEY_FINGERPRINT: &str = "swageKey/v1";
/// The name of the matched text's digest among them.
pub const TEXT_FINGERPRINT: &str = "swageText/v1";

/// The name of the digest of what the rule named among them.
pub const IDENTITY_FINGERPRINT: &str = "swageIdentity/v1";

/// Stands for the root of the repository after the change, and before it.
const ROOT: &str = "ROOT";
const BASE: &str = "BASE";

/// Characters that a URI's path may hold (RFC 3986, section 3.3), apart from letters and digits.
const IN_PATH: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'/')
    .remove(b'-')
    .remove(b'.')
    .remove(b'_')
    .remove(b'~')
    .remove(b'@')
    .remove(b'+')
    .remove(b',')
    .remove(b'=')
    .remove(b'$')
    .remove(b'!');

/// The whole document.
/// Long because it is laid out as the standard lays out a log.
pub fn format(document: &Document<'_>) -> String {
    let r = document.review;
    // Without a comparison there is no baseline to state.
    let compared = document.purpose != Purpose::Scan;
    let rules: Vec<Value> = r
        .rules
        .iter()
        .map(|rule| {
            let mut value = json!({
                "id": rule.id,
                "shortDescription": { "text": rule.title },
                "defaultConfiguration": { "level": rule.severity },
                "properties": { "tags": rule.tags },
            });
            if let Some(help) = &rule.help {
                value["help"] = json!({ "text": help });
            }
            value
        })
        .collect();
    // Links, submodules and binaries were skipped on purpose.
    let unexamined = r.left_alone().map(|f| {
        json!({ "level": "note", "message": { "text": f.why_not }, "locations": [{ "physicalLocation": { "artifactLocation": artifact(&f.new_path, Side::New) } }] })
    });
    let notifications: Vec<Value> = r
        .incomplete()
        .map(|f| json!({ "level": "error", "message": { "text": f.why_not }, "locations": [{ "physicalLocation": { "artifactLocation": artifact(&f.new_path, Side::New) } }] }))
        .chain(unexamined)
        .chain(r.not_run.iter().map(|(rule, why)| json!({ "level": "error", "message": { "text": format!("The rule {rule} couldn't run: {why}") } })))
        .chain(r.notes.iter().map(|note| json!({ "level": "note", "message": { "text": note } })))
        .collect();
    let incomplete = r.incomplete().next().is_some() || !r.not_run.is_empty();
    let mut run = json!({
        "tool": { "driver": { "name": "Swage", "version": env!("CARGO_PKG_VERSION"), "rules": rules } },
        "columnKind": "unicodeCodePoints",
        "originalUriBaseIds": {
            ROOT: { "description": { "text": "The root of the repository after the change" } },
            BASE: { "description": { "text": "The root of the repository before the change" } },
        },
        "invocations": [{ "executionSuccessful": !incomplete, "toolExecutionNotifications": notifications }],
        "results": r.findings.iter().filter(|f| document.shown.has(f)).map(|f| result(f, r, compared)).collect::<Vec<_>>(),
    });
    // What was compared (section 3.14.11). Which address the repository has isn't known here.
    let sides = [(&r.head, ROOT), (&r.base, BASE)];
    let compared: Vec<Value> = sides
        .iter()
        .filter_map(|(commit, base)| {
            let commit = commit.as_ref()?;
            Some(json!({ "repositoryUri": "git:.", "revisionId": commit, "mappedTo": { "uriBaseId": base } }))
        })
        .collect();
    if !compared.is_empty() {
        run["versionControlProvenance"] = json!(compared);
    }
    if let Some(verdict) = document.verdict {
        let conditions: Vec<_> = verdict
            .conditions
            .iter()
            .map(|c| json!({ "name": c.name, "result": c.result, "reason": c.reason }))
            .collect();
        run["properties"] =
            json!({ "verdict": verdict.result, "mayMerge": verdict.result == Outcome::Pass, "conditions": conditions });
    }
    if document.left_out() > 0 {
        run["properties"]["findingsLeftOut"] = json!(document.left_out());
    }
    let log = json!({ "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json", "version": "2.1.0", "runs": [run] });
    let mut text = escaped_json(&serde_json::to_string_pretty(&log).unwrap_or_default()).into_owned();
    text.push('\n');
    text
}

/// A relative URI reference, from the root of the side that the file is on; paths that aren't UTF-8 are percent-encoded
/// already.
fn artifact(path: &Path, side: Side) -> Value {
    let uri = if path.encoded { path.text.clone() } else { utf8_percent_encode(&path.text, IN_PATH).to_string() };
    json!({ "uri": uri, "uriBaseId": if side == Side::Old { BASE } else { ROOT } })
}

fn location(anchor: &Anchor) -> Value {
    let mut place = json!({ "physicalLocation": { "artifactLocation": artifact(&anchor.path, anchor.side) } });
    if let Some(span) = anchor.span {
        place["physicalLocation"]["region"] = json!({
            "startLine": span.start_line,
            "startColumn": span.start_column,
            "endLine": span.end_line,
            "endColumn": span.end_column,
        });
    }
    place
}

/// A finding as a result; long because each property of the standard has a line of its own.
fn result(f: &Finding, review: &Review, compared: bool) -> Value {
    // A finding on the whole change has no place in a file.
    let mut places: Vec<Value> = f.anchor.iter().map(location).collect();
    if !f.scope.is_empty() {
        places.iter_mut().for_each(|p| p["logicalLocations"] = json!([{ "fullyQualifiedName": f.scope }]));
    }
    let mut value = json!({
        "ruleId": f.rule,
        "ruleIndex": review.rules.iter().position(|r| r.id == f.rule),
        "level": f.severity,
        "message": { "text": f.message },
        "locations": places,
        "partialFingerprints": { KEY_FINGERPRINT: f.key, TEXT_FINGERPRINT: f.text_digest, IDENTITY_FINGERPRINT: f.identity },
    });
    if compared {
        value["baselineState"] = json!(match f.state {
            State::New => "new",
            State::Updated => "updated",
            State::Unchanged => "unchanged",
            State::Absent => "absent",
        });
    }
    // On all results of a run or on none (section 3.27.23).
    if review.findings.iter().any(|f| !f.is_open()) {
        value["suppressions"] = match &f.standing {
            Standing::Suppressed(comment) => json!([{ "kind": "inSource", "justification": comment.reason }]),
            Standing::Settled(settled) => json!([{
                "kind": "external",
                "status": "accepted",
                "justification": format!("{}: {}", settled.answer.word(), settled.because),
            }]),
            Standing::Counted | Standing::Advisory => json!([]),
        };
    }
    let rendered = |anchor: &Anchor, text: &str| {
        let mut place = location(anchor);
        place["message"] = json!({ "text": text });
        place
    };
    let before = f.before.iter().map(|before| rendered(before, "It was here before the change."));
    let related: Vec<Value> = before.chain(f.related.iter().map(|r| rendered(&r.anchor, &r.message))).collect();
    if !related.is_empty() {
        value["relatedLocations"] = json!(related);
    }
    if let Some(figure) = f.figure {
        value["properties"] = json!({ "value": figure.value, "limit": figure.limit, "before": f.figure_before });
    }
    // A fix that isn't proved isn't one (section 3.55).
    if let (Some(Fix { title, edits, proof: Proof::Proved }), Some(anchor)) = (&f.fix, &f.anchor) {
        let replacements = edits.iter().map(|edit| {
            let span = edit.span;
            json!({
                "deletedRegion": { "startLine": span.start_line, "startColumn": span.start_column, "endLine": span.end_line, "endColumn": span.end_column },
                "insertedContent": { "text": edit.text },
            })
        });
        let change = json!({ "artifactLocation": artifact(&anchor.path, anchor.side), "replacements": replacements.collect::<Vec<_>>() });
        value["fixes"] = json!([{ "description": { "text": title }, "artifactChanges": [change] }]);
    }
    if f.is_advisory() {
        value["properties"]["advisory"] = json!(true);
    }
    value
}
