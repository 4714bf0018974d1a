//! Polar stereographic: variant A with a scale factor at the pole (EPSG method 9810), variant B with a standard
//! parallel (9829), variant C with a standard parallel and a false origin on it (9830).

use super::{About, Given, InVectors, Method, Parameter, Problem};
use crate::latitude::{AuxiliaryLatitude, isometric, isometric_lag};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};
use std::f64::consts::FRAC_PI_2;

/// A polar stereographic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct PolarStereographic {
    conformal: AuxiliaryLatitude,
    /// Radius over tan(π/4 − χ/2), metres.
    radius_m: f64,
    /// 1 around the north pole, −1 around the south pole.
    pole: f64,
    /// Northing of the pole, metres: 0 but in variant C.
    pole_northing_m: f64,
}

impl Method for PolarStereographic {
    const ABOUT: About = About {
        names: &[
            "Polar Stereographic (variant A)",
            "Polar Stereographic (variant B)",
            "Polar Stereographic (variant C)",
            "Polar_Stereographic",
            "Stereographic_North_Pole",
            "Stereographic_South_Pole",
        ],
        domain: "everywhere but the other pole",
        source: "IOGP Guidance Note 373-7-2, section 3.2.1.3",
    };

    const IN_VECTORS: InVectors = InVectors { forward: true, inverse: false };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        // One name serves two variants: at a pole the latitude is the origin, elsewhere the standard parallel.
        let name = if given.optional(Parameter::StandardParallel1)?.is_some() {
            Parameter::StandardParallel1
        } else {
            Parameter::LatitudeOfOrigin
        };
        let phi = given.latitude(name)?;
        if phi == 0.0 {
            return Err(given.problem(name, "is the equator; a pole or a parallel on the side of the pole is expected"));
        }
        let pole = 1.0_f64.copysign(phi);
        // t/√(…) of the formulas: 2a/√((1+e)^(1+e) (1−e)^(1−e)).
        let per_scale = 2.0 * given.ellipsoid.semi_major_m / (1.0 - e2).sqrt() / isometric_lag(1.0, e2).exp();
        let (radius_m, parallel_radius_m) = if phi.abs() >= FRAC_PI_2 {
            (per_scale * given.scale()?, 0.0)
        } else {
            let (s, c) = phi.abs().sin_cos();
            let m = given.ellipsoid.semi_major_m * c / (1.0 - e2 * s * s).sqrt();
            (m * isometric(s, c, e2).exp() * given.scale()?, m)
        };
        let pole_northing_m = if given.is("variantc") { pole * parallel_radius_m } else { 0.0 };
        Ok(PolarStereographic {
            conformal: AuxiliaryLatitude::conformal(given.ellipsoid.third_flattening()),
            radius_m,
            pole,
            pole_northing_m,
        })
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = sin_cos(self.pole * phi);
        let (sin_chi, cos_chi) = self.conformal.sin_cos(s, c);
        // tan(π/4 − χ/2), from the form that does not cancel on either side.
        let t = if sin_chi >= 0.0 { cos_chi / (1.0 + sin_chi) } else { (1.0 - sin_chi) / cos_chi };
        let r = if self.pole * phi > -FRAC_PI_2 { self.radius_m * t } else { f64::NAN };
        let (sin, cos) = sin_cos(lambda);
        (r * sin, self.pole_northing_m - self.pole * r * cos)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let y = self.pole * (self.pole_northing_m - y);
        let r = (x * x + y * y).sqrt();
        let t = r / self.radius_m;
        let over = 1.0 / (1.0 + t * t);
        let (sin_chi, cos_chi) = ((1.0 - t * t) * over, 2.0 * t * over);
        let lambda = if r == 0.0 { 0.0 } else { x.atan2(y) };
        (lambda, self.pole * self.conformal.geodetic(atan2_right(sin_chi, cos_chi), sin_chi, cos_chi))
    }
}
