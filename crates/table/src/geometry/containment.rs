//! Whether one geometry lies within another: no part of it outside, and their insides have something in common (`Within` and
//! `Contains` of OGC 06-103r4).
//!
//! Which side of a line a position is on is decided exactly. Where lines cross is not: a part of an edge between two crossings
//! stands for the position in its middle. Heights play no part.

use super::intersection::{Parts, Segment, is_in, is_on, overlap, segments, side};
use super::{Geometry, Position};

/// Parts of an edge, as shares of it, below which nothing is looked at: what rounding makes of one crossing.
const SHORTEST: f64 = 1e-12;

/// Whether `a` lies within `b`, in the same plane.
///
/// ```
/// use basilocus_table::geometry::{containment::within, wkt};
///
/// let is = |a: &str, b: &str| within(&wkt::read(a).unwrap(), &wkt::read(b).unwrap());
/// let square = "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 3, 3 3, 3 1, 1 1))";
/// assert!(is("POINT (0.5 2)", square));
/// assert!(!is("POINT (2 2)", square), "it is in the hole");
/// assert!(!is("POINT (4 2)", square), "the edge has no inside of the square");
/// assert!(is("LINESTRING (0 0, 0.5 0.5)", square), "it begins on the edge, and goes on inside");
/// ```
pub fn within(a: &Geometry, b: &Geometry) -> bool {
    let (Some(inner), Some(outer)) = (a.bounds(), b.bounds()) else { return false };
    if !(outer[0] <= inner[0] && outer[1] <= inner[1] && inner[2] <= outer[2] && inner[3] <= outer[3]) {
        return false;
    }
    let (a, b) = (Parts::of(a), Parts::of(b));
    let mut meets_inside = false;
    for point in &a.points {
        match place(point, &b) {
            Place::Outside => return false,
            Place::Inside => meets_inside = true,
            Place::Edge => {}
        }
    }
    for line in &a.lines {
        for segment in segments(line) {
            for piece in cut(segment, &b) {
                match piece.place(segment, &b, true) {
                    Place::Outside => return false,
                    Place::Inside => meets_inside = true,
                    Place::Edge => {}
                }
            }
        }
    }
    // The rings of a polygon have to be in polygons; a line may follow lines too.
    for segment in a.rings().flat_map(segments) {
        if cut(segment, &b).into_iter().any(|piece| piece.place(segment, &b, false) == Place::Outside) {
            return false;
        }
    }
    for rings in &a.polygons {
        let Some(middle) = inner_position(rings) else { return false };
        if !b.polygons.iter().any(|other| is_in(&middle, other)) || holds_an_edge_of(rings, &b) {
            return false;
        }
        meets_inside = true;
    }
    meets_inside
}

/// Where a position is, seen from a geometry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Inside,
    Edge,
    Outside,
}

/// Where a position is: in a polygon, on a line or at a point of the geometry, on the edge of it, or nowhere near.
fn place(p: &Position, b: &Parts) -> Place {
    let on = |line: &[Position]| segments(line).any(|s| is_on(p, s));
    let mut touches = false;
    for rings in &b.polygons {
        if rings.iter().any(|ring| on(ring)) {
            touches = true;
        } else if is_in(p, rings) {
            return Place::Inside;
        }
    }
    if b.lines.iter().any(|line| on(line)) {
        // Ends that an odd number of lines have are the edge of lines.
        let ends = b.lines.iter().filter_map(|line| Some([line.first()?, line.last()?])).flatten();
        let is_end = ends.filter(|e| (e.x, e.y) == (p.x, p.y)).count() % 2 == 1;
        if !is_end {
            return Place::Inside;
        }
        touches = true;
    }
    if b.points.iter().any(|q| (q.x, q.y) == (p.x, p.y)) {
        return Place::Inside;
    }
    if touches { Place::Edge } else { Place::Outside }
}

/// A part of a segment between two crossings, as shares of it.
#[derive(Debug, Clone, Copy)]
struct Piece {
    from: f64,
    to: f64,
    along: Along,
}

/// What a part of a segment runs along.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Along {
    Nothing,
    Ring,
    Line,
}

impl Piece {
    /// Where it is; only a line may follow lines.
    fn place(self, (p, q): Segment, b: &Parts, is_line: bool) -> Place {
        match self.along {
            Along::Line if is_line => return Place::Inside,
            Along::Ring => return Place::Edge,
            Along::Line | Along::Nothing => {}
        }
        let t = self.from + (self.to - self.from) / 2.0;
        let middle = Position::xy(p.x + t * (q.x - p.x), p.y + t * (q.y - p.y));
        if b.polygons.iter().any(|rings| is_in(&middle, rings)) { Place::Inside } else { Place::Outside }
    }
}

