//! Geometry of the OGC simple features, for one row, and how a column of it travels.
//!
//! | module | what is in it |
//! |---|---|
//! | [`antimeridian`] | cutting at the 180° meridian |
//! | [`arc`] | arcs as chords |
//! | [`containment`] | whether one geometry lies within another |
//! | [`intersection`] | whether two geometries meet |
//! | [`separation`] | where two geometries are nearest to each other |
//! | [`wkb`] | well-known binary, which columns hold |
//! | [`wkt`] | well-known text, which tables show |
//!
//! A column of points alone is a struct of coordinates ([`crate::batch::point_field`]); a column of any geometry holds
//! well-known binary, as GeoArrow has it ([`geometry_field`]). Positions are easting or longitude first throughout.

pub mod antimeridian;
pub mod arc;
pub mod containment;
pub mod hilbert;
pub mod intersection;
pub mod separation;
pub mod wkb;
pub mod wkt;

use crate::batch::{Points, crs_metadata};
use arrow_array::{Array, BinaryArray, RecordBatch};
use arrow_schema::{DataType, Field, Schema};
use std::collections::HashMap;

/// A position: easting or longitude, northing or latitude, and where there are any, height and measure; NaN where not.
#[derive(Debug, Clone, Copy)]
pub struct Position {
    /// Easting or longitude.
    pub x: f64,
    /// Northing or latitude.
    pub y: f64,
    /// Height; NaN for none.
    pub z: f64,
    /// Measure along a line; NaN for none.
    pub m: f64,
}

impl Position {
    /// A position in the plane.
    pub fn xy(x: f64, y: f64) -> Self {
        Position { x, y, z: f64::NAN, m: f64::NAN }
    }

    /// A position with a height.
    pub fn xyz(x: f64, y: f64, z: f64) -> Self {
        Position { x, y, z, m: f64::NAN }
    }
}

impl PartialEq for Position {
    /// Two NaN are equal: both say that there is no value.
    fn eq(&self, other: &Self) -> bool {
        let same = |a: f64, b: f64| a == b || a.is_nan() && b.is_nan();
        same(self.x, other.x) && same(self.y, other.y) && same(self.z, other.z) && same(self.m, other.m)
    }
}

/// A geometry.
#[derive(Debug, Clone, PartialEq)]
pub enum Geometry {
    /// A point.
    Point(Position),
    /// A line through positions.
    LineString(Vec<Position>),
    /// Rings, the outer one first; each ends where it begins.
    Polygon(Vec<Vec<Position>>),
    /// Points.
    MultiPoint(Vec<Position>),
    /// Lines.
    MultiLineString(Vec<Vec<Position>>),
    /// Polygons.
    MultiPolygon(Vec<Vec<Vec<Position>>>),
    /// Geometries of any type.
    Collection(Vec<Geometry>),
}

/// The names of the types in well-known text, in the order of their codes in well-known binary.
pub const TYPES: [&str; 7] =
    ["POINT", "LINESTRING", "POLYGON", "MULTIPOINT", "MULTILINESTRING", "MULTIPOLYGON", "GEOMETRYCOLLECTION"];

impl Geometry {
    /// Code of the type in well-known binary: 1 for a point to 7 for a collection.
    pub fn code(&self) -> u32 {
        match self {
            Geometry::Point(_) => 1,
            Geometry::LineString(_) => 2,
            Geometry::Polygon(_) => 3,
            Geometry::MultiPoint(_) => 4,
            Geometry::MultiLineString(_) => 5,
            Geometry::MultiPolygon(_) => 6,
            Geometry::Collection(_) => 7,
        }
    }

