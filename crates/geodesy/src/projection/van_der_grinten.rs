//! Van der Grinten I: the world in a circle, meridians and parallels as circles. The formulas are those of a sphere
//! with the semi-major axis as radius.
//!
//! Snyder's formulas with their differences of large numbers replaced by the conjugate quotients.

use super::newton::invert;
use super::{About, Given, Method, Problem};
use std::f64::consts::{FRAC_PI_2, FRAC_PI_3, PI};

/// The van der Grinten projection.
#[derive(Debug, Clone, PartialEq)]
pub struct VanDerGrinten {
    r: f64,
}

impl Method for VanDerGrinten {
    const ABOUT: About = About {
        names: &["Van der Grinten", "VanDerGrinten", "Van_der_Grinten_I"],
        domain: "the whole sphere",
        source: "Snyder, USGS Professional Paper 1395, section 29",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(VanDerGrinten { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let sin_theta = (2.0 * phi / PI).abs().min(1.0);
        let size = PI * self.r;
        if sin_theta == 0.0 {
            return (self.r * lambda, 0.0);
        }
        let theta = sin_theta.asin();
        if lambda == 0.0 || phi.abs() >= FRAC_PI_2 {
            return (0.0, (size * (theta / 2.0).tan()).copysign(phi));
        }
        let cos_theta = theta.cos();
        let a = 0.5 * (PI / lambda - lambda / PI).abs();
        // sin θ + cos θ − 1 = 2 sin(θ/2)(cos(θ/2) − sin(θ/2))
        let (half_s, half_c) = (theta / 2.0).sin_cos();
        let g = cos_theta / (2.0 * half_s * (half_c - half_s));
        let p = g * (2.0 / sin_theta - 1.0);
        let (a2, p2, g2) = (a * a, p * p, g * g);
        let q = a2 + g;
        let b = a * (g - p2);
        let d = (b * b + (p2 + a2) * (p2 - g2)).max(0.0).sqrt();
        let x = size * (p2 - g2) / (d - b);
        let inner = ((a2 + 1.0) * (p2 + a2) - q * q).max(0.0).sqrt();
        let y = size * (a2 * (2.0 * g - 1.0) + g2) / (p * q + a * inner);
        (x.copysign(lambda), y.copysign(phi))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let size = PI * self.r;
        let (u, v) = (x / size, y / size);
        let (u2, v2) = (u * u, v * v);
        let rho2 = u2 + v2;
        if !(rho2 <= 1.0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        if v == 0.0 {
            return ((x / self.r).clamp(-PI, PI), 0.0);
        }
        let c1 = -v.abs() * (1.0 + rho2);
        let c2 = c1 - 2.0 * v2 + u2;
        let c3 = -2.0 * c1 + 1.0 + 2.0 * v2 + rho2 * rho2;
        let d = v2 / c3 + (2.0 * (c2 / c3).powi(3) - 9.0 * c1 * c2 / (c3 * c3)) / 27.0;
        let a1 = (c1 - c2 * c2 / (3.0 * c3)) / c3;
        let m1 = 2.0 * (-a1 / 3.0).sqrt();
        let theta = (3.0 * d / (a1 * m1)).clamp(-1.0, 1.0).acos() / 3.0;
        let phi = (PI * (-m1 * (theta + FRAC_PI_3).cos() - c2 / (3.0 * c3))).clamp(0.0, FRAC_PI_2).copysign(v);
        if u.abs() < 1e-15 {
            return (0.0, (PI / 2.0 * (2.0 * v.abs().min(1.0).atan()).sin()).copysign(v));
        }
        let root = (1.0 + 2.0 * (u2 - v2) + rho2 * rho2).max(0.0).sqrt();
        let lambda = (PI * (rho2 - 1.0 + root) / (2.0 * u)).clamp(-PI, PI);
        // The cubic's closed form loses digits; Newton's method brings them back.
        let refined = invert(|l, p| self.forward(l, p), (lambda, phi), x, y, self.r);
        if refined.0.is_nan() {
            let (fx, fy) = self.forward(lambda, phi);
            return if (fx - x).hypot(fy - y) < 1e-6 { (lambda, phi) } else { refined };
        }
        refined
    }
}
