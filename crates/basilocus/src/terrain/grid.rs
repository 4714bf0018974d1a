//! A grid made of points.

use super::banded_heights::Bands;
use super::lattice_file::{FileLattice, lattice_of};
use super::points::{AboutPoints, ReadPoints, Unused, aside_path};
use super::source::HeightUnit;
use super::survey::HeightRange;
use super::{points, raster_output};
use crate::doubts::DoubtReport;
use crate::engine::Cancel;
use crate::plan::{InputPlan, LayerPlan};
use crate::steps::Positions;
use crate::{Error, Progress};
use basilocus_formats::publish;
use basilocus_formats::raster::RasterValues;
use basilocus_geodesy::crs::{Crs, Heights};
use basilocus_table::Reason;
use basilocus_terrain::gridding::{by_lattice, by_mean, by_triangles, frame_around, frame_of_cells};
use basilocus_terrain::lattice::Lattice;
use basilocus_terrain::spacing::{Spacing, spacing};
use basilocus_terrain::triangulation::triangulate;
use basilocus_terrain::turned_lattice::TurnedLattice;
use basilocus_terrain::{Grid, RectifiedGrid};
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;
use std::str::FromStr;

/// How cells get their heights.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
#[non_exhaustive]
pub enum GridBy {
    /// Points stand at positions of a grid; each gives its cell its height.
    Lattice,
    /// Triangles are made of the points; a cell has the height of the triangle that it lies in.
    Triangles,
    /// A cell has the mean of the points in it.
    Mean,
}

impl FromStr for GridBy {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "lattice" => Ok(GridBy::Lattice),
            "triangles" => Ok(GridBy::Triangles),
            "mean" => Ok(GridBy::Mean),
            _ => Err("lattice, triangles or mean is expected".into()),
        }
    }
}

/// Which points become which grid.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct GridPlan {
    /// XYZ text, table or layer of points with heights
    pub points: PathBuf,
    /// The grid (.tif, .asc)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "GRID"))]
    pub output: PathBuf,
    /// Size of a cell, in the unit of the system; that of the points' own grid, or one that suits their spacing
    #[cfg_attr(feature = "arguments", arg(long, value_name = "SIZE"))]
    pub cell: Option<f64>,
    /// How cells get their heights; lattice where the spacing is uniform, else triangles
    #[cfg_attr(feature = "arguments", arg(long, value_name = "lattice|triangles|mean"))]
    pub by: Option<GridBy>,
    /// Share of a step that a point of a uniform grid may be off it; 0.1 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "SHARE"))]
    pub tolerance: Option<f64>,
    /// Longest edge of a triangle, in the unit of the system: beyond it nothing is known
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LENGTH"))]
    pub longest_edge: Option<f64>,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How to read
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
    /// Where positions and heights are
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub positions: Positions,
}

impl GridPlan {
    /// Points to a grid, all else found.
    pub fn new(points: impl Into<PathBuf>, output: impl Into<PathBuf>) -> Self {
        GridPlan {
            points: points.into(),
            output: output.into(),
            cell: None,
            by: None,
            tolerance: None,
            longest_edge: None,
            overwrite: false,
            input: InputPlan::default(),
            positions: Positions::default(),
        }
    }
}

/// Whether the spacing of points is uniform.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SpacingReport {
    /// Whether they are a grid.
    pub is_uniform: bool,
    /// Steps of the grid in the unit of the system, easting first; of a turned one along its rows and from row to row.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub step: Option<[f64; 2]>,
    /// Its columns and rows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub size: Option<[usize; 2]>,
    /// How far the rows of a grid that is turned against the axes run from east, in degrees, anticlockwise.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turn_deg: Option<f64>,
    /// Of a grid that is turned, the angle from its rows to its columns, in degrees: 90 where they are square.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub between_deg: Option<f64>,
    /// Points off it.
    pub off: u64,
    /// Its positions at which no point stands.
    pub empty: u64,
    /// Points beyond the first at one of its positions.
    pub repeated: u64,
    /// Share of a step that a point may be off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<f64>,
    /// The farthest that a point on it is off, as a share of a step.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub farthest: Option<f64>,
    /// Of scattered points the mean distance to a neighbour.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mean: Option<f64>,
    /// Why they are scattered.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
}

