//! Bonne (EPSG method 9827) and Bonne with axes to the west and south (9828).

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};
use std::f64::consts::FRAC_PI_2;

/// A Bonne projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Bonne {
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    a: f64,
    e2: f64,
    /// Distance of the apex from the equator and from the standard parallel, metres.
    apex_m: f64,
    from_parallel_m: f64,
    /// −1 for westings and southings.
    sign: f64,
}

impl Bonne {
    fn m(&self, phi: f64) -> f64 {
        let (s, c) = phi.sin_cos();
        self.a * c / (1.0 - self.e2 * s * s).sqrt()
    }
}

impl Method for Bonne {
    const ABOUT: About = About {
        names: &["Bonne", "Bonne (South Orientated)"],
        domain: "everywhere",
        source: "IOGP Guidance Note 373-7-2, section 3.1.6; Snyder, USGS Professional Paper 1395, section 19",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        // Definitions give the standard parallel under its own name or as the origin.
        let name = if given.optional(Parameter::StandardParallel1)?.is_some() {
            Parameter::StandardParallel1
        } else {
            Parameter::LatitudeOfOrigin
        };
        let phi1 = given.latitude(name)?;
        let (s, c) = phi1.sin_cos();
        if s.abs() < 1e-9 {
            return Err(given.problem(name, "is the equator; use sinusoidal"));
        }
        let rectifying = AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening());
        let radius_m = rectifying_radius_m(given.ellipsoid);
        let e2 = given.ellipsoid.eccentricity_squared();
        let a = given.ellipsoid.semi_major_m;
        let from_parallel_m = a * c / (1.0 - e2 * s * s).sqrt() / s;
        Ok(Bonne {
            apex_m: from_parallel_m + radius_m * rectifying.angle(phi1, s, c),
            from_parallel_m,
            rectifying,
            radius_m,
            a,
            e2,
            sign: if given.is("southorientated") { -1.0 } else { 1.0 },
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = phi.sin_cos();
        let r = self.apex_m - self.radius_m * self.rectifying.angle(phi, s, c);
        let theta = if r.abs() < 1e-6 { 0.0 } else { self.m(phi) * lambda / r };
        let (sin, cos) = theta.sin_cos();
        (self.sign * r * sin, self.sign * (self.from_parallel_m - r * cos))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let side = 1.0_f64.copysign(self.from_parallel_m);
        let (x, y) = (self.sign * x, self.from_parallel_m - self.sign * y);
        let r = side * x.hypot(y);
        let mu = (self.apex_m - r) / self.radius_m;
        if !(mu.abs() <= FRAC_PI_2 + 1e-13) {
            return (f64::NAN, f64::NAN);
        }
        let mu = mu.clamp(-FRAC_PI_2, FRAC_PI_2);
        let phi = self.rectifying.geodetic(mu, mu.sin(), mu.cos());
        let m = self.m(phi);
        // At a pole every longitude is this place.
        let lambda = if m < 1e-6 { 0.0 } else { r * (side * x).atan2(side * y) / m };
        (within_half_turn(lambda), phi)
    }
}
