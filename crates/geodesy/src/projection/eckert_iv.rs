//! Eckert IV, equal-area. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, newton::root, within_half_turn};
use std::f64::consts::{FRAC_PI_2, PI};

/// The Eckert IV projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EckertIv {
    r: f64,
}

impl Method for EckertIv {
    const ABOUT: About = About {
        names: &["Eckert IV", "Eckert_IV"],
        domain: "the whole sphere",
        source: "Snyder, USGS Professional Paper 1395, section 32",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(EckertIv { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let right = (2.0 + FRAC_PI_2) * phi.sin();
        let theta = root(
            |t| {
                let (s, c) = t.sin_cos();
                (t + s * c + 2.0 * s - right, 2.0 * c * (1.0 + c) + 1e-300)
            },
            -FRAC_PI_2,
            FRAC_PI_2,
        );
        let (s, c) = theta.sin_cos();
        (2.0 / (PI * (4.0 + PI)).sqrt() * self.r * lambda * (1.0 + c), 2.0 * (PI / (4.0 + PI)).sqrt() * self.r * s)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let s = y / (2.0 * (PI / (4.0 + PI)).sqrt() * self.r);
        if !(s.abs() <= 1.0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let s = s.clamp(-1.0, 1.0);
        let c = (1.0 - s * s).sqrt();
        let sin_phi = (s.atan2(c) + s * c + 2.0 * s) / (2.0 + FRAC_PI_2);
        let lambda = x / (2.0 / (PI * (4.0 + PI)).sqrt() * self.r * (1.0 + c));
        (within_half_turn(lambda), sin_phi.clamp(-1.0, 1.0).asin())
    }
}
