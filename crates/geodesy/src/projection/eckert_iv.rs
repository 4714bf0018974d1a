//! Eckert IV, equal-area. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, within_half_turn};
use std::f64::consts::{FRAC_PI_2, PI};

/// The Eckert IV projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EckertIv {
    r: f64,
}

/// With δ = π/2 − θ the equation θ + sin θ cos θ + 2 sin θ = (2 + π/2) sin φ is
/// δ − sin δ cos δ + 2(1 − cos δ) = (2 + π/2)(1 − sin φ), which keeps its digits near the pole.
fn from_pole(d: f64) -> f64 {
    let q = d * d;
    let cubic = if d < 0.05 {
        2.0 / 3.0 * d * q * (1.0 - q / 5.0 * (1.0 - q * 2.0 / 21.0 * (1.0 - q / 18.0)))
    } else {
        d - d.sin() * d.cos()
    };
    cubic + 4.0 * (d / 2.0).sin().powi(2)
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
        // 1 − sin φ
        let lack = 2.0 * (std::f64::consts::FRAC_PI_4 - phi.abs() / 2.0).sin().powi(2);
        let right = (2.0 + FRAC_PI_2) * lack;
        let mut d = right.sqrt().min(FRAC_PI_2);
        for _ in 0..12 {
            let s = d.sin();
            let slope = 2.0 * s * (s + 1.0);
            if slope < 1e-300 {
                break;
            }
            let step = (from_pole(d) - right) / slope;
            d -= step;
            if step.abs() <= 1e-16 * d {
                break;
            }
        }
        let (s, c) = d.sin_cos();
        (
            2.0 / (PI * (4.0 + PI)).sqrt() * self.r * lambda * (1.0 + s),
            (2.0 * (PI / (4.0 + PI)).sqrt() * self.r * c).copysign(phi),
        )
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let s = (y / (2.0 * (PI / (4.0 + PI)).sqrt() * self.r)).abs();
        if !(s <= 1.0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let d = s.min(1.0).acos();
        let lack = from_pole(d) / (2.0 + FRAC_PI_2);
        let phi = FRAC_PI_2 - 2.0 * (lack / 2.0).sqrt().min(1.0).asin();
        let lambda = x / (2.0 / (PI * (4.0 + PI)).sqrt() * self.r * (1.0 + d.sin()));
        (within_half_turn(lambda), phi.copysign(y))
    }
}
