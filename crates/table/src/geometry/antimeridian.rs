//! Cutting lines and polygons in degrees where they cross the 180° meridian, as RFC 7946 (section 3.1.9) wants it.
//!
//! Of two longitudes more than 180° apart the shorter way round is meant: it leads over the meridian. Longitudes that are
//! counted on beyond 180° lie beyond it too.

use super::{Geometry, Position, ring_turn};

/// A longitude within −180…180; what is within stays as it is.
pub fn turned(lon_deg: f64) -> f64 {
    if lon_deg.abs() <= 180.0 { lon_deg } else { (lon_deg + 180.0).rem_euclid(360.0) - 180.0 }
}

/// Whether a geometry in degrees crosses the meridian, or is counted on beyond it.
pub fn crosses(g: &Geometry) -> bool {
    let beyond = |p: &Position| p.x.abs() > 180.0;
    let jumps = |l: &[Position]| l.windows(2).any(|w| (w[1].x - w[0].x).abs() > 180.0) || l.iter().any(beyond);
    match g {
        Geometry::Point(p) => beyond(p),
        Geometry::MultiPoint(l) => l.iter().any(beyond),
        Geometry::LineString(l) => jumps(l),
        Geometry::Polygon(l) | Geometry::MultiLineString(l) => l.iter().any(|l| jumps(l)),
        Geometry::MultiPolygon(l) => l.iter().flatten().any(|l| jumps(l)),
        Geometry::Collection(l) => l.iter().any(crosses),
    }
}

/// West, south, east and north of a geometry in degrees; one that crosses the meridian has an east beyond 180°. `None`
/// where there is no position, or a ring goes round a pole.
pub fn bounds(g: &Geometry) -> Option<[f64; 4]> {
    if !crosses(g) {
        return g.bounds();
    }
    // Parts on either side, those to the east of the meridian counted on beyond it.
    let mut parts = cut(g)?;
    parts.each_position_mut(&mut |p| p.x += if p.x < 0.0 { 360.0 } else { 0.0 });
    parts.bounds()
}

/// The geometry in parts on either side of the meridian; `None` where a ring goes round a pole and has no sides.
pub fn cut(g: &Geometry) -> Option<Geometry> {
    if !crosses(g) {
        return Some(g.clone());
    }
    Some(match g {
        Geometry::Point(p) => Geometry::Point(Position { x: turned(p.x), ..*p }),
        Geometry::MultiPoint(l) => Geometry::MultiPoint(l.iter().map(|p| Position { x: turned(p.x), ..*p }).collect()),
        Geometry::LineString(l) => several_lines(cut_line(l)),
        Geometry::MultiLineString(l) => several_lines(l.iter().flat_map(|l| cut_line(l)).collect()),
        Geometry::Polygon(rings) => several_polygons(cut_polygon(rings)?),
        Geometry::MultiPolygon(l) => {
            let parts: Option<Vec<_>> = l.iter().map(|rings| cut_polygon(rings)).collect();
            several_polygons(parts?.into_iter().flatten().collect())
        }
        Geometry::Collection(l) => Geometry::Collection(l.iter().map(cut).collect::<Option<_>>()?),
    })
}

fn several_lines(mut list: Vec<Vec<Position>>) -> Geometry {
    if list.len() == 1 { Geometry::LineString(list.remove(0)) } else { Geometry::MultiLineString(list) }
}

fn several_polygons(mut list: Vec<Vec<Vec<Position>>>) -> Geometry {
    if list.len() == 1 { Geometry::Polygon(list.remove(0)) } else { Geometry::MultiPolygon(list) }
}

/// Longitudes without jumps: each as near to the one before it as whole turns allow.
fn unrolled(line: &[Position]) -> Vec<Position> {
    let mut out: Vec<Position> = Vec::with_capacity(line.len());
    for p in line {
        let x = match out.last() {
            Some(last) => p.x + ((last.x - p.x) / 360.0).round() * 360.0,
            None => p.x,
        };
        out.push(Position { x, ..*p });
    }
    out
}

