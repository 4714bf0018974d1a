//! Equidistant cylindrical (EPSG methods 1028 and, on a sphere, 1029).

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};
use basilocus_arithmetic::trigonometry::sin_cos;
use std::f64::consts::FRAC_PI_2;

/// An equidistant cylindrical projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EquidistantCylindrical {
    rectifying: AuxiliaryLatitude,
    x_radius_m: f64,
    y_radius_m: f64,
    origin: f64,
}

impl Method for EquidistantCylindrical {
    const ABOUT: About = About {
        names: &[
            "Equidistant Cylindrical",
            "Equidistant Cylindrical (Spherical)",
            "Equidistant_Cylindrical",
            "Equirectangular",
            "Plate_Carree",
        ],
        domain: "everywhere",
        source: "IOGP Guidance Note 373-7-2, section 3.3.6",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let sphere = crate::ellipsoid::Ellipsoid::new("sphere", given.ellipsoid.semi_major_m, 0.0);
        let e = if given.is("spherical") { &sphere } else { given.ellipsoid };
        let (s, c) = given.latitude_or_equator(Parameter::StandardParallel1)?.sin_cos();
        if c < 1e-9 {
            return Err(given.problem(Parameter::StandardParallel1, "is a pole"));
        }
        let rectifying = AuxiliaryLatitude::rectifying(e.third_flattening());
        let phi0 = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        Ok(EquidistantCylindrical {
            origin: rectifying.angle(phi0, phi0.sin(), phi0.cos()),
            rectifying,
            x_radius_m: crate::latitude::normal_radius(e, s) * c,
            y_radius_m: rectifying_radius_m(e),
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        (self.x_radius_m * lambda, self.y_radius_m * (self.rectifying.angle(phi, s, c) - self.origin))
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let mu = y / self.y_radius_m + self.origin;
        let mu = if mu.abs() <= FRAC_PI_2 + 1e-13 { mu.clamp(-FRAC_PI_2, FRAC_PI_2) } else { f64::NAN };
        let (s, c) = sin_cos(mu);
        (within_half_turn(x / self.x_radius_m), self.rectifying.geodetic(mu, s, c))
    }
}
