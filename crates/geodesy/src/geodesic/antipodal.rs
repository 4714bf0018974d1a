//! Shortest lines between positions that are nearly antipodal.
//!
//! There the unknown is the azimuth at the start. Seen from the end that is farther from the equator, with that end in the
//! south and the other one to the east, a line that leaves on the azimuth α reaches the other end's parallel, northwards
//! bound, after a longitude that grows from 0 to half a turn while α grows from 0 to half a turn: a line is found between
//! two brackets that always hold it, so the search cannot fail. What the last digit of an azimuth leaves over is made up to
//! first order: the end is moved along its parallel, which lengthens the line by the sine of its azimuth there.
//!
//! On an oblate ellipsoid the way over a pole is the shortest one between positions half a turn apart, and the way along
//! the equator is none beyond (1 − f) of half a turn.

use super::Geodesic;
use super::great_circle::{GreatCircle, Latitude};
use super::inverse::{Ends, Solved};
use std::f64::consts::{FRAC_PI_2, PI};

/// A line that leaves the southern end on an azimuth, up to the parallel of the other end.
#[derive(Clone, Copy)]
struct Tried {
    circle: GreatCircle,
    azimuth: f64,
    /// Azimuth at the parallel, as sine and cosine.
    arrival: (f64, f64),
    arc: f64,
    longitude_on_sphere: f64,
    /// Longitude on the ellipsoid.
    longitude: f64,
}

/// The ends as the search wants them.
struct Turned {
    start: Latitude,
    end: Latitude,
    longitude: f64,
    /// Whether start and end were exchanged.
    is_reversed: bool,
    /// Whether north and south were exchanged.
    is_flipped: bool,
    /// Whether the other end lies to the west.
    is_westward: bool,
}

impl Turned {
    fn new(ends: &Ends) -> Self {
        let is_reversed = ends.from.sin.abs() < ends.to.sin.abs();
        let (mut start, mut end) = if is_reversed { (ends.to, ends.from) } else { (ends.from, ends.to) };
        let is_flipped = start.sin > 0.0;
        if is_flipped {
            (start.sin, end.sin) = (-start.sin, -end.sin);
        }
        let is_westward = ends.longitude < 0.0;
        Turned { start, end, longitude: ends.longitude.abs(), is_reversed, is_flipped, is_westward }
    }

    fn try_azimuth(&self, g: &Geodesic, azimuth: f64) -> Tried {
        let Turned { start, end, .. } = self;
        // Due south is exactly that.
        let (sin, cos) = if azimuth >= PI { (0.0, -1.0) } else { azimuth.sin_cos() };
        let mut circle = GreatCircle::through(g, start, sin, cos);
        // From Clairaut's constant: cos²α₂ cos²β₂ = cos²α₁ cos²β₁ + cos²β₂ − cos²β₁.
        // Near a pole sines are all one, and near the equator cosines.
        let gain = if start.cos < 0.7 {
            (end.cos - start.cos) * (end.cos + start.cos)
        } else {
            (start.sin - end.sin) * (start.sin + end.sin)
        };
        let north = ((cos * start.cos).powi(2) + gain.max(0.0)).sqrt();
        let arrival = (circle.sin_equator / end.cos, north / end.cos);
        let last = if end.sin == 0.0 && north == 0.0 { 0.0 } else { end.sin.atan2(north) };
        // At the equator itself a start due south begins half a turn before the crossing.
        let first = if start.sin == 0.0 && cos < 0.0 { -PI } else { circle.arc };
        let arc = (last - first).max(0.0);
        circle.arc = first;
        let lon = |sin_arc: f64, cos_arc: f64| (circle.sin_equator * sin_arc).atan2(cos_arc);
        let begin = if first == -PI { -PI } else { lon(start.sin, cos * start.cos) };
        let longitude_on_sphere = (lon(end.sin, north) - begin).max(0.0);
        let longitude = longitude_on_sphere - circle.behind(g, arc);
        Tried { circle, azimuth, arrival, arc, longitude_on_sphere, longitude }
    }