/// Where a side crosses a meridian.
fn on(a: Position, b: Position, x: f64) -> Position {
    let share = (x - a.x) / (b.x - a.x);
    let between = |a: f64, b: f64| a + (b - a) * share;
    Position { x, y: between(a.y, b.y), z: between(a.z, b.z), m: between(a.m, b.m) }
}

fn shifted(line: Vec<Position>, by: f64) -> Vec<Position> {
    line.into_iter().map(|p| Position { x: (p.x - by).clamp(-180.0, 180.0), ..p }).collect()
}

/// The turn, a multiple of 360, that a part lies in.
fn turn_of(line: &[Position]) -> f64 {
    let (low, high) = line.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), p| (l.min(p.x), h.max(p.x)));
    (((low + high) / 2.0 + 180.0) / 360.0).floor() * 360.0
}

fn cut_line(line: &[Position]) -> Vec<Vec<Position>> {
    let line = unrolled(line);
    let mut parts: Vec<Vec<Position>> = Vec::new();
    let mut part: Vec<Position> = line.first().copied().into_iter().collect();
    for w in line.windows(2) {
        let (a, b) = (w[0], w[1]);
        // Meridians strictly between, in the direction of the side.
        let (first, last) =
            (((a.x.min(b.x) + 180.0) / 360.0).floor() + 1.0, ((a.x.max(b.x) + 180.0) / 360.0).ceil() - 1.0);
        let mut between: Vec<f64> = Vec::new();
        let mut k = first;
        while k <= last {
            between.push(k * 360.0 - 180.0);
            k += 1.0;
        }
        if a.x > b.x {
            between.reverse();
        }
        for x in between {
            let p = on(a, b, x);
            part.push(p);
            parts.push(std::mem::replace(&mut part, vec![p]));
        }
        part.push(b);
    }
    parts.push(part);
    // A part that only touches the meridian is no line.
    parts.retain(|p| p.len() > 1 && p.iter().any(|q| *q != p[0]));
    parts.into_iter().map(|p| (turn_of(&p), p)).map(|(by, p)| shifted(p, by)).collect()
}

/// A polygon in parts, each with its holes; `None` where a ring goes round a pole.
fn cut_polygon(rings: &[Vec<Position>]) -> Option<Vec<Vec<Vec<Position>>>> {
    let mut list: Vec<Vec<Position>> = Vec::new();
    let mut shell_middle = 0.0;
    for ring in rings {
        let mut ring = unrolled(ring);
        if let (Some(first), Some(last)) = (ring.first(), ring.last())
            && (first.x - last.x).abs() > 1.0
        {
            return None;
        }
        // A hole lies in the same turn as its shell.
        let (low, high) = ring.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), p| (l.min(p.x), h.max(p.x)));
        let middle = (low + high) / 2.0;
        if list.is_empty() {
            shell_middle = middle;
        } else {
            let by = ((shell_middle - middle) / 360.0).round() * 360.0;
            ring.iter_mut().for_each(|p| p.x += by);
        }
        list.push(ring);
    }
    let (low, high) =
        list.iter().flatten().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), p| (l.min(p.x), h.max(p.x)));
    let mut left = vec![list];
    let mut k = ((low + 180.0) / 360.0).floor() + 1.0;
    while k * 360.0 - 180.0 < high {
        let meridian = k * 360.0 - 180.0;
        left = left.into_iter().flat_map(|polygon| halves(polygon, meridian)).collect();
        k += 1.0;
    }
    let moved = left.into_iter().map(|polygon| {
        let by = polygon.first().map_or(0.0, |shell| turn_of(shell));
        polygon.into_iter().map(|ring| shifted(ring, by)).collect()
    });
    Some(moved.collect())
}

