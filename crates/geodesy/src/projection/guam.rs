//! Guam projection (EPSG method 9831): a simplified azimuthal equidistant for one island.

use super::newton::invert;
use super::{About, Given, Method, Parameter, Problem};
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};

/// The Guam projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Guam {
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    origin_arc_m: f64,
    a: f64,
    e2: f64,
}

impl Guam {
    fn arc(&self, phi: f64) -> f64 {
        let (s, c) = phi.sin_cos();
        self.radius_m * self.rectifying.angle(phi, s, c)
    }
}

impl Method for Guam {
    const ABOUT: About = About {
        names: &["Guam Projection", "Guam"],
        domain: "within 3° of longitude of its centre, between 70° S and 70° N",
        source: "IOGP Guidance Note 373-7-2, section 3.2.5",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let phi0 = given.latitude(Parameter::LatitudeOfOrigin)?;
        let mut projection = Guam {
            rectifying: AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening()),
            radius_m: rectifying_radius_m(given.ellipsoid),
            origin_arc_m: 0.0,
            a: given.ellipsoid.semi_major_m,
            e2: given.ellipsoid.eccentricity_squared(),
        };
        projection.origin_arc_m = projection.arc(phi0);
        Ok(projection)
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        if !(lambda.abs() <= 3f64.to_radians() + 1e-5 && phi.abs() <= 70f64.to_radians() + 1e-5) {
            return (f64::NAN, f64::NAN);
        }
        let (s, c) = phi.sin_cos();
        let w = (1.0 - self.e2 * s * s).sqrt();
        let x = self.a * lambda * c / w;
        (x, self.arc(phi) - self.origin_arc_m + x * x * (s / c) * w / (2.0 * self.a))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let phi = ((y + self.origin_arc_m) / self.radius_m).clamp(-1.2, 1.2);
        let lambda = (x / (self.a * phi.cos())).clamp(-0.052, 0.052);
        invert(|l, p| self.forward(l, p), (lambda, phi), x, y, self.a)
    }
}
