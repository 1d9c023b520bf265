//! Lines of equal margin, and the areas they bound.

use contour::ContourBuilder;

use super::{Coverage, Quantity, UNREACHED};
use crate::site::Spot;
use crate::units::Db;

/// The area at or above a level, and the line that bounds it.
#[derive(Clone, Debug, PartialEq)]
pub struct Contour {
    /// The level.
    pub level: f64,
    /// Closed rings of the area, holes included (even–odd).
    pub rings: Vec<Vec<Spot>>,
    /// The bounding line without the edge of the grid.
    pub lines: Vec<Vec<Spot>>,
}

/// Contours of a margin at each level, in the order given.
pub fn contours(coverage: &Coverage, of: Quantity, levels: &[Db]) -> Vec<Contour> {
    let values = coverage.values(of);
    let levels: Vec<f64> = levels.iter().map(|l| l.get()).collect();
    contours_of(&coverage.grid, &values, &levels)
}

/// Of an area as it is drawn no ring is smaller than this, in square metres: a device held in a hand is no island.
pub const LEAST_ISLAND_M2: f64 = 0.25;
/// So often values are evened out with their neighbours before they are drawn.
const PASSES: usize = 4;

/// Contours as they are drawn: of values evened out, none of them by more than `within`, which is to lie within what they may
/// be off by; without islands and holes that are smaller than [`LEAST_ISLAND_M2`].
pub fn drawn_contours(
    grid: &super::Grid,
    values: &[f64],
    levels: &[f64],
    within: f64,
) -> Vec<Contour> {
    let mut found = contours_of(grid, &evened(grid, values, within), levels);
    for contour in &mut found {
        contour.rings.retain(|ring| area(ring) >= LEAST_ISLAND_M2);
        contour.lines = contour.rings.iter().flat_map(|ring| off_edge(grid, ring)).collect();
    }
    found
}

/// The same values, evened out with their neighbours, each by no more than `within`. What is not reached at all is nobody's
/// neighbour.
pub fn evened(grid: &super::Grid, values: &[f64], within: f64) -> Vec<f64> {
    let (across, down) = (grid.across, grid.down);
    let is_reached = |value: f64| value.is_finite() && value > UNREACHED;
    let mut now = values.to_vec();
    for _ in 0..PASSES {
        let before = now.clone();
        for row in 0..down {
            for column in 0..across {
                let at = row * across + column;
                if !is_reached(values[at]) {
                    continue;
                }
                let (mut sum, mut weight) = (0.0, 0.0);
                for (dy, dx) in
                    [(1, 1), (1, 0), (1, 2), (0, 1), (2, 1), (0, 0), (0, 2), (2, 0), (2, 2)]
                {
                    let (r, c) = ((row + dy).wrapping_sub(1), (column + dx).wrapping_sub(1));
                    let there = (r < down && c < across).then(|| before[r * across + c]);
                    let Some(value) = there.filter(|v| is_reached(*v)) else { continue };
                    let side = |d: usize| if d == 1 { 2.0 } else { 1.0 };
                    sum += value * side(dy) * side(dx);
                    weight += side(dy) * side(dx);
                }
                now[at] = (sum / weight).clamp(values[at] - within, values[at] + within);
            }
        }
    }
    now
}

/// What a ring encloses, in square metres.
fn area(ring: &[Spot]) -> f64 {
    let next = ring.iter().cycle().skip(1);
    ring.iter().zip(next).map(|([ax, ay], [bx, by])| ax * by - bx * ay).sum::<f64>().abs() / 2.0
}

/// Contours of any values on a grid at each level, in the order given.
pub fn contours_of(grid: &super::Grid, values: &[f64], thresholds: &[f64]) -> Vec<Contour> {
    let builder = ContourBuilder::new(grid.across, grid.down, true)
        .x_origin(grid.left)
        .y_origin(grid.top)
        .x_step(grid.cell)
        .y_step(grid.cell);
    let Ok(found) = builder.contours(values, thresholds) else { return Vec::new() };
    found
        .into_iter()
        .map(|contour| {
            let (areas, level) = contour.into_inner();
            let rings: Vec<Vec<Spot>> = areas
                .into_iter()
                .flat_map(|area| {
                    let (outer, holes) = area.into_inner();
                    std::iter::once(outer).chain(holes)
                })
                .map(|ring| ring.into_inner().into_iter().map(|c| [c.x, c.y]).collect())
                .collect();
            let lines = rings.iter().flat_map(|ring| off_edge(grid, ring)).collect();
            Contour { level, rings, lines }
        })
        .collect()
}

/// The parts of a ring that do not run along the edge of the grid.
fn off_edge(grid: &super::Grid, ring: &[Spot]) -> Vec<Vec<Spot>> {
    #[expect(clippy::cast_precision_loss, reason = "cell counts are small")]
    let (right, bottom) =
        (grid.left + grid.across as f64 * grid.cell, grid.top + grid.down as f64 * grid.cell);
    let slack = grid.cell * 0.51;
    let on_edge = |[x, y]: Spot| {
        x - grid.left < slack || right - x < slack || y - grid.top < slack || bottom - y < slack
    };
    let mut lines = Vec::new();
    let mut line: Vec<Spot> = Vec::new();
    for &corner in ring {
        if on_edge(corner) {
            lines.push(std::mem::take(&mut line));
        } else {
            line.push(corner);
        }
    }
    lines.push(line);
    lines.retain(|line| line.len() > 1);
    lines
}
