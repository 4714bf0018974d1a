//! Whether two geometries meet: have a position in common, edges and ends included (`Intersects` of OGC 06-103r4).
//!
//! Which side of a line a position is on is decided exactly, so that what touches is known to touch. Heights play no part.

use super::{Geometry, Position};
use robust::{Coord, orient2d};

/// Whether two geometries of the same plane have a position in common.
///
/// ```
/// use basilocus_table::geometry::{intersection::intersects, wkt};
///
/// let meet = |a: &str, b: &str| intersects(&wkt::read(a).unwrap(), &wkt::read(b).unwrap());
/// let square = "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 3, 3 3, 3 1, 1 1))";
/// assert!(meet(square, "POINT (4 2)"));
/// assert!(meet(square, "LINESTRING (-1 2, 5 2)"));
/// assert!(!meet(square, "POINT (2 2)"), "it is in the hole");
/// ```
pub fn intersects(a: &Geometry, b: &Geometry) -> bool {
    let (Some(bounds_of_a), Some(bounds_of_b)) = (a.bounds(), b.bounds()) else { return false };
    if !overlap(bounds_of_a, bounds_of_b) {
        return false;
    }
    let (a, b) = (Parts::of(a), Parts::of(b));
    edges_meet(&a, &b) || a.lies_within(&b) || b.lies_within(&a)
}

/// Whether two rectangles meet: west, south, east, north.
pub(super) fn overlap(a: [f64; 4], b: [f64; 4]) -> bool {
    a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3]
}

/// A geometry in its parts.
#[derive(Default)]
pub(super) struct Parts<'a> {
    pub points: Vec<&'a Position>,
    /// Lines alone.
    pub lines: Vec<&'a [Position]>,
    /// Lines, and the rings of polygons.
    pub edges: Vec<&'a [Position]>,
    /// The rings of each polygon, the outer one first.
    pub polygons: Vec<&'a [Vec<Position>]>,
}

impl<'a> Parts<'a> {
    /// Those of one polygon.
    pub(super) fn of_polygon(rings: &'a [Vec<Position>]) -> Self {
        let mut parts = Parts::default();
        parts.add_polygon(rings);
        parts
    }

    pub(super) fn of(geometry: &'a Geometry) -> Self {
        let mut parts = Parts::default();
        parts.add(geometry);
        parts
    }

    fn add(&mut self, geometry: &'a Geometry) {
        match geometry {
            Geometry::Point(p) => self.points.push(p),
            Geometry::MultiPoint(points) => self.points.extend(points),
            Geometry::LineString(line) => self.add_line(line),
            Geometry::MultiLineString(lines) => lines.iter().for_each(|line| self.add_line(line)),
            Geometry::Polygon(rings) => self.add_polygon(rings),
            Geometry::MultiPolygon(polygons) => polygons.iter().for_each(|rings| self.add_polygon(rings)),
            Geometry::Collection(list) => list.iter().for_each(|g| self.add(g)),
        }
    }

    fn add_line(&mut self, line: &'a [Position]) {
        self.lines.push(line);
        self.edges.push(line);
    }

    fn add_polygon(&mut self, rings: &'a [Vec<Position>]) {
        self.edges.extend(rings.iter().map(Vec::as_slice));
        self.polygons.push(rings);
    }

    /// The rings of all polygons.
    pub(super) fn rings(&self) -> impl Iterator<Item = &'a [Position]> + '_ {
        self.polygons.iter().flat_map(|rings| rings.iter().map(Vec::as_slice))
    }

    /// One position of each part: where no edges meet, all of a part is where one of its positions is.
    fn ones(&self) -> impl Iterator<Item = &'a Position> + '_ {
        self.points.iter().copied().chain(self.edges.iter().filter_map(|line| line.first()))
    }

    /// Whether a part lies in a polygon of the other.
    fn lies_within(&self, other: &Parts) -> bool {
        self.ones().any(|p| other.polygons.iter().any(|rings| is_in(p, rings)))
    }
}

fn edges_meet(a: &Parts, b: &Parts) -> bool {
    let same = a.points.iter().any(|p| b.points.iter().any(|q| (p.x, p.y) == (q.x, q.y)));
    let on = |points: &[&Position], lines: &[&[Position]]| {
        points.iter().any(|p| lines.iter().any(|line| segments(line).any(|s| is_on(p, s))))
    };
    if same || on(&a.points, &b.edges) || on(&b.points, &a.edges) {
        return true;
    }
    a.edges.iter().any(|one| {
        let Some(bounds) = bounds_of(one) else { return false };
        b.edges.iter().filter(|other| bounds_of(other).is_some_and(|o| overlap(bounds, o))).any(|other| {
            // Only what comes near the other line is tried against each of its segments.
            let Some(near) = bounds_of(other) else { return false };
            segments(one)
                .filter(|s| overlap(bounds_of_segment(*s), near))
                .any(|s| segments(other).any(|o| segments_meet(s, o)))
        })
    })
}

