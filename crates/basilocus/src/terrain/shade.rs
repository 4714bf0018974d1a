//! Relief: how much light falls on the ground.

use super::measured::{Steepness, SteepnessCount};
use super::source::{GridReading, HeightGrid, Stoppable};
use super::{raster_output, threads};
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::{Error, Progress};
use basilocus_formats::raster::RasterValues;
use basilocus_terrain::HeightRows;
use basilocus_terrain::gradient::{Measure, each_row};
use basilocus_terrain::shade::{Light, Sun};
use basilocus_terrain::slope::{SlopeUnit, steepness_of_row};
use serde::Serialize;
use std::path::PathBuf;

/// Which grid is lit how.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ShadePlan {
    /// The grid of heights (.tif, .asc), or a layer with heights
    pub grid: PathBuf,
    /// The relief: a picture (.png) with a world file, or a grid of bytes (.tif)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: PathBuf,
    /// Where the sun stands, degrees clockwise from the north of the grid; several suns share the light
    #[cfg_attr(feature = "arguments", arg(long, value_name = "DEGREES", value_delimiter = ',', default_value = "315"))]
    pub azimuth: Vec<f64>,
    /// How high it stands, degrees above the horizon; one for all suns, or one each
    #[cfg_attr(feature = "arguments", arg(long, value_name = "DEGREES", value_delimiter = ',', default_value = "45"))]
    pub altitude: Vec<f64>,
    /// How many times the heights are taken
    #[cfg_attr(feature = "arguments", arg(long, value_name = "TIMES", default_value_t = 1.0))]
    pub exaggeration: f64,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How the grid is taken
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: GridReading,
}

impl ShadePlan {
    /// A grid lit from the north-west, 45 degrees high.
    pub fn new(grid: impl Into<PathBuf>, output: impl Into<PathBuf>) -> Self {
        ShadePlan {
            grid: grid.into(),
            output: output.into(),
            azimuth: vec![315.0],
            altitude: vec![45.0],
            exaggeration: 1.0,
            overwrite: false,
            reading: GridReading::default(),
        }
    }

    fn light(&self) -> Result<Light, Error> {
        let n = self.azimuth.len();
        let altitude = |i: usize| if self.altitude.len() == 1 { self.altitude[0] } else { self.altitude[i] };
        if n == 0 || !(self.altitude.len() == 1 || self.altitude.len() == n) {
            return Err(Error::Usage(format!(
                "`azimuth` says {n} suns and `altitude` {} heights; one height for all suns or one each is expected",
                self.altitude.len()
            )));
        }
        if let Some(wrong) = (0..n).map(altitude).find(|a| !(0.0..=90.0).contains(a)) {
            return Err(Error::Usage(format!("`altitude` {wrong}: degrees from 0 to 90 are expected")));
        }
        if !(self.exaggeration > 0.0 && self.exaggeration.is_finite()) {
            return Err(Error::Usage(format!("`exaggeration` {}: a number above zero is expected", self.exaggeration)));
        }
        let suns: Vec<Sun> =
            (0..n).map(|i| Sun { azimuth_deg: self.azimuth[i], altitude_deg: altitude(i), weight: 1.0 }).collect();
        Light::new(&suns, self.exaggeration)
            .ok_or_else(|| Error::Usage("`azimuth`: degrees from north, clockwise, are expected".into()))
    }
}

/// What became of the grid.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ShadeReport {
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

/// Draws relief.
///
/// # Errors
/// Those of reading a grid and of writing; [`Error::Usage`] for suns that stand nowhere.
pub fn shade(plan: &ShadePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<ShadeReport, Error> {
    let light = plan.light()?;
    raster_output::check(&[&plan.grid], &plan.output, RasterValues::Light)?;
    let grid = HeightGrid::open(&plan.grid, &plan.reading, cancel)?;
    let mut interpretation = grid.notes.clone();
    let ground = grid.ground(false, &mut interpretation)?;
    interpretation.push(grid.unit.told());
    let (frame, crs, metres_per_height) = (grid.frame(), grid.crs.clone(), grid.unit.unit.metres);
    let mut writer = raster_output::create(&plan.output, &frame, crs.as_ref(), RasterValues::Light, plan.overwrite)?;
    let measure = Measure { ground: &ground, metres_per_height, threads: threads() };
    let mut rows = Stoppable::new(grid, &plan.grid, "drawing relief", cancel, progress);
    let mut count = SteepnessCount::default();
    each_row(
        &mut rows,
        &measure,
        |row, [lit, angles]| {
            light.on_row(row, lit);
            steepness_of_row(row, SlopeUnit::Degrees, angles);
        },
        |_, [lit, angles]| {
            angles.iter().for_each(|angle| count.add(*angle));
            Ok(writer.row(lit)?)
        },
    )?;
    let steepness = count.report();
    let doubts = doubts::of_steepness(&steepness, &plan.grid.display().to_string()).into_iter().collect();
    let mut notices = Vec::new();
    notices.extend(raster_output::publish(writer, cancel)?);
    Ok(ShadeReport {
        interpretation,
        size: [frame.columns, frame.rows],
        steepness,
        doubts,
        notices,
        outputs: vec![plan.output.clone()],
    })
}