/// A segment cut where it meets edges.
fn cut((p, q): Segment, b: &Parts) -> Vec<Piece> {
    let bounds = [p.x.min(q.x), p.y.min(q.y), p.x.max(q.x), p.y.max(q.y)];
    let mut shares = vec![0.0, 1.0];
    let mut along: Vec<(f64, f64, Along)> = Vec::new();
    let (dx, dy) = (q.x - p.x, q.y - p.y);
    let share = |o: &Position| if dx.abs() >= dy.abs() { (o.x - p.x) / dx } else { (o.y - p.y) / dy };
    let lines = b.lines.iter().map(|line| (Along::Line, *line));
    for (kind, edge) in lines.chain(b.rings().map(|ring| (Along::Ring, ring))) {
        for (u, v) in segments(edge) {
            let other = [u.x.min(v.x), u.y.min(v.y), u.x.max(v.x), u.y.max(v.y)];
            if !overlap(bounds, other) {
                continue;
            }
            if side(p, q, u) == 0.0 && side(p, q, v) == 0.0 {
                let (one, two) = (share(u), share(v));
                shares.extend([one, two]);
                along.push((one.min(two), one.max(two), kind));
                continue;
            }
            let (before, after) = (side(u, v, p), side(u, v, q));
            if before != after {
                shares.push(before / (before - after));
            }
        }
    }
    shares.retain(|t| (0.0..=1.0).contains(t));
    shares.sort_by(f64::total_cmp);
    let pieces = shares.windows(2).filter(|w| w[1] - w[0] > SHORTEST).map(|w| {
        let covering = along.iter().filter(|(from, to, _)| *from <= w[0] && w[1] <= *to).map(|a| a.2);
        // What follows the line of a geometry and a ring of it as well is inside as far as the line is.
        let along = covering.fold(Along::Nothing, |found, kind| if found == Along::Line { found } else { kind });
        Piece { from: w[0], to: w[1], along }
    });
    pieces.collect()
}

/// A position inside of a polygon: in the middle of the widest part of a line across it.
fn inner_position(rings: &[Vec<Position>]) -> Option<Position> {
    let mut heights: Vec<f64> = rings.first()?.iter().map(|p| p.y).collect();
    heights.sort_by(f64::total_cmp);
    heights.dedup();
    // Between the two heights of corners that are farthest apart.
    let gap = heights.windows(2).max_by(|a, b| (a[1] - a[0]).total_cmp(&(b[1] - b[0])))?;
    let y = gap[0] + (gap[1] - gap[0]) / 2.0;
    let mut crossings: Vec<f64> = rings
        .iter()
        .flat_map(|ring| ring.windows(2))
        .filter(|w| (w[0].y <= y) != (w[1].y <= y))
        .map(|w| w[0].x + (y - w[0].y) / (w[1].y - w[0].y) * (w[1].x - w[0].x))
        .collect();
    crossings.sort_by(f64::total_cmp);
    let widest = crossings.chunks_exact(2).max_by(|a, b| (a[1] - a[0]).total_cmp(&(b[1] - b[0])))?;
    Some(Position::xy(widest[0] + (widest[1] - widest[0]) / 2.0, y))
}

