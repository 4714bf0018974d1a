//! Lambert azimuthal equal area (EPSG methods 9820 and, on a sphere, 1027): oblique, equatorial and polar.

use super::{About, Given, InVectors, Method, Parameter, Problem};
use crate::latitude::{AuxiliaryLatitude, authalic_q};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};
use std::f64::consts::FRAC_PI_2;

/// A Lambert azimuthal equal-area projection.
#[derive(Debug, Clone, PartialEq)]
pub struct LambertAzimuthalEqualArea {
    authalic: AuxiliaryLatitude,
    /// Radius of the authalic sphere, metres.
    rq: f64,
    /// Stretches x and shrinks y, so that the centre is true to scale.
    d: f64,
    sin1: f64,
    cos1: f64,
}

impl Method for LambertAzimuthalEqualArea {
    const ABOUT: About = About {
        names: &[
            "Lambert Azimuthal Equal Area",
            "Lambert_Azimuthal_Equal_Area",
            "Lambert Azimuthal Equal Area (Spherical)",
        ],
        domain: "everywhere but the antipode of the centre",
        source: "IOGP Guidance Note 373-7-2, section 3.2.3; Snyder, USGS Professional Paper 1395, section 24",
    };

    const IN_VECTORS: InVectors = InVectors { forward: true, inverse: false };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let sphere = crate::ellipsoid::Ellipsoid::new("sphere", given.ellipsoid.semi_major_m, 0.0);
        let ellipsoid = if given.is("spherical") { &sphere } else { given.ellipsoid };
        let e2 = ellipsoid.eccentricity_squared();
        let phi1 = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        let authalic = AuxiliaryLatitude::authalic(e2);
        let a = ellipsoid.semi_major_m;
        let rq = a * (authalic_q(1.0, e2) / 2.0).sqrt();
        let (s, c) = phi1.sin_cos();
        let (sin1, cos1, d) = if phi1.abs() >= FRAC_PI_2 {
            (1.0_f64.copysign(phi1), 0.0, 1.0)
        } else {
            let (sin1, cos1) = authalic.sin_cos(s, c);
            (sin1, cos1, a * c / (1.0 - e2 * s * s).sqrt() / (rq * cos1))
        };
        Ok(LambertAzimuthalEqualArea { authalic, rq, d, sin1, cos1 })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(phi);
        let (sin_beta, cos_beta) = self.authalic.sin_cos(s, c);
        let (sin_l, cos_l) = sin_cos(lambda);
        let (e, n) = (cos_beta * sin_l, self.cos1 * sin_beta - self.sin1 * cos_beta * cos_l);
        let cos_c = self.sin1 * sin_beta + self.cos1 * cos_beta * cos_l;
        // 1 + cos C, on the far side as sin² C/(1 − cos C), which does not cancel.
        let toward = if cos_c < 0.0 { (e * e + n * n) / (1.0 - cos_c) } else { 1.0 + cos_c };
        // The antipode is a circle on this map.
        let b = self.rq * (2.0 / if toward > 1e-15 { toward } else { f64::NAN }).sqrt();
        (b * self.d * e, b / self.d * n)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = (x / self.d, y * self.d);
        let half = (x * x + y * y).sqrt() / (2.0 * self.rq);
        if !(half < 1.0) {
            return (f64::NAN, f64::NAN);
        }
        // sin C/ρ and cos C for C = 2 asin(ρ/2R).
        let root = (1.0 - half * half).sqrt();
        let sin_over = root / self.rq;
        let cos_c = 1.0 - 2.0 * half * half;
        let sin_beta = cos_c * self.sin1 + y * sin_over * self.cos1;
        let (e, n) = (x * sin_over, self.cos1 * cos_c - y * self.sin1 * sin_over);
        let cos_beta = (e * e + n * n).sqrt();
        (e.atan2(n), self.authalic.geodetic(atan2_right(sin_beta, cos_beta), sin_beta, cos_beta))
    }
}
