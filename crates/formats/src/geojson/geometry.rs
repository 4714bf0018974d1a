//! Geometry objects of GeoJSON (RFC 7946, clause 3.1), both ways.

use super::feature::GeometryObject;
use crate::number;
use basilocus_table::geometry::{Geometry, Position, ring_turn};
use serde::Deserialize;
use serde::de::{Deserializer, SeqAccess, Visitor};
use std::fmt;

/// Decimals of a coordinate: a tenth of a millimetre on the ground.
const DIGITS: usize = 9;
/// How deep collections may lie in each other.
const DEEPEST: usize = 16;

/// Coordinates of any depth: a position, or a list of what lies one deeper.
#[derive(Debug, Clone, PartialEq, Default)]
pub(super) enum Coordinates {
    /// None were there, or what was there is no coordinates.
    #[default]
    Missing,
    /// A number alone, which only a position may hold.
    Number(f64),
    /// Longitude, latitude, height; NaN where a number is missing or is none.
    Position([f64; 3]),
    /// Positions, lines, rings.
    List(Vec<Coordinates>),
}

impl<'de> Deserialize<'de> for Coordinates {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Coordinates;
            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("coordinates")
            }
            fn visit_unit<E>(self) -> Result<Coordinates, E> {
                Ok(Coordinates::Missing)
            }
            fn visit_bool<E>(self, _: bool) -> Result<Coordinates, E> {
                Ok(Coordinates::Missing)
            }
            fn visit_str<E>(self, _: &str) -> Result<Coordinates, E> {
                Ok(Coordinates::Missing)
            }
            fn visit_f64<E>(self, v: f64) -> Result<Coordinates, E> {
                Ok(Coordinates::Number(v))
            }
            fn visit_i64<E>(self, v: i64) -> Result<Coordinates, E> {
                Ok(Coordinates::Number(v as f64))
            }
            fn visit_u64<E>(self, v: u64) -> Result<Coordinates, E> {
                Ok(Coordinates::Number(v as f64))
            }
            fn visit_map<A: serde::de::MapAccess<'de>>(self, mut map: A) -> Result<Coordinates, A::Error> {
                while map.next_entry::<serde::de::IgnoredAny, serde::de::IgnoredAny>()?.is_some() {}
                Ok(Coordinates::Missing)
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Coordinates, A::Error> {
                let number = |c: Coordinates| if let Coordinates::Number(v) = c { v } else { f64::NAN };
                match seq.next_element::<Coordinates>()? {
                    None => Ok(Coordinates::List(Vec::new())),
                    Some(first @ (Coordinates::Position(_) | Coordinates::List(_))) => {
                        let mut list = vec![first];
                        while let Some(next) = seq.next_element()? {
                            list.push(next);
                        }
                        Ok(Coordinates::List(list))
                    }
                    Some(first) => {
                        let mut position = [number(first), f64::NAN, f64::NAN];
                        let mut i = 1;
                        while let Some(next) = seq.next_element::<Coordinates>()? {
                            if let Some(slot) = position.get_mut(i) {
                                *slot = number(next);
                            }
                            i += 1;
                        }
                        Ok(Coordinates::Position(position))
                    }
                }
            }
        }
        d.deserialize_any(V)
    }
}

/// Whether a geometry is a point with a height.
pub(super) fn point_with_height(geometry: &GeometryObject) -> bool {
    matches!(geometry.coordinates, Coordinates::Position([_, _, z]) if !z.is_nan())
}

/// Reads a geometry object.
///
/// # Errors
/// In words, what does not fit.
pub(super) fn read(geometry: &GeometryObject) -> Result<Geometry, String> {
    read_at(geometry, 0)
}

fn read_at(geometry: &GeometryObject, depth: usize) -> Result<Geometry, String> {
    if depth > DEEPEST {
        return Err("collections lie more than 16 deep in each other".into());
    }
    let c = &geometry.coordinates;
    Ok(match geometry.kind.as_ref() {
        "Point" => Geometry::Point(position(c)?),
        "LineString" => Geometry::LineString(positions(c)?),
        "Polygon" => Geometry::Polygon(list(c, positions)?),
        "MultiPoint" => Geometry::MultiPoint(positions(c)?),
        "MultiLineString" => Geometry::MultiLineString(list(c, positions)?),
        "MultiPolygon" => Geometry::MultiPolygon(list(c, |v| list(v, positions))?),
        "GeometryCollection" => Geometry::Collection(
            geometry.geometries.iter().flatten().map(|g| read_at(g, depth + 1)).collect::<Result<_, _>>()?,
        ),
        other => return Err(format!("\"{other}\" is no type of geometry of RFC 7946")),
    })
}

fn list<T>(value: &Coordinates, one: impl Fn(&Coordinates) -> Result<T, String>) -> Result<Vec<T>, String> {
    match value {
        Coordinates::List(list) => list.iter().map(one).collect(),
        _ => Err("an array of coordinates is expected".into()),
    }
}