    /// Back to the ends as they were given.
    fn back(&self, g: &Geodesic, ends: &Ends, line: &Tried) -> Solved {
        let start = if line.azimuth >= PI { (0.0, -1.0) } else { line.azimuth.sin_cos() };
        let (mut first, mut second) = (start, line.arrival);
        if self.is_reversed {
            // Seen from the other end, and west for east: azimuths count from the other pole.
            (first, second) = ((second.0, -second.1), (first.0, -first.1));
        }
        if self.is_flipped {
            (first.1, second.1) = (-first.1, -second.1);
        }
        if self.is_westward {
            (first.0, second.0) = (-first.0, -second.0);
        }
        let circle = GreatCircle::through(g, &ends.from, first.0, first.1);
        let left_over = self.longitude - line.longitude;
        let length = g.semi_minor_m * line.circle.length().over(line.circle.arc, line.arc);
        let distance_m = length + g.semi_major_m * self.end.cos * line.arrival.0 * left_over;
        let sign = if self.is_westward { -1.0 } else { 1.0 };
        let longitude = sign * line.longitude_on_sphere;
        Solved { circle, arc: line.arc, longitude, azimuths: [first, second], distance_m }
    }
}

/// Solves for two positions of which nothing better is known.
pub(super) fn solve(g: &Geodesic, ends: &Ends) -> Solved {
    let turned = Turned::new(ends);
    let on_equator = turned.start.sin == 0.0 && turned.end.sin == 0.0;
    if on_equator && turned.longitude <= (1.0 - g.flattening) * PI {
        return along_the_equator(g, ends);
    }
    let line = search(&turned, g);
    turned.back(g, ends, &line)
}

fn along_the_equator(g: &Geodesic, ends: &Ends) -> Solved {
    let azimuth = (if ends.longitude < 0.0 { -1.0 } else { 1.0 }, 0.0);
    let longitude = ends.longitude / (1.0 - g.flattening);
    Solved {
        circle: GreatCircle::through(g, &ends.from, azimuth.0, 0.0),
        arc: longitude.abs(),
        longitude,
        azimuths: [azimuth; 2],
        distance_m: g.semi_major_m * ends.longitude.abs(),
    }
}

/// A miss that is as small as longitudes are computed, radians: six nanometres beside the end, and none in length.
const ENOUGH: f64 = 1e-15;

/// Where the search begins: an azimuth, and how the longitude grows with it.
///
/// To first order in the flattening, a line from the parallel −b that leaves on the azimuth π − A comes to +b after half a
/// turn less Δ sin A of longitude (Δ = π f cos b), and goes on there on the azimuth A: it meets the parallel of the end at
/// cos b (λ − π) = Δ cos b (−sin A + Y tan A), where Y is that parallel's distance from +b in the same unit. The right side
/// falls as A grows.
fn beginning(turned: &Turned, g: &Geodesic) -> (f64, f64) {
    let Turned { start, end, .. } = turned;
    let unit = PI * g.flattening * start.cos;
    let north = (end.sin + start.sin) / (unit * start.cos * start.cos);
    let east = (turned.longitude - PI) / unit;
    // At a pole, and far from the antipode, that says nothing; lines there leave poleward of east or west.
    if !(north.abs() < 100.0 && east.abs() < 100.0) {
        return (FRAC_PI_2, f64::INFINITY);
    }
    let (mut low, mut high) = (0.0, FRAC_PI_2);
    let mut azimuth: f64 = 0.8;
    let mut slope = -1.0;
    for _ in 0..8 {
        let (sin, cos) = azimuth.sin_cos();
        let miss = north * sin / cos - sin - east;
        slope = north / (cos * cos) - cos;
        if miss > 0.0 {
            low = azimuth
        } else {
            high = azimuth
        }
        let step = azimuth - miss / slope;
        let next = if step > low && step < high { step } else { low + (high - low) / 2.0 };
        if (next - azimuth).abs() < 1e-4 {
            break;
        }
        azimuth = next;
    }
    (PI - azimuth, -slope * unit)
}

