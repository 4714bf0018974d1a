//! Albers equal area (EPSG method 9822), conic.

use super::{About, Given, InVectors, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, authalic_q};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};

/// An Albers equal-area conic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct AlbersEqualArea {
    authalic: AuxiliaryLatitude,
    a: f64,
    n: f64,
    c: f64,
    q_pole: f64,
    origin_radius_m: f64,
}

impl Method for AlbersEqualArea {
    const ABOUT: About = About {
        names: &["Albers Equal Area", "Albers_Conic_Equal_Area", "Albers"],
        domain: "everywhere; within half a turn of the cone",
        source: "IOGP Guidance Note 373-7-2, section 3.1.3; Snyder, USGS Professional Paper 1395, section 14",
    };

    const IN_VECTORS: InVectors = InVectors { forward: true, inverse: false };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        let origin = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        let phi1 = given.latitude(Parameter::StandardParallel1)?;
        let phi2 = if given.optional(Parameter::StandardParallel2)?.is_some() {
            given.latitude(Parameter::StandardParallel2)?
        } else {
            phi1
        };
        let m2 = |phi: f64| phi.cos().powi(2) / (1.0 - e2 * phi.sin().powi(2));
        let q = |phi: f64| authalic_q(phi.sin(), e2);
        let n = if (phi1 - phi2).abs() < 1e-12 { phi1.sin() } else { (m2(phi1) - m2(phi2)) / (q(phi2) - q(phi1)) };
        if n.abs() < 1e-10 {
            return Err(given.problem(Parameter::StandardParallel1, "makes no cone (symmetric about the equator)"));
        }
        let c = m2(phi1) + n * q(phi1);
        let a = given.ellipsoid.semi_major_m;
        Ok(AlbersEqualArea {
            authalic: AuxiliaryLatitude::authalic(e2),
            a,
            n,
            c,
            q_pole: authalic_q(1.0, e2),
            origin_radius_m: a * (c - n * q(origin)).max(0.0).sqrt() / n,
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        let (sin_beta, _) = self.authalic.sin_cos(s, c);
        let radius = self.a * (self.c - self.n * self.q_pole * sin_beta).max(0.0).sqrt() / self.n;
        let (sin, cos) = sin_cos(self.n * lambda);
        (radius * sin, self.origin_radius_m - radius * cos)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let sign = 1.0_f64.copysign(self.n);
        let (x, y) = (sign * x, sign * (self.origin_radius_m - y));
        let lambda = within_half_turn(x.atan2(y) / self.n);
        let over = self.n / self.a;
        let sin_beta = (self.c - (x * x + y * y) * over * over) / (self.n * self.q_pole);
        // A micrometre beyond the circle that shows a pole is rounding, more is no place.
        if !(sin_beta.abs() <= 1.0 + 1e-13) {
            return (f64::NAN, f64::NAN);
        }
        let sin_beta = sin_beta.clamp(-1.0, 1.0);
        let cos_beta = (1.0 - sin_beta * sin_beta).sqrt();
        (lambda, self.authalic.geodetic(atan2_right(sin_beta, cos_beta), sin_beta, cos_beta))
    }
}
