//! The map of a change: its files by folder, those that refer to it, and an arrow for each pair of them.
//!
//! Folders are in columns so that arrows run from left to right, from the user to what is used, wherever users don't go in a
//! circle. Each folder's column is the longest way to it (layering by longest path); within a folder files are in the order of
//! their paths. Lengths are in the units of the drawing, about one pixel each, from the upper left corner.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use super::{Brief, FileKind};
use crate::review::{ChangeKind, Path};

/// More boxes than this can't be read at once; then folders stand for their files.
const MAX_NODES: usize = 40;

const NODE_WIDTH: u32 = 230;
const NODE_HEIGHT: u32 = 30;
const NODE_GAP: u32 = 8;
const PADDING: u32 = 12;
const TITLE: u32 = 26;
const AREA_GAP: u32 = 22;
const COLUMN_GAP: u32 = 110;
/// A higher column is continued beside itself.
const MAX_HEIGHT: u32 = 700;

/// A laid-out map.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Map {
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
    /// Whether folders stand for their files.
    pub grouped: bool,
    /// The folders, or what is around them.
    pub areas: Vec<MapArea>,
    /// The files, or the folders.
    pub nodes: Vec<MapNode>,
    /// Who refers to whom.
    pub arrows: Vec<Arrow>,
}

/// A box around what belongs together.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct MapArea {
    /// Its name.
    pub name: String,
    /// Its left edge.
    pub x: u32,
    /// Its upper edge.
    pub y: u32,
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
}

/// A file, or a folder that stands for its files.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct MapNode {
    /// Its whole name.
    pub name: String,
    /// What is written on it.
    pub label: String,
    /// Whether the change touches it.
    pub in_change: bool,
    /// What happens to it, where it is one file that the change touches.
    pub change: Option<ChangeKind>,
    /// How many files it stands for.
    pub files: u32,
    /// Written lines.
    pub written: u32,
    /// Dropped lines.
    pub dropped: u32,
    /// Findings that count against the change.
    pub new_findings: u32,
    /// Its left edge.
    pub x: u32,
    /// Its upper edge.
    pub y: u32,
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
}

/// One box refers to another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Arrow {
    /// The box that refers, by its place in the list.
    pub from: usize,
    /// The box with what it refers to.
    pub to: usize,
    /// The definitions that it refers to.
    pub names: Vec<String>,
    /// Whether one of them is sure.
    pub sure: bool,
}

impl Map {
    /// Lays out the map of a change.
    pub fn of(brief: &Brief) -> Self {
        let (mut nodes, mut places) = (Vec::new(), BTreeMap::new());
        let users = brief.uses.iter().filter(|u| u.sure && !u.in_change).map(|u| &u.path);
        let users: BTreeSet<&Path> = users.collect();
        let grouped = brief.files.len() + users.len() > MAX_NODES;
        let shown = brief.files.iter().filter(|file| file.kind != FileKind::Generated);
        let files = shown.map(|file| (&file.path, Some(file))).chain(users.into_iter().map(|path| (path, None)));
        let files: Vec<_> = files.collect();
        let folders: BTreeSet<String> = files.iter().map(|(path, _)| super::area(path)).collect();
        let deep = folders.len() <= MAX_NODES;
        for (path, file) in files {
            let area = super::area(path);
            let name = match grouped {
                false => path.text.clone(),
                true if deep => area.clone(),
                true => area.split('/').next().unwrap_or_default().to_owned(),
            };
            let index = *places.entry(name.clone()).or_insert(nodes.len());
            if index == nodes.len() {
                let label =
                    if grouped { name.clone() } else { path.text.rsplit('/').next().unwrap_or_default().to_owned() };
                let around = if grouped { around(&name) } else { area };
                nodes.push((around, MapNode::new(name, label)));
            }
            let node = &mut nodes[index].1;
            // Of a folder that the change touches, the files that it touches count.
            let first = file.is_some() && !node.in_change;
            node.files = if first { 1 } else { node.files + u32::from(file.is_some() == node.in_change) };
            if let Some(file) = file {
                node.in_change = true;
                node.change = (!grouped).then_some(file.change);
                node.written += file.written;
                node.dropped += file.dropped;
                node.new_findings += file.new_findings;
            }
            places.insert(path.text.clone(), index);
        }
        let mut arrows = arrows(brief, &places);
        // Between many files, what is not sure says nothing.
        arrows.retain(|arrow| arrow.sure || !grouped);
        let mut map = Self { width: 0, height: 0, grouped, areas: Vec::new(), nodes: Vec::new(), arrows };
        map.lay_out(nodes);
        map
    }

