//! Heights of a grid that is larger than memory should hold, filled in any order: squares of cells, of which those that were
//! used last are in memory and the others in a temporary file.

use super::many_points::failed;
use crate::Error;
use basilocus_terrain::RectifiedGrid;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

/// Columns and rows of a square.
const SIDE: usize = 256;
/// Squares in memory, beside those of a row of squares: half a megabyte each.
const KEPT: usize = 96;

/// Heights, all unknown at first.
pub(super) struct TiledHeights {
    frame: RectifiedGrid,
    file: File,
    /// The squares that are in memory, each at its place.
    squares: Vec<Option<Square>>,
    /// How many are.
    kept: usize,
    /// Which squares are in the file.
    is_written: Vec<bool>,
    most: usize,
    clock: u64,
}

struct Square {
    heights: Vec<f64>,
    used: u64,
    is_changed: bool,
}

impl TiledHeights {
    /// For a grid; the temporary file is in the folder of `beside`.
    pub(super) fn new(frame: RectifiedGrid, beside: &Path) -> Result<Self, Error> {
        let folder = beside.parent().filter(|p| !p.as_os_str().is_empty() && p.is_dir());
        let file = folder.map_or_else(tempfile::tempfile, tempfile::tempfile_in).map_err(failed)?;
        let across = frame.columns.div_ceil(SIDE);
        let count = across * frame.rows.div_ceil(SIDE);
        let squares = std::iter::repeat_with(|| None).take(count).collect();
        // A row of squares has to be there together when rows are read.
        let most = across + KEPT;
        Ok(TiledHeights { frame, file, squares, kept: 0, is_written: vec![false; count], most, clock: 0 })
    }

    fn bytes() -> usize {
        SIDE * SIDE * 8
    }

    /// A square, brought to memory.
    fn square(&mut self, number: usize) -> Result<&mut Square, Error> {
        self.clock += 1;
        if self.squares[number].is_none() {
            if self.kept >= self.most {
                self.put_away()?;
            }
            let heights = if self.is_written[number] { self.read(number)? } else { vec![f64::NAN; SIDE * SIDE] };
            self.squares[number] = Some(Square { heights, used: 0, is_changed: false });
            self.kept += 1;
        }
        let square = self.squares[number].as_mut().ok_or_else(|| Error::Defect("a square that is not there".into()))?;
        square.used = self.clock;
        Ok(square)
    }

    fn read(&mut self, number: usize) -> Result<Vec<f64>, Error> {
        let mut bytes = vec![0; Self::bytes()];
        self.file.seek(SeekFrom::Start((number * Self::bytes()) as u64)).map_err(failed)?;
        self.file.read_exact(&mut bytes).map_err(failed)?;
        let height = |bytes: &[u8]| f64::from_le_bytes(bytes.try_into().unwrap_or_default());
        Ok(bytes.chunks_exact(8).map(height).collect())
    }

    /// Writes the square that was used longest ago, and forgets it.
    fn put_away(&mut self) -> Result<(), Error> {
        let used = self.squares.iter().enumerate().filter_map(|(at, s)| Some((at, s.as_ref()?.used)));
        let Some((number, _)) = used.min_by_key(|(_, used)| *used) else { return Ok(()) };
        let Some(square) = self.squares[number].take() else { return Ok(()) };
        self.kept -= 1;
        if square.is_changed {
            let bytes: Vec<u8> = square.heights.iter().flat_map(|h| h.to_le_bytes()).collect();
            self.file.seek(SeekFrom::Start((number * Self::bytes()) as u64)).map_err(failed)?;
            self.file.write_all(&bytes).map_err(failed)?;
            self.is_written[number] = true;
        }
        Ok(())
    }

    /// A cell, to be read or changed.
    pub(super) fn cell(&mut self, column: usize, row: usize) -> Result<&mut f64, Error> {
        let number = row / SIDE * self.frame.columns.div_ceil(SIDE) + column / SIDE;
        let square = self.square(number)?;
        square.is_changed = true;
        Ok(&mut square.heights[row % SIDE * SIDE + column % SIDE])
    }

    /// A row from west to east.
    pub(super) fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Error> {
        let across = self.frame.columns.div_ceil(SIDE);
        for (at, part) in into.chunks_mut(SIDE).enumerate() {
            let square = self.square(row / SIDE * across + at)?;
            let from = row % SIDE * SIDE;
            part.copy_from_slice(&square.heights[from..from + part.len()]);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_keep_their_heights_whatever_is_put_away() {
        let frame = RectifiedGrid { west: 0.0, north: 0.0, step_x: 1.0, step_y: 1.0, columns: 700, rows: 70_000 };
        let folder = tempfile::tempdir().unwrap();
        let mut heights = TiledHeights::new(frame, &folder.path().join("out.tif")).unwrap();
        // Down the columns, so that squares come and go.
        let cells: Vec<(usize, usize)> =
            (0..700).step_by(99).flat_map(|c| (0..70_000).step_by(501).map(move |r| (c, r))).collect();
        let height = |(column, row): (usize, usize)| (row * 1000 + column) as f64;
        for cell in &cells {
            *heights.cell(cell.0, cell.1).unwrap() = height(*cell);
        }
        assert!(heights.kept <= heights.most && heights.is_written.iter().any(|w| *w));
        for cell in cells.iter().rev() {
            assert_eq!(*heights.cell(cell.0, cell.1).unwrap(), height(*cell), "{cell:?}");
        }
        let mut row = vec![0.0; 700];
        heights.row(501, &mut row).unwrap();
        let known: Vec<usize> = (0..700).filter(|c| row[*c].is_finite()).collect();
        assert_eq!(known, (0..700).step_by(99).collect::<Vec<_>>());
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "the file has no name");
    }
}