/// A polygon in its parts to the west and east of a meridian.
fn halves(polygon: Vec<Vec<Position>>, meridian: f64) -> Vec<Vec<Vec<Position>>> {
    let mut out = Vec::new();
    for sign in [-1.0, 1.0] {
        out.extend(half(&polygon, meridian, sign));
    }
    out
}

/// The parts on one side: chains of corners on that side, joined along the meridian from one crossing to the next.
fn half(polygon: &[Vec<Position>], meridian: f64, sign: f64) -> Vec<Vec<Vec<Position>>> {
    let side = |p: &Position| (p.x - meridian) * sign;
    let mut chains: Vec<Vec<Position>> = Vec::new();
    let mut whole: Vec<Vec<Position>> = Vec::new();
    for (i, ring) in polygon.iter().enumerate() {
        let mut ring = ring.clone();
        // The outer ring against the clock, holes with it: then all chains lead the same way round.
        if (ring_turn(&ring) < 0.0) == (i == 0) {
            ring.reverse();
        }
        ring.pop();
        if ring.iter().all(|p| side(p) >= 0.0) {
            ring.push(ring[0]);
            whole.push(ring);
            continue;
        }
        if ring.iter().all(|p| side(p) <= 0.0) {
            continue;
        }
        // From a corner beyond the meridian on.
        let start = ring.iter().position(|p| side(p) < 0.0).unwrap_or(0);
        ring.rotate_left(start);
        ring.push(ring[0]);
        let mut chain: Option<Vec<Position>> = None;
        for w in ring.windows(2) {
            let (a, b) = (w[0], w[1]);
            match (side(&a) > 0.0, side(&b) > 0.0) {
                (false, true) => {
                    let enter = if side(&a) == 0.0 { a } else { on(a, b, meridian) };
                    chain = Some(vec![enter, b]);
                }
                (true, true) => {
                    if let Some(c) = &mut chain {
                        c.push(b);
                    }
                }
                (true, false) => {
                    if let Some(mut c) = chain.take() {
                        c.push(if side(&b) == 0.0 { b } else { on(a, b, meridian) });
                        chains.push(c);
                    }
                }
                (false, false) => {}
            }
        }
    }
    // Ends along the meridian: from where a chain leaves, the next one begins at the neighbour in the direction in which
    // the inside lies.
    let mut shells: Vec<Vec<Position>> = Vec::new();
    let mut used = vec![false; chains.len()];
    for first in 0..chains.len() {
        if used[first] {
            continue;
        }
        let mut ring: Vec<Position> = Vec::new();
        let mut at = first;
        loop {
            used[at] = true;
            ring.extend_from_slice(&chains[at]);
            let end = chains[at][chains[at].len() - 1].y;
            // To the east of the meridian the ring runs south along it, to the west north.
            let next = (0..chains.len())
                .map(|i| (i, (chains[i][0].y - end) * -sign))
                .filter(|(_, d)| *d >= 0.0)
                .min_by(|a, b| a.1.total_cmp(&b.1))
                .map(|(i, _)| i);
            match next {
                Some(i) if i != first && !used[i] => at = i,
                _ => break,
            }
        }
        ring.push(ring[0]);
        ring.dedup_by(|a, b| a == b);
        if ring.len() >= 4 {
            shells.push(ring);
        }
    }
    let mut parts: Vec<Vec<Vec<Position>>> = shells.into_iter().map(|s| vec![s]).collect();
    for ring in whole {
        if ring_turn(&ring) > 0.0 {
            parts.push(vec![ring]);
        } else if let Some(part) = parts.iter_mut().find(|p| contains(&p[0], &ring[0])) {
            part.push(ring);
        }
    }
    parts
}

/// Whether a position is inside a ring, in the plane.
fn contains(ring: &[Position], p: &Position) -> bool {
    ring.windows(2).fold(false, |inside, w| {
        let (a, b) = (w[0], w[1]);
        if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x) { !inside } else { inside }
    })
}

