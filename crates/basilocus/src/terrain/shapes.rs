//! Lines and polygons of a layer, in the system of a grid.

use crate::Error;
use crate::engine::{Cancel, Chain, Run};
use crate::plan::{InputPlan, LayerPlan};
use crate::steps::Positions;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Geometries;
use basilocus_table::batch::cell_text;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_terrain::area::Area;
use std::path::Path;

/// Where shapes come from.
#[derive(Debug, Clone, Copy)]
pub(super) struct ShapeSource<'a> {
    pub path: &'a Path,
    /// Its layer, where it has several.
    pub layer: Option<&'a str>,
    /// Its system, where the file carries none.
    pub from: Option<&'a str>,
    /// The column that names a shape.
    pub name: Option<&'a str>,
}

/// The shapes of a layer.
pub(super) struct Shapes {
    /// What each is called, and what it is, in the system of the grid.
    pub list: Vec<(String, Geometry)>,
    /// From the system of the grid to degrees, on whose ellipsoid lengths are measured.
    pub interpretation: Vec<String>,
    /// Rows that could not be used.
    pub unusable: u64,
}

/// Reads the shapes of a layer, brought to a system; of which types, `takes` says.
///
/// # Errors
/// Those of reading a layer; [`Error::Usage`] where none of its rows has such a shape, or the grid has no system to bring
/// them to.
pub(super) fn read(
    from: ShapeSource,
    to: Option<&Crs>,
    what: &str,
    takes: impl Fn(&Geometry) -> bool,
    cancel: &Cancel,
) -> Result<Shapes, Error> {
    let mut plan =
        LayerPlan::new(from.path).with(Positions { from: from.from.map(String::from), ..Default::default() });
    plan.input = InputPlan { layer: from.layer.map(String::from), ..Default::default() };
    let run = Run::quiet(cancel);
    let mut chain = Chain::open(&plan, &run)?;
    chain.survey(&run)?;
    let columns = chain.columns();
    let none = |n: u64| Error::Usage(format!("{}: none of its {n} rows is {what}", from.path.display()));
    let placed = columns.placed().filter(|_| columns.has_shapes()).ok_or_else(|| none(0))?;
    let operation = way(from.path, &placed.crs, to)?;
    let name = from.name.map(|n| columns.require(n, from.path)).transpose()?;
    let mut shapes = Shapes { list: Vec::new(), interpretation: chain.interpretation_of_steps().to_vec(), unusable: 0 };
    chain.each(&run, "reading shapes", &Ok, &mut |part| {
        shapes.unusable += part.set_aside.len() as u64;
        let geometries = Geometries::of(part.rows.records());
        for (row, source_row) in part.rows.source_rows().iter().enumerate() {
            let geometry = geometries.as_ref().and_then(|g| g.get(row)).filter(&takes);
            match geometry.and_then(|g| brought(g, operation.as_ref())) {
                Some(geometry) => {
                    let told = name.map(|c| cell_text(part.rows.records().column(c), row));
                    let told = told.filter(|t| !t.is_empty()).unwrap_or_else(|| format!("row {source_row}"));
                    shapes.list.push((told, geometry));
                }
                None => shapes.unusable += 1,
            }
        }
        Ok(())
    })?;
    if shapes.list.is_empty() {
        return Err(none(shapes.unusable));
    }
    if shapes.unusable > 0 {
        shapes.interpretation.push(format!(
            "{}: {} rows that are not {what}, or lie where the grid's system has no numbers, are left out",
            from.path.display(),
            shapes.unusable
        ));
    }
    Ok(shapes)
}

/// The way from the system of shapes to that of a grid; `None` where they are one.
fn way(path: &Path, from: &Crs, to: Option<&Crs>) -> Result<Option<Operation>, Error> {
    let is_local = |crs: &Crs| matches!(crs.kind, Kind::Engineering { .. });
    match to {
        None if is_local(from) => Ok(None),
        None => Err(Error::Usage(format!(
            "{} is in {}, and the grid says no system; say that of the grid with `from`",
            path.display(),
            from.title()
        ))),
        Some(to) if from.horizontal().is_same(to.horizontal()) => Ok(None),
        Some(to) if is_local(to) && is_local(from) => Ok(None),
        Some(to) => Ok(Some(Operation::between(from.horizontal(), to.horizontal(), None)?)),
    }
}

/// A shape brought to another system; `None` where a position has no place there.
fn brought(mut geometry: Geometry, operation: Option<&Operation>) -> Option<Geometry> {
    let mut is_whole = true;
    geometry.each_position_mut(&mut |p: &mut Position| {
        if let Some(operation) = operation {
            match operation.apply_one(p.x, p.y, 0.0) {
                Some((x, y, _)) => (p.x, p.y) = (x, y),
                None => is_whole = false,
            }
        }
        is_whole &= p.x.is_finite() && p.y.is_finite();
    });
    is_whole.then_some(geometry)
}

/// Whether a shape is a polygon or several.
pub(super) fn is_area(geometry: &Geometry) -> bool {
    matches!(geometry, Geometry::Polygon(_) | Geometry::MultiPolygon(_))
}

/// Whether a shape is a line or several.
pub(super) fn is_line(geometry: &Geometry) -> bool {
    matches!(geometry, Geometry::LineString(_) | Geometry::MultiLineString(_))
}

/// A polygon as an area.
pub(super) fn area_of(geometry: &Geometry) -> Area {
    let plain = |rings: &Vec<Vec<Position>>| -> Vec<Vec<[f64; 2]>> {
        rings.iter().map(|ring| ring.iter().map(|p| [p.x, p.y]).collect()).collect()
    };
    match geometry {
        Geometry::Polygon(rings) => Area::of_polygons(&[plain(rings)]),
        Geometry::MultiPolygon(list) => Area::of_polygons(&list.iter().map(plain).collect::<Vec<_>>()),
        _ => Area::default(),
    }
}

/// The lines of a shape.
pub(super) fn lines_of(geometry: &Geometry) -> Vec<&[Position]> {
    match geometry {
        Geometry::LineString(line) => vec![line],
        Geometry::MultiLineString(lines) => lines.iter().map(Vec::as_slice).collect(),
        _ => Vec::new(),
    }
}
