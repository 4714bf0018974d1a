//! Eckert VI, equal-area. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, newton::root, within_half_turn};
use std::f64::consts::{FRAC_PI_2, PI};

/// The Eckert VI projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EckertVi {
    r: f64,
}

impl Method for EckertVi {
    const ABOUT: About = About {
        names: &["Eckert VI", "Eckert_VI"],
        domain: "the whole sphere",
        source: "Snyder, USGS Professional Paper 1395, section 32",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(EckertVi { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let right = (1.0 + FRAC_PI_2) * phi.sin();
        let theta = root(|t| (t + t.sin() - right, 1.0 + t.cos()), -FRAC_PI_2, FRAC_PI_2);
        (self.r * lambda * (1.0 + theta.cos()) / (2.0 + PI).sqrt(), 2.0 * self.r * theta / (2.0 + PI).sqrt())
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let theta = y * (2.0 + PI).sqrt() / (2.0 * self.r);
        if !(theta.abs() <= FRAC_PI_2 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let theta = theta.clamp(-FRAC_PI_2, FRAC_PI_2);
        let sin_phi = (theta + theta.sin()) / (1.0 + FRAC_PI_2);
        let lambda = x * (2.0 + PI).sqrt() / (self.r * (1.0 + theta.cos()));
        (within_half_turn(lambda), sin_phi.clamp(-1.0, 1.0).asin())
    }
}
