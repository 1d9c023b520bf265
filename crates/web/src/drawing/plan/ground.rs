//! The ground under a storey: tints and contour lines, with numbers that keep apart.

use std::sync::Arc;

use dot_reach_core::coverage::{Coverage, Grid, Quantity, drawn_contours};
use dot_reach_core::geometry::apart;
use dot_reach_core::network::outcome::SOLID_ABOVE;
use dot_reach_core::site::Spot;
use dot_reach_core::units::{Db, typographic};

use super::{CM, Plan};
use crate::drawing::path::path;

#[derive(Debug)]
pub(crate) struct Tint {
    pub(crate) class: &'static str,
    pub(crate) d: String,
}

#[derive(Debug)]
pub(crate) struct Line {
    pub(crate) class: &'static str,
    pub(crate) d: String,
    pub(crate) labels: Vec<Label>,
}

#[derive(Debug)]
pub(crate) struct Label {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) angle: f64,
    /// How far above its line it stands, in pixels; a thin line is broken by it instead.
    pub(crate) above: u8,
    /// From how near it is drawn.
    pub(crate) level: u8,
    pub(crate) text: String,
}

impl Plan {
    /// Adds tints and lines of a quantity other than margin: three steps, the second the heaviest.
    pub(crate) fn cover_steps(&mut self, grid: &Grid, values: &[f64], steps: &[(f64, String); 3]) {
        self.paper(grid);
        let levels: Vec<f64> = steps.iter().map(|(level, _)| *level).collect();
        let classes = [
            ("ground-thin", "contour zero"),
            ("ground-sound", "contour target"),
            ("ground-solid", "contour"),
        ];
        let found = drawn_contours(grid, values, &levels, 0.0);
        for ((contour, (tint, stroke)), (_, name)) in found.iter().zip(classes).zip(steps) {
            self.tints.push(Tint { class: tint, d: path(&contour.rings, true) });
            self.lines.push(line(&contour.lines, stroke, name));
        }
        self.clear_labels();
    }

    /// Adds what a sensor sees.
    pub(crate) fn seen(&mut self, outline: &[Spot]) {
        self.tints.push(Tint { class: "seen", d: path(&[outline.to_vec()], true) });
    }

    /// The ground of a surface, hatched where nothing covers it.
    fn paper(&mut self, grid: &Grid) {
        #[expect(clippy::cast_precision_loss, reason = "cell counts are small")]
        let (wide, high) = (grid.across as f64 * grid.cell, grid.down as f64 * grid.cell);
        let (l, t) = (grid.left, grid.top);
        let all = vec![[l, t], [l + wide, t], [l + wide, t + high], [l, t + high]];
        self.tints.push(Tint { class: "ground-out", d: path(&[all], true) });
    }

    /// Adds tints and contour lines of a margin.
    ///
    /// Lines are drawn of values that are evened out by a quarter of their error at most.
    pub(crate) fn cover(
        &mut self,
        surface: &Arc<Coverage>,
        of: Quantity,
        (target, sigma): (Db, Db),
    ) {
        self.paper(&surface.grid);
        let values = surface.values(of);
        let bands = [Db::ZERO, target, target + SOLID_ABOVE];
        let fives = (0..=10).map(|k| f64::from(k) * 5.0);
        let levels: Vec<f64> = bands.iter().map(|l| l.get()).chain(fives).collect();
        // All at once: values are evened out but once a picture.
        let mut drawn = drawn_contours(&surface.grid, &values, &levels, sigma.get() / 4.0);
        let fives = drawn.split_off(bands.len().min(drawn.len()));
        let classes = ["ground-thin", "ground-sound", "ground-solid"];
        for (contour, class) in drawn.iter().zip(classes) {
            self.tints.push(Tint { class, d: path(&contour.rings, true) });
            if class == "ground-sound" {
                let name = format!("target {}", typographic(target.get(), 1));
                self.lines.push(line(&contour.lines, "contour target", &name));
            }
        }
        for contour in fives {
            // Beside the target line, a second label would only crowd it.
            if (contour.level - target.get()).abs() < 2.5 {
                continue;
            }
            let class = if contour.level.abs() < 0.1 { "contour zero" } else { "contour" };
            self.lines.push(line(&contour.lines, class, &typographic(contour.level, 0)));
        }
        self.clear_labels();
    }

    /// Drops empty lines.
    fn clear_labels(&mut self) {
        self.lines.retain(|l| !l.d.is_empty());
        self.thin_out();
    }
}

fn line(lines: &[Vec<Spot>], class: &'static str, text: &str) -> Line {
    // One label on each of the longest lines, never where a line bunches at a wall's shadow.
    let length = |l: &Vec<Spot>| -> f64 { l.windows(2).map(|w| apart(w[0], w[1])).sum() };
    let mut long: Vec<_> = lines.iter().filter(|l| length(l) > 3.0 && l.len() > 6).collect();
    long.sort_by(|a, b| length(b).total_cmp(&length(a)));
    let labels = long.into_iter().take(2).filter_map(|l| label(l, class, text)).collect();
    Line { class, d: path(lines, false), labels }
}

fn label(line: &[Spot], class: &str, text: &str) -> Option<Label> {
    // The straightest stretch carries the label best.
    let reach = 3;
    let straightness = |i: &usize| {
        let (from, to) = (line[i - reach], line[i + reach]);
        let chord = apart(from, to);
        let along: f64 = line[i - reach..=i + reach].windows(2).map(|w| apart(w[0], w[1])).sum();
        chord / along.max(1e-9) + chord.min(1.0)
    };
    let middle = (reach..line.len().checked_sub(reach)?)
        .max_by(|a, b| straightness(a).total_cmp(&straightness(b)))?;
    let ([x, y], [fx, fy], [tx, ty]) = (line[middle], line[middle - reach], line[middle + reach]);
    let mut angle = (ty - fy).atan2(tx - fx).to_degrees();
    if angle > 90.0 {
        angle -= 180.0;
    }
    if angle < -90.0 {
        angle += 180.0;
    }
    let (x, y) = ((x * CM).round(), (y * CM).round());
    let above = if class == "contour target" { 10 } else { 0 };
    Some(Label { x, y, angle: angle.round(), above, level: 0, text: text.to_owned() })
}
