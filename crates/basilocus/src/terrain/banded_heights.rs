//! Heights of a grid that is larger than memory should hold, of points in any order: the points of each band of rows wait in a
//! temporary file of their own, so that a band is filled at once and nothing is read here and there.

use super::many_points::{failed, temporary};
use crate::Error;
use basilocus_terrain::RectifiedGrid;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, Write};
use std::path::Path;

/// Cells of a band: 64 megabytes.
const CELLS: usize = 1 << 23;
/// As many bands there are at most, each of which has a file open.
const MOST_BANDS: usize = 200;
/// Bytes of a point: its cell in the band, its height, its row.
const POINT: usize = 24;

/// The points of a grid, by bands.
pub(super) struct Bands {
    frame: RectifiedGrid,
    /// Rows of a band.
    rows: usize,
    bands: Vec<Band>,
}

struct Band {
    file: BufWriter<File>,
    points: u64,
}

/// A point at a cell that has a height already.
pub(super) enum Again {
    /// The same one.
    Same,
    /// Another one, in this row; the first counts.
    Other(u64),
}

impl Bands {
    /// For a grid; the temporary files are in the folder of `beside`.
    pub(super) fn new(frame: RectifiedGrid, beside: &Path) -> Result<Self, Error> {
        Bands::of_cells(CELLS, frame, beside)
    }

    fn of_cells(cells: usize, frame: RectifiedGrid, beside: &Path) -> Result<Self, Error> {
        let rows = (cells / frame.columns.max(1)).max(frame.rows.div_ceil(MOST_BANDS)).max(1);
        let band = |_| {
            let file = BufWriter::with_capacity(1 << 16, temporary(Some(beside))?);
            Ok(Band { file, points: 0 })
        };
        let bands = (0..frame.rows.div_ceil(rows)).map(band).collect::<Result<_, Error>>()?;
        Ok(Bands { frame, rows, bands })
    }

    /// Adds a point at a cell.
    pub(super) fn add(&mut self, (column, row): (usize, usize), height: f64, source_row: u64) -> Result<(), Error> {
        let band = &mut self.bands[row / self.rows];
        let cell = (row % self.rows * self.frame.columns + column) as u64;
        let mut bytes = [0; POINT];
        bytes[..8].copy_from_slice(&cell.to_le_bytes());
        bytes[8..16].copy_from_slice(&height.to_le_bytes());
        bytes[16..].copy_from_slice(&source_row.to_le_bytes());
        band.points += 1;
        band.file.write_all(&bytes).map_err(failed)
    }

    /// Gives the heights band by band from the north, unknown where no point is; `again` is told points at cells that have a
    /// height already.
    pub(super) fn each(
        &mut self,
        again: &mut dyn FnMut(Again),
        give: &mut dyn FnMut(&[f64]) -> Result<(), Error>,
    ) -> Result<(), Error> {
        let mut heights = Vec::new();
        for (number, band) in self.bands.iter_mut().enumerate() {
            let rows = self.rows.min(self.frame.rows - number * self.rows);
            heights.clear();
            heights.resize(rows * self.frame.columns, f64::NAN);
            band.file.flush().map_err(failed)?;
            let file = band.file.get_mut();
            file.rewind().map_err(failed)?;
            let mut file = BufReader::with_capacity(1 << 20, file);
            for _ in 0..band.points {
                let mut bytes = [0; POINT];
                file.read_exact(&mut bytes).map_err(failed)?;
                let part = |at: usize| <[u8; 8]>::try_from(&bytes[at..at + 8]).unwrap_or_default();
                let height = f64::from_le_bytes(part(8));
                let cell = &mut heights[u64::from_le_bytes(part(0)) as usize];
                if cell.is_nan() {
                    *cell = height;
                } else if *cell == height {
                    again(Again::Same);
                } else {
                    again(Again::Other(u64::from_le_bytes(part(16))));
                }
            }
            give(&heights)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_in_any_order_fill_their_bands() {
        let frame = RectifiedGrid { west: 0.0, north: 0.0, step_x: 1.0, step_y: 1.0, columns: 7, rows: 23 };
        let folder = tempfile::tempdir().unwrap();
        for cells in [1, 14, 20, 1000] {
            let mut bands = Bands::of_cells(cells, frame, &folder.path().join("out.tif")).unwrap();
            let mut expected = vec![f64::NAN; frame.cells()];
            for i in 0..frame.cells() {
                // A step that has no part in common with the number of cells comes to each, here and there.
                let cell = i * 47 % frame.cells();
                if !cell.is_multiple_of(5) {
                    expected[cell] = i as f64;
                    bands.add((cell % 7, cell / 7), i as f64, i as u64).unwrap();
                }
            }
            bands.add((1, 0), expected[1], 900).unwrap();
            bands.add((2, 22), -1.0, 901).unwrap();
            // They can be read more than once.
            for _ in 0..2 {
                let (mut heights, mut same, mut other) = (Vec::new(), 0, Vec::new());
                let mut again = |again| match again {
                    Again::Same => same += 1,
                    Again::Other(row) => other.push(row),
                };
                bands
                    .each(&mut again, &mut |band| {
                        heights.extend_from_slice(band);
                        Ok(())
                    })
                    .unwrap();
                let bits = |v: &[f64]| v.iter().map(|h| h.to_bits()).collect::<Vec<_>>();
                assert_eq!((bits(&heights), same, other), (bits(&expected), 1, vec![901]), "{cells}");
            }
        }
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "the files have no names");
    }

    #[test]
    fn a_tall_grid_has_no_more_bands_than_files_may_be_open() {
        let frame = RectifiedGrid { west: 0.0, north: 0.0, step_x: 1.0, step_y: 1.0, columns: 3, rows: 100_000 };
        let folder = tempfile::tempdir().unwrap();
        let bands = Bands::of_cells(1, frame, &folder.path().join("out.tif")).unwrap();
        assert_eq!(bands.bands.len(), MOST_BANDS);
    }
}