fn positions(value: &Coordinates) -> Result<Vec<Position>, String> {
    list(value, position)
}

fn position(value: &Coordinates) -> Result<Position, String> {
    match value {
        Coordinates::Position([x, y, z]) if !x.is_nan() && !y.is_nan() => Ok(Position::xyz(*x, *y, *z)),
        _ => Err("a position without longitude and latitude".into()),
    }
}

/// Appends a geometry object. Outer rings run against the clock and holes with it, as clause 3.1.6 wants.
pub(super) fn push(out: &mut Vec<u8>, geometry: &Geometry) {
    let name: &str = match geometry {
        Geometry::Point(_) => "Point",
        Geometry::LineString(_) => "LineString",
        Geometry::Polygon(_) => "Polygon",
        Geometry::MultiPoint(_) => "MultiPoint",
        Geometry::MultiLineString(_) => "MultiLineString",
        Geometry::MultiPolygon(_) => "MultiPolygon",
        Geometry::Collection(_) => "GeometryCollection",
    };
    out.extend_from_slice(b"{\"type\":\"");
    out.extend_from_slice(name.as_bytes());
    out.extend_from_slice(if matches!(geometry, Geometry::Collection(_)) {
        b"\",\"geometries\":"
    } else {
        b"\",\"coordinates\":"
    });
    match geometry {
        Geometry::Point(p) => push_position(out, p),
        Geometry::LineString(l) | Geometry::MultiPoint(l) => push_list(out, l, push_position),
        Geometry::MultiLineString(l) => push_list(out, l, |out, l| push_list(out, l, push_position)),
        Geometry::Polygon(rings) => push_rings(out, rings),
        Geometry::MultiPolygon(l) => push_list(out, l, |out, rings| push_rings(out, rings)),
        Geometry::Collection(l) => push_list(out, l, push),
    }
    out.push(b'}');
}

fn push_list<T>(out: &mut Vec<u8>, items: &[T], one: impl Fn(&mut Vec<u8>, &T)) {
    out.push(b'[');
    for (i, item) in items.iter().enumerate() {
        if i > 0 {
            out.push(b',');
        }
        one(out, item);
    }
    out.push(b']');
}

fn push_rings(out: &mut Vec<u8>, rings: &[Vec<Position>]) {
    out.push(b'[');
    for (i, ring) in rings.iter().enumerate() {
        if i > 0 {
            out.push(b',');
        }
        let turned = (ring_turn(ring) < 0.0) == (i == 0);
        if turned && ring_turn(ring) != 0.0 {
            let back: Vec<Position> = ring.iter().rev().copied().collect();
            push_list(out, &back, push_position);
        } else {
            push_list(out, ring, push_position);
        }
    }
    out.push(b']');
}

fn push_position(out: &mut Vec<u8>, p: &Position) {
    out.push(b'[');
    number::push_trimmed(out, p.x, DIGITS);
    out.push(b',');
    number::push_trimmed(out, p.y, DIGITS);
    if !p.z.is_nan() {
        out.push(b',');
        number::push_trimmed(out, p.z, 4);
    }
    out.push(b']');
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    fn text(geometry: &str) -> String {
        let mut out = Vec::new();
        push(&mut out, &wkt::read(geometry).unwrap());
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn rings_run_as_the_rfc_wants() {
        // Both rings the wrong way round.
        assert_eq!(
            text("POLYGON ((0 0, 0 4, 4 4, 0 0), (1 2, 2 3, 1 3, 1 2))"),
            r#"{"type":"Polygon","coordinates":[[[0,0],[4,4],[0,4],[0,0]],[[1,2],[1,3],[2,3],[1,2]]]}"#
        );
    }

    #[test]
    fn all_types_there_and_back() {
        for wanted in [
            "POINT Z (1 2 3)",
            "LINESTRING (0 0, 1 1)",
            "POLYGON ((0 0, 4 0, 4 4, 0 0))",
            "MULTIPOINT ((1 2), (3 4))",
            "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))",
            "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))",
            "GEOMETRYCOLLECTION (POINT (1 2), LINESTRING (0 0, 1 1))",
        ] {
            let text = text(wanted);
            assert_eq!(read(&serde_json::from_str(&text).unwrap()).map(|g| wkt::write(&g)).as_deref(), Ok(wanted));
        }
    }

    #[test]
    fn what_does_not_fit_is_said() {
        let read = |t: &str| read(&serde_json::from_str(t).unwrap()).unwrap_err();
        assert_eq!(read(r#"{"type":"Circle"}"#), "\"Circle\" is no type of geometry of RFC 7946");
        assert_eq!(
            read(r#"{"type":"LineString","coordinates":[[0,"x"]]}"#),
            "a position without longitude and latitude"
        );
        assert_eq!(read(r#"{"type":"Polygon","coordinates":3}"#), "an array of coordinates is expected");
    }
}
