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
            Geometry::gathered(parts)
        }
        _ => None,
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

/// Appends a geometry; `mode` says what its heights are counted from, without it they would be passed over.
pub(super) fn push(g: &Geometry, mode: Option<&str>, out: &mut String) {
    match g {
        Geometry::Point(p) => element("Point", std::slice::from_ref(p), mode, out),
        Geometry::LineString(l) => element("LineString", l, mode, out),
        Geometry::Polygon(rings) => {
            out.push_str("<Polygon>");
            push_mode(mode, out);
            for (i, ring) in rings.iter().enumerate() {
                let name = if i == 0 { "outerBoundaryIs" } else { "innerBoundaryIs" };
                out.push_str(&format!("<{name}><LinearRing><coordinates>"));
                push_coordinates(ring, out);
                out.push_str(&format!("</coordinates></LinearRing></{name}>"));
            }
            out.push_str("</Polygon>");
        }
        Geometry::MultiPoint(l) => multi(out, |out| l.iter().for_each(|p| push(&Geometry::Point(*p), mode, out))),
        Geometry::MultiLineString(l) => multi(out, |out| l.iter().for_each(|p| element("LineString", p, mode, out))),
        Geometry::MultiPolygon(l) => {
            multi(out, |out| l.iter().for_each(|p| push(&Geometry::Polygon(p.clone()), mode, out)));
        }
        Geometry::Collection(l) => multi(out, |out| l.iter().for_each(|p| push(p, mode, out))),
    }
}

fn multi(out: &mut String, parts: impl Fn(&mut String)) {
    out.push_str("<MultiGeometry>");
    parts(out);
    out.push_str("</MultiGeometry>");
}

fn element(name: &str, list: &[Position], mode: Option<&str>, out: &mut String) {
    out.push_str(&format!("<{name}>"));
    push_mode(mode, out);
    out.push_str("<coordinates>");
    push_coordinates(list, out);
    out.push_str(&format!("</coordinates></{name}>"));
}

fn push_mode(mode: Option<&str>, out: &mut String) {
    if let Some(mode) = mode {
        out.push_str(&format!("<altitudeMode>{mode}</altitudeMode>"));
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
    number::push_trimmed(&mut bytes, value, digits);
    out.push_str(&String::from_utf8(bytes).unwrap_or_default());
}
