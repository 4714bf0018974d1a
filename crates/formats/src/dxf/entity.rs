//! The geometry of an entity.

use super::drawing::Entity;
use super::transform::Transform;
use basilocus_table::Position;
use basilocus_table::geometry::{Geometry, arc};
use std::f64::consts::TAU;

/// Whether entities of a kind are drawn in a plane of their own, which their normal says.
fn in_own_plane(e: &Entity) -> bool {
    match e.kind.as_str() {
        "CIRCLE" | "ARC" | "LWPOLYLINE" | "TEXT" | "SOLID" | "TRACE" | "ATTRIB" => true,
        "POLYLINE" => e.integer(70).unwrap_or(0) & (8 | 16 | 64) == 0,
        _ => false,
    }
}

/// The geometry of an entity in the system of the drawing, or of the block that it is in; heights are zero where there
/// are none.
///
/// # Errors
/// The class and the reason why it has none.
pub(super) fn geometry(e: &Entity) -> Result<Geometry, (&'static str, String)> {
    let mut g = shape(e)?;
    let mut finite = true;
    let plane = in_own_plane(e).then(|| Transform::of_normal(e.normal()));
    g.each_position_mut(&mut |p| {
        if let Some(t) = &plane {
            t.apply(p);
        }
        finite &= p.x.is_finite() && p.y.is_finite();
    });
    if finite { Ok(g) } else { Err(incomplete(e)) }
}

fn incomplete(e: &Entity) -> (&'static str, String) {
    ("no coordinates", format!("the {} lacks a coordinate, or it is no number", e.kind))
}

fn shape(e: &Entity) -> Result<Geometry, (&'static str, String)> {
    let at = |code: i32| e.position(code).ok_or_else(|| incomplete(e));
    Ok(match e.kind.as_str() {
        "POINT" | "INSERT" | "MTEXT" => Geometry::Point(at(10)?),
        // A text that is not flush left stands at its second point.
        "TEXT" | "ATTRIB" => {
            let moved = e.integer(72).unwrap_or(0) != 0 || e.integer(73).or(e.integer(74)).unwrap_or(0) != 0;
            Geometry::Point(e.position(11).filter(|_| moved).map_or_else(|| at(10), Ok)?)
        }
        "LINE" => Geometry::LineString(vec![at(10)?, at(11)?]),
        "LWPOLYLINE" => light_polyline(e),
        "POLYLINE" => polyline(e)?,
        "CIRCLE" => {
            let radius = e.real(40).ok_or_else(|| incomplete(e))?;
            Geometry::Polygon(vec![closed(arc::about(at(10)?, radius, 0.0, TAU))])
        }
        "ARC" => {
            let (Some(radius), Some(from), Some(to)) = (e.real(40), e.real(50), e.real(51)) else {
                return Err(incomplete(e));
            };
            let mut sweep = (to - from).rem_euclid(360.0);
            if sweep == 0.0 {
                sweep = 360.0;
            }
            Geometry::LineString(arc::about(at(10)?, radius, from.to_radians(), sweep.to_radians()))
        }
        "ELLIPSE" => ellipse(e, at(10)?, at(11)?),
        "SPLINE" => Geometry::LineString(spline(e).ok_or_else(|| incomplete(e))?),
        "SOLID" | "TRACE" | "3DFACE" => {
            let (a, b, c) = (at(10)?, at(11)?, at(12)?);
            let d = e.position(13).unwrap_or(c);
            // The corners of a solid are numbered like a Z.
            let mut ring = if e.kind == "3DFACE" { vec![a, b, c, d] } else { vec![a, b, d, c] };
            ring.dedup_by(|p, q| p == q);
            if ring.len() < 3 {
                return Err(("no coordinates", format!("the {} has fewer than three corners", e.kind)));
            }
            ring.push(a);
            Geometry::Polygon(vec![ring])
        }
        kind => {
            return Err((
                "not read",
                format!(
                    "{kind} is not among the entities that are read (points, lines, polylines, arcs, circles, ellipses, splines, faces, texts, inserts)"
                ),
            ));
        }
    })
}

fn closed(mut ring: Vec<Position>) -> Vec<Position> {
    if let (Some(first), Some(last)) = (ring.first().copied(), ring.last_mut()) {
        *last = first;
    }
    ring
}

