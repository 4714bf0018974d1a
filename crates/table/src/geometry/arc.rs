//! Arcs as chords, for formats whose curves have no place in simple features.

use super::Position;
use std::f64::consts::TAU;

/// Degrees of arc to a chord at most: no chord is farther from its arc than a 6500th of the radius.
pub const CHORD_DEG: f64 = 2.0;

/// Positions along an arc about a centre: from an angle (radians, from the axis of x against the clock) over a sweep
/// (positive against the clock), both ends among them. Heights and measures are those of the centre.
pub fn about(centre: Position, radius: f64, start_rad: f64, sweep_rad: f64) -> Vec<Position> {
    let chords = (sweep_rad.abs().to_degrees() / CHORD_DEG).ceil().clamp(1.0, 100_000.0) as usize;
    (0..=chords)
        .map(|i| {
            let (sin, cos) = (start_rad + sweep_rad * i as f64 / chords as f64).sin_cos();
            Position { x: centre.x + radius * cos, y: centre.y + radius * sin, ..centre }
        })
        .collect()
}

/// The centre of the circle through three positions; `None` where they lie on a line.
fn centre(a: Position, b: Position, c: Position) -> Option<Position> {
    // Around `a`, so that large coordinates do not eat the digits.
    let (bx, by, cx, cy) = (b.x - a.x, b.y - a.y, c.x - a.x, c.y - a.y);
    let d = 2.0 * (bx * cy - by * cx);
    let (b2, c2) = (bx * bx + by * by, cx * cx + cy * cy);
    let (x, y) = ((cy * b2 - by * c2) / d, (bx * c2 - cx * b2) / d);
    (x.is_finite() && y.is_finite()).then_some(Position { x: a.x + x, y: a.y + y, ..a })
}

/// Positions along the arc from `a` through `b` to `c`; the three themselves where they lie on a line. The ends are exact.
pub fn through(a: Position, b: Position, c: Position) -> Vec<Position> {
    let Some(m) = centre(a, b, c) else { return vec![a, b, c] };
    let angle = |p: Position| (p.y - m.y).atan2(p.x - m.x);
    let start = angle(a);
    let (to_b, to_c) = ((angle(b) - start).rem_euclid(TAU), (angle(c) - start).rem_euclid(TAU));
    // Against the clock where the middle comes before the end.
    let sweep = if to_b <= to_c { to_c } else { to_c - TAU };
    let mut list = about(m, (a.x - m.x).hypot(a.y - m.y), start, sweep);
    if let [first, .., last] = list.as_mut_slice() {
        (*first, *last) = (a, c);
    }
    list
}

/// The whole circle through three positions, ending where it begins.
pub fn circle(a: Position, b: Position, c: Position) -> Vec<Position> {
    let Some(m) = centre(a, b, c) else { return vec![a, b, c] };
    let mut list = about(m, (a.x - m.x).hypot(a.y - m.y), (a.y - m.y).atan2(a.x - m.x), TAU);
    if let [first, .., last] = list.as_mut_slice() {
        (*first, *last) = (a, a);
    }
    list
}

/// Positions from `a` to `b` by the tangent of a quarter of the angle of the arc between them, positive against the
/// clock, zero for a straight line. `a` and `b` are exact.
pub fn bulge(a: Position, b: Position, tangent: f64) -> Vec<Position> {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    if tangent == 0.0 || !tangent.is_finite() || dx == 0.0 && dy == 0.0 {
        return vec![a, b];
    }
    // The middle of the arc stands off the chord's middle by half the chord times the tangent, to its right where positive.
    let middle = Position { x: a.x + dx / 2.0 + dy / 2.0 * tangent, y: a.y + dy / 2.0 - dx / 2.0 * tangent, ..a };
    through(a, middle, b)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(x: f64, y: f64) -> Position {
        Position::xy(x, y)
    }

    #[test]
    fn arcs_lie_on_their_circles() {
        // A half circle of radius 5 about 600000, 200000, through its top.
        let (a, b, c) = (at(600_005.0, 200_000.0), at(600_000.0, 200_005.0), at(599_995.0, 200_000.0));
        let list = through(a, b, c);
        assert_eq!(list.len(), 91);
        assert_eq!((list[0], list[90]), (a, c));
        assert!(list.iter().all(|p| ((p.x - 6e5).hypot(p.y - 2e5) - 5.0).abs() < 1e-9 && p.y > 199_999.999));
        // The other way round the bottom.
        let below = through(a, at(600_000.0, 199_995.0), c);
        assert!(below.iter().all(|p| p.y < 200_000.001));
        assert_eq!(through(at(0.0, 0.0), at(1.0, 1.0), at(2.0, 2.0)).len(), 3, "three on a line");
        let round = circle(a, b, c);
        assert_eq!((round.len(), round[0]), (181, round[180]));
    }

    #[test]
    fn bulges_are_tangents_of_a_quarter_of_the_angle() {
        // A tangent of one is a half circle; against the clock from west to east it runs below.
        let half = bulge(at(0.0, 0.0), at(2.0, 0.0), 1.0);
        let lowest = half.iter().map(|p| p.y).fold(0.0, f64::min);
        assert!((lowest + 1.0).abs() < 1e-12);
        // A quarter circle: tangent of 22.5 degrees; its middle stands off the chord by r - r cos 45°.
        let quarter = bulge(at(1.0, 0.0), at(0.0, 1.0), 22.5f64.to_radians().tan());
        assert!(quarter.iter().all(|p| (p.x.hypot(p.y) - 1.0).abs() < 1e-12), "{quarter:?}");
        assert_eq!(bulge(at(0.0, 0.0), at(2.0, 0.0), 0.0).len(), 2);
    }
}
