//! What lies above and below a level.

use super::measured::AreaMeasured;
use super::shapes::{self, ShapeSource, area_of, is_area};
use super::source::{GridReading, HeightGrid, Stoppable};
use super::survey::{Counted, HeightRange, check_known};
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::{Error, Progress};
use basilocus_terrain::triangle_volume::volume_of_triangles;
use basilocus_terrain::volume::Level;
use serde::Serialize;
use std::path::PathBuf;

/// The areas that something is measured in.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Areas"))]
pub struct AreaChoice {
    /// Layer of polygons: each is measured by itself
    #[cfg_attr(feature = "arguments", arg(long, value_name = "AREAS"))]
    pub inside: Option<PathBuf>,
    /// Layer of the areas, where their file has several
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME", requires = "inside"))]
    pub inside_layer: Option<String>,
    /// System of the areas, where their file carries none
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS", requires = "inside"))]
    pub inside_from: Option<String>,
    /// Column that names an area
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN", requires = "inside"))]
    pub name: Option<String>,
}

impl AreaChoice {
    /// Reads the areas, with their names.
    pub(super) fn read(
        &self,
        grid: &HeightGrid,
        told: &mut Vec<String>,
        cancel: &Cancel,
    ) -> Result<(Vec<String>, Vec<basilocus_terrain::area::Area>), Error> {
        let Some(path) = &self.inside else { return Ok((Vec::new(), Vec::new())) };
        let from = ShapeSource {
            path,
            layer: self.inside_layer.as_deref(),
            from: self.inside_from.as_deref(),
            name: self.name.as_deref(),
        };
        let shapes = shapes::read(from, grid.crs.as_ref(), "a polygon", is_area, cancel)?;
        told.extend(shapes.interpretation);
        Ok(shapes.list.iter().map(|(name, geometry)| (name.clone(), area_of(geometry))).unzip())
    }
}

/// Of which grid what is measured.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct VolumePlan {
    /// The grid of heights (.tif, .asc), or a layer with heights
    pub grid: PathBuf,
    /// The level, in the unit of the heights
    #[cfg_attr(feature = "arguments", arg(long, value_name = "HEIGHT", allow_negative_numbers = true))]
    pub above: f64,
    /// How much the level rises with a unit of easting and with one of northing, where it is a plane
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "EAST,NORTH", value_delimiter = ',', allow_hyphen_values = true, requires = "at")
    )]
    pub rise: Vec<f64>,
    /// Where such a plane has the height of --above: easting and northing in the system of the grid
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "X,Y", value_delimiter = ',', allow_hyphen_values = true, requires = "rise")
    )]
    pub at: Vec<f64>,
    /// Measure in the plane of the system in place of on the ground
    #[cfg_attr(feature = "arguments", arg(long))]
    pub in_plane: bool,
    /// In which areas
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub areas: AreaChoice,
    /// How the grid is taken
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: GridReading,
}

impl VolumePlan {
    /// What lies above and below one height.
    pub fn new(grid: impl Into<PathBuf>, above: f64) -> Self {
        VolumePlan {
            grid: grid.into(),
            above,
            rise: Vec::new(),
            at: Vec::new(),
            in_plane: false,
            areas: AreaChoice::default(),
            reading: GridReading::default(),
        }
    }

    fn level(&self) -> Result<Level, Error> {
        let finite = self.above.is_finite() && self.rise.iter().chain(&self.at).all(|v| v.is_finite());
        match (&self.rise[..], &self.at[..]) {
            ([], []) if finite => Ok(Level::flat(self.above)),
            ([east, north], [x, y]) if finite => Ok(Level::plane(self.above, [*x, *y], [*east, *north])),
            _ => Err(Error::Usage(
                "a level is a height (`above`), or a plane: `rise` EAST,NORTH and `at` X,Y, two numbers each".into(),
            )),
        }
    }
}

/// What was measured.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct VolumeReport {
    /// How the grid was read and measured.
    pub interpretation: Vec<String>,
    /// The level.
    pub above: f64,
    /// Cubic metres of ground above the level.
    pub volume_m3: f64,
    /// Square metres on which it stands.
    pub area_m2: f64,
    /// Cubic metres of room below the level.
    pub below_volume_m3: f64,
    /// Square metres over which it lies.
    pub below_area_m2: f64,
    /// Square metres in which the ground is known.
    pub known_area_m2: f64,
    /// The same of each area.
    pub areas: Vec<AreaMeasured>,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
}

/// Measures what lies above and below a level.
///
/// # Errors
/// Those of reading a grid and areas; [`Error::Usage`] for a level that is none.
pub fn volume(plan: &VolumePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<VolumeReport, Error> {
    let level = plan.level()?;
    let mut grid = HeightGrid::open(&plan.grid, &plan.reading, cancel)?;
    let mut interpretation = grid.notes.clone();
    let ground = grid.ground(plan.in_plane, &mut interpretation)?;
    interpretation.push(grid.unit.told());
    let (names, areas) = plan.areas.read(&grid, &mut interpretation, cancel)?;
    let metres = grid.unit.unit.metres;
    let mut range = HeightRange::default();
    let parts = match grid.triangles() {
        Some(triangles) => {
            let surface = triangles.surface();
            range.add(&surface.points.iter().map(|p| p[2]).collect::<Vec<f64>>());
            volume_of_triangles(surface, &ground, metres, level, &areas)
        }
        None => {
            let counted = Counted { heights: &mut grid, range: &mut range };
            let mut rows = Stoppable::new(counted, &plan.grid, "measuring", cancel, progress);
            basilocus_terrain::volume::volume(&mut rows, &ground, metres, level, &areas)?
        }
    };
    let path = plan.grid.display().to_string();
    check_known(&range, &path)?;
    let doubts = doubts::of_heights(&range, &path).into_iter().collect();
    let mut notices = Vec::new();
    notices.extend(beyond(&parts.areas, &names));
    let measured = names.into_iter().zip(&parts.areas).map(|(name, part)| AreaMeasured::of(name, part));
    Ok(VolumeReport {
        interpretation,
        above: plan.above,
        volume_m3: parts.whole.above,
        area_m2: parts.whole.area_above,
        below_volume_m3: parts.whole.below,
        below_area_m2: parts.whole.area_below,
        known_area_m2: parts.whole.area,
        areas: measured.collect(),
        doubts,
        notices,
    })
}

/// What to tell of areas in which nothing is known.
pub(super) fn beyond(parts: &[basilocus_terrain::volume::Part], names: &[String]) -> Option<String> {
    let outside: Vec<&str> =
        parts.iter().zip(names).filter(|(part, _)| part.area <= 0.0).map(|(_, name)| name.as_str()).collect();
    (!outside.is_empty()).then(|| {
        format!("{} of {} areas lie where the ground is not known: {}", outside.len(), names.len(), outside.join(", "))
    })
}
