//! Equidistant conic (EPSG method 1119): meridians are true to scale.

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};
use basilocus_arithmetic::trigonometry::sin_cos;
use std::f64::consts::FRAC_PI_2;

/// An equidistant conic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EquidistantConic {
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    n: f64,
    /// Distance of the apex from the equator, metres.
    apex_m: f64,
    origin_arc_m: f64,
}

impl Method for EquidistantConic {
    const ABOUT: About = About {
        names: &["Equidistant Conic", "Equidistant_Conic"],
        domain: "everywhere; within half a turn of the cone",
        source: "Snyder, USGS Professional Paper 1395, section 16",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        let rectifying = AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening());
        let radius_m = rectifying_radius_m(given.ellipsoid);
        let arc = |phi: f64| radius_m * rectifying.angle(phi, phi.sin(), phi.cos());
        let m = |phi: f64| given.ellipsoid.semi_major_m * phi.cos() / (1.0 - e2 * phi.sin().powi(2)).sqrt();
        let phi1 = given.latitude(Parameter::StandardParallel1)?;
        let phi2 = match given.optional(Parameter::StandardParallel2)? {
            Some(_) => given.latitude(Parameter::StandardParallel2)?,
            None => phi1,
        };
        let n = if (phi1 - phi2).abs() < 1e-12 { phi1.sin() } else { (m(phi1) - m(phi2)) / (arc(phi2) - arc(phi1)) };
        if n.abs() < 1e-10 {
            return Err(given.problem(Parameter::StandardParallel1, "makes no cone (symmetric about the equator)"));
        }
        Ok(EquidistantConic {
            apex_m: m(phi1) / n + arc(phi1),
            origin_arc_m: arc(given.latitude_or_equator(Parameter::LatitudeOfOrigin)?),
            rectifying,
            radius_m,
            n,
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        let r = self.apex_m - self.radius_m * self.rectifying.angle(phi, s, c);
        let (sin, cos) = sin_cos(self.n * lambda);
        (r * sin, self.apex_m - self.origin_arc_m - r * cos)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let sign = 1.0_f64.copysign(self.n);
        let y = self.apex_m - self.origin_arc_m - y;
        let lambda = within_half_turn((sign * x).atan2(sign * y) / self.n);
        let mu = (self.apex_m - sign * (x * x + y * y).sqrt()) / self.radius_m;
        let mu = if mu.abs() <= FRAC_PI_2 + 1e-13 { mu.clamp(-FRAC_PI_2, FRAC_PI_2) } else { f64::NAN };
        let (s, c) = sin_cos(mu);
        (lambda, self.rectifying.geodetic(mu, s, c))
    }
}
