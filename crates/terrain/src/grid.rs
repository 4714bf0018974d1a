//! Where the heights of a grid stand, and heights that come row by row.

use std::convert::Infallible;

/// Where the heights of a grid stand (ISO 19123: a rectified grid whose axes are those of the system). The positions are
/// those of the heights, which are the middles of cells, not their edges.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RectifiedGrid {
    /// Easting of the first column.
    pub west: f64,
    /// Northing of the first row, which is the northernmost.
    pub north: f64,
    /// From a column to the next one eastwards; above zero.
    pub step_x: f64,
    /// From a row to the next one southwards; above zero.
    pub step_y: f64,
    /// Heights in a row.
    pub columns: usize,
    /// Rows.
    pub rows: usize,
}

impl RectifiedGrid {
    /// Easting of a column.
    pub fn x(&self, column: usize) -> f64 {
        self.west + column as f64 * self.step_x
    }

    /// Northing of a row.
    pub fn y(&self, row: usize) -> f64 {
        self.north - row as f64 * self.step_y
    }

    /// Column and row of a position, with their fractions; below zero and beyond the last one outside.
    pub fn place(&self, x: f64, y: f64) -> (f64, f64) {
        ((x - self.west) / self.step_x, (self.north - y) / self.step_y)
    }

    /// West, south, east, north of the outermost heights.
    pub fn bounds(&self) -> [f64; 4] {
        let (last_x, last_y) = (self.x(self.columns.saturating_sub(1)), self.y(self.rows.saturating_sub(1)));
        [self.west, last_y, last_x, self.north]
    }

    /// How many heights there are.
    pub fn cells(&self) -> usize {
        self.columns * self.rows
    }

    /// Whether the heights of both stand at the same positions, to a thousandth of a step.
    pub fn is_aligned_with(&self, other: &RectifiedGrid) -> bool {
        let near = |a: f64, b: f64, step: f64| (a - b).abs() <= step / 1000.0;
        let last = (self.columns.max(1) as f64, self.rows.max(1) as f64);
        (self.columns, self.rows) == (other.columns, other.rows)
            && near(self.west, other.west, self.step_x)
            && near(self.north, other.north, self.step_y)
            && near(self.step_x * last.0, other.step_x * last.0, self.step_x)
            && near(self.step_y * last.1, other.step_y * last.1, self.step_y)
    }
}

/// Heights that come row by row, in any order of rows; that of neighbours is cheapest.
pub trait HeightRows {
    /// Why a row cannot be had.
    type Error;

    /// Where they stand.
    fn frame(&self) -> RectifiedGrid;

    /// The heights of a row from west to east, NaN where none is known; `into` is as long as a row.
    ///
    /// # Errors
    /// Where the row cannot be read.
    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Self::Error>;
}

/// Heights in memory.
#[derive(Debug, Clone, PartialEq)]
pub struct Grid {
    /// Where they stand.
    pub frame: RectifiedGrid,
    /// Row after row.
    pub heights: Vec<f64>,
}

impl Grid {
    /// No height is known.
    pub fn empty(frame: RectifiedGrid) -> Self {
        Grid { frame, heights: vec![f64::NAN; frame.cells()] }
    }

    /// The heights that a function of easting and northing has.
    pub fn from_function(frame: RectifiedGrid, height: impl Fn(f64, f64) -> f64) -> Self {
        let mut grid = Grid::empty(frame);
        for row in 0..frame.rows {
            for column in 0..frame.columns {
                grid.heights[row * frame.columns + column] = height(frame.x(column), frame.y(row));
            }
        }
        grid
    }

    /// The height in a column and row; NaN where none is known.
    pub fn at(&self, column: usize, row: usize) -> f64 {
        self.heights[row * self.frame.columns + column]
    }
}

impl HeightRows for Grid {
    type Error = Infallible;

    fn frame(&self) -> RectifiedGrid {
        self.frame
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Infallible> {
        let from = row * self.frame.columns;
        into.copy_from_slice(&self.heights[from..from + self.frame.columns]);
        Ok(())
    }
}

impl<H: HeightRows + ?Sized> HeightRows for &mut H {
    type Error = H::Error;

    fn frame(&self) -> RectifiedGrid {
        (**self).frame()
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), H::Error> {
        (**self).row(row, into)
    }
}

/// Two neighbouring rows at a time, from north to south: each row is read once. Grids of one row have none.
///
/// # Errors
/// Where a row cannot be read, and what `each` says.
pub fn each_pair<H: HeightRows>(
    heights: &mut H,
    mut each: impl FnMut(usize, &[f64], &[f64]) -> Result<(), H::Error>,
) -> Result<(), H::Error> {
    let frame = heights.frame();
    let (mut above, mut below) = (vec![0.0; frame.columns], vec![0.0; frame.columns]);
    if frame.rows > 0 {
        heights.row(0, &mut above)?;
    }
    for row in 1..frame.rows {
        heights.row(row, &mut below)?;
        each(row - 1, &above, &below)?;
        std::mem::swap(&mut above, &mut below);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    const FRAME: RectifiedGrid =
        RectifiedGrid { west: 100.0, north: 50.0, step_x: 2.0, step_y: 5.0, columns: 4, rows: 3 };

    #[test]
    fn positions_and_places_are_inverse() {
        assert_eq!((FRAME.x(3), FRAME.y(2)), (106.0, 40.0));
        assert_eq!(FRAME.place(106.0, 40.0), (3.0, 2.0));
        assert_eq!(FRAME.bounds(), [100.0, 40.0, 106.0, 50.0]);
    }

    #[test]
    fn alignment_is_of_every_height_to_a_thousandth_of_a_step() {
        assert!(FRAME.is_aligned_with(&RectifiedGrid { west: 100.001, ..FRAME }));
        for other in [
            RectifiedGrid { west: 101.0, ..FRAME },
            RectifiedGrid { north: 50.1, ..FRAME },
            RectifiedGrid { step_x: 2.01, ..FRAME },
            RectifiedGrid { rows: 4, ..FRAME },
        ] {
            assert!(!FRAME.is_aligned_with(&other), "{other:?}");
        }
    }

    #[test]
    fn pairs_come_from_north_to_south() {
        let mut grid = Grid::from_function(FRAME, |_, y| y);
        let mut seen = Vec::new();
        each_pair(&mut grid, |row, above, below| {
            seen.push((row, above[0], below[3]));
            Ok(())
        })
        .unwrap();
        assert_eq!(seen, [(0, 50.0, 45.0), (1, 45.0, 40.0)]);
    }
}
