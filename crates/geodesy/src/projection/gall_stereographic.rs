//! Gall stereographic, a cylindrical compromise. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, within_half_turn};
use std::f64::consts::{FRAC_1_SQRT_2, FRAC_PI_2};

/// The Gall stereographic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct GallStereographic {
    r: f64,
}

impl Method for GallStereographic {
    const ABOUT: About = About {
        names: &["Gall Stereographic", "Gall_Stereographic"],
        domain: "the whole sphere",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 220",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(GallStereographic { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        (self.r * FRAC_1_SQRT_2 * lambda, self.r * (1.0 + FRAC_1_SQRT_2) * (phi / 2.0).tan())
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let phi = 2.0 * (y / (self.r * (1.0 + FRAC_1_SQRT_2))).atan();
        let phi = if phi.abs() <= FRAC_PI_2 + 1e-14 { phi } else { f64::NAN };
        (within_half_turn(x / (self.r * FRAC_1_SQRT_2)), phi)
    }
}
