//! A grid of more points than memory should hold: its heights are put to their cells one by one, in a file.

use super::grid::{off_the_grid, other_height};
use super::many_points::ManyPoints;
use super::points::Unused;
use super::tiled_heights::TiledHeights;
use crate::Error;
use crate::engine::Cancel;
use basilocus_terrain::lattice::{Lattice, TOLERANCE, Tally, frame_of_steps};
use std::collections::HashMap;
use std::path::Path;

/// What points in a file came to.
pub(super) struct FileLattice {
    pub lattice: Lattice,
    pub heights: TiledHeights,
    /// Points at a cell that has their height already.
    pub repeated: u64,
    /// Points that have no part in it, by their rows.
    pub unused: HashMap<u64, Unused>,
}

/// The grid that points are; none where they are not one.
///
/// # Errors
/// [`Error::Cancelled`], and those of temporary files.
pub(super) fn lattice_of(
    many: &mut ManyPoints,
    tolerance: Option<f64>,
    beside: &Path,
    cancel: &Cancel,
) -> Result<Option<FileLattice>, Error> {
    let [along_x, along_y] = many.along();
    let Ok(frame) = frame_of_steps(along_x, along_y, tolerance) else { return Ok(None) };
    let mut heights = TiledHeights::new(frame, beside)?;
    let mut tally = Tally::new(frame, tolerance.unwrap_or(TOLERANCE));
    let off = off_the_grid(&frame, tolerance.unwrap_or(TOLERANCE));
    let (mut repeated, mut filled, mut unused) = (0, 0, HashMap::new());
    many.each(&mut |points| {
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        for (i, source_row) in points.source_rows.iter().enumerate() {
            let Some((column, row)) = tally.place(points.x[i], points.y[i]) else {
                unused.insert(*source_row, off.clone());
                continue;
            };
            let cell = heights.cell(column, row)?;
            if cell.is_nan() {
                *cell = points.z[i];
                filled += 1;
            } else if *cell == points.z[i] {
                repeated += 1;
            } else {
                unused.insert(*source_row, other_height());
            }
        }
        Ok(())
    })?;
    let mut failed = None;
    let with_neighbour = || {
        let share = share_with_neighbour(&mut heights, frame.rows, frame.columns);
        share.unwrap_or_else(|e| {
            failed = Some(e);
            0.0
        })
    };
    let judged = tally.judged(filled, with_neighbour);
    match (failed, judged) {
        (Some(e), _) => Err(e),
        (None, Ok(lattice)) => Ok(Some(FileLattice { lattice, heights, repeated, unused })),
        (None, Err(_)) => Ok(None),
    }
}

/// The share of cells with a height that have a neighbour with one in their row.
fn share_with_neighbour(heights: &mut TiledHeights, rows: usize, columns: usize) -> Result<f64, Error> {
    let (mut known, mut with) = (0u64, 0u64);
    let mut row = vec![f64::NAN; columns];
    for at in 0..rows {
        heights.row(at, &mut row)?;
        for i in (0..columns).filter(|i| !row[*i].is_nan()) {
            let is_known = |at: Option<usize>| at.and_then(|at| row.get(at)).is_some_and(|h| !h.is_nan());
            known += 1;
            with += u64::from(is_known(i.checked_sub(1)) || is_known(Some(i + 1)));
        }
    }
    Ok(with as f64 / known.max(1) as f64)
}
