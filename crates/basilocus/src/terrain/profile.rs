//! Heights along lines.

use super::layer_output::{Rows, name_of};
use super::raster_output::check_layer;
use super::shapes::{self, ShapeSource, is_line, lines_of};
use super::source::{GridReading, HeightGrid};
use crate::drawing::output::PictureOutput;
use crate::engine::Cancel;
use crate::paths::Paths;
use crate::{Error, Progress};
use arrow_array::{ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, Field};
use basilocus_draw::chart::{Chart, Content, Series};
use basilocus_draw::color::CATEGORIES;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::geodesic::Geodesic;
use basilocus_geodesy::operation::Operation;
use basilocus_table::geometry::Position;
use basilocus_terrain::profile::{Station, stations};
use serde::Serialize;
use std::path::PathBuf;
use std::sync::Arc;

/// Along which lines heights are read.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ProfilePlan {
    /// The grid of heights (.tif, .asc), or a layer with heights
    pub grid: PathBuf,
    /// Layer of lines
    pub lines: PathBuf,
    /// The table: line, distance_m, position, height
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "TABLE"))]
    pub output: PathBuf,
    /// Metres from a place to the next one; without it, heights are read at the positions of the lines
    #[cfg_attr(feature = "arguments", arg(long, value_name = "METRES"))]
    pub every: Option<f64>,
    /// A chart of the heights over the distances too (.png, .svg)
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE"))]
    pub picture: Option<PathBuf>,
    /// Column that names a line
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub name: Option<String>,
    /// Layer of the lines, where their file has several
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME"))]
    pub lines_layer: Option<String>,
    /// System of the lines, where their file carries none
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub lines_from: Option<String>,
    /// Take the height of the nearest cell in place of the surface between cells
    #[cfg_attr(feature = "arguments", arg(long))]
    pub nearest: bool,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How the grid is taken
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: GridReading,
}

impl ProfilePlan {
    /// Heights at the positions of lines.
    pub fn new(grid: impl Into<PathBuf>, lines: impl Into<PathBuf>, output: impl Into<PathBuf>) -> Self {
        ProfilePlan {
            grid: grid.into(),
            lines: lines.into(),
            output: output.into(),
            every: None,
            picture: None,
            name: None,
            lines_layer: None,
            lines_from: None,
            nearest: false,
            overwrite: false,
            reading: GridReading::default(),
        }
    }
}

/// A line with its heights.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct LineProfile {
    /// The name of the line.
    pub name: String,
    /// Places at which heights were read.
    pub places: u64,
    /// Of them those where no height is known.
    pub unknown: u64,
    /// Length on the ground, metres.
    pub length_m: f64,
    /// Lowest and highest height.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub range: Option<[f64; 2]>,
    /// Sum of all rises along the line, in the unit of the heights.
    pub rise: f64,
    /// Sum of all falls.
    pub fall: f64,
}

/// What was read.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ProfileReport {
    /// How grid and lines were read.
    pub interpretation: Vec<String>,
    /// The lines.
    pub lines: Vec<LineProfile>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// The most places of all lines: more are a slip of the distance.
const MOST_PLACES: f64 = 20e6;

