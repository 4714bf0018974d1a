//! Mercator with a scale factor at the equator (variant A, EPSG method 9804), with a standard parallel (variant B,
//! 9805) and with a standard parallel and a false origin on another one (variant C, 1044).

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};
use std::f64::consts::FRAC_PI_2;

/// A Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Mercator {
    conformal: AuxiliaryLatitude,
    /// Semi-major axis times the scale at the equator, metres.
    radius_m: f64,
    /// ψ of the false origin.
    origin: f64,
}

impl Method for Mercator {
    const ABOUT: About = About {
        names: &[
            "Mercator (variant A)",
            "Mercator (variant B)",
            "Mercator (variant C)",
            "Mercator_1SP",
            "Mercator_2SP",
            "Mercator",
        ],
        domain: "everywhere but the poles",
        source: "IOGP Guidance Note 373-7-2, section 3.3",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        let origin = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        let mut scale = given.scale()?;
        let mut northing_of_origin = 0.0;
        if given.optional(Parameter::StandardParallel1)?.is_some() {
            let (s, c) = given.latitude(Parameter::StandardParallel1)?.sin_cos();
            scale *= c / (1.0 - e2 * s * s).sqrt();
            if !(scale > 1e-9) {
                return Err(given.problem(Parameter::StandardParallel1, "is at a pole"));
            }
            northing_of_origin = isometric(origin.sin(), origin.cos(), e2);
        } else if origin != 0.0 {
            return Err(given.problem(Parameter::LatitudeOfOrigin, "has to be 0 in this variant"));
        }
        Ok(Mercator {
            conformal: AuxiliaryLatitude::conformal(given.ellipsoid.third_flattening()),
            radius_m: given.ellipsoid.semi_major_m * scale,
            origin: northing_of_origin,
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        let (sin_chi, cos_chi) = self.conformal.sin_cos(s, c);
        let psi = if phi.abs() < FRAC_PI_2 { isometric_of_conformal(sin_chi, cos_chi) } else { f64::NAN };
        (self.radius_m * lambda, self.radius_m * (psi - self.origin))
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (sin_chi, cos_chi) = conformal_of_isometric(y / self.radius_m + self.origin);
        let phi = self.conformal.geodetic(atan2_right(sin_chi, cos_chi), sin_chi, cos_chi);
        (within_half_turn(x / self.radius_m), phi)
    }
}
