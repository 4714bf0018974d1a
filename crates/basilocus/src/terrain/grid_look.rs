//! What a grid of heights is, before anybody trusts it.

use super::measured::SteepnessCount;
use super::source::{GridReading, HeightGrid, Stoppable};
use super::survey::{Counted, HeightRange};
use super::{Steepness, threads};
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::{Error, Progress};
use basilocus_geodesy::crs::Crs;
use basilocus_terrain::HeightRows;
use basilocus_terrain::gradient::{Measure, each_row};
use basilocus_terrain::slope::{SlopeUnit, steepness_of_row};
use serde::Serialize;
use std::path::Path;

/// A grid of heights.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct GridLook {
    /// Columns and rows.
    pub size: [usize; 2],
    /// Width and height of a cell, in the unit of the system.
    pub cell: [f64; 2],
    /// West, south, east, north of the outermost heights.
    pub bounds: [f64; 4],
    /// Whether heights are those of points; otherwise those of cells, whose middles they stand in.
    pub is_of_points: bool,
    /// What a height is in the file.
    pub sample: String,
    /// The number that stands for no height.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub no_data: Option<f64>,
    /// The unit of the heights, in words.
    pub height_unit: String,
    /// The heights.
    pub heights: HeightRange,
    /// How steep the ground is; nothing where its system has no lengths.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub steepness: Option<Steepness>,
}

/// Looks at all heights of a grid.
///
/// # Errors
/// Where it cannot be read.
pub(crate) fn look_at_grid(path: &Path, cancel: &Cancel, progress: &dyn Progress) -> Result<Looked, Error> {
    let grid = HeightGrid::open(path, &GridReading::default(), cancel)?;
    let Some(about) = grid.about().cloned() else {
        return Err(Error::Defect(format!("{}: a grid that is none", path.display())));
    };
    let (crs, unit, mut notes) = (grid.crs.clone(), grid.unit.clone(), grid.notes.clone());
    let frame = grid.frame();
    let mut unmeasured = Vec::new();
    let ground = match &crs {
        Some(_) => grid.ground(false, &mut unmeasured).map_err(|e| notes.push(e.to_string())).ok(),
        None => None,
    };
    let mut heights = HeightRange::default();
    let counted = Counted { heights: grid, range: &mut heights };
    let mut rows = Stoppable::new(counted, path, "looking at all heights", cancel, progress);
    let mut count = SteepnessCount::default();
    match &ground {
        Some(ground) => {
            let measure = Measure { ground, metres_per_height: unit.unit.metres, threads: threads() };
            each_row(
                &mut rows,
                &measure,
                |row, [angles]| steepness_of_row(row, SlopeUnit::Degrees, angles),
                |_, [angles]| {
                    angles.iter().for_each(|angle| count.add(*angle));
                    Ok(())
                },
            )?;
        }
        None => {
            let mut row = vec![0.0; frame.columns];
            (0..frame.rows).try_for_each(|i| rows.row(i, &mut row))?;
        }
    }
    drop(rows);
    let steepness = ground.map(|_| count.report());
    let layer = path.display().to_string();
    let mut found: Vec<DoubtReport> = doubts::of_heights(&heights, &layer).into_iter().collect();
    // Cliffs around heights that are none say nothing of units.
    if found.is_empty() {
        found.extend(steepness.as_ref().and_then(|s| doubts::of_steepness(s, &layer)));
    }
    let look = GridLook {
        size: [frame.columns, frame.rows],
        cell: [frame.step_x, frame.step_y],
        bounds: frame.bounds(),
        is_of_points: about.is_of_points,
        sample: about.sample.clone(),
        no_data: about.no_data.filter(|n| n.is_finite()),
        height_unit: if unit.is_said { unit.unit.plural() } else { "not said".into() },
        heights,
        steepness,
    };
    Ok(Looked { look, format: about.format.driver().name, crs, notes, doubts: found })
}

/// What a look at a grid found.
pub(crate) struct Looked {
    pub look: GridLook,
    pub format: &'static str,
    pub crs: Option<Crs>,
    pub notes: Vec<String>,
    pub doubts: Vec<DoubtReport>,
}