/// The line between two brackets: by a secant while each round halves the miss, else by the middle of the bracket.
fn search(turned: &Turned, g: &Geodesic) -> Tried {
    // Due north the parallel is met after no longitude, due south after half a turn.
    let (mut low, mut high) = (0.0, PI);
    if PI - turned.longitude <= 0.0 {
        return turned.try_azimuth(g, PI);
    }
    let (mut next, slope) = beginning(turned, g);
    let mut before: Option<(Tried, f64)> = None;
    loop {
        let line = turned.try_azimuth(g, next);
        let miss = line.longitude - turned.longitude;
        if miss.abs() <= ENOUGH {
            return line;
        }
        if miss < 0.0 {
            low = next
        } else {
            high = next
        }
        let (step, is_better) = match &before {
            Some((line_before, miss_before)) => {
                (miss * (line_before.azimuth - next) / (miss - miss_before), miss.abs() < miss_before.abs() / 2.0)
            }
            None => (-miss / slope, slope.is_finite()),
        };
        let middle = low + (high - low) / 2.0;
        let candidate = next + step;
        next = if is_better && candidate > low && candidate < high { candidate } else { middle };
        // No azimuth is left to try: the nearest of the last two is as near as numbers are.
        if high - low <= f64::EPSILON * high || (next - line.azimuth).abs() <= f64::EPSILON * next {
            return match before {
                Some((line_before, miss_before)) if miss_before.abs() < miss.abs() => line_before,
                _ => line,
            };
        }
        before = Some((line, miss));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ellipsoid::Ellipsoid;
    use crate::geodesic::inverse;
    use proptest::prelude::*;

    /// The search holds for any two positions: it is the slow twin of the secant.
    fn both_ways(from: [f64; 2], to: [f64; 2]) -> (Solved, Solved) {
        let g = Geodesic::new(&Ellipsoid::wgs84());
        (inverse::solve(&g, from, to), solve(&g, &Ends::new(&g, from, to)))
    }

    proptest! {
        #[test]
        fn the_search_finds_what_the_secant_finds(lon in -179.0_f64..179.0, lat1 in -89.9_f64..89.9, lat2 in -89.9_f64..89.9) {
            let (quick, slow) = both_ways([0.0, lat1], [lon, lat2]);
            prop_assert!((quick.distance_m - slow.distance_m).abs() < 20e-9, "{} {}", quick.distance_m, slow.distance_m);
            let turn = (quick.azimuths[0].0 * slow.azimuths[0].1 - quick.azimuths[0].1 * slow.azimuths[0].0).abs();
            // An azimuth is worth what it moves the other end by.
            prop_assert!(turn * quick.arc.sin() < 1e-14, "{quick:?} {slow:?}");
        }

        #[test]
        fn near_the_antipode_a_line_arrives(lat in -90.0_f64..90.0, north in -0.6_f64..0.6, west in 0.0_f64..0.6, power in -9.0_f64..0.0) {
            let g = Geodesic::new(&Ellipsoid::wgs84());
            let scale = 10f64.powf(power);
            let (lon2, lat2) = (180.0 - west * scale, (-lat + north * scale).clamp(-90.0, 90.0));
            let there = g.inverse(0.0, lat, lon2, lat2);
            let end = g.direct(0.0, lat, there.azimuth_deg, there.distance_m);
            let miss = g.inverse(end.lon_deg, end.lat_deg, lon2, lat2).distance_m;
            prop_assert!(miss < 30e-9, "{miss} {there:?}");
            prop_assert!(there.distance_m <= 20_003_931.46, "no two points are farther apart than the poles");
            // Short of its conjugate point a line is the shortest one.
            prop_assert!(there.reduced_length_m > -1e-6, "{there:?}");
            let back = g.inverse(lon2, lat2, 0.0, lat).distance_m;
            prop_assert!((back - there.distance_m).abs() < 15e-9);
        }
    }

    #[test]
    fn antipodes_and_the_equator() {
        let g = Geodesic::new(&Ellipsoid::wgs84());
        // 2a E(e²), the complete elliptic integral of the second kind, computed with 40 digits.
        let half_meridian = 20_003_931.458_625_445;
        for lat in [0.0, 1e-9, 30.0, -45.0, 89.999, 90.0] {
            let d = g.inverse(0.0, lat, 180.0, -lat).distance_m;
            assert!((d - half_meridian).abs() < 15e-9, "{lat}: {d}");
        }
        // Along the equator as far as that is the shortest way, and over the middle latitudes beyond.
        let limit = 180.0 * (1.0 - g.flattening);
        let on = g.inverse(0.0, 0.0, limit - 1e-6, 0.0);
        assert_eq!(on.azimuth_deg, 90.0);
        assert!((on.distance_m - g.semi_major_m * (limit - 1e-6).to_radians()).abs() < 15e-9);
        let beyond = g.inverse(0.0, 0.0, limit + 0.1, 0.0);
        assert!((beyond.azimuth_deg - 90.0).abs() > 1.0, "{beyond:?}");
        assert!(beyond.distance_m < g.semi_major_m * (limit + 0.1).to_radians());
        // A hair beside the equator changes it by a hair.
        for hair in [1e-12, 1e-10, 1e-8] {
            let d = g.inverse(0.0, hair, limit - 1e-6, -hair).distance_m;
            assert!((d - on.distance_m).abs() < 20e-9 + hair * 1e5, "{hair}: {d} {}", on.distance_m);
        }
    }
}
