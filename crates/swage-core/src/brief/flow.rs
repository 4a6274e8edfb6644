//! What a definition calls, in the order of the text, across files: the logic of a change as a sequence.
//!
//! Calls are followed by name into definitions that the change touches, and shown where they lead to others of the tree. A call
//! on an added line is new, one on a removed line is gone, unless the same is called as often on the other side.

use std::collections::{BTreeMap, BTreeSet};

use aho_corasick::AhoCorasick;
use rayon::prelude::*;
use serde::Serialize;

use super::definitions::FileOutlines;
use super::outline::{Call, Definition, outline};
use super::words::{home_of, is_near};
use super::{Path, outlines};
use crate::change::{Change, Content, Contents, Nature};
use crate::lang::Language;
use crate::review::Marker;
use crate::rule::nearest;

/// Calls are followed so deep.
const MAX_DEPTH: u32 = 4;

/// More calls than this can't be read at once.
const MAX_CALLS: usize = 60;

/// The calls of a definition as a sequence.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Flow {
    /// The definition with which it begins.
    pub name: String,
    /// The files that take part, in the order in which they come in; the first is that of the definition.
    pub lanes: Vec<FlowLane>,
    /// The calls, in order.
    pub calls: Vec<FlowCall>,
    /// How many calls lead out of the tree, or to a name that several files define; they aren't shown.
    pub unresolved: usize,
    /// How many were left out because there are too many.
    pub left_out: usize,
}

/// A file that takes part.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FlowLane {
    /// The file.
    pub path: Path,
    /// Whether the change touches it.
    pub in_change: bool,
}

/// A call.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FlowCall {
    /// The lane of the caller.
    pub from: usize,
    /// The lane of what is called.
    pub to: usize,
    /// Who calls.
    pub caller: String,
    /// What is called.
    pub name: String,
    /// The line of the call in the caller's file, 1-based; that before the change where the call is removed.
    pub line: u32,
    /// How deep it is: 1 for calls of the definition itself.
    pub depth: u32,
    /// Whether the change adds it, removes it or keeps it.
    pub marker: Marker,
}

/// The flow of the definition with this name, whole or its last part.
///
/// # Errors
/// When the change's files define no such name, or several; what there is, for the user.
pub fn flow(change: &Change, contents: &dyn Contents, name: &str, max_size: u64) -> Result<Flow, String> {
    let outlines = outlines(change, contents);
    let all = outlines.iter().enumerate().flat_map(|(file, o)| o.new.iter().map(move |d| (file, d)));
    let exact: Vec<_> = all.clone().filter(|(_, d)| d.name == name).collect();
    let found = if exact.is_empty() { all.clone().filter(|(_, d)| d.own_name == name).collect() } else { exact };
    let (file, start) = match found[..] {
        [one] => one,
        [] if outlines.iter().all(|o| o.new.is_empty()) => {
            return Err("no file of the change defines anything".to_owned());
        }
        [] => {
            let near = nearest(name, all.map(|(_, d)| d.name.as_str()));
            return Err(format!("no file of the change defines `{name}`; {near}"));
        }
        _ => {
            let places: Vec<String> =
                found.iter().map(|(file, d)| format!("{} in {}", d.name, outlines[*file].new_path)).collect();
            return Err(format!("several definitions are named `{name}`: {}", places.join(", ")));
        }
    };
    let elsewhere = Elsewhere::find(change, contents, &outlines, max_size);
    let lane = FlowLane { path: outlines[file].new_path.clone(), in_change: true };
    let flow = Flow { name: start.name.clone(), lanes: vec![lane], calls: Vec::new(), unresolved: 0, left_out: 0 };
    let mut drawing = Drawing { outlines: &outlines, contents, elsewhere, flow, followed: BTreeSet::new() };
    drawing.follow(file, start, 0, 1);
    Ok(drawing.flow)
}

/// The names that unchanged files define, each with the definitions.
struct Elsewhere(BTreeMap<String, BTreeSet<UnchangedDefinition>>);