    /// Parts of one simple type as one geometry of several, others as a collection; `None` where there are none.
    pub fn gathered(parts: Vec<Geometry>) -> Option<Geometry> {
        let code = parts.first()?.code();
        if parts.iter().any(|p| p.code() != code) || code > 3 {
            return Some(Geometry::Collection(parts));
        }
        let (mut points, mut lines, mut polygons) = (Vec::new(), Vec::new(), Vec::new());
        for part in parts {
            match part {
                Geometry::Point(p) => points.push(p),
                Geometry::LineString(l) => lines.push(l),
                Geometry::Polygon(p) => polygons.push(p),
                _ => {}
            }
        }
        Some(match code {
            1 => Geometry::MultiPoint(points),
            2 => Geometry::MultiLineString(lines),
            _ => Geometry::MultiPolygon(polygons),
        })
    }

    /// Turns the rings of polygons, at any depth: the outer ones against the clock, the inner ones with it.
    pub fn turn_rings(&mut self) {
        let turn = |rings: &mut Vec<Vec<Position>>| {
            for (i, ring) in rings.iter_mut().enumerate() {
                let doubled = ring_turn(ring);
                if doubled != 0.0 && (doubled < 0.0) == (i == 0) {
                    ring.reverse();
                }
            }
        };
        match self {
            Geometry::Polygon(rings) => turn(rings),
            Geometry::MultiPolygon(list) => list.iter_mut().for_each(turn),
            Geometry::Collection(list) => list.iter_mut().for_each(Geometry::turn_rings),
            _ => {}
        }
    }

    /// Name of the type in well-known text.
    pub fn type_name(&self) -> &'static str {
        TYPES[self.code() as usize - 1]
    }

    /// How many positions it has.
    pub fn positions(&self) -> usize {
        match self {
            Geometry::Point(_) => 1,
            Geometry::LineString(l) | Geometry::MultiPoint(l) => l.len(),
            Geometry::Polygon(l) | Geometry::MultiLineString(l) => l.iter().map(Vec::len).sum(),
            Geometry::MultiPolygon(l) => l.iter().flatten().map(Vec::len).sum(),
            Geometry::Collection(l) => l.iter().map(Geometry::positions).sum(),
        }
    }

    /// Goes through all positions.
    pub fn each_position(&self, f: &mut dyn FnMut(&Position)) {
        match self {
            Geometry::Point(p) => f(p),
            Geometry::LineString(l) | Geometry::MultiPoint(l) => l.iter().for_each(f),
            Geometry::Polygon(l) | Geometry::MultiLineString(l) => l.iter().flatten().for_each(f),
            Geometry::MultiPolygon(l) => l.iter().flatten().flatten().for_each(f),
            Geometry::Collection(l) => l.iter().for_each(|g| g.each_position(f)),
        }
    }

    /// Goes through all positions, which may be changed.
    pub fn each_position_mut(&mut self, f: &mut dyn FnMut(&mut Position)) {
        match self {
            Geometry::Point(p) => f(p),
            Geometry::LineString(l) | Geometry::MultiPoint(l) => l.iter_mut().for_each(f),
            Geometry::Polygon(l) | Geometry::MultiLineString(l) => l.iter_mut().flatten().for_each(f),
            Geometry::MultiPolygon(l) => l.iter_mut().flatten().flatten().for_each(f),
            Geometry::Collection(l) => l.iter_mut().for_each(|g| g.each_position_mut(f)),
        }
    }

    /// Smallest and largest x and y: `[x_min, y_min, x_max, y_max]`; `None` where there is no position.
    pub fn bounds(&self) -> Option<[f64; 4]> {
        let mut out: Option<[f64; 4]> = None;
        self.each_position(&mut |p| {
            if p.x.is_finite() && p.y.is_finite() {
                let b = out.get_or_insert([p.x, p.y, p.x, p.y]);
                *b = [b[0].min(p.x), b[1].min(p.y), b[2].max(p.x), b[3].max(p.y)];
            }
        });
        out
    }

    /// Whether there is no position.
    pub fn is_empty(&self) -> bool {
        self.bounds().is_none()
    }

    /// Whether any position has a height, and whether any has a measure.
    pub fn has_z_and_m(&self) -> (bool, bool) {
        let mut found = (false, false);
        self.each_position(&mut |p| {
            found.0 |= !p.z.is_nan();
            found.1 |= !p.m.is_nan();
        });
        found
    }
}

