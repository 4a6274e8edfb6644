//! The history of a branch as a plot: findings by severity above, what each commit introduced and fixed below.

use plotters::prelude::*;

use crate::commands::TrendRow;
use crate::history::day;

const SIZE: (u32, u32) = (1280, 720);
const SEVERITIES: [(&str, RGBColor); 3] =
    [("errors", RGBColor(179, 38, 30)), ("warnings", RGBColor(176, 120, 8)), ("notes", RGBColor(47, 95, 143))];
const NEW: RGBColor = RGBColor(179, 38, 30);
const FIXED: RGBColor = RGBColor(47, 125, 79);
const LETTERS: (&str, u32) = ("sans-serif", 14);
const PAPER: RGBColor = RGBColor(251, 250, 247);

/// The plot as SVG.
///
/// # Errors
/// What could not be drawn.
pub fn svg(rows: &[TrendRow]) -> Result<String, String> {
    let mut out = String::new();
    draw(rows, &mut out).map_err(|e| format!("the plot could not be drawn: {e}"))?;
    Ok(out)
}

/// Draws both plots; long because the library takes each axis, label and series by itself.
fn draw(rows: &[TrendRow], out: &mut String) -> Result<(), Box<dyn std::error::Error>> {
    let root = SVGBackend::with_string(out, SIZE).into_drawing_area();
    root.fill(&PAPER)?;
    let (upper, lower) = root.split_vertically(450);
    let last = rows.len() - 1;
    // A commit is in the middle of its share of the width.
    let across = -0.5..last as f64 + 0.5;
    let label = |x: &f64| rows.get(x.round().max(0.0) as usize).map_or(String::new(), |row| day(row.commit.at));
    let most = rows.iter().flat_map(|row| row.all).max().unwrap_or(0).max(3) as i64;
    let mut chart = ChartBuilder::on(&upper)
        .caption("Findings", ("sans-serif", 20))
        .margin(14)
        .x_label_area_size(30)
        .y_label_area_size(60)
        .build_cartesian_2d(across.clone(), 0..most + most / 4 + 1)?;
    let labels = rows.len().min(8);
    chart
        .configure_mesh()
        .disable_x_mesh()
        .light_line_style(PAPER)
        .x_labels(labels)
        .label_style(LETTERS)
        .x_label_formatter(&label)
        .draw()?;
    for (index, (name, colour)) in SEVERITIES.into_iter().enumerate() {
        let points = rows.iter().enumerate().map(|(x, row)| (x as f64, row.all[index] as i64));
        let series = LineSeries::new(points.clone(), colour.stroke_width(2));
        let legend = move |(x, y)| PathElement::new([(x, y), (x + 18, y)], colour.stroke_width(3));
        chart.draw_series(series)?.label(name).legend(legend);
        chart.draw_series(points.map(|point| Circle::new(point, 3, colour.filled())))?;
    }
    chart
        .configure_series_labels()
        .position(SeriesLabelPosition::UpperLeft)
        .label_font(LETTERS)
        .background_style(PAPER)
        .border_style(BLACK.mix(0.3))
        .draw()?;
    let both = rows.iter().filter_map(|row| row.change);
    let (new, fixed) = both.fold((2, 2), |(a, b), (new, fixed)| (a.max(new as i64), b.max(fixed as i64)));
    let mut chart = ChartBuilder::on(&lower)
        .caption("New (up) and fixed (down) by commit", ("sans-serif", 20))
        .margin(14)
        .x_label_area_size(30)
        .y_label_area_size(60)
        .build_cartesian_2d(across, -fixed - fixed / 8..new + new / 8 + 1)?;
    chart
        .configure_mesh()
        .disable_x_mesh()
        .light_line_style(PAPER)
        .x_labels(labels)
        .label_style(LETTERS)
        .x_label_formatter(&label)
        .y_label_formatter(&|y| y.abs().to_string())
        .draw()?;
    let bars = rows.iter().enumerate().filter_map(|(x, row)| Some((x as f64, row.change?)));
    let half = (0.02 * rows.len() as f64).clamp(0.08, 0.35);
    let bar = |x: f64, y: i64, colour: RGBColor| Rectangle::new([(x - half, 0), (x + half, y)], colour.filled());
    chart.draw_series(bars.flat_map(|(x, (new, fixed))| [bar(x, new as i64, NEW), bar(x, -(fixed as i64), FIXED)]))?;
    root.present()?;
    Ok(())
}
