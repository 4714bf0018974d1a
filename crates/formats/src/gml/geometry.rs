//! Geometry of GML, as simple features. Positions are in the order of the document.

use super::is_gml;
use crate::xml::Element;
use basilocus_table::geometry::{Geometry, Position, arc};
use std::cell::Cell;

/// Whether an element is a geometry.
pub(crate) fn is_geometry(e: &Element) -> bool {
    is_gml(&e.space)
        && matches!(
            e.name.as_str(),
            "Point"
                | "LineString"
                | "LinearRing"
                | "Ring"
                | "Curve"
                | "CompositeCurve"
                | "OrientableCurve"
                | "Polygon"
                | "Surface"
                | "CompositeSurface"
                | "OrientableSurface"
                | "PolyhedralSurface"
                | "TriangulatedSurface"
                | "Tin"
                | "Solid"
                | "MultiPoint"
                | "MultiCurve"
                | "MultiLineString"
                | "MultiSurface"
                | "MultiPolygon"
                | "MultiSolid"
                | "MultiGeometry"
                | "Envelope"
                | "Box"
        )
}

/// Reads geometries of one document.
#[derive(Debug, Default)]
pub(crate) struct GeometryReader {
    /// Arcs that became chords.
    pub arcs: Cell<u64>,
}

impl GeometryReader {
    /// Reads a geometry; none where it is empty. Positions have two numbers unless the document says otherwise.
    ///
    /// # Errors
    /// In words.
    pub(crate) fn read(&self, e: &Element) -> Result<Option<Geometry>, String> {
        self.geometry(e, 0)
    }

    fn geometry(&self, e: &Element, dimension: usize) -> Result<Option<Geometry>, String> {
        let dimension = dimension_of(e).unwrap_or(dimension);
        Ok(match e.name.as_str() {
            "Point" => match positions(e, dimension)?.as_slice() {
                [] => None,
                [p] => Some(Geometry::Point(*p)),
                l => return Err(format!("a Point holds {} positions; one is expected", l.len())),
            },
            "LineString" | "LinearRing" | "Ring" | "Curve" | "CompositeCurve" | "OrientableCurve" => {
                Some(self.curve(e, dimension)?).filter(|l| !l.is_empty()).map(Geometry::LineString)
            }
            "Polygon" | "PolygonPatch" | "Triangle" | "Rectangle" => {
                Some(self.rings(e, dimension)?).filter(|r| !r.is_empty()).map(Geometry::Polygon)
            }
            "Envelope" | "Box" => match corners(e, dimension)?.as_slice() {
                [a, b] => {
                    let ring = [(a.x, a.y), (b.x, a.y), (b.x, b.y), (a.x, b.y), (a.x, a.y)];
                    Some(Geometry::Polygon(vec![ring.map(|(x, y)| Position::xy(x, y)).to_vec()]))
                }
                l => return Err(format!("an {} holds {} corners; two are expected", e.name, l.len())),
            },
            "Surface"
            | "PolyhedralSurface"
            | "TriangulatedSurface"
            | "Tin"
            | "CompositeSurface"
            | "Shell"
            | "OrientableSurface"
            | "Solid" => {
                let mut parts = self.parts(e, dimension)?;
                if parts.len() == 1 { parts.pop() } else { Geometry::gathered(parts) }
            }
            name if name.starts_with("Multi") => match Geometry::gathered(self.parts(e, dimension)?) {
                // Members that have parts of their own, of one type: parts of the whole.
                Some(Geometry::Collection(list)) if name != "MultiGeometry" => Geometry::gathered(flattened(list)),
                other => other,
            },
            name => return Err(format!("a geometry of type {name} is not read")),
        })
    }