#[cfg(test)]
mod tests {
    use super::super::wkt;
    use super::*;

    fn text(t: &str) -> String {
        cut(&wkt::read(t).unwrap()).map_or("none".into(), |g| wkt::write(&g))
    }

    /// Areas of all parts in square degrees.
    fn area(g: &Geometry) -> f64 {
        let polygon = |l: &Vec<Vec<Position>>| {
            l.iter().enumerate().map(|(i, r)| ring_turn(r).abs() / 2.0 * if i == 0 { 1.0 } else { -1.0 }).sum::<f64>()
        };
        match g {
            Geometry::Polygon(l) => polygon(l),
            Geometry::MultiPolygon(l) => l.iter().map(polygon).sum(),
            _ => 0.0,
        }
    }

    #[test]
    fn lines() {
        assert_eq!(text("LINESTRING (178 10, -178 14)"), "MULTILINESTRING ((178 10, 180 12), (-180 12, -178 14))");
        assert_eq!(
            text("LINESTRING (-170 0, 170 0, -170 10)"),
            "MULTILINESTRING ((-170 0, -180 0), (180 0, 170 0, 180 5), (-180 5, -170 10))"
        );
        assert_eq!(text("LINESTRING (10 0, 20 0)"), "LINESTRING (10 0, 20 0)");
        // The ends on the meridian itself: the example of RFC 7946 has them so.
        assert_eq!(text("LINESTRING (170 45, -170 45)"), "MULTILINESTRING ((170 45, 180 45), (-180 45, -170 45))");
    }

    #[test]
    fn polygons() {
        // The example of RFC 7946, section 3.1.9: two boxes.
        let g = cut(&wkt::read("POLYGON ((170 40, -170 40, -170 50, 170 50, 170 40))").unwrap()).unwrap();
        let Geometry::MultiPolygon(parts) = &g else { panic!("{g:?}") };
        assert_eq!(parts.len(), 2);
        let bounds = |i: usize| Geometry::Polygon(parts[i].clone()).bounds().unwrap();
        assert_eq!((bounds(0), bounds(1)), ([170.0, 40.0, 180.0, 50.0], [-180.0, 40.0, -170.0, 50.0]));
        // A comb whose teeth reach over the meridian falls into a back and three teeth; a hole is cut with it.
        let comb = "POLYGON ((170 0, -175 0, -175 1, 175 1, 175 2, -175 2, -175 3, 175 3, 175 4, -175 4, -175 5, 170 5, 170 0), (176 0.2, -178 0.2, -178 0.8, 176 0.8, 176 0.2))";
        let g = cut(&wkt::read(comb).unwrap()).unwrap();
        let Geometry::MultiPolygon(parts) = &g else { panic!("{g:?}") };
        assert_eq!(parts.len(), 4, "{}", wkt::write(&g));
        // 15 by 5 less two gaps of 10 by 1 less the hole of 6 by 0.6.
        assert!((area(&g) - (75.0 - 20.0 - 3.6)).abs() < 1e-9, "{}", wkt::write(&g));
        let in_range = |g: &Geometry| {
            let mut good = true;
            g.each_position(&mut |p| good &= (-180.0..=180.0).contains(&p.x));
            good
        };
        assert!(in_range(&g) && !crosses(&g));
        // A hole on one side stays a hole there.
        let holed = "POLYGON ((170 0, -170 0, -170 10, 170 10, 170 0), (-176 2, -174 2, -174 4, -176 4, -176 2))";
        let g = cut(&wkt::read(holed).unwrap()).unwrap();
        assert!((area(&g) - 196.0).abs() < 1e-9, "{}", wkt::write(&g));
        assert_eq!(text("POLYGON ((0 80, 90 80, 180 80, -90 80, 0 80))"), "none", "round the pole");
    }
}
