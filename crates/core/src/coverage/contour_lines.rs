//! Lines of equal margin, and the areas they bound.

use contour::ContourBuilder;

use super::{Coverage, Quantity};
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