/// Corners and the bulges behind them as a line, or as an area where it is closed.
fn drawn(corners: &[(Position, f64)], is_closed: bool) -> Geometry {
    let mut line: Vec<Position> = corners.first().map(|c| c.0).into_iter().collect();
    let next = corners.iter().skip(1).chain(corners.first().filter(|_| is_closed && corners.len() > 1));
    for ((from, bulge), (to, _)) in corners.iter().zip(next) {
        line.extend_from_slice(&arc::bulge(*from, *to, *bulge)[1..]);
    }
    line.dedup_by(|p, q| p == q);
    if is_closed && line.len() >= 4 { Geometry::Polygon(vec![line]) } else { Geometry::LineString(line) }
}

fn light_polyline(e: &Entity) -> Geometry {
    let height = e.real(38).unwrap_or(0.0);
    let mut corners: Vec<(Position, f64)> = Vec::new();
    for (code, value) in &e.pairs {
        match (code, value.real(), corners.last_mut()) {
            (10, v, _) => corners.push((Position::xyz(v.unwrap_or(f64::NAN), f64::NAN, height), 0.0)),
            (20, Some(v), Some(c)) => c.0.y = v,
            (42, Some(v), Some(c)) => c.1 = v,
            _ => {}
        }
    }
    drawn(&corners, e.integer(70).unwrap_or(0) & 1 == 1)
}

fn polyline(e: &Entity) -> Result<Geometry, (&'static str, String)> {
    let flags = e.integer(70).unwrap_or(0);
    if flags & (16 | 64) != 0 {
        return Err(("not read", "a POLYLINE that is a mesh is not read".into()));
    }
    let height = e.real(30).unwrap_or(0.0);
    let mut corners = Vec::new();
    // Corners that only steer a curve are not on it.
    for v in e.parts.iter().filter(|v| v.kind == "VERTEX" && v.integer(70).unwrap_or(0) & 16 == 0) {
        let mut p = v.position(10).ok_or_else(|| incomplete(e))?;
        if flags & 8 == 0 {
            p.z = height;
        }
        corners.push((p, v.real(42).unwrap_or(0.0)));
    }
    if corners.is_empty() {
        return Err(("no coordinates", "the POLYLINE has no corner".into()));
    }
    Ok(drawn(&corners, flags & 1 == 1))
}

/// An ellipse by its centre, the end of its longer axis as seen from there, and the ratio of the axes.
fn ellipse(e: &Entity, centre: Position, axis: Position) -> Geometry {
    let ratio = e.real(40).unwrap_or(1.0);
    let (from, to) = (e.real(41).unwrap_or(0.0), e.real(42).unwrap_or(TAU));
    let n = e.normal();
    // The shorter axis: the normal across the longer one.
    let across = (n[1] * axis.z - n[2] * axis.y, n[2] * axis.x - n[0] * axis.z, n[0] * axis.y - n[1] * axis.x);
    let sweep = if to > from { to - from } else { to - from + TAU };
    let chords = (sweep.to_degrees() / arc::CHORD_DEG).ceil().clamp(1.0, 1000.0) as usize;
    let line: Vec<Position> = (0..=chords)
        .map(|i| {
            let (sin, cos) = (from + sweep * i as f64 / chords as f64).sin_cos();
            let sin = sin * ratio;
            Position::xyz(
                centre.x + cos * axis.x + sin * across.0,
                centre.y + cos * axis.y + sin * across.1,
                centre.z + cos * axis.z + sin * across.2,
            )
        })
        .collect();
    if (sweep - TAU).abs() < 1e-9 { Geometry::Polygon(vec![closed(line)]) } else { Geometry::LineString(line) }
}

/// Straight pieces of a spline between two knots.
const PIECES: usize = 8;

