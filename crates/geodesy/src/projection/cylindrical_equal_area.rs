//! Lambert cylindrical equal area (EPSG methods 9835 and, on a sphere, 9834).

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, authalic_q};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};

/// A cylindrical equal-area projection.
#[derive(Debug, Clone, PartialEq)]
pub struct CylindricalEqualArea {
    authalic: AuxiliaryLatitude,
    x_radius_m: f64,
    y_radius_m: f64,
}

impl Method for CylindricalEqualArea {
    const ABOUT: About = About {
        names: &[
            "Lambert Cylindrical Equal Area",
            "Cylindrical_Equal_Area",
            "Lambert Cylindrical Equal Area (Spherical)",
        ],
        domain: "everywhere",
        source: "IOGP Guidance Note 373-7-2, section 3.3.5; Snyder, USGS Professional Paper 1395, section 10",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = if given.is("spherical") { 0.0 } else { given.ellipsoid.eccentricity_squared() };
        let (s, c) = given.latitude_or_equator(Parameter::StandardParallel1)?.sin_cos();
        let k0 = c / (1.0 - e2 * s * s).sqrt() * given.scale()?;
        if !(k0 > 1e-9) {
            return Err(given.problem(Parameter::StandardParallel1, "is a pole"));
        }
        let a = given.ellipsoid.semi_major_m;
        Ok(CylindricalEqualArea {
            authalic: AuxiliaryLatitude::authalic(e2),
            x_radius_m: a * k0,
            y_radius_m: a * authalic_q(1.0, e2) / (2.0 * k0),
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        (self.x_radius_m * lambda, self.y_radius_m * self.authalic.sin_cos(s, c).0)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let sin_beta = y / self.y_radius_m;
        if !(sin_beta.abs() <= 1.0 + 1e-13) {
            return (f64::NAN, f64::NAN);
        }
        let sin_beta = sin_beta.clamp(-1.0, 1.0);
        let cos_beta = (1.0 - sin_beta * sin_beta).sqrt();
        let phi = self.authalic.geodetic(atan2_right(sin_beta, cos_beta), sin_beta, cos_beta);
        (within_half_turn(x / self.x_radius_m), phi)
    }
}
