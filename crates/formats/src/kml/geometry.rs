//! Geometry of placemarks, both ways.

use crate::number;
use crate::xml::Element;
use basilocus_table::geometry::{Geometry, Position};

/// Whether an element is a geometry.
pub(super) fn is_geometry(name: &str) -> bool {
    matches!(name, "Point" | "LineString" | "LinearRing" | "Polygon" | "MultiGeometry" | "Track" | "MultiTrack")
}

/// Reads a geometry; none where it is empty.
///
/// # Errors
/// In words.
pub(super) fn read(e: &Element) -> Result<Option<Geometry>, String> {
    let list = |e: &Element| coordinates(e.text_of("coordinates").unwrap_or(""));
    Ok(match e.name.as_str() {
        "Point" => list(e)?.first().map(|p| Geometry::Point(*p)),
        "LineString" | "LinearRing" => Some(list(e)?).filter(|l| !l.is_empty()).map(Geometry::LineString),
        "Polygon" => {
            let mut rings = Vec::new();
            for boundary in ["outerBoundaryIs", "innerBoundaryIs"] {
                for b in e.children.iter().filter(|c| c.name == boundary) {
                    for ring in b.children.iter().filter(|c| c.name == "LinearRing") {
                        let mut ring = list(ring)?;
                        // Rings that are left open are closed.
                        if let (Some(first), Some(last)) = (ring.first().copied(), ring.last())
                            && (first.x, first.y) != (last.x, last.y)
                        {
                            ring.push(first);
                        }
                        rings.push(ring);
                    }
                }
            }
            rings.retain(|r| !r.is_empty());
            (!rings.is_empty()).then_some(Geometry::Polygon(rings))
        }
        "Track" => {
            let line: Vec<Position> = e
                .children
                .iter()
                .filter(|c| c.name == "coord")
                .map(|c| position(c.text.split_whitespace(), &c.text))
                .collect::<Result<_, _>>()?;
            (!line.is_empty()).then_some(Geometry::LineString(line))
        }
        "MultiGeometry" | "MultiTrack" => {
            let parts = e.children.iter().filter(|c| is_geometry(&c.name));
            let parts: Vec<Geometry> = parts.map(read).collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect();
            joined(parts)
        }
        _ => None,
    })
}

/// Parts of one type as one geometry of several, others as a collection.
fn joined(parts: Vec<Geometry>) -> Option<Geometry> {
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

/// `lon,lat[,altitude]`, parted by blanks.
fn coordinates(text: &str) -> Result<Vec<Position>, String> {
    text.split_whitespace().map(|tuple| position(tuple.split(','), tuple)).collect()
}

fn position<'a>(mut parts: impl Iterator<Item = &'a str>, whole: &str) -> Result<Position, String> {
    let mut next = || parts.next().map(|p| p.trim().parse::<f64>().ok().filter(|v| v.is_finite()));
    match (next(), next(), next()) {
        (Some(Some(x)), Some(Some(y)), None) => Ok(Position::xy(x, y)),
        (Some(Some(x)), Some(Some(y)), Some(Some(z))) => Ok(Position::xyz(x, y, z)),
        _ => Err(format!("\"{whole}\" is no longitude,latitude[,altitude]")),
    }
}

/// Appends a geometry.
pub(super) fn push(g: &Geometry, out: &mut String) {
    match g {
        Geometry::Point(p) => element("Point", std::slice::from_ref(p), out),
        Geometry::LineString(l) => element("LineString", l, out),
        Geometry::Polygon(rings) => {
            out.push_str("<Polygon>");
            mode(rings.iter().flatten(), out);
            for (i, ring) in rings.iter().enumerate() {
                let name = if i == 0 { "outerBoundaryIs" } else { "innerBoundaryIs" };
                out.push_str(&format!("<{name}><LinearRing><coordinates>"));
                push_coordinates(ring, out);
                out.push_str(&format!("</coordinates></LinearRing></{name}>"));
            }
            out.push_str("</Polygon>");
        }
        Geometry::MultiPoint(l) => multi(out, |out| l.iter().for_each(|p| push(&Geometry::Point(*p), out))),
        Geometry::MultiLineString(l) => multi(out, |out| l.iter().for_each(|p| element("LineString", p, out))),
        Geometry::MultiPolygon(l) => {
            multi(out, |out| l.iter().for_each(|p| push(&Geometry::Polygon(p.clone()), out)));
        }
        Geometry::Collection(l) => multi(out, |out| l.iter().for_each(|p| push(p, out))),
    }
}

fn multi(out: &mut String, parts: impl Fn(&mut String)) {
    out.push_str("<MultiGeometry>");
    parts(out);
    out.push_str("</MultiGeometry>");
}

fn element(name: &str, list: &[Position], out: &mut String) {
    out.push_str(&format!("<{name}>"));
    mode(list.iter(), out);
    out.push_str("<coordinates>");
    push_coordinates(list, out);
    out.push_str(&format!("</coordinates></{name}>"));
}

/// Heights count from the sea where there are any; without this they would be passed over.
fn mode<'a>(mut list: impl Iterator<Item = &'a Position>, out: &mut String) {
    if list.any(|p| !p.z.is_nan()) {
        out.push_str("<altitudeMode>absolute</altitudeMode>");
    }
}

fn push_coordinates(list: &[Position], out: &mut String) {
    for (i, p) in list.iter().enumerate() {
        if i > 0 {
            out.push(' ');
        }
        push_number(p.x, 9, out);
        out.push(',');
        push_number(p.y, 9, out);
        if !p.z.is_nan() {
            out.push(',');
            push_number(p.z, 3, out);
        }
    }
}

fn push_number(value: f64, digits: usize, out: &mut String) {
    let mut bytes = Vec::new();
    number::push_fixed(&mut bytes, value, digits);
    let text = String::from_utf8(bytes).unwrap_or_default();
    let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
    out.push_str(text);
}
