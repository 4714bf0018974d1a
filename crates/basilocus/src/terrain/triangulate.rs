//! Triangles made of points.

use super::grid::{layer_of, tell_contradictions};
use super::layer_output::{Rows, name_of};
use super::points::{self, aside_path};
use super::raster_output::check_layer;
use super::shapes::{self, ShapeSource, is_line, lines_of};
use crate::doubts::DoubtReport;
use crate::engine::Cancel;
use crate::plan::InputPlan;
use crate::steps::Positions;
use crate::{Error, Progress};
use arrow_array::{ArrayRef, Float64Array, Int64Array};
use arrow_schema::{DataType, Field};
use basilocus_formats::publish;
use basilocus_geodesy::crs::Crs;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_terrain::triangulation::{Triangulation, triangulate};
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;
use std::sync::Arc;

/// Which points become triangles.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct TriangulatePlan {
    /// XYZ text, table or layer of points with heights
    pub points: PathBuf,
    /// The triangles, polygons with heights (.gpkg .geojson .shp .csv …)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: PathBuf,
    /// Layer of lines with heights that have to be edges of triangles all along: crests, banks, walls
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LINES"))]
    pub break_lines: Option<PathBuf>,
    /// Longest edge of a triangle, in the unit of the system: longer ones span what nobody measured
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

impl TriangulatePlan {
    /// Points to triangles.
    pub fn new(points: impl Into<PathBuf>, output: impl Into<PathBuf>) -> Self {
        TriangulatePlan {
            points: points.into(),
            output: output.into(),
            break_lines: None,
            longest_edge: None,
            overwrite: false,
            input: InputPlan::default(),
            positions: Positions::default(),
        }
    }
}

/// What became of the points.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct TriangulateReport {
    /// How they were read.
    pub interpretation: Vec<String>,
    /// Rows of the source.
    pub rows_in: u64,
    /// Rows that are corners of triangles.
    pub rows_used: u64,
    /// Rows that say again what another one says.
    pub rows_repeated: u64,
    /// Rows set aside, by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Triangles written.
    pub triangles: u64,
    /// Triangles left out, as an edge is too long.
    pub too_long: u64,
    /// Lines along which triangles have edges.
    pub break_lines: u64,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// Triangles that are put into a block.
const BLOCK: usize = 8192;

/// Makes triangles of points.
///
/// # Errors
/// Those of reading points and lines and of writing; [`Error::Data`] for points that make no triangle.
pub fn triangles_of(
    plan: &TriangulatePlan,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<TriangulateReport, Error> {
    let read_files: Vec<_> = std::iter::once(&plan.points).chain(&plan.break_lines).map(PathBuf::as_path).collect();
    check_layer(&read_files, &plan.output)?;
    if let Some(wrong) = plan.longest_edge.filter(|l| !(*l > 0.0)) {
        return Err(Error::Usage(format!("`longest_edge` {wrong}: a length above zero is expected")));
    }
    let layer = layer_of(&plan.points, &plan.input, &plan.positions);
    let read = points::read(&layer, cancel, progress)?;
    let mut interpretation = read.about.interpretation.clone();
    let break_lines = break_lines_of(plan, &read.about.crs, &mut interpretation, cancel)?;
    let all: Vec<[f64; 3]> = read.x.iter().zip(&read.y).zip(&read.z).map(|((x, y), z)| [*x, *y, *z]).collect();
    let count = all.len();
    let made = triangulate(all, &break_lines, plan.longest_edge)
        .map_err(|e| Error::Data(format!("{}: {e}", plan.points.display())))?;
    if cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    let mut unused = HashMap::new();
    let of_rows: Vec<usize> = made.contradicting.iter().copied().filter(|i| *i < count).collect();
    tell_contradictions(&of_rows, &read, &mut unused);
    let mut notices = Vec::new();
    if made.crossings > 0 {
        notices
            .push(format!("break lines cross at {} places; there the height of the later line counts", made.crossings));
    }
    let rows = rows_of(&made.surface, &read.about.crs)?;
    let mut set_aside = read.about.set_aside.clone();
    for row in unused.values() {
        *set_aside.entry(row.class.to_string()).or_default() += 1;
    }
    let aside = read.about.write_aside(&layer, &unused, &plan.output, plan.overwrite, cancel)?;
    notices.extend(rows.write(&name_of(&plan.output), &plan.output, plan.overwrite, cancel)?);
    let mut outputs = vec![plan.output.clone()];
    outputs.extend(aside.as_ref().map(|_| aside_path(&plan.output)));
    publish(aside.into_iter().collect())?;
    Ok(TriangulateReport {
        interpretation,
        rows_in: read.about.rows_in,
        rows_used: read.about.rows_in - set_aside.values().sum::<u64>() - made.repeated,
        rows_repeated: made.repeated,
        set_aside,
        triangles: made.surface.triangles.len() as u64,
        too_long: made.too_long,
        break_lines: break_lines.len() as u64,
        doubts: read.about.doubts,
        notices,
        outputs,
    })
}

/// The break lines of a plan, in the system of the points.
fn break_lines_of(
    plan: &TriangulatePlan,
    crs: &Crs,
    interpretation: &mut Vec<String>,
    cancel: &Cancel,
) -> Result<Vec<Vec<[f64; 3]>>, Error> {
    let Some(path) = &plan.break_lines else { return Ok(Vec::new()) };
    let from = ShapeSource { path, layer: None, from: plan.positions.from.as_deref(), name: None };
    let shapes = shapes::read(from, Some(crs), "a line", is_line, cancel)?;
    interpretation.extend(shapes.interpretation);
    let mut lines = Vec::new();
    for (name, geometry) in &shapes.list {
        for line in lines_of(geometry) {
            if line.iter().any(|p| p.z.is_nan()) {
                return Err(Error::Usage(format!(
                    "{}: the line of {name} has no heights, and edges of triangles need them",
                    path.display()
                )));
            }
            lines.push(line.iter().map(|p| [p.x, p.y, p.z]).collect());
        }
    }
    Ok(lines)
}

/// Triangles as rows with their heights.
fn rows_of(surface: &Triangulation, crs: &Crs) -> Result<Rows, Error> {
    let fields = ["triangle", "height_1", "height_2", "height_3"];
    let kinds = [DataType::Int64, DataType::Float64, DataType::Float64, DataType::Float64];
    let fields = fields.iter().zip(kinds).map(|(name, kind)| Field::new(*name, kind, true)).collect();
    let mut rows = Rows::with_shapes(Some(crs), fields)?;
    for (block, triangles) in surface.triangles.chunks(BLOCK).enumerate() {
        let corners: Vec<[[f64; 3]; 3]> = triangles.iter().map(|t| surface.corners(t)).collect();
        let first = (block * BLOCK) as i64 + 1;
        let height = |i: usize| -> ArrayRef { Arc::new(corners.iter().map(|c| c[i][2]).collect::<Float64Array>()) };
        let numbers: ArrayRef = Arc::new(Int64Array::from_iter_values(first..first + corners.len() as i64));
        let shapes: Vec<Geometry> = corners
            .iter()
            .map(|[a, b, c]| {
                let ring = [a, b, c, a].map(|[x, y, z]| Position::xyz(*x, *y, *z)).to_vec();
                Geometry::Polygon(vec![ring])
            })
            .collect();
        rows.push(vec![numbers, height(0), height(1), height(2)], Some(&shapes))?;
    }
    Ok(rows)
}
