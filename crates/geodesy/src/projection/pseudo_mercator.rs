//! Popular visualisation pseudo-Mercator (EPSG method 1024): the formulas of the sphere applied to geodetic latitudes.
//!
//! It is not conformal: north-south and east-west scales differ by up to 0.7 %. For screens, not for measuring.

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use std::f64::consts::FRAC_PI_2;

/// The pseudo-Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct PseudoMercator {
    radius_m: f64,
}

impl Method for PseudoMercator {
    const ABOUT: About = About {
        names: &[
            "Popular Visualisation Pseudo Mercator",
            "Popular_Visualisation_Pseudo_Mercator",
            "Mercator_Auxiliary_Sphere",
        ],
        domain: "everywhere but the poles",
        source: "IOGP Guidance Note 373-7-2, section 3.3.4",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        if given.latitude_or_equator(Parameter::LatitudeOfOrigin)? != 0.0 {
            return Err(given.problem(Parameter::LatitudeOfOrigin, "has to be 0"));
        }
        Ok(PseudoMercator { radius_m: given.ellipsoid.semi_major_m })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let y = if phi.abs() < FRAC_PI_2 { self.radius_m * phi.abs().tan().asinh().copysign(phi) } else { f64::NAN };
        (self.radius_m * lambda, y)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        (within_half_turn(x / self.radius_m), (y / self.radius_m).sinh().atan())
    }
}