/// Twice the signed area of a ring in the plane: positive where it runs against the clock.
pub fn ring_turn(ring: &[Position]) -> f64 {
    let Some(first) = ring.first() else { return 0.0 };
    // Around the first position, so that large coordinates do not eat the digits.
    ring.windows(2).map(|w| (w[0].x - first.x) * (w[1].y - first.y) - (w[1].x - first.x) * (w[0].y - first.y)).sum()
}

/// The field of a column of geometries of any type, in well-known binary.
pub fn geometry_field(crs: Option<&str>) -> Field {
    let mut metadata = HashMap::from([("ARROW:extension:name".to_string(), "geoarrow.wkb".to_string())]);
    if let Some(crs) = crs {
        metadata.insert("ARROW:extension:metadata".to_string(), crs_metadata(crs));
    }
    Field::new(crate::POINT_COLUMN, DataType::Binary, true).with_metadata(metadata)
}

/// The index of the column of geometries of a schema.
pub fn geometry_index(schema: &Schema) -> Option<usize> {
    schema.fields().iter().position(|f| f.metadata().get("ARROW:extension:name").is_some_and(|n| n == "geoarrow.wkb"))
}

/// A view of the geometry of a batch, whether it is a column of points or of any type.
pub enum Spatial<'a> {
    /// A column of points.
    Points(Points<'a>),
    /// A column of any geometry.
    Any(Geometries<'a>),
    /// None.
    None,
}

impl<'a> Spatial<'a> {
    /// The geometry of a batch.
    pub fn of(batch: &'a RecordBatch) -> Self {
        match (Points::of(batch), Geometries::of(batch)) {
            (Some(points), _) => Spatial::Points(points),
            (None, Some(any)) => Spatial::Any(any),
            (None, None) => Spatial::None,
        }
    }

    /// The geometry of a row; `None` where it has none, or an empty one.
    pub fn get(&self, row: usize) -> Option<Geometry> {
        match self {
            Spatial::Points(points) => {
                points.get(row).map(|(x, y, z)| Geometry::Point(Position::xyz(x, y, z.unwrap_or(f64::NAN))))
            }
            Spatial::Any(any) => any.get(row).filter(|g| !g.is_empty()),
            Spatial::None => None,
        }
    }
}

/// A view of a column of geometries.
pub struct Geometries<'a> {
    array: &'a BinaryArray,
}

impl<'a> Geometries<'a> {
    /// The column of geometries of a batch, if it has one.
    pub fn of(batch: &'a RecordBatch) -> Option<Self> {
        let index = geometry_index(&batch.schema())?;
        batch.column(index).as_any().downcast_ref::<BinaryArray>().map(|array| Geometries { array })
    }

    /// The geometry of a row; `None` where it has none.
    pub fn get(&self, row: usize) -> Option<Geometry> {
        wkb::read(self.bytes(row)?).ok()
    }

    /// The well-known binary of a row; `None` where it has none.
    pub fn bytes(&self, row: usize) -> Option<&'a [u8]> {
        self.array.is_valid(row).then(|| self.array.value(row))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bounds_and_turns() {
        let ring = [(0.0, 0.0), (4.0, 0.0), (4.0, 3.0), (0.0, 0.0)].map(|(x, y)| Position::xy(x, y)).to_vec();
        assert_eq!(ring_turn(&ring), 12.0, "twice the area of half of 4 by 3");
        let back: Vec<Position> = ring.iter().rev().copied().collect();
        assert_eq!(ring_turn(&back), -12.0);
        let g = Geometry::Polygon(vec![ring]);
        assert_eq!(g.bounds(), Some([0.0, 0.0, 4.0, 3.0]));
        assert!(Geometry::MultiPoint(Vec::new()).is_empty());
        assert_eq!(g.has_z_and_m(), (false, false));
    }
}
