//! Oblique stereographic by way of a conformal sphere (EPSG method 9809), as in the Netherlands.

use super::{About, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{
    AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal, meridian_radius, normal_radius,
};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};
use std::f64::consts::FRAC_PI_2;

/// An oblique stereographic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct ObliqueStereographic {
    conformal: AuxiliaryLatitude,
    /// Twice the radius of the sphere times the scale, metres.
    r2: f64,
    n: f64,
    /// Half the logarithm of the constant c.
    half_ln_c: f64,
    sin0: f64,
    cos0: f64,
}

impl Method for ObliqueStereographic {
    const ABOUT: About = About {
        names: &["Oblique Stereographic", "Oblique_Stereographic", "Double_Stereographic"],
        domain: "everywhere but the antipode of the origin",
        source: "IOGP Guidance Note 373-7-2, section 3.2.1.1",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e = given.ellipsoid;
        let e2 = e.eccentricity_squared();
        let phi0 = given.latitude(Parameter::LatitudeOfOrigin)?;
        if phi0.abs() >= FRAC_PI_2 {
            return Err(given.problem(Parameter::LatitudeOfOrigin, "is a pole; use polar stereographic"));
        }
        let (s, c) = phi0.sin_cos();
        let n = (1.0 + e2 * c.powi(4) / (1.0 - e2)).sqrt();
        // χ₀ by sin χ₀ = sin φ₀/n; c makes the sphere's isometric latitude agree there.
        let sin0 = s / n;
        let cos0 = (1.0 - sin0 * sin0).sqrt();
        let half_ln_c = sin0.atanh() - n * isometric(s, c, e2);
        Ok(ObliqueStereographic {
            conformal: AuxiliaryLatitude::conformal(e.third_flattening()),
            r2: 2.0 * given.scale()? * (meridian_radius(e, s) * normal_radius(e, s)).sqrt(),
            n,
            half_ln_c,
            sin0,
            cos0,
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        let (sin_chi, cos_chi) = self.conformal.sin_cos(s, c);
        let (sin_x, cos_x) = if phi.abs() < FRAC_PI_2 {
            conformal_of_isometric(self.n * isometric_of_conformal(sin_chi, cos_chi) + self.half_ln_c)
        } else {
            (1.0_f64.copysign(phi), 0.0)
        };
        let (sin_l, cos_l) = sin_cos(self.n * lambda);
        let b = 1.0 + sin_x * self.sin0 + cos_x * self.cos0 * cos_l;
        let k = self.r2 / if b > 1e-12 { b } else { f64::NAN };
        (k * cos_x * sin_l, k * (sin_x * self.cos0 - cos_x * self.sin0 * cos_l))
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let r = (x * x + y * y).sqrt();
        let t = r / self.r2;
        let over = 1.0 / (1.0 + t * t);
        // sin C/ρ and cos C for C = 2 atan(ρ/2R).
        let (sin_over, cos_c) = (2.0 * over / self.r2, (1.0 - t * t) * over);
        let sin_x = cos_c * self.sin0 + y * sin_over * self.cos0;
        let (e, n) = (x * sin_over, self.cos0 * cos_c - y * self.sin0 * sin_over);
        let cos_x = (e * e + n * n).sqrt();
        let psi = (isometric_of_conformal(sin_x, cos_x) - self.half_ln_c) / self.n;
        let (sin_chi, cos_chi) = conformal_of_isometric(psi);
        let phi = self.conformal.geodetic(atan2_right(sin_chi, cos_chi), sin_chi, cos_chi);
        (within_half_turn(e.atan2(n) / self.n), phi)
    }
}
