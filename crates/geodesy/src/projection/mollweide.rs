//! Mollweide, equal-area with elliptical meridians. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, within_half_turn};
use std::f64::consts::{FRAC_PI_2, PI, SQRT_2};

/// The Mollweide projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Mollweide {
    r: f64,
}

/// θ with 2θ + sin 2θ = π sin φ.
pub(super) fn parametric(phi: f64) -> f64 {
    // With δ = π/2 − θ the equation is 2δ − sin 2δ = π(1 − sin φ): no digits are lost near the pole, where the
    // left side is 4δ³/3 and a cube root is the start.
    let lack = 2.0 * (std::f64::consts::FRAC_PI_4 - phi.abs() / 2.0).sin().powi(2) * PI;
    let mut d = (0.75 * lack).cbrt().min(FRAC_PI_2);
    for _ in 0..12 {
        let (s, c) = (2.0 * d).sin_cos();
        // 2δ − sin 2δ as a series where both are small.
        let value = if d < 0.1 {
            let q = 4.0 * d * d;
            8.0 * d * d * d * (1.0 / 6.0 - q * (1.0 / 120.0 - q * (1.0 / 5040.0 - q / 362_880.0)))
        } else {
            2.0 * d - s
        };
        let slope = 2.0 * (1.0 - c);
        if slope < 1e-300 {
            break;
        }
        let step = (value - lack) / slope;
        d -= step;
        if step.abs() <= 1e-16 * d {
            break;
        }
    }
    (FRAC_PI_2 - d).copysign(phi)
}

/// φ of θ.
pub(super) fn latitude(theta: f64) -> f64 {
    let d = FRAC_PI_2 - theta.abs();
    let lack = if d < 0.1 {
        let q = 4.0 * d * d;
        8.0 * d * d * d * (1.0 / 6.0 - q * (1.0 / 120.0 - q * (1.0 / 5040.0 - q / 362_880.0)))
    } else {
        2.0 * d - (2.0 * d).sin()
    };
    // 1 − sin φ = 2 sin²(π/4 − φ/2)
    (FRAC_PI_2 - 2.0 * (lack / (2.0 * PI)).sqrt().min(1.0).asin()).copysign(theta)
}

impl Method for Mollweide {
    const ABOUT: About = About {
        names: &["Mollweide"],
        domain: "the whole sphere",
        source: "Snyder, USGS Professional Paper 1395, section 31",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(Mollweide { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = parametric(phi).sin_cos();
        (self.r * 2.0 * SQRT_2 / PI * lambda * c, self.r * SQRT_2 * s)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let s = y / (self.r * SQRT_2);
        if !(s.abs() <= 1.0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let s = s.clamp(-1.0, 1.0);
        let c = (1.0 - s * s).sqrt();
        let lambda = if c < 1e-12 { x / self.r } else { PI * x / (2.0 * SQRT_2 * self.r * c) };
        (within_half_turn(lambda), latitude(s.atan2(c)))
    }
}