    /// The geometries directly in the members of an element.
    fn parts(&self, e: &Element, dimension: usize) -> Result<Vec<Geometry>, String> {
        let inside = e.children.iter().flat_map(|c| &c.children);
        let known = |c: &&Element| {
            is_geometry(c) || matches!(c.name.as_str(), "PolygonPatch" | "Triangle" | "Rectangle" | "Shell")
        };
        let read = inside.filter(known).map(|c| self.geometry(c, dimension));
        Ok(read.collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect())
    }

    /// The positions along a curve.
    fn curve(&self, e: &Element, dimension: usize) -> Result<Vec<Position>, String> {
        let dimension = dimension_of(e).unwrap_or(dimension);
        let mut line: Vec<Position> = Vec::new();
        // Each part begins where the one before it ended.
        let mut add = |mut part: Vec<Position>| {
            if line.last().is_some() && line.last() == part.first() {
                part.remove(0);
            }
            line.append(&mut part);
        };
        match e.name.as_str() {
            "LineString" | "LinearRing" => add(positions(e, dimension)?),
            "Curve" => {
                for segment in e.children.iter().filter(|c| c.name == "segments").flat_map(|c| &c.children) {
                    add(self.segment(segment, dimension)?);
                }
            }
            _ => {
                for part in e.children.iter().flat_map(|c| &c.children).filter(|c| is_geometry(c)) {
                    add(self.curve(part, dimension)?);
                }
                if e.attribute("orientation") == Some("-") {
                    line.reverse();
                }
            }
        }
        Ok(line)
    }

    fn segment(&self, e: &Element, dimension: usize) -> Result<Vec<Position>, String> {
        let dimension = dimension_of(e).unwrap_or(dimension);
        let list = positions(e, dimension)?;
        let arcs = |n: usize| self.arcs.set(self.arcs.get() + n as u64);
        let radius = || e.text_of("radius").and_then(|r| r.trim().parse::<f64>().ok()).filter(|r| r.is_finite());
        match (e.name.as_str(), list.as_slice()) {
            ("LineStringSegment" | "GeodesicString" | "Geodesic", _) => Ok(list),
            ("Arc", [a, b, c]) => {
                arcs(1);
                Ok(arc::through(*a, *b, *c))
            }
            ("Circle", [a, b, c]) => {
                arcs(1);
                Ok(arc::circle(*a, *b, *c))
            }
            ("ArcString", l) if l.len() >= 3 && l.len() % 2 == 1 => {
                arcs(l.len() / 2);
                let mut out = vec![l[0]];
                for i in (0..l.len() - 2).step_by(2) {
                    out.extend_from_slice(&arc::through(l[i], l[i + 1], l[i + 2])[1..]);
                }
                Ok(out)
            }
            ("CircleByCenterPoint", [centre]) => {
                let radius = radius().ok_or("a CircleByCenterPoint has no radius")?;
                arcs(1);
                Ok(arc::about(*centre, radius, 0.0, std::f64::consts::TAU))
            }
            (name, l) => Err(format!("a curve with {name} of {} positions is not read", l.len())),
        }
    }

    fn rings(&self, e: &Element, dimension: usize) -> Result<Vec<Vec<Position>>, String> {
        let mut rings = Vec::new();
        for edges in [["exterior", "outerBoundaryIs"], ["interior", "innerBoundaryIs"]] {
            for edge in e.children.iter().filter(|c| edges.contains(&c.name.as_str())) {
                for ring in &edge.children {
                    let mut ring = self.curve(ring, dimension)?;
                    if let (Some(first), Some(last)) = (ring.first().copied(), ring.last())
                        && (first.x, first.y) != (last.x, last.y)
                    {
                        ring.push(first);
                    }
                    if ring.len() < 4 {
                        return Err(format!("a ring has {} positions; four or more are expected", ring.len()));
                    }
                    rings.push(ring);
                }
            }
        }
        Ok(rings)
    }
}