/// Reads heights along lines.
///
/// # Errors
/// Those of reading grid and lines and of writing; [`Error::Usage`] for distances that make no places or too many.
pub fn profile(plan: &ProfilePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<ProfileReport, Error> {
    check_layer(&[&plan.grid, &plan.lines], &plan.output)?;
    let picture = match &plan.picture {
        None => None,
        Some(path) => {
            let mut paths = Paths::default();
            paths.read(&plan.grid, "the grid");
            paths.read(&plan.lines, "the lines");
            paths.written(&plan.output, "the table")?;
            paths.written(path, "the picture")?;
            Some(PictureOutput::chart(path, plan.overwrite)?)
        }
    };
    if let Some(wrong) = plan.every.filter(|e| !(*e > 0.0 && e.is_finite())) {
        return Err(Error::Usage(format!("`every` {wrong}: metres above zero are expected")));
    }
    let mut grid = HeightGrid::open(&plan.grid, &plan.reading, cancel)?;
    let mut interpretation = grid.notes.clone();
    let from = ShapeSource {
        path: &plan.lines,
        layer: plan.lines_layer.as_deref(),
        from: plan.lines_from.as_deref(),
        name: plan.name.as_deref(),
    };
    let shapes = shapes::read(from, grid.crs.as_ref(), "a line", is_line, cancel)?;
    interpretation.extend(shapes.interpretation);
    let measure = Lengths::of(grid.crs.as_ref(), &mut interpretation)?;
    let [x_name, y_name, _] = grid.crs.as_ref().map_or(["x", "y", "height"], |crs| crs.horizontal().column_names());
    let fields = [("line", DataType::Utf8), ("distance_m", DataType::Float64)].into_iter().chain([
        (x_name, DataType::Float64),
        (y_name, DataType::Float64),
        ("height", DataType::Float64),
    ]);
    let mut rows = Rows::plain(fields.map(|(name, kind)| Field::new(name, kind, true)).collect());
    let (mut profiles, mut places, mut drawn) = (Vec::new(), 0.0, Vec::new());
    progress.start(&plan.lines.display().to_string(), "reading heights", shapes.list.len() as u64);
    for (name, geometry) in &shapes.list {
        progress.advance(1, 1);
        let lines = lines_of(geometry);
        for (part, line) in lines.iter().enumerate() {
            let name = if lines.len() > 1 { format!("{name}, part {}", part + 1) } else { name.clone() };
            let points: Vec<[f64; 2]> = line.iter().map(|p| [p.x, p.y]).collect();
            let lengths = measure.parts(line);
            let length: f64 = lengths.iter().sum();
            places += plan.every.map_or(points.len() as f64, |every| length / every);
            if !(places < MOST_PLACES) {
                return Err(Error::Usage(format!(
                    "`every`: the lines would have more than {MOST_PLACES} places; say a longer distance"
                )));
            }
            let places = stations(&points, &lengths, plan.every);
            let mut heights = Vec::with_capacity(places.len());
            for Station { x, y, .. } in &places {
                if cancel.is_cancelled() {
                    return Err(Error::Cancelled);
                }
                heights.push(Some(grid.height_at(*x, *y, plan.nearest)?).filter(|z| z.is_finite()));
            }
            if picture.is_some() && drawn.len() < CATEGORIES.len() {
                drawn.push(series(&name, &places, &heights));
            }
            let rounded = |v: f64, digits: i32| (v * 10f64.powi(digits)).round() / 10f64.powi(digits);
            let digits = if grid.crs.as_ref().is_some_and(Crs::is_geographic) { 9 } else { 4 };
            let column = |of: &dyn Fn(&Station) -> f64, digits: i32| -> ArrayRef {
                Arc::new(places.iter().map(|s| rounded(of(s), digits)).collect::<Float64Array>())
            };
            rows.push(
                vec![
                    Arc::new(places.iter().map(|_| Some(name.as_str())).collect::<StringArray>()),
                    column(&|s| s.distance_m, 4),
                    column(&|s| s.x, digits),
                    column(&|s| s.y, digits),
                    Arc::new(heights.iter().map(|z| z.map(|z| rounded(z, 4))).collect::<Float64Array>()),
                ],
                None,
            )?;
            profiles.push(LineProfile::of(name, length, &heights));
        }
    }
    progress.finish();
    let unknown: u64 = profiles.iter().map(|p| p.unknown).sum();
    let mut notices = Vec::new();
    if unknown > 0 {
        notices.push(format!("at {unknown} places no height is known; they are in the table without one"));
    }
    notices.extend(rows.write(&name_of(&plan.output), &plan.output, plan.overwrite, cancel)?);
    let mut outputs = vec![plan.output.clone()];
    if let Some(picture) = picture {
        if drawn.len() < profiles.len() {
            notices.push(format!("the picture shows the first {} of {} lines", drawn.len(), profiles.len()));
        }
        let unit = &grid.unit;
        let unit = if unit.is_said { format!(", {}", unit.unit.sign()) } else { String::new() };
        let chart = Chart {
            title: Some(format!("Heights along {}", name_of(&plan.lines))),
            notes: vec![format!("Drawn by Basilocus from {}", plan.grid.display())],
            axes: ["distance, m".into(), format!("height{unit}")],
            content: Content::Lines(drawn),
        };
        outputs.push(picture.write_drawing(&chart, cancel)?);
    }
    Ok(ProfileReport { interpretation, lines: profiles, notices, outputs })
}

/// A line of the chart: where no height is known there is a gap.
fn series(name: &str, places: &[Station], heights: &[Option<f64>]) -> Series {
    let mut parts = vec![Vec::new()];
    for (place, height) in places.iter().zip(heights) {
        match (height, parts.last_mut()) {
            (Some(z), Some(part)) => part.push([place.distance_m, *z]),
            _ => parts.push(Vec::new()),
        }
    }
    parts.retain(|part| !part.is_empty());
    Series { name: name.to_string(), parts }
}

impl LineProfile {
    fn of(name: String, length_m: f64, heights: &[Option<f64>]) -> Self {
        let known = || heights.iter().flatten().copied();
        let range = [known().fold(f64::INFINITY, f64::min), known().fold(f64::NEG_INFINITY, f64::max)];
        // Across a gap nobody knows how often the ground rose and fell.
        let steps = || heights.windows(2).filter_map(|w| Some(w[1]? - w[0]?));
        LineProfile {
            name,
            places: heights.len() as u64,
            unknown: heights.iter().filter(|z| z.is_none()).count() as u64,
            length_m,
            range: (range[0] <= range[1]).then_some(range),
            rise: steps().filter(|s| *s > 0.0).sum(),
            fall: -steps().filter(|s| *s < 0.0).sum::<f64>(),
        }
    }
}

/// How lengths of lines are measured.
enum Lengths {
    /// Along the ellipsoid.
    Geodesic(Box<(Operation, Geodesic)>),
    /// In a plane, whose unit is so many metres.
    Plane(f64),
}

impl Lengths {
    fn of(crs: Option<&Crs>, told: &mut Vec<String>) -> Result<Self, Error> {
        match crs.and_then(|crs| crs.datum().map(|datum| (crs, datum))) {
            Some((crs, datum)) => {
                told.push(format!("distances are geodesic, on the ellipsoid {}", datum.ellipsoid.name));
                let ways = (Operation::to_degrees(crs.horizontal())?, Geodesic::new(&datum.ellipsoid));
                Ok(Lengths::Geodesic(Box::new(ways)))
            }
            None => {
                let unit = match crs.map(|crs| &crs.horizontal().kind) {
                    Some(Kind::Engineering { unit: Some(unit) }) => unit.metres,
                    _ => 1.0,
                };
                told.push("distances are those of a plane, as the grid is not tied to the Earth".into());
                Ok(Lengths::Plane(unit))
            }
        }
    }

    /// The lengths of the parts of a line, metres.
    fn parts(&self, line: &[Position]) -> Vec<f64> {
        let pairs = line.windows(2);
        match self {
            Lengths::Plane(unit) => pairs.map(|p| (p[1].x - p[0].x).hypot(p[1].y - p[0].y) * unit).collect(),
            Lengths::Geodesic(ways) => pairs
                .map(|p| {
                    let (to_degrees, geodesic) = &**ways;
                    let there = |p: &Position| to_degrees.apply_one(p.x, p.y, 0.0);
                    match (there(&p[0]), there(&p[1])) {
                        (Some((lon1, lat1, _)), Some((lon2, lat2, _))) => {
                            geodesic.inverse(lon1, lat1, lon2, lat2).distance_m
                        }
                        _ => f64::NAN,
                    }
                })
                .collect(),
        }
    }
}
