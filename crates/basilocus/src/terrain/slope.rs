//! Steepness, and which way the ground falls.

use super::measured::{Steepness, SteepnessCount};
use super::source::{GridReading, HeightGrid, Stoppable};
use super::{raster_output, threads};
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::{Error, Progress};
use basilocus_formats::publish;
use basilocus_formats::raster::RasterValues;
use basilocus_terrain::HeightRows;
use basilocus_terrain::gradient::{Measure, each_row};
use basilocus_terrain::slope::{SlopeUnit, fall_directions_of_row, steepness_of_row};
use serde::Serialize;
use std::path::PathBuf;
use std::str::FromStr;

/// In what steepness is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct SlopeIn(pub SlopeUnit);

impl FromStr for SlopeIn {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "degrees" => Ok(SlopeIn(SlopeUnit::Degrees)),
            "percent" => Ok(SlopeIn(SlopeUnit::PerCent)),
            _ => Err("degrees or percent is expected".into()),
        }
    }
}

/// Of which grid steepness is computed.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct SlopePlan {
    /// The grid of heights (.tif, .asc), or a layer with heights
    pub grid: PathBuf,
    /// The grid of steepness (.tif, .asc)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "GRID"))]
    pub output: PathBuf,
    /// In what steepness is given
    #[cfg_attr(feature = "arguments", arg(long, value_name = "degrees|percent", default_value = "degrees"))]
    pub unit: SlopeIn,
    /// A second grid with the direction in which the ground falls, degrees clockwise from the north of the grid; level
    /// ground has none
    #[cfg_attr(feature = "arguments", arg(long, value_name = "GRID"))]
    pub direction: Option<PathBuf>,
    /// Replace outputs that exist
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How the grid is taken
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: GridReading,
}

impl SlopePlan {
    /// Steepness in degrees.
    pub fn new(grid: impl Into<PathBuf>, output: impl Into<PathBuf>) -> Self {
        SlopePlan {
            grid: grid.into(),
            output: output.into(),
            unit: SlopeIn::default(),
            direction: None,
            overwrite: false,
            reading: GridReading::default(),
        }
    }
}

/// What became of the grid.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SlopeReport {
    /// How the grid was read and measured.
    pub interpretation: Vec<String>,
    /// Columns and rows.
    pub size: [usize; 2],
    /// How steep the ground is.
    pub steepness: Steepness,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// Computes steepness.
///
/// # Errors
/// Those of reading a grid and of writing.
pub fn slope(plan: &SlopePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<SlopeReport, Error> {
    raster_output::check(&[&plan.grid], &plan.output, RasterValues::Numbers)?;
    if let Some(direction) = &plan.direction {
        raster_output::check(&[&plan.grid, &plan.output], direction, RasterValues::Numbers)?;
    }
    let grid = HeightGrid::open(&plan.grid, &plan.reading, cancel)?;
    let mut interpretation = grid.notes.clone();
    let ground = grid.ground(false, &mut interpretation)?;
    interpretation.push(grid.unit.told());
    let (frame, crs, metres_per_height) = (grid.frame(), grid.crs.clone(), grid.unit.unit.metres);
    // Angles have no vertical system.
    let crs = crs.as_ref().map(|crs| crs.horizontal());
    let create = |path| raster_output::create(path, &frame, crs, RasterValues::Numbers, plan.overwrite);
    let mut writer = create(&plan.output)?;
    let mut directions = plan.direction.as_ref().map(|path| create(path)).transpose()?;
    let measure = Measure { ground: &ground, metres_per_height, threads: threads() };
    let mut rows = Stoppable::new(grid, &plan.grid, "measuring slopes", cancel, progress);
    let mut count = SteepnessCount::default();
    let (in_degrees, has_directions) = (plan.unit.0 == SlopeUnit::Degrees, directions.is_some());
    each_row(
        &mut rows,
        &measure,
        |row, [angles, slopes, falls]| {
            // Arc tangents are most of the work: none is made twice, or for nobody.
            steepness_of_row(row, SlopeUnit::Degrees, angles);
            if !in_degrees {
                steepness_of_row(row, plan.unit.0, slopes);
            }
            if has_directions {
                fall_directions_of_row(row, falls);
            }
        },
        |_, [angles, slopes, falls]| {
            angles.iter().for_each(|angle| count.add(*angle));
            writer.row(if in_degrees { angles } else { slopes })?;
            Ok(directions.as_mut().map_or(Ok(()), |d| d.row(falls))?)
        },
    )?;
    let steepness = count.report();
    let doubts = doubts::of_steepness(&steepness, &plan.grid.display().to_string()).into_iter().collect();
    let mut notices = Vec::new();
    let mut pending = Vec::new();
    for writer in std::iter::once(writer).chain(directions) {
        let (one, told) = writer.finish()?;
        pending.push(one);
        notices.extend(told);
    }
    if cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    publish(pending)?;
    let outputs = std::iter::once(plan.output.clone()).chain(plan.direction.clone()).collect();
    Ok(SlopeReport { interpretation, size: [frame.columns, frame.rows], steepness, doubts, notices, outputs })
}