/// Whether an edge of the other's polygons runs inside of a polygon: then a part of it is outside of them.
fn holds_an_edge_of(rings: &[Vec<Position>], b: &Parts) -> bool {
    let own = Parts::of_polygon(rings);
    b.rings()
        .flat_map(segments)
        .any(|segment| cut(segment, &own).into_iter().any(|piece| piece.place(segment, &own, false) == Place::Inside))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::intersection::intersects;
    use crate::geometry::wkt;
    use proptest::prelude::*;

    fn is(a: &str, b: &str) -> bool {
        within(&wkt::read(a).unwrap(), &wkt::read(b).unwrap())
    }

    /// By the nine intersections of OGC 06-103r4, 6.1.15, worked out by hand.
    #[test]
    fn all_pairs_of_types() {
        let square = "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))";
        let holed = "POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0), (3 3, 3 6, 6 6, 6 3, 3 3))";
        for (a, b, expected) in [
            ("POINT (1 1)", "POINT (1 1)", true),
            ("POINT (1 1)", "MULTIPOINT ((0 0), (1 1))", true),
            ("MULTIPOINT ((0 0), (1 1))", "POINT (1 1)", false),
            ("POINT (2 2)", "LINESTRING (0 0, 4 4)", true),
            ("POINT (4 4)", "LINESTRING (0 0, 4 4)", false),
            ("POINT (0 0)", "LINESTRING (0 0, 4 0, 4 4, 0 0)", true),
            ("POINT (2 2)", square, true),
            ("POINT (4 2)", square, false),
            ("POINT (5 2)", square, false),
            ("MULTIPOINT ((4 2), (2 2))", square, true),
            ("MULTIPOINT ((4 2), (4 3))", square, false),
            ("LINESTRING (1 1, 3 3)", square, true),
            ("LINESTRING (0 0, 4 0)", square, false),
            ("LINESTRING (0 0, 4 0, 4 2, 2 2)", square, true),
            ("LINESTRING (1 1, 5 1)", square, false),
            ("LINESTRING (1 5, 8 5)", holed, false),
            ("LINESTRING (3 3, 3 6)", holed, false),
            ("LINESTRING (3 1, 3 8)", holed, true),
            ("LINESTRING (1 1, 2 2)", "LINESTRING (0 0, 4 4)", true),
            ("LINESTRING (1 1, 2 2)", "LINESTRING (0 0, 1.5 1.5, 4 4)", true),
            ("LINESTRING (1 1, 2 2)", "MULTILINESTRING ((0 0, 1.5 1.5), (1.5 1.5, 4 4))", true),
            ("LINESTRING (1 1, 2 3)", "LINESTRING (0 0, 4 4)", false),
            ("LINESTRING (0 0, 4 4)", "LINESTRING (1 1, 2 2)", false),
            (square, square, true),
            (holed, holed, true),
            ("POLYGON ((1 1, 2 1, 2 2, 1 2, 1 1))", square, true),
            ("POLYGON ((0 0, 2 0, 2 2, 0 2, 0 0))", square, true),
            ("POLYGON ((1 1, 5 1, 5 2, 1 2, 1 1))", square, false),
            // Exactly the hole; around the hole; with the same hole; with a larger one.
            ("POLYGON ((3 3, 6 3, 6 6, 3 6, 3 3))", holed, false),
            ("POLYGON ((2 2, 7 2, 7 7, 2 7, 2 2))", holed, false),
            ("POLYGON ((2 2, 7 2, 7 7, 2 7, 2 2), (3 3, 3 6, 6 6, 6 3, 3 3))", holed, true),
            ("POLYGON ((1 1, 8 1, 8 8, 1 8, 1 1), (2 2, 2 7, 7 7, 7 2, 2 2))", holed, true),
            (square, "LINESTRING (0 0, 4 0, 4 4, 0 4, 0 0)", false),
            ("LINESTRING (0 0, 4 0, 4 4, 0 4, 0 0)", square, false),
            (square, "POINT (1 1)", false),
            (
                "POLYGON ((1 1, 2 1, 2 2, 1 2, 1 1))",
                "MULTIPOLYGON (((7 7, 8 7, 8 8, 7 7)), ((0 0, 4 0, 4 4, 0 4, 0 0)))",
                true,
            ),
            ("GEOMETRYCOLLECTION (POINT (4 2), LINESTRING (1 1, 2 2))", square, true),
            ("POINT EMPTY", square, false),
        ] {
            assert_eq!(is(a, b), expected, "{a} within {b}");
        }
    }

    fn ring() -> impl Strategy<Value = Vec<Position>> {
        prop::collection::vec((-9i32..9, -9i32..9), 3..7).prop_map(|list| {
            let n = list.len() as f64;
            let (x, y) = list.iter().fold((0.0, 0.0), |(x, y), p| (x + f64::from(p.0) / n, y + f64::from(p.1) / n));
            let mut ring: Vec<Position> = list.iter().map(|p| Position::xy(f64::from(p.0), f64::from(p.1))).collect();
            ring.sort_by(|a, b| (a.y - y).atan2(a.x - x).total_cmp(&(b.y - y).atan2(b.x - x)));
            ring.push(ring[0]);
            ring
        })
    }

    proptest! {
        /// What lies within meets; halved towards a position inside of a convex polygon, it lies within; and a line lies within
        /// only where all of many positions along it touch.
        #[test]
        fn within_is_what_intersections_say(ring in ring(), a in (-9i32..9, -9i32..9), b in (-9i32..9, -9i32..9)) {
            let polygon = Geometry::Polygon(vec![ring]);
            let at = |p: (i32, i32)| Position::xy(f64::from(p.0), f64::from(p.1));
            let (from, to) = (at(a), at(b));
            let line = Geometry::LineString(vec![from, to]);
            let position = |i: i32| {
                let t = f64::from(i) / 64.0;
                Geometry::Point(Position::xy(from.x + t * (to.x - from.x), from.y + t * (to.y - from.y)))
            };
            let touching = (0..=64).filter(|i| intersects(&polygon, &position(*i))).count();
            let inside = (0..=64).filter(|i| within(&position(*i), &polygon)).count();
            let lies_within = within(&line, &polygon);
            prop_assert!(inside <= touching);
            if lies_within {
                prop_assert!(intersects(&polygon, &line));
                prop_assert_eq!(touching, 65);
            } else if touching == 65 && inside > 0 && from != to {
                // Between two of the positions it leaves the polygon.
                prop_assert!(inside < 65);
            }
        }
    }
}
