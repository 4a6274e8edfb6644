//! Reports in SARIF 2.1.0 (OASIS), of which the results, their places and their fixes are read.

use serde_json::Value;

use super::{Region, Reported, ReportedFix, relative, severity};

/// Reads a log with all its runs.
pub(super) fn read(report: &[u8], root: &str) -> Result<Vec<Reported>, String> {
    let log: Value = serde_json::from_slice(report).map_err(|e| format!("it isn't JSON: {e}"))?;
    let runs = log["runs"].as_array().filter(|_| log["version"] == "2.1.0");
    let runs = runs.ok_or("it is no SARIF 2.1.0 log")?;
    let mut found = Vec::new();
    for run in runs {
        let failed = run["invocations"].as_array().into_iter().flatten().any(|i| i["executionSuccessful"] == false);
        if failed {
            return Err("it says itself that it didn't succeed".into());
        }
        for (number, result) in (1..).zip(run["results"].as_array().into_iter().flatten()) {
            // What the program itself compared away isn't there.
            if result["baselineState"] == "absent" || matches!(result["kind"].as_str(), Some("pass" | "notApplicable"))
            {
                continue;
            }
            found.push(read_result(run, result, root).map_err(|why| format!("result {number} {why}"))?);
        }
    }
    Ok(found)
}

fn read_result(run: &Value, result: &Value, root: &str) -> Result<Reported, String> {
    let index = result["ruleIndex"].as_u64().and_then(|i| usize::try_from(i).ok());
    let rule = index.map_or(&Value::Null, |i| &run["tool"]["driver"]["rules"][i]);
    let id = result["ruleId"].as_str().or(rule["id"].as_str());
    let level = result["level"].as_str().or(rule["defaultConfiguration"]["level"].as_str());
    let message = &result["message"];
    let message = message["text"].as_str().or_else(|| {
        let id = message["id"].as_str()?;
        rule["messageStrings"][id]["text"].as_str()
    });
    let message = message.ok_or("has no message")?;
    let place = &result["locations"][0]["physicalLocation"];
    let path = path_of(&place["artifactLocation"], root).ok_or("names no file")??;
    let region = Region::read(&place["region"]);
    Ok(Reported {
        start_line: region.start_line,
        start_column: region.start_column,
        end_line: region.end_line,
        end_column: region.end_column,
        utf16: run["columnKind"] != "unicodeCodePoints",
        severity: severity(level.unwrap_or("warning")),
        id: id.map(str::to_owned),
        message: message.to_owned(),
        fix: result["fixes"].as_array().into_iter().flatten().find_map(|fix| read_fix(fix, &path, root)),
        path,
    })
}

/// The path that an `artifactLocation` (section 3.4) names, from the root of the tree.
fn path_of(location: &Value, root: &str) -> Option<Result<Vec<u8>, String>> {
    let uri = percent_encoding::percent_decode_str(location["uri"].as_str()?).decode_utf8_lossy();
    Some(relative(&uri, root).map_err(|why| format!("names a place that can't be used: {why}")))
}

/// A fix (section 3.55) that changes only the file itself; others aren't taken in.
fn read_fix(fix: &Value, path: &[u8], root: &str) -> Option<ReportedFix> {
    let [change] = fix["artifactChanges"].as_array()?.as_slice() else { return None };
    if path_of(&change["artifactLocation"], root)?.ok()? != path {
        return None;
    }
    let replacements = change["replacements"].as_array()?.iter().map(|replacement| {
        let inserted = &replacement["insertedContent"];
        // Section 3.57.4: what isn't there is empty. Content in base64 is for binary files.
        let text = if inserted.is_null() { "" } else { inserted["text"].as_str()? };
        Some((Region::read(&replacement["deletedRegion"]), text.to_owned()))
    });
    let replacements = replacements.collect::<Option<Vec<_>>>()?;
    let title = fix["description"]["text"].as_str().unwrap_or("Do what the checker proposes");
    Some(ReportedFix { title: title.to_owned(), replacements })
}

impl Region {
    /// A `region` object (section 3.30). Numbers of lines and columns are 1-based, offsets 0-based.
    fn read(region: &Value) -> Self {
        let number = |key: &str| region[key].as_u64().and_then(|n| u32::try_from(n).ok());
        let count = |key: &str| number(key).filter(|n| *n > 0);
        Self {
            start_line: count("startLine"),
            start_column: count("startColumn"),
            end_line: count("endLine"),
            end_column: count("endColumn"),
            chars: number("charOffset").map(|from| (from, number("charLength").unwrap_or(0))),
            bytes: number("byteOffset").map(|from| (from, number("byteLength").unwrap_or(0))),
        }
    }
}
