//! The change of a proposal, line by line, with the threads at their lines; remarks on lines, read marks and drafts.

use std::collections::{HashMap, HashSet};
use std::fmt::Write;
use std::sync::Arc;

use axum::extract::{Query, State};
use axum::response::Response;
use minijinja::value::Serde;
use minijinja::{Value, context};
use serde::Deserialize;
use swage_core::invisible::shown;
use swage_core::sides::Side as LineSide;
use swage_page::{Lines, escaped, reading_order};

use super::asked::{Filled, PageForm, Visitor};
use super::preview::{Button, Preview};
use super::render::render;
use super::{checked, doing, doing_as, page, plain_ends};
use crate::host::Host;
use crate::protocol::{
    Anchor, Mark, NewThread, Person, Proposal, ReadMark, Revision, Role, Side, Thread, ThreadKind, ThreadPlace,
};
use crate::reading::Reading;
use crate::server::Shared;
use crate::server::asker::{InPath, Number};
use crate::storage::{Refusal, now};

/// Of larger changes the lines of a file are shown when it is asked for.
const MOST_ROWS: usize = 20_000;

/// What the address asks for.
#[derive(Debug, Default, Deserialize)]
pub struct Asked {
    /// A line that is to be remarked on: the file's number, `n` or `o` for the side, and the line's number, such as `0n12`.
    #[serde(default)]
    at: String,
    /// The file whose lines are shown although the change is large.
    file: Option<usize>,
}

impl Asked {
    fn line(&self) -> Option<(usize, LineSide, u32)> {
        let split = self.at.find(['n', 'o'])?;
        let side = if self.at[split..].starts_with('n') { LineSide::New } else { LineSide::Old };
        Some((self.at[..split].parse().ok()?, side, self.at[split + 1..].parse().ok()?))
    }
}

/// The page of the change.
pub async fn change(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    number: InPath<Number>,
    asked: Query<Asked>,
) -> Response {
    page(shared, "change.html", move |host| values(host, &me, number.0.0, &asked)).await
}

/// Threads by side and last line.
type Placed<'a> = HashMap<(LineSide, u32), Vec<&'a Thread>>;

/// What the page of a change shows; long because it gathers all that the template names.
fn values(host: &Host, me: &Person, number: u64, asked: &Asked) -> Result<Value, Refusal> {
    let proposal = host.proposal(number, &me.name)?;
    let revision = proposal.newest().cloned().ok_or_else(|| Refusal::Unknown("it has no revision".to_owned()))?;
    let threads = host.threads(number, &me.name)?;
    let reading = host.reading(&proposal, &revision)?;
    let read = host.read_files(&proposal, &me.name)?;
    let may_speak = matches!(me.role, Role::Contributor | Role::Maintainer);
    let drafts = threads.iter().flat_map(|t| &t.remarks).filter(|remark| remark.draft).count();
    let shown_as = |threads: &[&Thread], in_place: bool| {
        let mut out = String::new();
        for thread in threads {
            let values = context! {
                thread => Serde(thread), proposal => context! { number }, in_place, may_speak, now => now(),
            };
            let class = thread.finding.as_ref().map_or("note", |finding| finding.severity.as_str());
            let piece = render("thread.html", values).map_err(Refusal::Failed)?;
            _ = write!(out, "<div class=\"f {}\">{piece}</div>", escaped(class));
        }
        Ok::<_, Refusal>(out)
    };
    let rows: usize = reading.view.files.iter().flat_map(|file| &file.hunks).map(Vec::len).sum();
    let lines = Lines::new(&reading.view, Some(&reading.brief));
    let form_at = asked.line().filter(|_| may_speak);
    let mut files = Vec::new();
    for (index, file) in reading.view.files.iter().enumerate() {
        let own: Vec<&Thread> =
            threads.iter().filter(|thread| is_in(thread, &file.path.text, &file.old_path.text)).collect();
        let own_rows = file.hunks.iter().map(Vec::len).sum::<usize>();
        let left_out = rows > MOST_ROWS && asked.file != Some(index) && form_at.is_none_or(|(file, ..)| file != index);
        let mut placed = Placed::new();
        for thread in &own {
            if let Some((side, line)) = place(thread) {
                placed.entry((side, line)).or_default().push(thread);
            }
        }
        let mut shown_threads: HashSet<u64> = HashSet::new();
        let mut failed = None;
        let mut below = |side: LineSide, line: u32, out: &mut String| {
            let here = placed.get(&(side, line)).map(Vec::as_slice).unwrap_or_default();
            shown_threads.extend(here.iter().map(|thread| thread.number));
            match shown_as(here, true) {
                Ok(piece) => out.push_str(&piece),
                Err(refusal) => failed = Some(refusal),
            }
            if form_at == Some((index, side, line)) {
                out.push_str(&form(number, index, &file.path.text, side, line));
            }
        };
        let address = |side: LineSide, line: u32| {
            let at = format!("{index}{}{line}", if side == LineSide::New { 'n' } else { 'o' });
            may_speak.then(|| format!("/proposals/{number}/change?at={at}#f{at}"))
        };
        let text = if left_out { String::new() } else { lines.file(index, file, &address, &mut below) };
        if let Some(refusal) = failed {
            return Err(refusal);
        }
        let elsewhere: Vec<&Thread> =
            own.iter().filter(|thread| !shown_threads.contains(&thread.number)).copied().collect();
        let is_read = read.contains(&file.path.text);
        let kind = reading.brief.files.iter().find(|f| f.path == file.path).map_or("", |f| f.change.word());
        files.push(context! {
            number => index,
            path => file.path.text.clone(),
            kind,
            note => file.note.clone(),
            rows => own_rows,
            threads => own.len(),
            read => is_read,
            open => !is_read || asked.file == Some(index) || form_at.is_some_and(|(file, ..)| file == index),
            left_out => left_out && own_rows > 0,
            elsewhere => Value::from_safe_string(shown_as(&elsewhere, false)?),
            lines => Value::from_safe_string(text),
        });
    }
    let order = Serde(reading_order(&reading.brief, &reading.view));
    let me = host.storage().me(me)?;
    Ok(
        context! { me => Serde(me), proposal => Serde(proposal), revision => Serde(revision), drafts, files, order, may_speak },
    )
}

