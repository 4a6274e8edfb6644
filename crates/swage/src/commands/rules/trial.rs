//! `swage rules try`: a pattern on the spot.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use swage_core::config::{FileRole, read_rules};
use swage_core::lang::{LANGUAGES, Language};
use swage_core::pattern::hole_names;
use swage_core::rule::{CodeMatch, Rule, nearest};
use swage_core::scan::{Miss, try_pattern};

use crate::cli::TryArgs;
use crate::failure::{Failure, SAYS_NO};
use crate::output::print_text;
use crate::terminal::{Paint, count, fit, printable, width};

/// Most matches that are shown.
const SHOWN: usize = 50;

/// The story of the command; long because what is found and what came nearest are printed on the way.
pub fn run(args: &TryArgs) -> Result<ExitCode, Failure> {
    let paths = gather(&args.paths)?;
    let language = language(args, &paths)?;
    let matcher = matcher(args, language)?;
    let rule = compile(&matcher)?;
    let Some(code) = rule.clauses.first().and_then(|clause| clause.matcher_as::<CodeMatch>()) else {
        return Err(Failure::wrong("the pattern can't be used"));
    };
    let paint = Paint;
    let mut out = String::new();
    let (mut found, mut files) = (0, 0);
    let mut nearest: Option<(PathBuf, Vec<u8>, Miss)> = None;
    for path in paths {
        let bytes = std::fs::read(&path).map_err(|e| Failure::unreadable("", &path, &e))?;
        if Language::of(path.as_os_str().as_encoded_bytes(), &bytes) != Some(language) {
            continue;
        }
        files += 1;
        let shown = path.to_string_lossy();
        let shown = shown.strip_prefix("./").unwrap_or(&shown);
        let trial = try_pattern(&bytes, language, code).map_err(|why| Failure::wrong(format!("{shown}: {why}")))?;
        for m in &trial.matches {
            found += 1;
            if found > SHOWN {
                continue;
            }
            let place = format!("{}:{}:{}", printable(shown), m.span.start_line, m.span.start_column);
            _ = writeln!(out, "{}  {}", paint.strong(place), printable(&m.text));
            let name_width = m.holes.iter().map(|(name, _)| name.len()).max().unwrap_or(0);
            for (name, text) in &m.holes {
                let text = if text.is_empty() { paint.faint("nothing") } else { paint.good(printable(text)) };
                _ = writeln!(out, "    {name:name_width$} = {text}");
            }
        }
        let further = |miss: &Miss| nearest.as_ref().is_none_or(|(_, _, n)| miss.matched > n.matched);
        if let Some(miss) = trial.nearest.filter(further) {
            nearest = Some((PathBuf::from(shown), bytes, miss));
        }
    }
    let pattern = code.pattern(language).map_err(|e| Failure::wrong(format!("the pattern can't be used: {e}")))?;
    let readings = pattern.readings(&code.holes, language);
    if found > SHOWN {
        _ = writeln!(out, "… and {} more", found - SHOWN);
    }
    let matches = if found == 1 { "1 match".to_owned() } else { format!("{found} matches") };
    let summary = format!("{matches} in {}", count(files, &format!("{} file", language.name)));
    if found > 0 {
        _ = writeln!(out, "\n{}. As a rule:\n\n[rule.match]\n{matcher}", paint.good(summary));
    } else {
        _ = writeln!(out, "{}.", paint.warning(summary));
        match nearest {
            Some((path, bytes, miss)) => out += &rendered(&path, &bytes, &miss),
            None if files > 0 => out += "Nothing in them is of the kind with which the pattern begins.\n",
            None => _ = writeln!(out, "Name files of the language, or folders that hold some."),
        }
        out.push('\n');
    }
    out += &paint.strong("The pattern reads as:");
    out.push('\n');
    for reading in readings {
        _ = writeln!(out, "  {}", printable(&reading));
    }
    print_text(&out)?;
    Ok(if found > 0 { ExitCode::SUCCESS } else { ExitCode::from(SAYS_NO) })
}

/// The language that is named, or the only one that the files have.
fn language(args: &TryArgs, paths: &[PathBuf]) -> Result<&'static Language, Failure> {
    if let Some(name) = &args.language {
        return Language::by_word(name).ok_or_else(|| {
            let near = nearest(name, LANGUAGES.iter().map(|l| l.name));
            Failure::wrong(format!("there is no language `{name}`; {near}"))
                .hint("`swage rules list --languages` lists them.")
        });
    }
    let mut there: Vec<&'static Language> =
        paths.iter().filter_map(|path| Language::by_path(path.as_os_str().as_encoded_bytes())).collect();
    there.sort_by_key(|l| l.name);
    there.dedup_by_key(|l| l.name);
    match there.as_slice() {
        [one] => Ok(one),
        [] => Err(Failure::wrong("no file here is of a known language").hint("Name the language with --language.")),
        several => {
            let names = several.iter().map(|l| l.name).collect::<Vec<_>>().join(", ");
            Err(Failure::wrong(format!("the files are of several languages: {names}"))
                .hint("Name one with --language, or files of one language only."))
        }
    }
}

