//! The inverse problem: the shortest line between two positions.
//!
//! The unknown is the difference of longitude on the auxiliary sphere, ω: it gives the great circle in closed form, and the
//! great circle gives by how much the longitude on the ellipsoid falls behind. So ω = λ + f sin α₀ ∫…, in which the right
//! side hardly depends on ω; a secant finds it in three or four rounds, and no digit is lost however short the line is.
//! Nearly antipodal positions, where the great circle swings round with the slightest change of ω, are
//! [`antipodal`](super::antipodal)'s.

use super::great_circle::{GreatCircle, Latitude};
use super::{Geodesic, Inverse, antipodal, sin_cos_deg};
use std::f64::consts::PI;

/// A solved line, as the area takes it too.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Solved {
    pub circle: GreatCircle,
    /// Arc between both ends, radians.
    pub arc: f64,
    /// Difference of longitude on the auxiliary sphere, radians.
    pub longitude: f64,
    /// Azimuths at both ends, as sine and cosine.
    pub azimuths: [(f64, f64); 2],
    pub distance_m: f64,
}

/// Both ends of a line.
#[derive(Debug, Clone, Copy)]
pub(super) struct Ends {
    pub from: Latitude,
    pub to: Latitude,
    /// Difference of longitude on the ellipsoid, radians, −π…π.
    pub longitude: f64,
    /// Sine of the difference of reduced latitudes.
    sin_rise: f64,
}

impl Ends {
    pub(super) fn new(g: &Geodesic, [lon1, lat1]: [f64; 2], [lon2, lat2]: [f64; 2]) -> Self {
        let (from, to) = (Latitude::reduced(g, lat1), Latitude::reduced(g, lat2));
        // (1 − f) sin(φ₂ − φ₁) over both shrinkings: a difference of degrees that are near each other is exact.
        let sin_rise = (1.0 - g.flattening) * sin_cos_deg(lat2 - lat1).0 / (from.shrink * to.shrink);
        Ends { from, to, longitude: difference_deg(lon1, lon2).to_radians(), sin_rise }
    }

    /// The great circle for a difference of longitude on the sphere.
    fn great_circle(&self, g: &Geodesic, longitude: f64) -> Solved {
        let Ends { from, to, sin_rise, .. } = self;
        let (sin, cos) = longitude.sin_cos();
        // 1 − cos ω.
        let sag = 2.0 * (longitude / 2.0).sin().powi(2);
        let (east1, north1) = (to.cos * sin, sin_rise + from.sin * to.cos * sag);
        let (east2, north2) = (from.cos * sin, sin_rise - from.cos * to.sin * sag);
        let sin_arc = east1.hypot(north1);
        let arc = sin_arc.atan2(from.sin * to.sin + from.cos * to.cos * cos);
        let unit = |east: f64, north: f64| {
            let length = east.hypot(north);
            // One place twice, or exact antipodes: northwards is as good as any.
            if length == 0.0 { (0.0, 1.0) } else { (east / length, north / length) }
        };
        let azimuths = [unit(east1, north1), unit(east2, north2)];
        let circle = GreatCircle::through(g, from, azimuths[0].0, azimuths[0].1);
        Solved { circle, arc, longitude, azimuths, distance_m: f64::NAN }
    }
}

/// A difference of longitudes in degrees, −180…180.
fn difference_deg(lon1: f64, lon2: f64) -> f64 {
    let d = lon2 - lon1;
    // Taken round the globe and back, a short way to the west would lose the digits that 360 has no room for.
    if d > -180.0 && d <= 180.0 {
        return d;
    }
    let d = d.rem_euclid(360.0);
    if d > 180.0 { d - 360.0 } else { d }
}

/// Rounds after which a secant that has not arrived will not.
const ROUNDS: usize = 12;
/// Positions whose arc is this near to half a turn are nearly antipodal, radians.
const NEARLY: f64 = 0.05;

/// Solves for two positions, [longitude, latitude] in degrees.
pub(super) fn solve(g: &Geodesic, from: [f64; 2], to: [f64; 2]) -> Solved {
    let ends = Ends::new(g, from, to);
    let mut solved = by_longitude(g, &ends).unwrap_or_else(|| antipodal::solve(g, &ends));
    if solved.distance_m.is_nan() {
        solved.distance_m = g.semi_minor_m * solved.circle.length().over(solved.circle.arc, solved.arc);
    }
    solved
}

/// By a secant on the longitude of the sphere; `None` where the positions are nearly antipodal.
fn by_longitude(g: &Geodesic, ends: &Ends) -> Option<Solved> {
    let mut longitude = ends.longitude;
    let mut before: Option<(f64, f64)> = None;
    for _ in 0..ROUNDS {
        let solved = ends.great_circle(g, longitude);
        // The last digit of an azimuth is worth the more the nearer the arc is to half a turn, but for lines along the
        // equator, whose longitude does not depend on it.
        if solved.arc > PI - NEARLY && solved.azimuths[0].1.abs() > solved.arc.sin() {
            return None;
        }
        let wanted = ends.longitude + solved.circle.behind(g, solved.arc);
        let miss = wanted - longitude;
        if miss.abs() <= f64::EPSILON * longitude.abs() {
            return Some(solved);
        }
        let step = match before {
            Some((longitude_before, miss_before)) if miss != miss_before => {
                miss * (longitude - longitude_before) / (miss_before - miss)
            }
            _ => miss,
        };
        before = Some((longitude, miss));
        longitude += step;
        if !(longitude.abs() < PI) {
            return None;
        }
    }
    // Two neighbouring numbers in turn: either is right.
    Some(ends.great_circle(g, longitude))
}

/// The answer for two positions.
pub(super) fn inverse(g: &Geodesic, from: [f64; 2], to: [f64; 2]) -> Inverse {
    if !(from[1].abs() <= 90.0 && to[1].abs() <= 90.0 && (to[0] - from[0]).is_finite()) {
        let nan = f64::NAN;
        return Inverse {
            distance_m: nan,
            azimuth_deg: nan,
            final_azimuth_deg: nan,
            reduced_length_m: nan,
            scale: nan,
        };
    }
    let Solved { circle, arc, azimuths, distance_m, .. } = solve(g, from, to);
    let (reduced_length, scale) = circle.neighbours(&circle.spread(), arc);
    let degrees = |(sin, cos): (f64, f64)| super::atan2_deg(sin, cos);
    Inverse {
        distance_m,
        azimuth_deg: degrees(azimuths[0]),
        final_azimuth_deg: degrees(azimuths[1]),
        reduced_length_m: g.semi_minor_m * reduced_length,
        scale,
    }
}
