//! The map of a change as a picture (SVG 1.1) or as Graphviz DOT text.

use std::fmt::Write;

use minijinja::{Value, context};
use swage_core::brief::{Map, MapNode};
use swage_core::invisible::shown;
use swage_core::review::ChangeKind;

use super::lines;
use crate::failure::Failure;
use crate::output::picture::{render, short};

/// How far arrows bend away from their ends.
const BEND: i64 = 60;

/// Arrows carry names when there are at most this many.
const MAX_LABELS: usize = 20;

/// Most letters of such names.
const MAX_LABEL: usize = 18;

/// Space below the map for the legend.
const LEGEND: u32 = 44;

/// The whole picture.
pub fn svg(map: &Map, title: &str) -> Result<String, Failure> {
    let node = |node: &MapNode| {
        let figures = lines(node.written, node.dropped);
        // About eight units a letter.
        let room = (node.width as usize - 20) / 8 - figures.len() - if node.new_findings > 0 { 3 } else { 0 };
        let class = match (node.in_change, node.change) {
            (false, _) => "outside",
            (true, Some(ChangeKind::Added)) => "added",
            (true, Some(ChangeKind::Deleted)) => "deleted",
            (true, _) => "changed",
        };
        let label = if node.files > 1 { format!("{} ({} files)", node.label, node.files) } else { node.label.clone() };
        let about = format!("{} {}", node.name, node.change.map_or("", ChangeKind::word));
        context! {
            x => node.x, y => node.y, width => node.width, height => node.height,
            label => short(&label, room), about => shown(about.trim()), figures, class, findings => node.new_findings,
        }
    };
    let nodes: Vec<Value> = map.nodes.iter().map(node).collect();
    let arrows: Vec<Value> = map
        .arrows
        .iter()
        .map(|arrow| {
            let (from, to) = (&map.nodes[arrow.from], &map.nodes[arrow.to]);
            let about = format!("{} refers to {} in {}", from.name, arrow.names.join(", "), to.name);
            // More labels than this would hide each other.
            let names = short(&arrow.names.join(", "), MAX_LABEL);
            let is_clear = !map.grouped && map.arrows.len() <= MAX_LABELS && from.x != to.x;
            let label = if is_clear { names } else { String::new() };
            let ArrowPath { path, label_at: (x, y) } = way(from, to);
            context! { path, x, y, label, sure => arrow.sure, about => shown(&about) }
        })
        .collect();
    let areas: Vec<Value> = map
        .areas
        .iter()
        .map(|area| {
            let name = short(&area.name, (area.width as usize - 20) / 8);
            context! { x => area.x, y => area.y, width => area.width, height => area.height, name }
        })
        .collect();
    let (width, height) = (map.width.max(790), map.height + LEGEND);
    render(include_str!("map.svg.jinja"), context! { width, height, title => shown(title), areas, nodes, arrows })
}

/// Where an arrow runs.
struct ArrowPath {
    /// A path of SVG.
    path: String,
    /// The middle of its label.
    label_at: (i64, i64),
}

/// The way of an arrow between two boxes: out of the right side and into the left one, or along the side where they are above
/// each other.
fn way(from: &MapNode, to: &MapNode) -> ArrowPath {
    let side = |node: &MapNode, right: bool| {
        let x = i64::from(node.x) + if right { i64::from(node.width) } else { 0 };
        (x, i64::from(node.y) + i64::from(node.height) / 2)
    };
    let ((x, y), (u, v), bend) = match from.x.cmp(&to.x) {
        std::cmp::Ordering::Less => (side(from, true), side(to, false), (BEND, -BEND)),
        std::cmp::Ordering::Equal => (side(from, true), side(to, true), (BEND, BEND)),
        std::cmp::Ordering::Greater => (side(from, false), side(to, true), (-BEND, BEND)),
    };
    let path = format!("M{x} {y} C{} {y} {} {v} {u} {v}", x + bend.0, u + bend.1);
    // The middle of the curve: an eighth of both ends and three eighths of both handles.
    let middle = (x + u) / 2 + (bend.0 + bend.1) * 3 / 8;
    ArrowPath { path, label_at: (middle, (y + v) / 2 - 6) }
}

/// Text for Graphviz, with a cluster a folder.
pub fn dot(map: &Map) -> String {
    let mut out = String::from("digraph change {\n  rankdir=LR;\n  node [shape=box];\n");
    for (number, area) in map.areas.iter().enumerate() {
        _ = writeln!(out, "  subgraph cluster_{number} {{\n    label={};", quoted(&area.name));
        let inside = |node: &MapNode| {
            (area.x..area.x + area.width).contains(&node.x) && (area.y..area.y + area.height).contains(&node.y)
        };
        for (index, node) in map.nodes.iter().enumerate().filter(|(_, node)| inside(node)) {
            let figures = lines(node.written, node.dropped);
            let label = quoted(format!("{} {figures}", node.label).trim());
            let style = if node.in_change { "solid" } else { "dashed" };
            _ = writeln!(out, "    n{index} [label={label}, style={style}];");
        }
        out.push_str("  }\n");
    }
    for arrow in &map.arrows {
        let style = if arrow.sure { "solid" } else { "dashed" };
        let label = quoted(&arrow.names.join(", "));
        _ = writeln!(out, "  n{} -> n{} [label={label}, style={style}];", arrow.from, arrow.to);
    }
    out + "}\n"
}

/// A quoted string (Graphviz's DOT language: only the quote is escaped, and a backslash may begin an escape of labels).
fn quoted(text: &str) -> String {
    format!("\"{}\"", shown(text).replace('\\', "\\\\").replace('"', "\\\"").replace('\n', " "))
}
