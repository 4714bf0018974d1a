//! Lines of one height.

use super::grid::layer_of;
use super::layer_output::{Rows, name_of};
use super::layer_surface::LayerSurface;
use super::raster_output::check_layer;
use super::source::{GridReading, HeightGrid, Stoppable};
use super::survey::survey;
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::plan::InputPlan;
use crate::steps::Positions;
use crate::{Error, Progress};
use arrow_array::{ArrayRef, BooleanArray, Float64Array};
use arrow_schema::{DataType, Field};
use basilocus_formats::raster::RasterFormat;
use basilocus_geodesy::crs::Crs;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_terrain::contour::{ContourLine, Levels, contours, contours_of_triangles};
use serde::Serialize;
use std::path::PathBuf;
use std::sync::Arc;

/// Of which heights lines are drawn.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ContourPlan {
    /// The grid of heights (.tif, .asc), or a layer with heights, of which triangles are made
    pub source: PathBuf,
    /// The lines (.gpkg .geojson .shp .kml .dxf .csv …)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: PathBuf,
    /// From a line to the next one, in the unit of the heights
    #[cfg_attr(feature = "arguments", arg(long, value_name = "HEIGHT"))]
    pub every: f64,
    /// A height that has a line
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "HEIGHT", default_value_t = 0.0, allow_negative_numbers = true)
    )]
    pub base: f64,
    /// Every how many lines one is a main one
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 5))]
    pub main: u32,
    /// Cut the corners of lines so many times: they look smoother and no longer lie on the surface
    #[cfg_attr(feature = "arguments", arg(long, value_name = "TIMES", default_value_t = 0))]
    pub smooth: u8,
    /// Longest edge of a triangle where points are the source, in the unit of the system
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LENGTH"))]
    pub longest_edge: Option<f64>,
    /// Number that stands for no height, where the grid does not say it
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NUMBER", allow_negative_numbers = true))]
    pub no_data: Option<f64>,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How to read points
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
    /// Where positions and heights of points are; of a grid the system alone, where its file carries none
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub positions: Positions,
}

impl ContourPlan {
    /// Lines from zero on, so far from each other.
    pub fn new(source: impl Into<PathBuf>, output: impl Into<PathBuf>, every: f64) -> Self {
        ContourPlan {
            source: source.into(),
            output: output.into(),
            every,
            base: 0.0,
            main: 5,
            smooth: 0,
            longest_edge: None,
            no_data: None,
            overwrite: false,
            input: InputPlan::default(),
            positions: Positions::default(),
        }
    }
}

/// What became of the heights.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ContourReport {
    /// How they were read.
    pub interpretation: Vec<String>,
    /// Lowest and highest height.
    pub range: [f64; 2],
    /// Lines written.
    pub lines: u64,
    /// Of them those that close.
    pub closed: u64,
    /// Heights that have lines.
    pub levels: u64,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// The most heights that have lines: more are a slip.
const MOST_LEVELS: u64 = 10_000;
/// Lines that are put into a block.
const BLOCK: usize = 1024;
/// The most times that corners are cut: each makes a line twice as long.
const MOST_SMOOTH: u8 = 6;