/// The parts of geometries of several.
fn flattened(list: Vec<Geometry>) -> Vec<Geometry> {
    list.into_iter()
        .flat_map(|g| match g {
            Geometry::MultiPoint(l) => l.into_iter().map(Geometry::Point).collect(),
            Geometry::MultiLineString(l) => l.into_iter().map(Geometry::LineString).collect(),
            Geometry::MultiPolygon(l) => l.into_iter().map(Geometry::Polygon).collect(),
            g => vec![g],
        })
        .collect()
}

fn dimension_of(e: &Element) -> Option<usize> {
    e.attribute("srsDimension").or_else(|| e.attribute("dimension"))?.trim().parse().ok()
}

fn corners(e: &Element, dimension: usize) -> Result<Vec<Position>, String> {
    let mut list = Vec::new();
    for name in ["lowerCorner", "upperCorner"] {
        if let Some(text) = e.text_of(name) {
            list.push(position(&numbers(text)?, text)?);
        }
    }
    if list.is_empty() { positions(e, dimension) } else { Ok(list) }
}

/// All positions directly in an element, whatever form they have; a list says how many numbers each has, or it is two.
fn positions(e: &Element, dimension: usize) -> Result<Vec<Position>, String> {
    let mut out = Vec::new();
    for c in &e.children {
        match c.name.as_str() {
            "pos" => out.push(position(&numbers(&c.text)?, &c.text)?),
            "posList" => {
                let list = numbers(&c.text)?;
                let dimension = dimension_of(c).unwrap_or(match dimension {
                    0 => 2,
                    said => said,
                });
                if !(2..=4).contains(&dimension) || !list.len().is_multiple_of(dimension) {
                    return Err(format!("{} numbers are no positions of {dimension} numbers each", list.len()));
                }
                for tuple in list.chunks_exact(dimension) {
                    out.push(position(tuple, "")?);
                }
            }
            "coordinates" => tuples(c, &mut out)?,
            "coord" => {
                let of = |name: &str| c.text_of(name).map_or(Ok(Vec::new()), numbers);
                let list = [of("X")?, of("Y")?, of("Z")?].concat();
                out.push(position(&list, "")?);
            }
            "pointProperty" | "pointRep" => {
                for point in c.children.iter().filter(|p| p.name == "Point") {
                    out.extend(positions(point, dimension)?);
                }
            }
            _ => {}
        }
    }
    Ok(out)
}

fn numbers(text: &str) -> Result<Vec<f64>, String> {
    text.split_whitespace().map(number).collect()
}

fn number(text: &str) -> Result<f64, String> {
    text.parse::<f64>().ok().filter(|v| v.is_finite()).ok_or_else(|| format!("\"{text}\" is no number"))
}

fn position(list: &[f64], text: &str) -> Result<Position, String> {
    match list {
        [x, y] => Ok(Position::xy(*x, *y)),
        [x, y, z] => Ok(Position::xyz(*x, *y, *z)),
        [x, y, z, m] => Ok(Position { x: *x, y: *y, z: *z, m: *m }),
        _ => Err(format!("\"{text}\" has {} numbers; a position has two or three", list.len())),
    }
}

/// The older form: tuples whose signs of separation the element says.
fn tuples(e: &Element, out: &mut Vec<Position>) -> Result<(), String> {
    let sign = |name: &str, usual: char| e.attribute(name).and_then(|s| s.chars().next()).unwrap_or(usual);
    let (cs, ts, decimal) = (sign("cs", ','), sign("ts", ' '), sign("decimal", '.'));
    let parted = |c: char| if ts == ' ' { c.is_whitespace() } else { c == ts };
    for tuple in e.text.split(parted).map(str::trim).filter(|t| !t.is_empty()) {
        let list: Vec<f64> = tuple
            .split(cs)
            .map(|n| {
                let n = n.trim();
                if decimal == '.' { number(n) } else { number(&n.replace(decimal, ".")) }
            })
            .collect::<Result<_, _>>()?;
        out.push(position(&list, tuple)?);
    }
    Ok(())
}