fn bounds_of(line: &[Position]) -> Option<[f64; 4]> {
    let first = line.first()?;
    Some(
        line.iter().fold([first.x, first.y, first.x, first.y], |[w, s, e, n], p| {
            [w.min(p.x), s.min(p.y), e.max(p.x), n.max(p.y)]
        }),
    )
}

pub(super) type Segment<'a> = (&'a Position, &'a Position);

/// The segments of a line; a line of one position is a segment without length.
pub(super) fn segments(line: &[Position]) -> impl Iterator<Item = Segment<'_>> {
    let alone = (line.len() == 1).then(|| (&line[0], &line[0]));
    line.windows(2).map(|w| (&w[0], &w[1])).chain(alone)
}

fn bounds_of_segment((a, b): Segment) -> [f64; 4] {
    [a.x.min(b.x), a.y.min(b.y), a.x.max(b.x), a.y.max(b.y)]
}

/// On which side of the line from `a` to `b` a position is: above zero on the left, below on the right, zero on it.
pub(super) fn side(a: &Position, b: &Position, p: &Position) -> f64 {
    let coord = |p: &Position| Coord { x: p.x, y: p.y };
    orient2d(coord(a), coord(b), coord(p))
}

pub(super) fn is_on(p: &Position, s: Segment) -> bool {
    let [west, south, east, north] = bounds_of_segment(s);
    west <= p.x && p.x <= east && south <= p.y && p.y <= north && side(s.0, s.1, p) == 0.0
}

fn segments_meet(s: Segment, o: Segment) -> bool {
    if !overlap(bounds_of_segment(s), bounds_of_segment(o)) {
        return false;
    }
    let (a, b) = (side(s.0, s.1, o.0), side(s.0, s.1, o.1));
    let (c, d) = (side(o.0, o.1, s.0), side(o.0, o.1, s.1));
    // Each separates the ends of the other, or touches one of them; on one line their rectangles have decided.
    let apart = |p: f64, q: f64| p > 0.0 && q > 0.0 || p < 0.0 && q < 0.0;
    !apart(a, b) && !apart(c, d)
}