/// Draws lines of one height.
///
/// # Errors
/// Those of reading and writing; [`Error::Usage`] for steps that make no lines or too many.
pub fn contours_of(plan: &ContourPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<ContourReport, Error> {
    check_layer(&[&plan.source], &plan.output)?;
    let levels = Levels::new(plan.base, plan.every)
        .ok_or_else(|| Error::Usage(format!("`every` {}: a height above zero is expected", plan.every)))?;
    if plan.smooth > MOST_SMOOTH {
        return Err(Error::Usage(format!("`smooth` {}: {MOST_SMOOTH} times at most", plan.smooth)));
    }
    let mut made = if RasterFormat::of_file(&plan.source)?.is_some() {
        of_grid(plan, &levels, cancel, progress)?
    } else {
        of_layer(plan, &levels, cancel, progress)?
    };
    if plan.smooth > 0 {
        made.interpretation.push(format!(
            "corners of lines were cut {} times: lines no longer lie exactly on the surface, and may touch where it is steep",
            plan.smooth
        ));
    }
    made.interpretation.push("lines have the higher ground on their left".into());
    let report = ContourReport {
        interpretation: made.interpretation,
        range: made.range,
        lines: made.lines,
        closed: made.closed,
        levels: levels.count(made.range[0], made.range[1]),
        doubts: made.doubts,
        notices: made.notices,
        outputs: vec![plan.output.clone()],
    };
    let mut rows = made.rows;
    rows.flush()?;
    let told = rows.rows.write(&name_of(&plan.output), &plan.output, plan.overwrite, cancel)?;
    Ok(ContourReport { notices: report.notices.into_iter().chain(told).collect(), ..report })
}

/// What was drawn.
struct Made {
    rows: Lines,
    interpretation: Vec<String>,
    doubts: Vec<DoubtReport>,
    notices: Vec<String>,
    range: [f64; 2],
    lines: u64,
    closed: u64,
}

fn check_levels(levels: &Levels, [low, high]: [f64; 2], notices: &mut Vec<String>) -> Result<(), Error> {
    let count = levels.count(low, high);
    if count > MOST_LEVELS {
        return Err(Error::Usage(format!(
            "`every`: heights from {low} to {high} would have {count} lines above each other; say a larger step"
        )));
    }
    if count == 0 {
        notices.push(format!("heights from {low} to {high} have no line at such steps"));
    }
    Ok(())
}

fn of_grid(plan: &ContourPlan, levels: &Levels, cancel: &Cancel, progress: &dyn Progress) -> Result<Made, Error> {
    let positions = Positions { from: plan.positions.from.clone(), ..Default::default() };
    if plan.positions != positions || plan.input != InputPlan::default() {
        return Err(Error::Usage(format!(
            "{}: is a grid, which has no columns: of what is said of points, `from` alone has a meaning for it",
            plan.source.display()
        )));
    }
    let reading = GridReading { from: plan.positions.from.clone(), height_unit: None, no_data: plan.no_data };
    let mut grid = HeightGrid::open(&plan.source, &reading, cancel)?;
    let mut rows = Stoppable::new(&mut grid, &plan.source, "looking at all heights", cancel, progress);
    let range = survey(&mut rows, &plan.source.display().to_string())?;
    drop(rows);
    let mut notices = Vec::new();
    let doubts = doubts::of_heights(&range, &plan.source.display().to_string());
    check_levels(levels, [range.lowest, range.highest], &mut notices)?;
    let mut lines = Lines::new(plan, grid.crs.as_ref())?;
    let (mut count, mut closed) = (0, 0);
    let mut rows = Stoppable::new(&mut grid, &plan.source, "drawing lines", cancel, progress);
    contours(&mut rows, levels, |line| {
        count += 1;
        closed += u64::from(line.is_closed());
        lines.take(line)
    })?;
    drop(rows);
    Ok(Made {
        rows: lines,
        interpretation: grid.notes.clone(),
        doubts: doubts.into_iter().collect(),
        notices,
        range: [range.lowest, range.highest],
        lines: count,
        closed,
    })
}

fn of_layer(plan: &ContourPlan, levels: &Levels, cancel: &Cancel, progress: &dyn Progress) -> Result<Made, Error> {
    let layer = layer_of(&plan.source, &plan.input, &plan.positions);
    let mut read = LayerSurface::read(&layer, cancel, progress)?;
    let surface = read.triangles(plan.longest_edge)?;
    let z = || surface.points.iter().map(|p| p[2]);
    let range = [z().fold(f64::INFINITY, f64::min), z().fold(f64::NEG_INFINITY, f64::max)];
    let mut notices = std::mem::take(&mut read.notices);
    check_levels(levels, range, &mut notices)?;
    let mut lines = Lines::new(plan, Some(&read.crs))?;
    let drawn = contours_of_triangles(&surface, levels);
    let (count, closed) = (drawn.len() as u64, drawn.iter().filter(|l| l.is_closed()).count() as u64);
    drawn.into_iter().try_for_each(|line| lines.take(line))?;
    let (interpretation, doubts) = (read.interpretation, read.doubts);
    Ok(Made { rows: lines, interpretation, doubts, notices, range, lines: count, closed })
}

/// Lines on their way to a layer.
struct Lines {
    rows: Rows,
    main: i64,
    smooth: usize,
    waiting: Vec<ContourLine>,
}

impl Lines {
    fn new(plan: &ContourPlan, crs: Option<&Crs>) -> Result<Self, Error> {
        let fields = vec![Field::new("height", DataType::Float64, true), Field::new("main", DataType::Boolean, true)];
        let rows = Rows::with_shapes(crs, fields)?;
        Ok(Lines { rows, main: i64::from(plan.main), smooth: plan.smooth.into(), waiting: Vec::new() })
    }

    fn take(&mut self, line: ContourLine) -> Result<(), Error> {
        self.waiting.push(line);
        if self.waiting.len() < BLOCK { Ok(()) } else { self.flush() }
    }

    fn flush(&mut self) -> Result<(), Error> {
        let lines = std::mem::take(&mut self.waiting);
        if lines.is_empty() {
            return Ok(());
        }
        let heights: ArrayRef = Arc::new(lines.iter().map(|l| clean(l.height)).collect::<Float64Array>());
        let is_main = |l: &ContourLine| self.main > 0 && l.level.rem_euclid(self.main) == 0;
        let main: ArrayRef = Arc::new(lines.iter().map(|l| Some(is_main(l))).collect::<BooleanArray>());
        let shapes: Vec<Geometry> = lines
            .iter()
            .map(|l| {
                let points = if self.smooth > 0 { l.smoothed(self.smooth) } else { l.points.clone() };
                Geometry::LineString(points.iter().map(|[x, y]| Position::xy(*x, *y)).collect())
            })
            .collect();
        self.rows.push(vec![heights, main], Some(&shapes))
    }
}

/// A height without the digits that three tenths have in binary.
fn clean(height: f64) -> f64 {
    format!("{height:.9}").parse().unwrap_or(height)
}