/// A definition of an unchanged file.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct UnchangedDefinition {
    path: Path,
    name: String,
    is_function: bool,
}

impl Elsewhere {
    /// Looks through the tree for what the change's files call.
    fn find(change: &Change, contents: &dyn Contents, outlines: &[FileOutlines], max_size: u64) -> Self {
        let definitions = outlines.iter().flat_map(|o| o.new.iter().chain(&o.old));
        let names: BTreeSet<&str> = definitions.flat_map(|d| d.calls.iter().map(|c| c.name.as_str())).collect();
        let (Ok(tree), Ok(finder)) = (contents.tree(), AhoCorasick::new(&names)) else { return Self(BTreeMap::new()) };
        let touched = change.touches();
        let defined = tree.files().par_iter().enumerate().filter(|(_, file)| {
            file.nature == Nature::Text && !touched(&file.path) && Language::by_path(&file.path).is_some()
        });
        let defined = defined.flat_map_iter(|(index, file)| {
            let content = match tree.content(index) {
                Content::Whole { bytes, .. } if bytes.len() as u64 <= max_size && finder.is_match(&bytes) => bytes,
                _ => Vec::new(),
            };
            let language = Language::of(&file.path, &content);
            let own = language.map(|language| outline(&content, language)).unwrap_or_default();
            let own = own.into_iter().filter(|d| names.contains(d.own_name.as_str()));
            own.map(|d| {
                (
                    d.own_name,
                    UnchangedDefinition { path: Path::new(&file.path), name: d.name, is_function: d.is_function },
                )
            })
            .collect::<Vec<_>>()
        });
        let mut found: BTreeMap<String, BTreeSet<UnchangedDefinition>> = BTreeMap::new();
        for (name, place) in defined.collect::<Vec<_>>() {
            found.entry(name).or_default().insert(place);
        }
        Self(found)
    }
}

/// Whether a call may be one of a definition, judged by its form: what hangs on a value is a method, and what hangs on a
/// module is in that.
fn may_call(call: &Call, path: &str, name: &str, is_function: bool) -> bool {
    match &call.receiver {
        None => true,
        Some(_) if name.contains('.') => is_function,
        Some(receiver) => home_of(path, name) == receiver || matches!(receiver.as_str(), "self" | "Self" | "this"),
    }
}

/// Whether a variable is called like a type, or like its last words: `service` for a `BerthService`.
fn is_called_like(variable: &str, type_name: &str) -> bool {
    variable.len() > 3 && type_name.to_lowercase().ends_with(&variable.to_lowercase())
}

struct Drawing<'o> {
    outlines: &'o [FileOutlines],
    contents: &'o dyn Contents,
    elsewhere: Elsewhere,
    flow: Flow,
    /// Definitions that were followed already, by file and first line.
    followed: BTreeSet<(usize, u32)>,
}

impl<'o> Drawing<'o> {
    /// Adds the calls of a definition of the new side.
    fn follow(&mut self, file: usize, definition: &'o Definition, lane: usize, depth: u32) {
        if depth > MAX_DEPTH || !self.followed.insert((file, definition.lines.0)) {
            return;
        }
        let own = &self.outlines[file];
        let old = own.old.iter().find(|old| old.name == definition.name).map_or(&[][..], |old| &old.calls);
        for (call, marker) in merged(old, &definition.calls, own) {
            let Some((path, inner)) = self.resolve(file, call, marker) else {
                self.flow.unresolved += 1;
                continue;
            };
            if self.flow.calls.len() >= MAX_CALLS {
                self.flow.left_out += 1;
                continue;
            }
            let to = self.lane(path, inner.is_some());
            self.flow.calls.push(FlowCall {
                from: lane,
                to,
                caller: definition.name.clone(),
                name: call.name.clone(),
                line: call.line,
                depth,
                marker,
            });
            if let Some((file, inner)) = inner.filter(|_| marker != Marker::Removed) {
                self.follow(file, inner, to, depth + 1);
            }
        }
    }