/// Whether a thread is in a file of the newest revision.
fn is_in(thread: &Thread, path: &str, old_path: &str) -> bool {
    let here = thread.anchor.as_ref().filter(|_| thread.place == ThreadPlace::Here);
    here.is_some_and(|anchor| match anchor.side {
        Side::New => anchor.path == path,
        Side::Old => anchor.path == old_path,
    })
}

/// The line below which a thread is.
fn place(thread: &Thread) -> Option<(LineSide, u32)> {
    let anchor = thread.anchor.as_ref()?;
    let side = if anchor.side == Side::New { LineSide::New } else { LineSide::Old };
    Some((side, anchor.end_line?))
}

/// The form for a remark on a line, or on those from an earlier one to it.
fn form(number: u64, index: usize, path: &str, side: LineSide, line: u32) -> String {
    let (word, path) = (if side == LineSide::New { "new" } else { "old" }, escaped(path));
    format!(
        "<form method=\"post\" action=\"/proposals/{number}/lines\" class=\"f note row\" id=\"remark\">\
         <input type=\"hidden\" name=\"file\" value=\"{index}\"><input type=\"hidden\" name=\"path\" value=\"{path}\">\
         <input type=\"hidden\" name=\"side\" value=\"{word}\"><input type=\"hidden\" name=\"line\" value=\"{line}\">\
         <label>From line <input type=\"number\" name=\"from\" min=\"1\" max=\"{line}\" value=\"{line}\"></label> to {line}\
         <textarea name=\"text\" aria-label=\"Remark\" placeholder=\"Markdown\" autofocus></textarea>\
         <button name=\"kind\" value=\"remark\">Remark</button><button name=\"kind\" value=\"todo\">To do before merging</button>\
         <button name=\"kind\" value=\"praise\">Praise</button>\
         <label class=\"check\"><input type=\"checkbox\" name=\"draft\" value=\"yes\"> draft</label>\
         <button name=\"preview\" value=\"yes\">Preview</button></form>"
    )
}

/// A remark on lines, as the form sends it.
#[derive(Deserialize)]
pub struct LineRemark {
    file: usize,
    path: String,
    side: String,
    line: u32,
    from: u32,
    text: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    draft: String,
    #[serde(default)]
    preview: String,
}