/// The nearest miss, with its line and a mark under the place.
fn rendered(path: &Path, bytes: &[u8], miss: &Miss) -> String {
    let paint = Paint;
    let line = bytes.split(|b| *b == b'\n').nth(miss.span.start_line.index() as usize).unwrap_or_default();
    let line = String::from_utf8_lossy(line).into_owned();
    let before: String = line.chars().take(miss.span.start_column.index() as usize).collect();
    let shown = printable(&line);
    let column = printable(&before).chars().count();
    let found = if miss.found.is_empty() { "nothing".to_owned() } else { format!("`{}`", printable(&miss.found)) };
    let place = format!("{}:{}", printable(&path.to_string_lossy()), miss.span);
    let marks = if miss.span.end_line == miss.span.start_line {
        miss.span.end_column.get().saturating_sub(miss.span.start_column.get()).max(1) as usize
    } else {
        shown.chars().count().saturating_sub(column).max(1)
    };
    format!(
        "\n{} {place}\n  {}\n  {}{}\n{} of the pattern's {} parts matched; expected {}, found {found}.\n",
        paint.strong("The nearest miss:"),
        fit(&shown, width().saturating_sub(4)),
        " ".repeat(column),
        paint.error("^".repeat(marks.min(width().saturating_sub(column + 4).max(1)))),
        miss.matched,
        miss.parts,
        miss.wanted,
    )
}

/// The match as it is in a rule file, and the language, as TOML.
fn matcher(args: &TryArgs, language: &Language) -> Result<String, Failure> {
    let mut holes: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for name in hole_names(&args.pattern, language) {
        if !args.plain.iter().any(|p| p == name) {
            holes.entry(name).or_default();
        }
    }
    for name in &args.many {
        holes.entry(name).or_default().push("many = true".to_owned());
    }
    for name in &args.varies {
        holes.entry(name).or_default().push("varies = true".to_owned());
    }
    for (key, list) in [("text", &args.text), ("stands_for", &args.stands_for), ("node", &args.node)] {
        for pair in list {
            let Some((name, value)) = pair.split_once('=') else {
                let option = key.replace('_', "-");
                return Err(Failure::wrong(format!("--{option} {pair} names no hole"))
                    .hint(format!("Write --{option} NAME=VALUE, with the hole's name.")));
            };
            holes.entry(name).or_default().push(format!("{key} = {}", quoted(value)));
        }
    }
    let mut text = format!("languages = [\"{}\"]\ncode = {}\n", language.name, quoted(&args.pattern));
    if !args.plain.is_empty() {
        let names: Vec<String> = args.plain.iter().map(|name| quoted(name)).collect();
        _ = writeln!(text, "plain = [{}]", names.join(", "));
    }
    for (name, conditions) in holes {
        let conditions =
            if conditions.is_empty() { "{}".to_owned() } else { format!("{{ {} }}", conditions.join(", ")) };
        _ = writeln!(text, "holes.{name} = {conditions}");
    }
    Ok(text)
}

/// A TOML string, as plain as it may be.
fn quoted(text: &str) -> String {
    let plain = !text.contains(['\'', '\n', '\r']) && !text.chars().any(char::is_control);
    if plain {
        return format!("'{text}'");
    }
    let escaped = text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n").replace('\r', "\\r");
    format!("\"{}\"", escaped.replace(|c: char| c.is_control(), ""))
}

fn compile(matcher: &str) -> Result<Rule, Failure> {
    let head = "[[rule]]\nid = \"tried\"\nseverity = \"note\"\ntitle = \"tried\"\nmessage = \"tried\"\n[rule.match]\n";
    let source = format!("{head}{matcher}");
    let rendered = |list: Vec<swage_core::rule::Problem>| {
        let first = list.first().map(|p| (p.message.clone(), p.hint.clone())).unwrap_or_default();
        // The pattern comes after `code = '`.
        let at = list.first().filter(|p| p.text.starts_with("code = ") && p.column > 8).map(|p| p.column - 8);
        let place = at.map(|column| format!(" at its character {column}")).unwrap_or_default();
        let failure = Failure::wrong(format!("the pattern can't be used: {}{place}", first.0));
        match first.1 {
            Some(hint) => failure.hint(hint),
            None => failure,
        }
    };
    let rules = read_rules("the pattern", &source, FileRole::Rules).map_err(rendered)?.rules;
    rules.into_iter().next().map(|(rule, _)| rule).ok_or_else(|| Failure::wrong("the pattern can't be used"))
}

/// All files below the paths, in order, not counting hidden folders.
fn gather(paths: &[PathBuf]) -> Result<Vec<PathBuf>, Failure> {
    let mut open: Vec<PathBuf> = if paths.is_empty() { vec![PathBuf::from(".")] } else { paths.to_vec() };
    let mut files = Vec::new();
    while let Some(path) = open.pop() {
        let failed = |e: std::io::Error| Failure::unreadable("", &path, &e);
        if !path.metadata().map_err(failed)?.is_dir() {
            files.push(path);
            continue;
        }
        for entry in std::fs::read_dir(&path).map_err(failed)? {
            let entry = entry.map_err(failed)?;
            let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
            let kind = entry.file_type().map_err(failed)?;
            if kind.is_file() || kind.is_dir() && !hidden {
                open.push(entry.path());
            }
        }
    }
    files.sort();
    Ok(files)
}