    /// The file that defines what is called, and the definition when the change touches the file: the caller's own file first, then
    /// the only one of the tree that is near enough to be meant.
    fn resolve(&self, file: usize, call: &Call, marker: Marker) -> Option<(Path, Option<(usize, &'o Definition)>)> {
        let is_old = marker == Marker::Removed;
        let within = |index: usize| {
            let o = &self.outlines[index];
            let path = if is_old { &o.old_path } else { &o.new_path };
            let may_be =
                |d: &&Definition| d.own_name == call.name && may_call(call, &path.text, &d.name, d.is_function);
            let found = if is_old { &o.old } else { &o.new }.iter().find(may_be)?;
            Some((path, Some((index, found)), found.name.as_str()))
        };
        if let Some((path, found, _)) = within(file) {
            return Some((path.clone(), found));
        }
        let elsewhere = self.elsewhere.0.get(&call.name).into_iter().flatten();
        let elsewhere = elsewhere.filter(|p| may_call(call, &p.path.text, &p.name, p.is_function));
        let elsewhere = elsewhere.map(|p| (&p.path, None, p.name.as_str()));
        let mut all: Vec<_> = (0..self.outlines.len()).filter_map(within).chain(elsewhere).collect();
        if all.len() > 1
            && let Some(receiver) = &call.receiver
        {
            all.retain(|(path, _, full_name)| is_called_like(receiver, home_of(&path.text, full_name)));
        }
        let [(path, found, full_name)] = all[..] else { return None };
        let sides = self.contents.sides(file);
        let own = if is_old { &self.outlines[file].old_path } else { &self.outlines[file].new_path };
        match if is_old { sides.old } else { sides.new } {
            Content::Whole { bytes, .. } if is_near(&own.text, &bytes, &path.text, full_name) => {
                Some((path.clone(), found))
            }
            _ => None,
        }
    }

    /// The lane of a file, which comes in when it isn't there yet.
    fn lane(&mut self, path: Path, in_change: bool) -> usize {
        self.flow.lanes.iter().position(|lane| lane.path == path).unwrap_or_else(|| {
            self.flow.lanes.push(FlowLane { path, in_change });
            self.flow.lanes.len() - 1
        })
    }
}

/// The calls of both sides in order: those of the new side, each removed one after what was before it.
fn merged<'c>(old: &'c [Call], new: &'c [Call], file: &FileOutlines) -> Vec<(&'c Call, Marker)> {
    let removed: Vec<&Call> = old.iter().filter(|call| file.removes(call.line)).collect();
    let added: Vec<&Call> = new.iter().filter(|call| file.adds(call.line)).collect();
    // A call on a line that was written again is the same call.
    let count = |calls: &[&Call], name: &str| calls.iter().filter(|call| call.name == name).count();
    let mut kept: BTreeMap<&str, usize> = BTreeMap::new();
    for call in &removed {
        kept.insert(&call.name, count(&removed, &call.name).min(count(&added, &call.name)));
    }
    let (mut kept_old, mut kept_new) = (kept.clone(), kept);
    let is_kept = |left: &mut BTreeMap<&str, usize>, name: &str| match left.get_mut(name) {
        Some(n) if *n > 0 => {
            *n -= 1;
            true
        }
        _ => false,
    };
    let mut all: Vec<(&Call, Marker)> = Vec::new();
    for call in new {
        let is_new = file.adds(call.line) && !is_kept(&mut kept_new, &call.name);
        all.push((call, if is_new { Marker::Added } else { Marker::Same }));
    }
    for call in removed.into_iter().filter(|call| !is_kept(&mut kept_old, &call.name)) {
        // Before the first call that came after it.
        let after =
            |(other, _): &(&Call, Marker)| file.map.to_old(other.line - 1).is_some_and(|line| line + 1 > call.line);
        let at = all.iter().position(after).unwrap_or(all.len());
        all.insert(at, (call, Marker::Removed));
    }
    all
}
