//! Each position of a line or polygon becomes a row, with the columns of the row that it is of.

use super::{Bound, Look, Step, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting, points};
use arrow_array::{ArrayRef, Float64Array, Int64Array};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::Reason;
use basilocus_table::batch::{point_crs, point_field, take};
use basilocus_table::counted;
use basilocus_table::geometry::{Geometry, Position};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// The positions of lines and polygons as points, with the numbers of their part, their ring and their place in it.
///
/// ```
/// use basilocus::Layer;
///
/// let folder = tempfile::tempdir()?;
/// let (levee, out) = (folder.path().join("levee.geojson"), folder.path().join("out.csv"));
/// let line = r#"{"type":"Feature","properties":{"name":"North"},"geometry":{"type":"LineString","coordinates":[[1,2],[3,4]]}}"#;
/// std::fs::write(&levee, format!(r#"{{"type":"FeatureCollection","features":[{line}]}}"#))?;
/// let report = Layer::open(&levee)?.vertices().write(&out)?.run()?;
/// assert_eq!(report.rows_out, 2, "a row for each position");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Vertices {}

impl Step for Vertices {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        if !columns.has_shapes() {
            return Err(Error::Usage(format!(
                "`vertices`: {} has no lines or polygons whose positions could become points",
                setting.source().display()
            )));
        }
        Ok(Bound::AfterLook(Box::new(Counting { columns, ..Default::default() })))
    }
}

/// Whether there are heights decides the form of the points.
#[derive(Default)]
struct Counting {
    columns: Columns,
    heights: AtomicBool,
    rows: AtomicU64,
    positions: AtomicU64,
}

impl Look for Counting {
    fn purpose(&self) -> &'static str {
        "counting positions"
    }

    fn look(&self, rows: &Rows) {
        let Some(shapes) = rows.shapes() else { return };
        let (mut shaped, mut positions, mut heights) = (0, 0, false);
        for g in (0..rows.len()).filter_map(|row| shapes.get(row)) {
            shaped += 1;
            g.each_position(&mut |p| {
                positions += 1;
                heights |= !p.z.is_nan();
            });
        }
        self.rows.fetch_add(shaped, Ordering::Relaxed);
        self.positions.fetch_add(positions, Ordering::Relaxed);
        self.heights.fetch_or(heights, Ordering::Relaxed);
    }

    fn bind(self: Box<Self>, setting: &mut Setting) -> Result<(Columns, Box<dyn Work>), Error> {
        let Counting { mut columns, heights, rows, positions } = *self;
        let (rows, positions, with_heights) = (rows.into_inner(), positions.into_inner(), heights.into_inner());
        setting.note(format!("{} of {}, each a row now", counted(positions, "position"), counted(rows, "row")));
        let geometry = columns.geometry().unwrap_or_default();
        let system = point_crs(&columns.schema());
        let mut points = columns.remove(geometry);
        for name in ["part", "ring", "position"] {
            let free = columns.free_name(name, None);
            columns.push(Column { added: false, ..Column::added(free, DataType::Int64) });
        }
        points.field = point_field(system.as_deref(), with_heights);
        columns.push(points);
        let schema = columns.schema();
        Ok((columns, Box::new(Spreading { geometry, with_heights, schema })))
    }
}

/// A position with the numbers of its part, its ring in the part, and its place in the ring, from 1.
type Numbered = (Position, [i64; 3]);

/// The positions of a geometry in order.
fn numbered(g: &Geometry, part: &mut i64, out: &mut Vec<Numbered>) {
    let mut list = |positions: &[Position], part: i64, ring: i64| {
        out.extend(positions.iter().enumerate().map(|(i, p)| (*p, [part, ring, i as i64 + 1])));
    };
    match g {
        Geometry::Point(p) => {
            *part += 1;
            list(&[*p], *part, 1);
        }
        Geometry::MultiPoint(l) => {
            for p in l {
                *part += 1;
                list(&[*p], *part, 1);
            }
        }
        Geometry::LineString(l) => {
            *part += 1;
            list(l, *part, 1);
        }
        Geometry::MultiLineString(l) => {
            for line in l {
                *part += 1;
                list(line, *part, 1);
            }
        }
        Geometry::Polygon(rings) => {
            *part += 1;
            rings.iter().enumerate().for_each(|(i, r)| list(r, *part, i as i64 + 1));
        }
        Geometry::MultiPolygon(l) => {
            for rings in l {
                *part += 1;
                rings.iter().enumerate().for_each(|(i, r)| list(r, *part, i as i64 + 1));
            }
        }
        Geometry::Collection(l) => l.iter().for_each(|g| numbered(g, part, out)),
    }
}

struct Spreading {
    geometry: usize,
    with_heights: bool,
    schema: SchemaRef,
}

/// The rows that positions come from, and the positions.
fn positions_of(rows: &Rows, account: &mut Account) -> (Vec<usize>, Vec<Numbered>) {
    let (mut origins, mut places) = (Vec::new(), Vec::new());
    let shapes = rows.shapes();
    for row in 0..rows.len() {
        let before = places.len();
        if let Some(g) = shapes.as_ref().and_then(|s| s.get(row)) {
            numbered(&g, &mut 0, &mut places);
        }
        if places.len() == before {
            let reason = "the row has no geometry, or an empty one, so it has no position";
            account.set_aside(row, Reason::NO_GEOMETRY, reason);
        }
        origins.resize(places.len(), row);
    }
    (origins, places)
}

impl Work for Spreading {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let (origins, places) = positions_of(&rows, account);
        let mut columns: Vec<ArrayRef> = rows.records().columns().iter().map(|c| take(c, &origins)).collect();
        columns.remove(self.geometry);
        for n in 0..3 {
            columns.push(Arc::new(places.iter().map(|(_, numbers)| Some(numbers[n])).collect::<Int64Array>()));
        }
        let axis = |f: fn(&Position) -> f64| Float64Array::from(places.iter().map(|(p, _)| f(p)).collect::<Vec<f64>>());
        columns.push(points(&axis(|p| p.x), &axis(|p| p.y), self.with_heights.then(|| axis(|p| p.z)).as_ref()));
        rows.spread(&origins, &self.schema, columns)
    }
}