/// A spline by de Boor's algorithm, weights among it; through its fit points where it has no control points.
fn spline(e: &Entity) -> Option<Vec<Position>> {
    let control = e.positions(10);
    if control.is_empty() {
        return Some(e.positions(11)).filter(|l| l.len() > 1);
    }
    let of =
        |code: i32| -> Vec<f64> { e.pairs.iter().filter(|(c, _)| *c == code).filter_map(|(_, v)| v.real()).collect() };
    let (knots, mut weights) = (of(40), of(41));
    let degree = usize::try_from(e.integer(71)?).ok().filter(|d| (1..=11).contains(d))?;
    if control.len() <= degree || knots.len() != control.len() + degree + 1 {
        return None;
    }
    if weights.len() != control.len() {
        weights = vec![1.0; control.len()];
    }
    let mut line = Vec::new();
    for span in degree..control.len() {
        let (from, to) = (knots[span], knots[span + 1]);
        if !(to > from) {
            continue;
        }
        let last = usize::from(span + 1 == control.len());
        for i in 0..PIECES + last {
            let t = from + (to - from) * i as f64 / PIECES as f64;
            let mut d: Vec<[f64; 4]> = (0..=degree)
                .map(|j| {
                    let (p, w) = (control[span - degree + j], weights[span - degree + j]);
                    [p.x * w, p.y * w, p.z * w, w]
                })
                .collect();
            for r in 1..=degree {
                for j in (r..=degree).rev() {
                    let k = span - degree + j;
                    let share = (t - knots[k]) / (knots[k + degree + 1 - r] - knots[k]);
                    let before = d[j - 1];
                    d[j].iter_mut().zip(before).for_each(|(v, b)| *v = b * (1.0 - share) + *v * share);
                }
            }
            let [x, y, z, w] = d[degree];
            line.push(Position::xyz(x / w, y / w, z / w));
        }
    }
    (line.len() > 1).then_some(line)
}

#[cfg(test)]
mod tests {
    use super::super::pairs::Value;
    use super::*;

    fn entity(kind: &str, pairs: &[(i32, f64)]) -> Entity {
        let pairs = pairs.iter().map(|(c, v)| (*c, Value::Real(*v))).collect();
        Entity { kind: kind.into(), pairs, parts: Vec::new() }
    }

    fn line(e: &Entity) -> Vec<(f64, f64)> {
        let mut out = Vec::new();
        geometry(e).unwrap().each_position(&mut |p| out.push((p.x, p.y)));
        out
    }

    #[test]
    fn arcs_and_ellipses() {
        let quarter = line(&entity("ARC", &[(10, 0.0), (20, 0.0), (40, 2.0), (50, 350.0), (51, 80.0)]));
        assert_eq!(quarter.len(), 46);
        assert!(quarter.iter().all(|(x, y)| (x.hypot(*y) - 2.0).abs() < 1e-12));
        // x²/16 + y²/4 = 1, turned to stand upright: the longer axis along y.
        let upright = line(&entity("ELLIPSE", &[(10, 0.0), (20, 0.0), (11, 0.0), (21, 4.0), (40, 0.5)]));
        assert!(upright.iter().all(|(x, y)| (x * x / 4.0 + y * y / 16.0 - 1.0).abs() < 1e-12));
        let circle = geometry(&entity("CIRCLE", &[(10, 1.0), (20, 1.0), (40, 1.0), (230, -1.0)])).unwrap();
        assert_eq!(circle.bounds().map(|b| b[0].round()), Some(-2.0), "seen from below it is mirrored");
    }

    #[test]
    fn a_spline_of_weights_is_a_circle() {
        // A quarter circle as a rational spline of degree two (The NURBS Book, example 7.2): weights 1, cos 45°, 1.
        let w = 0.5f64.sqrt();
        let pairs = [
            (71, 2.0),
            (40, 0.0),
            (40, 0.0),
            (40, 0.0),
            (40, 1.0),
            (40, 1.0),
            (40, 1.0),
            (41, 1.0),
            (41, w),
            (41, 1.0),
            (10, 1.0),
            (20, 0.0),
            (10, 1.0),
            (20, 1.0),
            (10, 0.0),
            (20, 1.0),
        ];
        let list = line(&entity("SPLINE", &pairs));
        assert_eq!(list.len(), PIECES + 1);
        assert!(list.iter().all(|(x, y)| (x.hypot(*y) - 1.0).abs() < 1e-12), "{list:?}");
        assert!(geometry(&entity("SPLINE", &pairs[..8])).is_err());
    }

    #[test]
    fn what_is_not_read_says_so() {
        assert_eq!(geometry(&entity("HATCH", &[])).unwrap_err().0, "not read");
        assert!(geometry(&entity("LINE", &[(10, 1.0), (20, 1.0)])).unwrap_err().1.contains("lacks a coordinate"));
    }
}