    /// Gives every box its place.
    fn lay_out(&mut self, nodes: Vec<(String, MapNode)>) {
        let names: BTreeSet<String> = nodes.iter().map(|(area, _)| area.clone()).collect();
        let names: Vec<String> = names.into_iter().collect();
        let area_of: Vec<usize> =
            nodes.iter().map(|(area, _)| names.iter().position(|name| name == area).unwrap_or(0)).collect();
        let edges: BTreeSet<(usize, usize)> = self.arrows.iter().map(|a| (area_of[a.from], area_of[a.to])).collect();
        let columns = columns(names.len(), &edges);
        self.nodes = nodes.into_iter().map(|(_, node)| node).collect();
        let (mut x, mut height) = (AREA_GAP, 0);
        for column in 0..=columns.iter().copied().max().unwrap_or(0) {
            let mut y = AREA_GAP;
            for area in (0..names.len()).filter(|&area| columns[area] == column) {
                let own: Vec<usize> = (0..self.nodes.len()).filter(|&node| area_of[node] == area).collect();
                let tall = TITLE + own.len() as u32 * (NODE_HEIGHT + NODE_GAP) + PADDING;
                if y > AREA_GAP && y + tall > MAX_HEIGHT {
                    x += NODE_WIDTH + 2 * PADDING + AREA_GAP;
                    y = AREA_GAP;
                }
                let name = names[area].clone();
                self.areas.push(MapArea { name, x, y, width: NODE_WIDTH + 2 * PADDING, height: tall });
                for (row, node) in (0..).zip(own) {
                    let node = &mut self.nodes[node];
                    (node.x, node.y) = (x + PADDING, y + TITLE + row * (NODE_HEIGHT + NODE_GAP));
                }
                y += tall + AREA_GAP;
                height = height.max(y);
            }
            x += NODE_WIDTH + 2 * PADDING + COLUMN_GAP;
        }
        // Arrows within the last column bend out of it.
        self.width = x - COLUMN_GAP + 2 * AREA_GAP;
        self.height = height;
    }
}

impl MapNode {
    fn new(name: String, label: String) -> Self {
        Self {
            name,
            label,
            in_change: false,
            change: None,
            files: 0,
            written: 0,
            dropped: 0,
            new_findings: 0,
            x: 0,
            y: 0,
            width: NODE_WIDTH,
            height: NODE_HEIGHT,
        }
    }
}

/// The folder around a folder.
fn around(folder: &str) -> String {
    folder.split('/').next().unwrap_or_default().to_owned()
}

/// An arrow for each pair of boxes of which one refers to the other.
fn arrows(brief: &Brief, places: &BTreeMap<String, usize>) -> Vec<Arrow> {
    let mut found: BTreeMap<(usize, usize), (BTreeSet<&str>, bool)> = BTreeMap::new();
    for use_ in &brief.uses {
        let definition = &brief.definitions[use_.definition];
        let (from, to) = (places.get(&use_.path.text), places.get(&definition.path.text));
        if let (Some(&from), Some(&to)) = (from, to)
            && from != to
        {
            let (names, sure) = found.entry((from, to)).or_default();
            names.insert(definition.own_name());
            *sure |= use_.sure;
        }
    }
    let arrow = |((from, to), (names, sure)): (_, (BTreeSet<&str>, bool))| Arrow {
        from,
        to,
        names: names.into_iter().map(str::to_owned).collect(),
        sure,
    };
    found.into_iter().map(arrow).collect()
}

/// The column of each area: the longest way to it along edges that close no circle.
fn columns(areas: usize, edges: &BTreeSet<(usize, usize)>) -> Vec<usize> {
    let mut columns = vec![0; areas];
    let mut kept: BTreeSet<(usize, usize)> = BTreeSet::new();
    for &(from, to) in edges {
        if from != to && !reaches(&kept, to, from) {
            kept.insert((from, to));
        }
    }
    // As many rounds as the longest way has steps.
    for _ in 0..areas {
        for &(from, to) in &kept {
            columns[to] = columns[to].max(columns[from] + 1);
        }
    }
    columns
}

/// Whether one leads to the other.
fn reaches(edges: &BTreeSet<(usize, usize)>, from: usize, to: usize) -> bool {
    let (mut open, mut seen) = (vec![from], BTreeSet::new());
    while let Some(at) = open.pop() {
        if at == to {
            return true;
        }
        if seen.insert(at) {
            open.extend(edges.range((at, 0)..(at + 1, 0)).map(|(_, next)| *next));
        }
    }
    false
}