/// Whether a position lies in a polygon: inside of an odd number of its rings. On an edge it may be either.
pub(super) fn is_in(p: &Position, rings: &[Vec<Position>]) -> bool {
    let mut inside = false;
    for w in rings.iter().flat_map(|ring| ring.windows(2)) {
        // An edge is looked at from its lower end.
        let (low, high) = if w[0].y <= w[1].y { (&w[0], &w[1]) } else { (&w[1], &w[0]) };
        if low.y <= p.y && p.y < high.y && side(low, high, p) > 0.0 {
            inside = !inside;
        }
    }
    inside
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::wkt;
    use proptest::prelude::*;

    fn meet(a: &str, b: &str) -> bool {
        let (a, b) = (wkt::read(a).unwrap(), wkt::read(b).unwrap());
        let forth = intersects(&a, &b);
        assert_eq!(forth, intersects(&b, &a), "{a:?} {b:?}: not the same both ways");
        forth
    }

    #[test]
    fn all_pairs_of_types() {
        let square = "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))";
        for (a, b, expected) in [
            ("POINT (1 1)", "POINT (1 1)", true),
            ("POINT (1 1)", "POINT (1 1.0000000000000002)", false),
            ("POINT (2 2)", "LINESTRING (0 0, 4 4)", true),
            ("POINT (2 2.0000001)", "LINESTRING (0 0, 4 4)", false),
            ("POINT (5 5)", "LINESTRING (0 0, 4 4)", false),
            ("LINESTRING (0 0, 4 4)", "LINESTRING (0 4, 4 0)", true),
            ("LINESTRING (0 0, 4 4)", "LINESTRING (2 2, 9 2)", true),
            ("LINESTRING (0 0, 4 4)", "LINESTRING (1 1, 2 2)", true),
            ("LINESTRING (0 0, 1 1)", "LINESTRING (2 2, 3 3)", false),
            ("LINESTRING (0 0, 4 0)", "LINESTRING (0 1, 4 1)", false),
            (square, "POINT (2 2)", true),
            (square, "POINT (4 4)", true),
            (square, "POINT (2 4.5)", false),
            (square, "LINESTRING (1 1, 2 2)", true),
            (square, "LINESTRING (-1 2, 5 2)", true),
            (square, "LINESTRING (5 0, 5 4)", false),
            (square, "POLYGON ((1 1, 2 1, 2 2, 1 2, 1 1))", true),
            (square, "POLYGON ((-1 -1, 9 -1, 9 9, -1 9, -1 -1))", true),
            (square, "POLYGON ((4 4, 5 4, 5 5, 4 5, 4 4))", true),
            (square, "POLYGON ((5 5, 6 5, 6 6, 5 6, 5 5))", false),
            (
                "POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0), (1 1, 1 8, 8 8, 8 1, 1 1))",
                "POLYGON ((2 2, 3 2, 3 3, 2 3, 2 2))",
                false,
            ),
            ("POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0), (1 1, 1 8, 8 8, 8 1, 1 1))", "POINT (1 5)", true),
            ("MULTIPOINT ((9 9), (2 2))", square, true),
            ("MULTILINESTRING ((9 9, 8 8), (-1 2, 1 2))", square, true),
            ("MULTIPOLYGON (((9 9, 10 9, 10 10, 9 9)), ((1 1, 2 1, 2 2, 1 1)))", square, true),
            ("GEOMETRYCOLLECTION (POINT (9 9), LINESTRING (3 3, 9 9))", square, true),
            ("GEOMETRYCOLLECTION EMPTY", square, false),
            ("POINT EMPTY", square, false),
        ] {
            assert_eq!(meet(a, b), expected, "{a} and {b}");
        }
    }

    fn ring() -> impl Strategy<Value = Vec<Position>> {
        prop::collection::vec((-9i32..9, -9i32..9), 3..7).prop_map(|list| {
            // A star around the middle of its corners does not cross itself.
            let n = list.len() as f64;
            let (x, y) = list.iter().fold((0.0, 0.0), |(x, y), p| (x + f64::from(p.0) / n, y + f64::from(p.1) / n));
            let mut ring: Vec<Position> = list.iter().map(|p| Position::xy(f64::from(p.0), f64::from(p.1))).collect();
            ring.sort_by(|a, b| (a.y - y).atan2(a.x - x).total_cmp(&(b.y - y).atan2(b.x - x)));
            ring.push(ring[0]);
            ring
        })
    }

    proptest! {
        /// A polygon meets a line where any of many positions along the line meets it; and only there, but for positions
        /// between those that were tried.
        #[test]
        fn a_line_meets_what_its_positions_meet(ring in ring(), a in (-9i32..9, -9i32..9), b in (-9i32..9, -9i32..9)) {
            let polygon = Geometry::Polygon(vec![ring]);
            let at = |p: (i32, i32)| Position::xy(f64::from(p.0), f64::from(p.1));
            let (from, to) = (at(a), at(b));
            let line = Geometry::LineString(vec![from, to]);
            // Sixty-fourths of whole numbers are exact.
            let along = (0..=64).map(|i| {
                let t = f64::from(i) / 64.0;
                Geometry::Point(Position::xy(from.x + t * (to.x - from.x), from.y + t * (to.y - from.y)))
            });
            let touched = along.filter(|p| intersects(&polygon, p)).count();
            let met = intersects(&polygon, &line);
            prop_assert_eq!(met, intersects(&line, &polygon));
            prop_assert!(met || touched == 0, "{} positions of the line touch", touched);
            if touched == 0 && met {
                // Then the line passes by a corner more closely than the positions are apart.
                let moved = Geometry::LineString(vec![Position::xy(from.x + 40.0, from.y), Position::xy(to.x + 40.0, to.y)]);
                prop_assert!(!intersects(&polygon, &moved));
            }
        }

        #[test]
        fn moved_away_nothing_meets(one in ring(), other in ring()) {
            let far: Vec<Position> = other.iter().map(|p| Position::xy(p.x + 30.0, p.y)).collect();
            let (one, far, other) = (Geometry::Polygon(vec![one]), Geometry::Polygon(vec![far]), Geometry::Polygon(vec![other]));
            prop_assert!(!intersects(&one, &far));
            prop_assert!(intersects(&one, &one));
            prop_assert_eq!(intersects(&one, &other), intersects(&other, &one));
        }
    }
}
