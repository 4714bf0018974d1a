//! A grid of more points than memory should hold: its heights are put to their cells band by band.

use super::banded_heights::{Again, Bands};
use super::grid::{off_the_grid, other_height};
use super::many_points::ManyPoints;
use super::points::Unused;
use crate::Error;
use crate::engine::Cancel;
use basilocus_terrain::lattice::{Lattice, TOLERANCE, Tally, frame_of_steps};
use std::collections::HashMap;
use std::path::Path;

/// What points in a file came to.
pub(super) struct FileLattice {
    pub lattice: Lattice,
    pub heights: Bands,
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
    let mut heights = Bands::new(frame, beside)?;
    let mut tally = Tally::new(frame, tolerance.unwrap_or(TOLERANCE));
    let off = off_the_grid(&frame, tolerance.unwrap_or(TOLERANCE));
    let mut unused = HashMap::new();
    many.each(&mut |points| {
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        for (i, source_row) in points.source_rows.iter().enumerate() {
            match tally.place(points.x[i], points.y[i]) {
                Some(place) => heights.add(place, points.z[i], *source_row)?,
                None => drop(unused.insert(*source_row, off.clone())),
            }
        }
        Ok(())
    })?;
    let (mut repeated, mut known, mut with_neighbour) = (0, 0u64, 0u64);
    let mut again = |again: Again| match again {
        Again::Same => repeated += 1,
        Again::Other(row) => drop(unused.insert(row, other_height())),
    };
    heights.each(&mut again, &mut |band| {
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        for row in band.chunks_exact(frame.columns) {
            let is_known = |at: Option<usize>| at.and_then(|at| row.get(at)).is_some_and(|h| !h.is_nan());
            for i in (0..row.len()).filter(|i| !row[*i].is_nan()) {
                known += 1;
                with_neighbour += u64::from(is_known(i.checked_sub(1)) || is_known(Some(i + 1)));
            }
        }
        Ok(())
    })?;
    let judged = tally.judged(known, || with_neighbour as f64 / known.max(1) as f64);
    Ok(judged.ok().map(|lattice| FileLattice { lattice, heights, repeated, unused }))
}