impl SpacingReport {
    pub(crate) fn of(spacing: &Spacing) -> Self {
        match spacing {
            Spacing::Uniform(Lattice { frame, tolerance, farthest, off, empty, repeated }) => SpacingReport {
                is_uniform: true,
                step: Some([frame.step_x, frame.step_y]),
                size: Some([frame.columns, frame.rows]),
                tolerance: Some(*tolerance),
                farthest: Some(*farthest),
                off: *off,
                empty: *empty,
                repeated: *repeated,
                ..Default::default()
            },
            Spacing::Turned(lattice) => SpacingReport {
                turn_deg: Some(lattice.turn_deg()),
                between_deg: Some(lattice.between_deg()),
                ..SpacingReport::of(&Spacing::Uniform(lattice.unturned()))
            },
            Spacing::Scattered { mean, why } => SpacingReport {
                mean: Some(*mean).filter(|m| m.is_finite()),
                why: Some(why.clone()),
                ..Default::default()
            },
            _ => SpacingReport::default(),
        }
    }
}

/// How far the rows of a grid are turned against the axes, in words.
pub fn turned_words(turn_deg: f64) -> String {
    let way = if turn_deg < 0.0 { "clockwise" } else { "anticlockwise" };
    format!("turned {:.2} degrees {way} from east", turn_deg.abs())
}

/// What became of the points.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct GridReport {
    /// How they were read.
    pub interpretation: Vec<String>,
    /// How they are spaced.
    pub spacing: SpacingReport,
    /// How cells got their heights.
    pub by: GridBy,
    /// The system.
    pub crs: String,
    /// Columns of the grid.
    pub columns: usize,
    /// Rows of the grid.
    pub rows: usize,
    /// Width and height of a cell.
    pub cell: [f64; 2],
    /// West, south, east, north of the outermost heights.
    pub bounds: [f64; 4],
    /// The heights.
    pub heights: HeightRange,
    /// Rows of the source.
    pub rows_in: u64,
    /// Rows that heights come from.
    pub rows_used: u64,
    /// Rows that say again what another one says.
    pub rows_repeated: u64,
    /// Rows set aside, by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// Points that are held in memory, some 130 megabytes; where there are more, a grid of them is made in a file.
const MOST_IN_MEMORY: usize = 4_000_000;
/// The most cells of a grid that is made of points: what memory holds.
const MOST_CELLS: usize = 1 << 30;
const OFF: Reason = Reason::new("off the grid");
const OUTSIDE: Reason = Reason::new("outside the grid");
const OTHER_HEIGHT: Reason = Reason::new("another height at the same place");

