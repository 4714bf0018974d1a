//! What was lost and gained between two dates.

use super::measured::AreaMeasured;
use super::raster_output;
use super::source::{GridReading, HeightGrid, Stoppable};
use super::survey::{HeightRange, check_known};
use super::volume::{AreaChoice, beyond};
use crate::doubts::{self, DoubtReport};
use crate::engine::Cancel;
use crate::{Error, Progress};
use basilocus_formats::raster::RasterValues;
use basilocus_geodesy::crs::{Crs, Heights};
use basilocus_terrain::{HeightRows, RectifiedGrid};
use serde::Serialize;
use std::path::PathBuf;

/// Which grids are compared.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ChangePlan {
    /// The earlier grid of heights (.tif, .asc)
    pub before: PathBuf,
    /// The later one; where its cells are others, its surface is taken at those of the earlier one
    pub after: PathBuf,
    /// The differences, later less earlier, as a grid (.tif, .asc)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "GRID"))]
    pub output: Option<PathBuf>,
    /// Differences up to this are noise and count for nothing, in the unit of the heights
    #[cfg_attr(feature = "arguments", arg(long, value_name = "HEIGHT", default_value_t = 0.0))]
    pub threshold: f64,
    /// Standard error of the heights, in their unit: one of both grids, or one each
    #[cfg_attr(feature = "arguments", arg(long, value_name = "BEFORE[,AFTER]", value_delimiter = ','))]
    pub height_error: Vec<f64>,
    /// Measure in the plane of the system in place of on the ground
    #[cfg_attr(feature = "arguments", arg(long))]
    pub in_plane: bool,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// In which areas
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub areas: AreaChoice,
    /// How the grids are taken
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: GridReading,
}

impl ChangePlan {
    /// All differences of two grids.
    pub fn new(before: impl Into<PathBuf>, after: impl Into<PathBuf>) -> Self {
        ChangePlan {
            before: before.into(),
            after: after.into(),
            output: None,
            threshold: 0.0,
            height_error: Vec::new(),
            in_plane: false,
            overwrite: false,
            areas: AreaChoice::default(),
            reading: GridReading::default(),
        }
    }
}

/// What was measured.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ChangeReport {
    /// How the grids were read and measured.
    pub interpretation: Vec<String>,
    /// Cubic metres that are gone.
    pub lost_m3: f64,
    /// Cubic metres that came.
    pub gained_m3: f64,
    /// Gained less lost.
    pub net_m3: f64,
    /// Square metres on which ground is gone.
    pub lost_m2: f64,
    /// Square metres on which ground came.
    pub gained_m2: f64,
    /// Square metres in which both are known.
    pub known_area_m2: f64,
    /// Standard error of the net, where that of the heights is said: that of each height by itself, and that of all of them
    /// together.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub net_error_m3: Option<NetError>,
    /// The same of each area: below is lost, above is gained.
    pub areas: Vec<AreaMeasured>,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// How sure a net change is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct NetError {
    /// Where the errors of heights have nothing to do with each other: most of it cancels out.
    pub independent_m3: f64,
    /// Where all heights of a survey are off together: nothing cancels out.
    pub common_m3: f64,
}