impl PageForm for LineRemark {
    const MISSING: &'static str = "no remark on a line was sent";
}

pub async fn remark(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    number: InPath<Number>,
    Filled(form): Filled<LineRemark>,
) -> Response {
    let number = number.0.0;
    let back =
        format!("/proposals/{number}/change#f{}{}{}", form.file, if form.side == "old" { 'o' } else { 'n' }, form.line);
    let text = plain_ends(&form.text);
    if !form.preview.is_empty() {
        let fields = [
            ("file", form.file.to_string()),
            ("path", form.path),
            ("side", form.side),
            ("line", form.line.to_string()),
            ("from", form.from.to_string()),
            ("draft", form.draft),
        ];
        let preview = Preview {
            action: format!("/proposals/{number}/lines"),
            fields: fields.to_vec(),
            buttons: Button::KINDS.to_vec(),
            back,
            text,
        };
        return preview.page(shared, me).await;
    }
    let anchor = Anchor {
        path: form.path,
        path_encoded: false,
        side: if form.side == "old" { Side::Old } else { Side::New },
        start_line: Some(form.from),
        start_column: None,
        end_line: Some(form.line),
        end_column: None,
    };
    let kind = ThreadKind::of(&form.kind);
    let new = NewThread { kind, anchor: Some(anchor), revision: None, text, draft: !form.draft.is_empty() };
    doing(shared, me, back, move |host, me| {
        checked(&new)?;
        host.open_thread(number, me, &new).map(|_| ())
    })
    .await
}

/// A read mark, as the form sends it.
#[derive(Deserialize)]
pub struct MarkForm {
    file: usize,
    path: String,
    read: String,
}

impl PageForm for MarkForm {
    const MISSING: &'static str = "no file was named";
}

pub async fn mark(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    number: InPath<Number>,
    Filled(form): Filled<MarkForm>,
) -> Response {
    let number = number.0.0;
    let back = format!("/proposals/{number}/change#f{}", form.file);
    doing_as(shared, me, back, Role::ALL.as_slice(), move |host, me| {
        let proposal = host.proposal(number, &me.name)?;
        let revision = proposal.newest().map_or(1, |revision| revision.number);
        let mark = ReadMark { path: form.path, revision };
        checked(&mark)?;
        let read = if form.read == "yes" { Mark::Put } else { Mark::TakenAway };
        host.storage().mark_read(number, &me.name, &mark, read).map(|_| ())
    })
    .await
}

/// What a page of the change is made of is kept for the next one.
impl Host {
    fn reading(&self, proposal: &Proposal, revision: &Revision) -> Result<Arc<Reading>, Refusal> {
        let failed = |error: swage_git::GitError| Refusal::Failed(error.to_string());
        let repository = self.repositories.get(&proposal.repository).map_err(failed)?;
        self.readings.of(&repository, &revision.base, &revision.head).map_err(failed)
    }

    /// The files that somebody has read and that have stayed the same since.
    fn read_files(&self, proposal: &Proposal, person: &str) -> Result<HashSet<String>, Refusal> {
        let marks = self.storage().read_marks(proposal.number, person)?;
        let Some(newest) = proposal.newest() else { return Ok(HashSet::new()) };
        let mut touched: HashMap<u64, HashSet<String>> = HashMap::new();
        let mut read = HashSet::new();
        for mark in marks {
            if mark.revision != newest.number && !touched.contains_key(&mark.revision) {
                let old = proposal.revisions.iter().find(|revision| revision.number == mark.revision);
                let Some(old) = old else { continue };
                let change = self.repositories.change(&proposal.repository, &old.head, &newest.head);
                let change = change.map_err(|error| Refusal::Failed(error.to_string()))?;
                let paths = change.files.iter().flat_map(|file| [&file.old_path, &file.new_path]);
                let paths = paths.map(|path| shown(&String::from_utf8_lossy(path)).into_owned()).collect();
                touched.insert(mark.revision, paths);
            }
            if touched.get(&mark.revision).is_none_or(|paths| !paths.contains(&mark.path)) {
                read.insert(mark.path);
            }
        }
        Ok(read)
    }
}
