//! Cells over a part of a sheet.

use super::{Rect, Spot};

/// Cells in rows; a value belongs to the middle of its cell.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Grid {
    /// The left edge.
    pub left: f64,
    /// The upper edge.
    pub top: f64,
    /// The side of a cell.
    pub cell: f64,
    /// Cells across.
    pub across: usize,
    /// Cells down.
    pub down: usize,
}

impl Grid {
    /// The grid over a rectangle, of cells of this side; larger ones when there would be more than
    /// `most`.
    pub fn over(around: Rect, cell: f64, most: usize) -> Self {
        let (wide, high) = (around.width(), around.height());
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "lengths are bounded by the sheet and positive"
        )]
        let count = |length: f64, cell: f64| ((length / cell).ceil() as usize).max(2);
        let mut cell = cell;
        while count(wide, cell) * count(high, cell) > most {
            cell *= 1.5;
        }
        let (across, down) = (count(wide, cell), count(high, cell));
        Self { left: around.left, top: around.top, cell, across, down }
    }

    /// The middle of a cell.
    #[expect(clippy::cast_precision_loss, reason = "cell counts are small")]
    pub fn middle(&self, column: usize, row: usize) -> Spot {
        [self.left + (column as f64 + 0.5) * self.cell, self.top + (row as f64 + 0.5) * self.cell]
    }

    /// The middles of all cells, row by row.
    pub fn middles(&self) -> impl Iterator<Item = Spot> {
        (0..self.down)
            .flat_map(move |row| (0..self.across).map(move |column| self.middle(column, row)))
    }
}