/// Measures what was lost and gained.
///
/// # Errors
/// Those of reading grids and areas and of writing; [`Error::Usage`] where heights are counted from different surfaces, or
/// the grids do not meet.
pub fn change(plan: &ChangePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<ChangeReport, Error> {
    if !(plan.threshold >= 0.0 && plan.threshold.is_finite()) {
        return Err(Error::Usage(format!("`threshold` {}: a height from 0 on is expected", plan.threshold)));
    }
    if let Some(output) = &plan.output {
        raster_output::check(&[&plan.before, &plan.after], output, RasterValues::Numbers)?;
    }
    let (mut interpretation, mut notices) = (Vec::new(), Vec::new());
    let Both { before, after, factor } = both(plan, &mut interpretation, cancel)?;
    let ground = before.ground(plan.in_plane, &mut interpretation)?;
    interpretation.push(before.unit.told());
    let is_aligned = before.frame().is_aligned_with(&after.frame());
    if !is_aligned {
        interpretation.push("the cells of the grids are others: the surface of the later one is taken at the heights of the earlier one".into());
    }
    let (names, areas) = plan.areas.read(&before, &mut interpretation, cancel)?;
    let (metres, crs) = (before.unit.unit.metres, before.crs.clone());
    let frame = before.frame();
    let scratch = vec![0.0; frame.columns];
    let ranges = Default::default();
    let mut differences = Differences { before, after, is_aligned, factor, scratch, alone: [0; 2], ranges };
    let mut rows = Stoppable::new(&mut differences, &plan.after, "measuring", cancel, progress);
    let parts = basilocus_terrain::volume::change(&mut rows, &ground, metres, plan.threshold, &areas)?;
    drop(rows);
    let [of_before, of_after] = differences.ranges;
    check_known(&of_before, &plan.before.display().to_string())?;
    if parts.whole.area <= 0.0 {
        return Err(Error::Usage(format!(
            "{} and {} have no ground in common in which both are known: west, south, east, north are {:?} and {:?}",
            plan.before.display(),
            plan.after.display(),
            frame.bounds(),
            differences.after.frame().bounds()
        )));
    }
    let doubtful = [(of_before, &plan.before), (of_after, &plan.after)];
    let doubts =
        doubtful.iter().filter_map(|(range, path)| doubts::of_heights(range, &path.display().to_string())).collect();
    notices.extend(beyond(&parts.areas, &names));
    let [before_alone, after_alone] = differences.alone;
    if before_alone + after_alone > 0 {
        notices.push(format!(
            "{before_alone} heights are known in the earlier grid alone and {after_alone} in the later one alone: what happened there is in no figure"
        ));
    }
    let mut outputs = Vec::new();
    if let Some(output) = &plan.output {
        let crs = crs.as_ref().map(|crs| crs.horizontal());
        let mut writer = raster_output::create(output, &frame, crs, RasterValues::Numbers, plan.overwrite)?;
        let mut row = vec![0.0; frame.columns];
        let mut rows = Stoppable::new(&mut differences, &plan.after, "writing differences", cancel, progress);
        for i in 0..frame.rows {
            rows.row(i, &mut row)?;
            writer.row(&row)?;
        }
        notices.extend(raster_output::publish(writer, cancel)?);
        outputs.push(output.clone());
    }
    let whole = parts.whole;
    let cells = frame.columns.saturating_sub(1) * frame.rows.saturating_sub(1);
    let net_error_m3 = net_error(plan, metres, whole.area, cells)?;
    let measured = names.into_iter().zip(&parts.areas).map(|(name, part)| AreaMeasured::of(name, part));
    Ok(ChangeReport {
        interpretation,
        lost_m3: whole.below,
        gained_m3: whole.above,
        net_m3: whole.above - whole.below,
        lost_m2: whole.area_below,
        gained_m2: whole.area_above,
        known_area_m2: whole.area,
        net_error_m3,
        areas: measured.collect(),
        doubts,
        notices,
        outputs,
    })
}

/// Both grids.
struct Both {
    before: HeightGrid,
    after: HeightGrid,
    /// What brings later heights to the unit of the earlier ones.
    factor: f64,
}

/// Opens both grids.
fn both(plan: &ChangePlan, interpretation: &mut Vec<String>, cancel: &Cancel) -> Result<Both, Error> {
    let before = HeightGrid::open(&plan.before, &plan.reading, cancel)?;
    let after = HeightGrid::open(&plan.after, &plan.reading, cancel)?;
    for (path, grid) in [(&plan.before, &before), (&plan.after, &after)] {
        interpretation.extend(grid.notes.iter().map(|note| format!("{}: {note}", path.display())));
    }
    check_systems(&before, &after)?;
    let factor = after.unit.unit.metres / before.unit.unit.metres;
    if factor != 1.0 {
        interpretation.push(format!(
            "heights of the later grid are {} and brought to {}",
            after.unit.unit.plural(),
            before.unit.unit.plural()
        ));
    }
    Ok(Both { before, after, factor })
}

/// The standard error of the net: of an area in which a height each cell has its own error, and in which all have one.
fn net_error(plan: &ChangePlan, metres: f64, area: f64, cells: usize) -> Result<Option<NetError>, Error> {
    let [before, after] = match plan.height_error[..] {
        [] => return Ok(None),
        [both] => [both; 2],
        [before, after] => [before, after],
        _ => return Err(Error::Usage("`height_error`: one number, or one of each grid, is expected".into())),
    };
    if !(before >= 0.0 && after >= 0.0 && before.is_finite() && after.is_finite()) {
        return Err(Error::Usage("`height_error`: heights from 0 on are expected".into()));
    }
    let of_one = before.hypot(after) * metres;
    Ok(Some(NetError { independent_m3: of_one * area / (cells.max(1) as f64).sqrt(), common_m3: of_one * area }))
}

/// Whether the heights of both can be subtracted.
fn check_systems(before: &HeightGrid, after: &HeightGrid) -> Result<(), Error> {
    let title = |crs: &Option<Crs>| crs.as_ref().map_or("none".into(), Crs::title);
    let is_same = match (&before.crs, &after.crs) {
        (Some(a), Some(b)) => a.horizontal().is_same(b.horizontal()),
        (None, None) => true,
        _ => false,
    };
    if !is_same {
        return Err(Error::Usage(format!(
            "the grids are in different systems, {} and {}; bring one of them to the other's first",
            title(&before.crs),
            title(&after.crs)
        )));
    }
    let surface = |crs: &Option<Crs>| match crs.as_ref().map(Crs::heights) {
        Some(Heights::Level { datum_name, .. }) => Some(datum_name.to_string()),
        Some(Heights::Ellipsoid { .. }) => Some("the ellipsoid".into()),
        _ => None,
    };
    match (surface(&before.crs), surface(&after.crs)) {
        (Some(a), Some(b)) if a != b => Err(Error::Usage(format!(
            "heights are counted from different surfaces, {a} and {b}: their difference would be that of the surfaces; transform one of them first"
        ))),
        _ => Ok(()),
    }
}

/// Later heights less earlier ones, at the positions of the earlier grid.
struct Differences {
    before: HeightGrid,
    after: HeightGrid,
    is_aligned: bool,
    /// What brings later heights to the unit of the earlier ones.
    factor: f64,
    scratch: Vec<f64>,
    /// Heights that are known in one of them alone, counted while all rows go by.
    alone: [u64; 2],
    /// The heights of both, counted likewise; of a later grid with other cells those at the earlier one's.
    ranges: [HeightRange; 2],
}

impl HeightRows for Differences {
    type Error = Error;

    fn frame(&self) -> RectifiedGrid {
        self.before.frame()
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Error> {
        let frame = self.frame();
        let mut later = std::mem::take(&mut self.scratch);
        if self.is_aligned {
            self.after.row(row, &mut later)?;
        } else {
            for (column, height) in later.iter_mut().enumerate() {
                *height = self.after.height_at(frame.x(column), frame.y(row), false)?;
            }
        }
        self.before.row(row, into)?;
        self.ranges[0].add(into);
        self.ranges[1].add(&later);
        for (earlier, later) in into.iter_mut().zip(&later) {
            match (earlier.is_nan(), later.is_nan()) {
                (false, true) => self.alone[0] += 1,
                (true, false) => self.alone[1] += 1,
                _ => {}
            }
            *earlier = later * self.factor - *earlier;
        }
        self.scratch = later;
        Ok(())
    }
}
