//! Positions of GeoRSS (OGC 17-002r1): `point`, `line`, `polygon` and `box` of its simple form, and the GML within `where`.
//! Latitude stands first in all of them.

use crate::xml::Element;
use basilocus_table::geometry::{Geometry, Position};

/// The name space of GeoRSS; an element of the name in another one is something else.
const SPACE: &str = "http://www.georss.org/georss";

/// Whether an element holds a position, and is no column.
pub(super) fn is_position(e: &Element) -> bool {
    *e.space == *SPACE && matches!(e.name.as_str(), "point" | "line" | "polygon" | "box" | "where")
}

/// The geometry of a row; none where it has none.
///
/// # Errors
/// In words.
pub(super) fn of(row: &Element) -> Result<Option<Geometry>, String> {
    let Some(e) = row.children.iter().find(|c| is_position(c)) else { return Ok(None) };
    Ok(Some(match e.name.as_str() {
        "point" => point(&e.text)?,
        "line" => Geometry::LineString(list(&e.text)?),
        "polygon" => Geometry::Polygon(vec![ring(&e.text)?]),
        "box" => envelope(&e.text)?,
        _ => gml(e.children.iter().find(|c| is_gml(&c.name)).ok_or("<where> holds no geometry that is read")?)?,
    }))
}

/// A geometry of GML in a feed: in WGS 84, latitude first.
fn gml(e: &Element) -> Result<Geometry, String> {
    if let Some(system) = e.attribute("srsName").filter(|s| !s.contains("4326") && !s.contains("CRS84")) {
        return Err(format!("the geometry is in {system}; a feed's positions are read in WGS 84"));
    }
    let text = |e: &Element| -> String {
        ["pos", "posList"].iter().find_map(|n| e.find(n)).map_or(String::new(), |p| p.text.to_string())
    };
    Ok(match e.name.as_str() {
        "Point" => point(&text(e))?,
        "LineString" => Geometry::LineString(list(&text(e))?),
        "Envelope" => {
            envelope(&format!("{} {}", e.text_of("lowerCorner").unwrap_or(""), e.text_of("upperCorner").unwrap_or("")))?
        }
        _ => {
            let edges = ["exterior", "interior"];
            let rings = edges.iter().flat_map(|edge| e.children.iter().filter(move |c| c.name == *edge));
            Geometry::Polygon(rings.map(|r| ring(&text(r))).collect::<Result<_, _>>()?)
        }
    })
}

fn is_gml(name: &str) -> bool {
    matches!(name, "Point" | "LineString" | "Polygon" | "Envelope")
}

fn point(text: &str) -> Result<Geometry, String> {
    match list(text)?.as_slice() {
        [p] => Ok(Geometry::Point(*p)),
        l => Err(format!("\"{text}\" holds {} positions; a latitude and a longitude are expected", l.len())),
    }
}

fn ring(text: &str) -> Result<Vec<Position>, String> {
    let mut ring = list(text)?;
    if let (Some(first), Some(last)) = (ring.first().copied(), ring.last())
        && first != *last
    {
        ring.push(first);
    }
    if ring.len() < 4 { Err(format!("\"{text}\" is no ring of three corners or more")) } else { Ok(ring) }
}

fn envelope(text: &str) -> Result<Geometry, String> {
    match list(text)?.as_slice() {
        [a, b] => {
            let corners = [(a.x, a.y), (b.x, a.y), (b.x, b.y), (a.x, b.y), (a.x, a.y)];
            Ok(Geometry::Polygon(vec![corners.map(|(x, y)| Position::xy(x, y)).to_vec()]))
        }
        l => Err(format!("\"{text}\" holds {} corners; two are expected", l.len())),
    }
}

/// Pairs of latitude and longitude.
fn list(text: &str) -> Result<Vec<Position>, String> {
    let numbers: Vec<f64> = text
        .split([' ', ',', '\n', '\t', '\r'])
        .filter(|p| !p.is_empty())
        .map(|p| p.parse::<f64>().map_err(|_| format!("\"{p}\" is no number of degrees")))
        .collect::<Result<_, _>>()?;
    if numbers.is_empty() || !numbers.len().is_multiple_of(2) {
        return Err(format!("\"{text}\" has {} numbers; pairs of latitude and longitude are expected", numbers.len()));
    }
    numbers
        .chunks_exact(2)
        .map(|p| {
            if p[0].abs() <= 90.0 && p[1].abs() <= 360.0 {
                Ok(Position::xy(p[1], p[0]))
            } else {
                Err(format!(
                    "\"{} {}\": the first number is a latitude, at most 90, the second a longitude",
                    p[0], p[1]
                ))
            }
        })
        .collect()
}
