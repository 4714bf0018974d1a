//! One geodesic from a position on an azimuth, and points along it.
//!
//! The arc of a distance is found by Newton's method: the integrand of the length is the derivative, and as it is nearly
//! constant, three rounds are enough.

use super::great_circle::{GreatCircle, Latitude};
use super::integrals::Series;
use super::{Direct, Geodesic, atan2_deg, sin_cos_deg};
use std::f64::consts::TAU;

/// A geodesic, ready for points along it.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    lon_deg: f64,
    semi_minor_m: f64,
    flattening: f64,
    circle: GreatCircle,
    /// Longitude of the start on the auxiliary sphere, from the crossing of the equator.
    start: f64,
    length: Series,
    longitude: Series,
    spread: Series,
}

/// Rounds of Newton's method; each squares the error, which begins below a hundredth.
const ROUNDS: usize = 4;

impl Line {
    pub(super) fn new(g: &Geodesic, lon_deg: f64, lat_deg: f64, azimuth_deg: f64) -> Self {
        let (sin, cos) = sin_cos_deg(azimuth_deg);
        let circle = GreatCircle::through(g, &Latitude::reduced(g, lat_deg), sin, cos);
        Line {
            lon_deg,
            semi_minor_m: g.semi_minor_m,
            flattening: g.flattening,
            start: circle.longitude_on_sphere(circle.further(0.0)),
            length: circle.length(),
            longitude: circle.longitude(g),
            spread: circle.spread(),
            circle,
        }
    }

    /// The arc of a distance, radians.
    fn arc(&self, distance_m: f64) -> f64 {
        let wanted = distance_m / self.semi_minor_m;
        let mut arc = wanted / self.length.mean();
        for _ in 0..ROUNDS {
            let sin = (self.circle.arc + arc).sin();
            let slope = (1.0 + self.circle.k2 * sin * sin).sqrt();
            let step = (wanted - self.length.over(self.circle.arc, arc)) / slope;
            arc += step;
            if step.abs() <= f64::EPSILON * arc.abs() {
                break;
            }
        }
        arc
    }

    /// The point `distance_m` along the line (backwards where negative).
    pub fn at(&self, distance_m: f64) -> Direct {
        let arc = self.arc(distance_m);
        let c = &self.circle;
        let (sin, cos) = c.further(arc);
        let (reduced_sin, reduced_cos) = (c.cos_equator * sin, c.sin_equator.hypot(c.cos_equator * cos));
        // Longitude on the sphere, with the turns that the arc makes.
        let direction = if c.sin_equator < 0.0 { -1.0 } else { 1.0 };
        let short = c.longitude_on_sphere((sin, cos)) - self.start;
        let longitude = short + ((direction * arc - short) / TAU).round() * TAU;
        let behind = self.flattening * c.sin_equator * self.longitude.over(c.arc, arc);
        let (reduced_length, scale) = c.neighbours(&self.spread, arc);
        Direct {
            lon_deg: crate::projection::wrap_deg(self.lon_deg + (longitude - behind).to_degrees()),
            lat_deg: atan2_deg(reduced_sin, (1.0 - self.flattening) * reduced_cos),
            final_azimuth_deg: atan2_deg(c.sin_equator, c.cos_equator * cos),
            reduced_length_m: self.semi_minor_m * reduced_length,
            scale,
        }
    }
}
