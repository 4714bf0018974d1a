//! Sinusoidal, on the ellipsoid.

use super::{About, Given, Method, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};
use basilocus_arithmetic::trigonometry::sin_cos;
use std::f64::consts::FRAC_PI_2;

/// A sinusoidal projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Sinusoidal {
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    a: f64,
    e2: f64,
}

impl Method for Sinusoidal {
    const ABOUT: About = About {
        names: &["Sinusoidal"],
        domain: "everywhere",
        source: "Snyder, USGS Professional Paper 1395, section 30",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(Sinusoidal {
            rectifying: AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening()),
            radius_m: rectifying_radius_m(given.ellipsoid),
            a: given.ellipsoid.semi_major_m,
            e2: given.ellipsoid.eccentricity_squared(),
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        (self.a * lambda * c / (1.0 - self.e2 * s * s).sqrt(), self.radius_m * self.rectifying.angle(phi, s, c))
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let mu = y / self.radius_m;
        let mu = if mu.abs() <= FRAC_PI_2 + 1e-13 { mu.clamp(-FRAC_PI_2, FRAC_PI_2) } else { f64::NAN };
        let (s, c) = sin_cos(mu);
        let phi = self.rectifying.geodetic(mu, s, c);
        let (s, c) = sin_cos(phi);
        let m = self.a * c / (1.0 - self.e2 * s * s).sqrt();
        // At a pole every longitude is this place.
        let lambda = if m < 1e-6 && x.abs() < 1e-5 { 0.0 } else { x / m };
        (within_half_turn(lambda), phi)
    }
}
