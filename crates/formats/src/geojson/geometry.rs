//! Geometry objects of GeoJSON (RFC 7946, clause 3.1), both ways.

use crate::number;
use basilocus_table::geometry::{Geometry, Position, ring_turn};
use serde_json::Value;

/// Decimals of a coordinate: a tenth of a millimetre on the ground.
const DIGITS: usize = 9;
/// How deep collections may lie in each other.
const DEEPEST: usize = 16;

/// Whether a geometry is a point with a height.
pub(super) fn point_with_height(geometry: &Value) -> bool {
    geometry.get("coordinates").and_then(Value::as_array).is_some_and(|c| c.len() > 2 && c[2].is_number())
}

/// Reads a geometry object.
///
/// # Errors
/// In words, what does not fit.
pub(super) fn read(geometry: &Value) -> Result<Geometry, String> {
    read_at(geometry, 0)
}

fn read_at(geometry: &Value, depth: usize) -> Result<Geometry, String> {
    if depth > DEEPEST {
        return Err("collections lie more than 16 deep in each other".into());
    }
    let kind = geometry.get("type").and_then(Value::as_str).unwrap_or("");
    let c = || geometry.get("coordinates").unwrap_or(&Value::Null);
    Ok(match kind {
        "Point" => Geometry::Point(position(c())?),
        "LineString" => Geometry::LineString(positions(c())?),
        "Polygon" => Geometry::Polygon(list(c(), positions)?),
        "MultiPoint" => Geometry::MultiPoint(positions(c())?),
        "MultiLineString" => Geometry::MultiLineString(list(c(), positions)?),
        "MultiPolygon" => Geometry::MultiPolygon(list(c(), |v| list(v, positions))?),
        "GeometryCollection" => {
            Geometry::Collection(list(geometry.get("geometries").unwrap_or(&Value::Null), |g| read_at(g, depth + 1))?)
        }
        other => return Err(format!("\"{other}\" is no type of geometry of RFC 7946")),
    })
}

fn list<T>(value: &Value, one: impl Fn(&Value) -> Result<T, String>) -> Result<Vec<T>, String> {
    value.as_array().ok_or("an array of coordinates is expected")?.iter().map(one).collect()
}

fn positions(value: &Value) -> Result<Vec<Position>, String> {
    list(value, position)
}

fn position(value: &Value) -> Result<Position, String> {
    let numbers: &[Value] = value.as_array().map_or(&[], Vec::as_slice);
    let at = |i: usize| numbers.get(i).and_then(Value::as_f64);
    match (at(0), at(1)) {
        (Some(x), Some(y)) => Ok(Position::xyz(x, y, at(2).unwrap_or(f64::NAN))),
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
    push_trimmed(out, p.x, DIGITS);
    out.push(b',');
    push_trimmed(out, p.y, DIGITS);
    if !p.z.is_nan() {
        out.push(b',');
        push_trimmed(out, p.z, 4);
    }
    out.push(b']');
}

/// Fixed decimals without the zeros at the end.
pub(super) fn push_trimmed(out: &mut Vec<u8>, value: f64, digits: usize) {
    let start = out.len();
    number::push_fixed(out, value, digits);
    if out[start..].contains(&b'.') {
        while out.last() == Some(&b'0') {
            out.pop();
        }
        if out.last() == Some(&b'.') {
            out.pop();
        }
    }
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
            "MULTIPOINT (1 2, 3 4)",
            "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))",
            "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))",
            "GEOMETRYCOLLECTION (POINT (1 2), LINESTRING (0 0, 1 1))",
        ] {
            let value: Value = serde_json::from_str(&text(wanted)).unwrap();
            assert_eq!(read(&value).map(|g| wkt::write(&g)).as_deref(), Ok(wanted));
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
