//! Miller cylindrical, a compromise that shows the poles. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, within_half_turn};
use std::f64::consts::FRAC_PI_2;

/// The Miller cylindrical projection.
#[derive(Debug, Clone, PartialEq)]
pub struct MillerCylindrical {
    r: f64,
}

impl Method for MillerCylindrical {
    const ABOUT: About = About {
        names: &["Miller Cylindrical", "Miller_Cylindrical", "Miller"],
        domain: "the whole sphere",
        source: "Snyder, USGS Professional Paper 1395, section 11",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(MillerCylindrical { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        (self.r * lambda, self.r * 1.25 * (0.8 * phi).tan().asinh())
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let phi = 1.25 * (0.8 * y / self.r).sinh().atan();
        let phi = if phi.abs() <= FRAC_PI_2 + 1e-14 { phi } else { f64::NAN };
        (within_half_turn(x / self.r), phi)
    }
}
