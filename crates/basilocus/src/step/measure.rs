//! Lengths of lines and perimeters, and areas of polygons: geodesic, on the ellipsoid of the source's datum, so that no
//! projection lengthens or shortens them (slip-22).

use crate::Error;
use arrow_array::{ArrayRef, Float64Array};
use arrow_schema::{DataType, Field};
use basilocus_formats::ColumnStyle;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::area;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Batch;
use basilocus_table::geometry::{Geometries, Geometry, Position};
use std::sync::Arc;

/// A compiled step.
pub(crate) struct Measure {
    to_degrees: Operation,
    ellipsoid: Ellipsoid,
    names: [String; 2],
    pub(crate) understood: String,
}

impl Measure {
    pub(crate) fn new(source: &Crs, taken: &mut Vec<String>) -> Result<Self, Error> {
        let datum = source.datum().ok_or_else(|| {
            Error::Plan(format!(
                "--measure: {} has no datum, so nobody knows how large its unit is on the ground",
                source.title()
            ))
        })?;
        let names = ["length_m", "area_m2"].map(|n| {
            let free = super::free_name(n, taken);
            taken.push(free.clone());
            free
        });
        Ok(Measure {
            to_degrees: Operation::to_degrees(source)?,
            ellipsoid: datum.ellipsoid.clone(),
            understood: format!(
                "lengths, perimeters and areas are geodesic, on the ellipsoid {}",
                datum.ellipsoid.name
            ),
            names,
        })
    }

    pub(crate) fn fields(&self) -> Vec<(Field, ColumnStyle)> {
        let field = |name: &String, digits| {
            (Field::new(name, DataType::Float64, true), ColumnStyle { digits: Some(digits), longest: None })
        };
        vec![field(&self.names[0], 3), field(&self.names[1], 2)]
    }

    /// Length and area of each row; empty where the geometry has none.
    pub(crate) fn columns(&self, batch: &Batch) -> Vec<(Field, ArrayRef)> {
        let shapes = Geometries::of(&batch.records);
        let measured: Vec<(Option<f64>, Option<f64>)> = (0..batch.len())
            .map(|row| shapes.as_ref().and_then(|s| s.get(row)).map_or((None, None), |g| self.measure(&g)))
            .collect();
        let columns: [ArrayRef; 2] = [
            Arc::new(measured.iter().map(|m| m.0).collect::<Float64Array>()),
            Arc::new(measured.iter().map(|m| m.1).collect::<Float64Array>()),
        ];
        self.fields().into_iter().map(|(f, _)| f).zip(columns).collect()
    }

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
