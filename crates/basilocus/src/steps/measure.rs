//! Lengths of lines and perimeters, and areas of polygons: geodesic, on the ellipsoid of the source's datum, so that no
//! projection lengthens or shortens them (wrong-measure).

use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting};
use arrow_array::{ArrayRef, Float64Array};
use arrow_schema::{DataType, SchemaRef};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::area;
use basilocus_geodesy::operation::Operation;
use basilocus_table::geometry::{Geometry, Position};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Columns of length (of polygons the perimeter) and area.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Lines, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let ends = "lon,lat\n0,0\n1,0\n";
/// Layer::from_reader(ends.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .lines(Lines::default())
///     .measure()
///     .write(&out)?
///     .run()?;
/// // A degree of the equator of WGS 84.
/// assert!(std::fs::read_to_string(out)?.contains("111319.49"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Measure {
    /// Names of the columns: of the length or perimeter in metres, and of the area in square metres; `length_m` and
    /// `area_m2` unless said.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<String>,
}

/// What the columns are called where nobody says it, and their decimals.
const COLUMNS: [(&str, usize); 2] = [("length_m", 3), ("area_m2", 2)];

impl Step for Measure {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let Some(placed) = columns.placed().filter(|_| columns.has_shapes()) else {
            return Err(Error::Usage(format!(
                "`measure`: {} has no lines or polygons, so there is nothing to measure",
                setting.source().display()
            )));
        };
        let datum = placed.crs.datum().ok_or_else(|| {
            Error::Usage(format!(
                "`measure`: {} has no datum, so nobody knows how large its unit is on the ground",
                placed.crs.title()
            ))
        })?;
        let (to_degrees, ellipsoid) = (Operation::to_degrees(&placed.crs)?, datum.ellipsoid.clone());
        setting.interpret(format!("lengths, perimeters and areas are geodesic, on the ellipsoid {}", ellipsoid.name));
        if !matches!(self.columns.len(), 0 | 2) {
            return Err(Error::Usage(format!(
                "`measure` names {} columns; two are written: that of the length or perimeter, and that of the area",
                self.columns.len()
            )));
        }
        for (at, (usual, digits)) in COLUMNS.into_iter().enumerate() {
            let name = match self.columns.get(at) {
                Some(said) if columns.position(said).is_some() => {
                    return Err(Error::Usage(format!(
                        "`measure` {said}: there is a column of that name already, and it stays; choose another name, or `drop` it"
                    )));
                }
                Some(said) => said.clone(),
                None => columns.free_name(usual, None),
            };
            columns.push(Column::added(name, DataType::Float64).with_digits(digits));
        }
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Measuring { to_degrees, ellipsoid, schema }))
    }

    fn takes_rows_without_position(&self) -> bool {
        true
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn is_dear(&self) -> bool {
        true
    }
}

struct Measuring {
    to_degrees: Operation,
    ellipsoid: Ellipsoid,
    schema: SchemaRef,
}

impl Work for Measuring {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let measured: Vec<(Option<f64>, Option<f64>)> = {
            let shapes = rows.shapes();
            let shape = |row| shapes.as_ref().and_then(|s| s.get(row));
            (0..rows.len()).map(|row| shape(row).map_or((None, None), |g| self.measure(&g))).collect()
        };
        let added: [ArrayRef; 2] = [
            Arc::new(measured.iter().map(|m| m.0).collect::<Float64Array>()),
            Arc::new(measured.iter().map(|m| m.1).collect::<Float64Array>()),
        ];
        rows.with_added(&self.schema, added)
    }
}

impl Measuring {
    /// Positions in degrees; none where one has no place there.
    fn degrees(&self, list: &[Position]) -> Option<Vec<(f64, f64)>> {
        let (mut x, mut y): (Vec<f64>, Vec<f64>) = list.iter().map(|p| (p.x, p.y)).unzip();
        let mut z = vec![f64::NAN; x.len()];
        self.to_degrees.apply(&mut x, &mut y, &mut z);
        let all = x.iter().chain(&y).all(|v| v.is_finite());
        all.then(|| x.into_iter().zip(y).collect())
    }

    fn line(&self, list: &[Position]) -> Option<f64> {
        Some(area::path_length_m(&self.ellipsoid, &self.degrees(list)?))
    }

    /// Perimeter of all rings, and the area of the first without those of the others.
    fn polygon(&self, rings: &[Vec<Position>]) -> Option<(f64, f64)> {
        let (mut length, mut whole) = (0.0, 0.0);
        for (i, ring) in rings.iter().enumerate() {
            let mut points = self.degrees(ring)?;
            length += area::path_length_m(&self.ellipsoid, &points);
            // The last point says the first again.
            points.pop();
            let size = area::ring(&self.ellipsoid, &points).area_m2.abs();
            whole += if i == 0 { size } else { -size };
        }
        Some((length, whole))
    }

    fn measure(&self, geometry: &Geometry) -> (Option<f64>, Option<f64>) {
        let both = |p: Option<(f64, f64)>| (p.map(|p| p.0), p.map(|p| p.1));
        match geometry {
            Geometry::Point(_) | Geometry::MultiPoint(_) => (None, None),
            Geometry::LineString(l) => (self.line(l), None),
            Geometry::MultiLineString(l) => (l.iter().map(|l| self.line(l)).sum(), None),
            Geometry::Polygon(rings) => both(self.polygon(rings)),
            Geometry::MultiPolygon(l) => {
                let parts: Option<Vec<(f64, f64)>> = l.iter().map(|rings| self.polygon(rings)).collect();
                both(parts.map(|p| p.iter().fold((0.0, 0.0), |a, b| (a.0 + b.0, a.1 + b.1))))
            }
            Geometry::Collection(l) => {
                let add = |a: Option<f64>, b: Option<f64>| match (a, b) {
                    (Some(a), Some(b)) => Some(a + b),
                    (a, b) => a.or(b),
                };
                l.iter().map(|g| self.measure(g)).fold((None, None), |a, b| (add(a.0, b.0), add(a.1, b.1)))
            }
        }
    }
}
