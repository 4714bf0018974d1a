//! Where two geometries are nearest to each other, in a plane.

use super::intersection::{Parts, Segment, intersects, segments};
use super::{Geometry, Position};

/// A position of each geometry that are as near to each other as any, in a plane whose units are `scale` long along x and y;
/// `None` where one is empty. Where the geometries meet, it is one position for both.
///
/// ```
/// use basilocus_table::geometry::{separation::nearest, wkt};
///
/// let read = |text: &str| wkt::read(text).unwrap();
/// let [a, b] = nearest(&read("POINT (2 5)"), &read("LINESTRING (0 0, 4 0)"), [1.0, 1.0]).unwrap();
/// assert_eq!(((a.x, a.y), (b.x, b.y)), ((2.0, 5.0), (2.0, 0.0)));
/// ```
pub fn nearest(a: &Geometry, b: &Geometry, scale: [f64; 2]) -> Option<[Position; 2]> {
    let (parts_of_a, parts_of_b) = (Parts::of(a), Parts::of(b));
    if intersects(a, b) {
        let shared = first(&parts_of_a)?;
        return Some([shared, shared]);
    }
    let forth = from_positions(&parts_of_a, &parts_of_b, scale);
    let back = from_positions(&parts_of_b, &parts_of_a, scale).map(|(far, [b, a])| (far, [a, b]));
    let best = forth.into_iter().chain(back).min_by(|a, b| a.0.total_cmp(&b.0));
    best.map(|(_, pair)| pair)
}

fn first(parts: &Parts) -> Option<Position> {
    parts.points.first().copied().or_else(|| parts.edges.iter().find_map(|e| e.first())).copied()
}

/// The nearest place of the other geometry to a position of the first: two edges that do not meet are nearest at the end of one.
fn from_positions(a: &Parts, b: &Parts, scale: [f64; 2]) -> Option<(f64, [Position; 2])> {
    let positions = a.points.iter().copied().chain(a.edges.iter().copied().flatten());
    let mut best: Option<(f64, [Position; 2])> = None;
    for p in positions {
        let alone = b.points.iter().map(|q| **q);
        let along = b.edges.iter().flat_map(|line| segments(line)).map(|s| foot(p, s, scale));
        for q in alone.chain(along) {
            let far = ((q.x - p.x) * scale[0]).hypot((q.y - p.y) * scale[1]);
            if best.as_ref().is_none_or(|(least, _)| far < *least) {
                best = Some((far, [*p, q]));
            }
        }
    }
    best
}

/// The place of a segment that is nearest to a position.
fn foot(p: &Position, (u, v): Segment, scale: [f64; 2]) -> Position {
    let (dx, dy) = ((v.x - u.x) * scale[0], (v.y - u.y) * scale[1]);
    let along = (p.x - u.x) * scale[0] * dx + (p.y - u.y) * scale[1] * dy;
    let length = dx * dx + dy * dy;
    let t = if length > 0.0 { (along / length).clamp(0.0, 1.0) } else { 0.0 };
    Position::xy(u.x + t * (v.x - u.x), u.y + t * (v.y - u.y))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::wkt;

    #[test]
    fn worked_by_hand() {
        for (a, b, expected) in [
            ("POINT (0 0)", "POINT (3 4)", 5.0),
            ("POINT (5 1)", "LINESTRING (0 0, 4 0)", 2f64.sqrt()),
            ("LINESTRING (0 0, 4 0)", "LINESTRING (6 -1, 6 9)", 2.0),
            ("POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))", "POINT (2 2)", 0.0),
            ("POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0), (1 1, 1 8, 8 8, 8 1, 1 1))", "POINT (3 4)", 2.0),
            ("MULTIPOINT ((9 9), (1 -1))", "LINESTRING (0 5, 5 5)", 4f64.hypot(4.0)),
        ] {
            let [p, q] = nearest(&wkt::read(a).unwrap(), &wkt::read(b).unwrap(), [1.0, 1.0]).unwrap();
            let found = (p.x - q.x).hypot(p.y - q.y);
            assert!((found - expected).abs() < 1e-12, "{a} to {b}: {found}, {expected} is expected");
        }
        let empty = Geometry::Collection(Vec::new());
        assert_eq!(nearest(&empty, &empty, [1.0, 1.0]), None);
    }

    #[test]
    fn the_units_of_both_axes_count() {
        let (line, point) = (wkt::read("LINESTRING (0 0, 2 2)").unwrap(), wkt::read("POINT (2 0)").unwrap());
        let [_, foot] = nearest(&point, &line, [0.001, 1.0]).unwrap();
        assert!(foot.y < 1e-5, "along x nothing costs much: {foot:?}");
    }
}
