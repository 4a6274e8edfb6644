//! What a definition calls, as a sequence diagram (SVG 1.1).

use minijinja::{Value, context};
use swage_core::brief::Flow;
use swage_core::invisible::shown;
use swage_core::review::Marker;

use crate::failure::Failure;
use crate::output::picture::{render, short};

const LANE: usize = 230;
const ROW: usize = 34;
const TOP: usize = 96;

/// The whole picture.
pub fn svg(flow: &Flow) -> Result<String, Failure> {
    let middle = |lane: usize| 40 + lane * LANE + LANE / 2;
    let lanes: Vec<Value> = flow
        .lanes
        .iter()
        .enumerate()
        .map(|(index, lane)| {
            let class = if lane.in_change { "changed" } else { "outside" };
            context! { x => middle(index), name => short(&lane.path.text, 29), about => shown(&lane.path.text), class }
        })
        .collect();
    let calls: Vec<Value> = flow.calls.iter().enumerate().map(|(row, call)| {
        let (y, from, to) = (TOP + row * ROW, middle(call.from), middle(call.to));
        let (class, mark, state) = match call.marker {
            Marker::Added => ("added", "+ ", ", new"),
            Marker::Removed => ("deleted", "- ", ", removed"),
            Marker::Same => ("kept", "", ""),
        };
        // A call within a file goes out and comes back.
        let path = match from == to {
            true => format!("M{from} {} h34 v12 h-32", y - 8),
            false => format!("M{from} {y} H{}", if to > from { to - 2 } else { to + 2 }),
        };
        let (x, anchor) = match from == to {
            true => (from + 42, "start"),
            false => ((from + to) / 2, "middle"),
        };
        let about = format!("{} calls {} in line {}{state}", call.caller, call.name, call.line);
            let about = shown(&about).into_owned();
        let room = if from == to { 24 } else { from.abs_diff(to) / 8 };
        let text_y = if from == to { y + 2 } else { y - 6 };
        context! { path, class, x, y => text_y, anchor, about, label => format!("{mark}{}", short(&call.name, room)) }
    }).collect();
    let mut remarks = Vec::new();
    if flow.calls.is_empty() {
        remarks.push("It calls nothing that is defined here.".to_owned());
    }
    if flow.unresolved > 0 {
        remarks.push(format!(
            "Not shown: {} calls of code that isn't defined here, or in several files.",
            flow.unresolved
        ));
    }
    if flow.left_out > 0 {
        remarks.push(format!("Left out: {} further calls.", flow.left_out));
    }
    let bottom = TOP + flow.calls.len() * ROW;
    let height = bottom + 40 + remarks.len() * 20;
    let width = (80 + flow.lanes.len() * LANE).max(640);
    let remarks: Vec<Value> =
        remarks.iter().enumerate().map(|(row, text)| context! { y => bottom + 30 + row * 20, text }).collect();
    let name = shown(&flow.name);
    render(include_str!("flow.svg.jinja"), context! { width, height, bottom, name, lanes, calls, remarks })
}