/// Makes a grid of points.
///
/// # Errors
/// Those of reading points; [`Error::Usage`] where scattered points are to be a lattice, or the grid would be too large;
/// those of writing.
pub fn grid_of(plan: &GridPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<GridReport, Error> {
    raster_output::check(&[&plan.points], &plan.output, RasterValues::Numbers)?;
    if let Some(wrong) = plan.cell.filter(|c| !(*c > 0.0 && c.is_finite())) {
        return Err(Error::Usage(format!("`cell` {wrong}: a size above zero is expected")));
    }
    if let Some(wrong) = plan.tolerance.filter(|t| !(0.0..0.5).contains(t)) {
        return Err(Error::Usage(format!("`tolerance` {wrong}: a share of a step from 0 up to 0.5 is expected")));
    }
    grid_up_to(MOST_IN_MEMORY, plan, cancel, progress)
}

/// The same, with more points than `most` in a file.
fn grid_up_to(most: usize, plan: &GridPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<GridReport, Error> {
    let layer = layer_of(&plan.points, &plan.input, &plan.positions);
    let mut notices = Vec::new();
    let read = points::read_up_to(most, &layer, Some(&plan.output), cancel, progress)?;
    let Made { about, spaced, by, frame, mut heights, rows_repeated, unused } = made(plan, read, &mut notices, cancel)?;
    let mut set_aside = about.set_aside.clone();
    for Unused { class, .. } in unused.values() {
        *set_aside.entry(class.to_string()).or_default() += 1;
    }
    let mut writer =
        raster_output::create(&plan.output, &frame, Some(&about.crs), RasterValues::Numbers, plan.overwrite)?;
    let aside = about.write_aside(&layer, &unused, &plan.output, plan.overwrite, cancel)?;
    let mut range = HeightRange::default();
    heights.each_row(&frame, &mut |row| {
        range.add(row);
        Ok(writer.row(row)?)
    })?;
    let mut doubts = about.doubts.clone();
    doubts.extend(crate::doubts::of_heights(&range, &plan.points.display().to_string()));
    if cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    let (pending, told) = writer.finish()?;
    notices.extend(told);
    let mut outputs = vec![plan.output.clone()];
    outputs.extend(aside.as_ref().map(|_| aside_path(&plan.output)));
    publish(std::iter::once(pending).chain(aside).collect())?;
    let mut interpretation = about.interpretation.clone();
    interpretation.push(height_words(&about.crs)?);
    let in_use = about.rows_in - set_aside.values().sum::<u64>();
    Ok(GridReport {
        interpretation,
        spacing: SpacingReport::of(&spaced),
        by,
        crs: about.crs.title(),
        columns: frame.columns,
        rows: frame.rows,
        cell: [frame.step_x, frame.step_y],
        bounds: frame.bounds(),
        heights: range,
        rows_in: about.rows_in,
        rows_used: in_use - rows_repeated,
        rows_repeated,
        set_aside,
        doubts,
        notices,
        outputs,
    })
}

/// A grid, and the points that have no part in it.
struct Made {
    about: AboutPoints,
    spaced: Spacing,
    by: GridBy,
    frame: RectifiedGrid,
    heights: MadeHeights,
    rows_repeated: u64,
    unused: HashMap<u64, Unused>,
}

/// The heights of a grid, in memory or in files.
enum MadeHeights {
    InMemory(Vec<f64>),
    InBands(Bands),
}

impl MadeHeights {
    /// Gives its rows from the north.
    fn each_row(
        &mut self,
        frame: &RectifiedGrid,
        give: &mut dyn FnMut(&[f64]) -> Result<(), Error>,
    ) -> Result<(), Error> {
        match self {
            MadeHeights::InMemory(heights) => heights.chunks_exact(frame.columns).try_for_each(give),
            MadeHeights::InBands(bands) => {
                let mut rows = |band: &[f64]| band.chunks_exact(frame.columns).try_for_each(&mut *give);
                bands.each(&mut |_| (), &mut rows)
            }
        }
    }
}

/// Makes the grid.
fn made(plan: &GridPlan, read: ReadPoints, notices: &mut Vec<String>, cancel: &Cancel) -> Result<Made, Error> {
    let points = match read {
        ReadPoints::Few(points) => points,
        ReadPoints::Many(mut many) => {
            // Scattered points are needed all at once; a grid's are not.
            if plan.by.is_none_or(|by| by == GridBy::Lattice)
                && let Some(found) = lattice_of(&mut many, plan.tolerance, &plan.output, cancel)?
            {
                let FileLattice { lattice, heights, repeated: rows_repeated, unused } = found;
                let (frame, spaced) = (lattice.frame, Spacing::Uniform(lattice));
                let by = decided(plan, &spaced)?;
                if by == GridBy::Lattice {
                    let heights = MadeHeights::InBands(heights);
                    return Ok(Made { about: many.about, spaced, by, frame, heights, rows_repeated, unused });
                }
            }
            many.in_memory()?
        }
    };
    let spaced = spacing(&points.x, &points.y, plan.tolerance);
    let by = decided(plan, &spaced)?;
    let (grid, rows_repeated, unused) = made_in_memory(plan, &points, &spaced, by, notices)?;
    let (frame, heights) = (grid.frame, MadeHeights::InMemory(grid.heights));
    Ok(Made { about: points.about, spaced, by, frame, heights, rows_repeated, unused })
}

/// Makes the grid of points that are in memory: with how many rows say again what another one says, and the points that have
/// no part in it, by their rows.
fn made_in_memory(
    plan: &GridPlan,
    read: &points::Points,
    spaced: &Spacing,
    by: GridBy,
    notices: &mut Vec<String>,
) -> Result<(Grid, u64, HashMap<u64, Unused>), Error> {
    let mut unused = HashMap::new();
    let (grid, rows_repeated) = match by {
        GridBy::Lattice => {
            let Spacing::Uniform(lattice) = spaced else {
                return Err(Error::Defect("a grid without steps".into()));
            };
            let filled = by_lattice(lattice, &read.x, &read.y, &read.z);
            let off = off_the_grid(&lattice.frame, lattice.tolerance);
            unused.extend(filled.unused.iter().map(|point| (read.source_row(*point), off.clone())));
            tell_contradictions(&filled.contradicting, read, &mut unused);
            (filled.grid, filled.repeated)
        }
        GridBy::Mean => {
            let frame = frame_for(plan, read, spaced, by, notices)?;
            let filled = by_mean(frame, &read.x, &read.y, &read.z);
            let outside = Unused { class: OUTSIDE, reason: "in none of the grid's cells".into() };
            unused.extend(filled.unused.iter().map(|point| (read.source_row(*point), outside.clone())));
            (filled.grid, 0)
        }
        GridBy::Triangles => {
            let frame = frame_for(plan, read, spaced, by, notices)?;
            let all = read.x.iter().zip(&read.y).zip(&read.z).map(|((x, y), z)| [*x, *y, *z]).collect();
            let made = triangulate(all, &[], plan.longest_edge).map_err(|e| Error::Data(e.to_string()))?;
            tell_contradictions(&made.contradicting, read, &mut unused);
            if made.too_long > 0 {
                notices.push(format!(
                    "{} triangles with an edge longer than {} are left out",
                    made.too_long,
                    plan.longest_edge.unwrap_or_default()
                ));
            }
            (by_triangles(frame, &made.surface), made.repeated)
        }
    };
    Ok((grid, rows_repeated, unused))
}

/// What is told of points off a grid.
pub(super) fn off_the_grid(frame: &RectifiedGrid, tolerance: f64) -> Unused {
    let reason = format!(
        "more than {tolerance} of a step from the nearest position of the grid, whose steps are {} and {}",
        frame.step_x, frame.step_y
    );
    Unused { class: OFF, reason: reason.into() }
}

/// Points as a layer.
pub(super) fn layer_of(source: &std::path::Path, input: &InputPlan, positions: &Positions) -> LayerPlan {
    let mut layer = LayerPlan::new(source).with(positions.clone());
    layer.input = input.clone();
    layer
}

pub(super) fn other_height() -> Unused {
    Unused { class: OTHER_HEIGHT, reason: "an earlier row has another height at the same place, which counts".into() }
}

/// Points at a place at which an earlier one has another height.
pub(super) fn tell_contradictions(points: &[usize], read: &points::Points, unused: &mut HashMap<u64, Unused>) {
    for point in points {
        unused.insert(read.source_row(*point), other_height());
    }
}

/// What the heights are, in words.
pub(super) fn height_words(crs: &Crs) -> Result<String, Error> {
    Ok(match crs.heights() {
        Heights::None => "heights are kept as they are; the system says nothing of them".into(),
        _ => HeightUnit::of(None, None, Some(crs))?.told(),
    })
}

/// How cells get their heights.
fn decided(plan: &GridPlan, spaced: &Spacing) -> Result<GridBy, Error> {
    match (plan.by, spaced) {
        (Some(GridBy::Lattice), Spacing::Scattered { why, .. }) => {
            Err(Error::Usage(format!("`by` lattice: the points are no grid: {why}; take triangles or mean")))
        }
        (Some(GridBy::Lattice), Spacing::Turned(lattice)) => Err(Error::Usage(format!(
            "`by` lattice: the points are a grid whose rows are {}, and those of a raster run east; take triangles or mean",
            turned_words(lattice.turn_deg())
        ))),
        (None | Some(GridBy::Lattice), Spacing::Uniform(lattice)) => match plan.cell {
            Some(cell)
                if (cell - lattice.frame.step_x).abs() > 1e-9 * cell
                    || (cell - lattice.frame.step_y).abs() > 1e-9 * cell =>
            {
                match plan.by {
                    // Another size is asked for: the surface between the points is taken there.
                    None => Ok(GridBy::Triangles),
                    _ => Err(Error::Usage(format!(
                        "`cell` {cell}: the points are a grid of {} by {}; leave `cell` out, or take `by` triangles or mean",
                        lattice.frame.step_x, lattice.frame.step_y
                    ))),
                }
            }
            _ => Ok(GridBy::Lattice),
        },
        (Some(by), _) => Ok(by),
        (None, _) => Ok(GridBy::Triangles),
    }
}

/// The grid for scattered points.
fn frame_for(
    plan: &GridPlan,
    read: &points::Points,
    spaced: &Spacing,
    by: GridBy,
    notices: &mut Vec<String>,
) -> Result<RectifiedGrid, Error> {
    let cell = match (plan.cell, spaced) {
        (Some(cell), _) => cell,
        (None, Spacing::Uniform(lattice)) => lattice.frame.step_x.min(lattice.frame.step_y),
        (None, Spacing::Turned(lattice)) => {
            let cell = shorter_step(lattice);
            notices.push(format!(
                "cells of {cell}: the points are a grid whose rows are {}, so that the heights between them are taken (say another size with `cell`)",
                turned_words(lattice.turn_deg())
            ));
            cell
        }
        (None, Spacing::Scattered { mean, .. }) if mean.is_finite() && *mean > 0.0 => {
            let cell = round_size(*mean);
            notices.push(format!(
                "cells of {cell}: points are {mean:.3} apart in the mean, and smaller cells would know no more (say another size with `cell`)"
            ));
            cell
        }
        _ => {
            return Err(Error::Usage(
                "the points are all in one place or on one line; say the size of a cell with `cell`".into(),
            ));
        }
    };
    let around = if by == GridBy::Mean { frame_of_cells } else { frame_around };
    around(&read.x, &read.y, cell, MOST_CELLS).ok_or_else(|| {
        Error::Usage(format!(
            "cells of {cell} would be more than {MOST_CELLS} for these points; say a larger `cell`, or take out points that lie far from all others"
        ))
    })
}

/// The shorter of the steps of a turned grid, which cells are made as wide as.
pub(super) fn shorter_step(lattice: &TurnedLattice) -> f64 {
    let [along, across] = lattice.steps();
    // Steps of rounded coordinates have digits that nobody meant.
    let step = along.min(across);
    format!("{step:.3e}").parse().unwrap_or(step)
}

/// The size of 1, 2 or 5 times a power of ten that comes next to a number from below.
pub(super) fn round_size(size: f64) -> f64 {
    let power = size.log10().floor() as i32;
    let unit = |p: i32| format!("1e{p}").parse::<f64>().unwrap_or(1.0);
    let round = [5.0, 2.0, 1.0].into_iter().map(|n| format!("{n}e{power}").parse::<f64>().unwrap_or(n * unit(power)));
    round.into_iter().find(|r| *r <= size * (1.0 + 1e-9)).unwrap_or_else(|| unit(power))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Report, grid and rows set aside of a table of points.
    fn made_of(table: &str, most: usize, by: Option<GridBy>) -> (Result<GridReport, String>, Vec<u8>, String) {
        let folder = tempfile::tempdir().unwrap();
        let (points, grid) = (folder.path().join("points.csv"), folder.path().join("grid.asc"));
        std::fs::write(&points, table).unwrap();
        let mut plan = GridPlan { by, ..GridPlan::new(points, &grid) };
        plan.positions.from = Some("EPSG:32610".into());
        let report = grid_up_to(most, &plan, &Cancel::default(), &());
        let report = report.map(|r| GridReport { outputs: Vec::new(), doubts: Vec::new(), ..r });
        let aside = std::fs::read_to_string(folder.path().join("grid.set-aside.csv")).unwrap_or_default();
        assert!(std::fs::read_dir(folder.path()).unwrap().count() <= 4, "nothing else is left");
        (
            report.map_err(|e| e.to_string().replace(&folder.path().display().to_string(), "")),
            std::fs::read(grid).unwrap_or_default(),
            aside,
        )
    }

    proptest! {
        /// Points in a file make the grid that they make in memory, holes, repeated points and points off the grid included.
        #[test]
        fn points_in_a_file_make_the_same_grid(
            columns in 3usize..12,
            rows in 3usize..12,
            holes in proptest::collection::vec(0usize..144, 0..40),
            odd in proptest::collection::vec((0usize..144, 0usize..5), 0..8),
            turn in 0usize..144,
            most in 1usize..20,
            by in prop::sample::select(vec![None, Some(GridBy::Lattice), Some(GridBy::Mean)]),
        ) {
            let cell = |i: usize| (438_000.0 + 2.0 * (i % columns) as f64, 5_116_000.0 + 2.0 * (i / columns) as f64);
            let height = |i: usize| (i * 37 % 101) as f64 / 4.0;
            let mut lines: Vec<String> = (0..columns * rows)
                .filter(|i| !holes.contains(i))
                .map(|i| format!("{},{},{}", cell(i).0, cell(i).1, height(i)))
                .collect();
            for (i, kind) in &odd {
                let (x, y) = cell(*i % (columns * rows));
                lines.push(match kind {
                    0 => format!("{x},{y},{}", height(*i % (columns * rows))),
                    1 => format!("{x},{y},99.5"),
                    2 => format!("{},{y},3", x + 0.7),
                    3 => format!("{x},{y},"),
                    _ => format!("{x},,5"),
                });
            }
            prop_assume!(!lines.is_empty());
            let at = turn % lines.len();
            lines.rotate_left(at);
            let table = format!("x,y,z\n{}\n", lines.join("\n"));
            let (in_memory, in_file) = (made_of(&table, usize::MAX, by), made_of(&table, most, by));
            prop_assert_eq!(in_memory, in_file);
        }
    }

    #[test]
    fn sizes_of_cells_are_round() {
        for (size, round) in [(1.8, 1.0), (2.0, 2.0), (4.99, 2.0), (7.3, 5.0), (0.034, 0.02), (1234.0, 1000.0)] {
            assert_eq!(round_size(size), round);
        }
    }
}
