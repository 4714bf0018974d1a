//! Oblique Mercator after Hotine: from a centre and an azimuth, coordinates from the natural origin (variant A, EPSG
//! method 9812) or from the centre (variant B, 9815), or from two points on the initial line.
//!
//! The formulas are written with the isometric latitude ψ: Q = exp(ln F + B(ψ − ψ₀)). The longitude of the natural
//! origin comes from an arctangent that stays exact where the azimuth is 90° (Switzerland, Hungary) and the usual
//! arcsine of 1 would lose half of the digits.

use super::{About, Frame, Given, Method, Parameter, Problem, within_half_turn};
use crate::geodesic::sin_cos_deg;
use crate::latitude::{AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal};
use std::f64::consts::{FRAC_PI_2, TAU};

/// A Hotine oblique Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct ObliqueMercator {
    conformal: AuxiliaryLatitude,
    a: f64,
    b: f64,
    /// ln F − Bψ₀
    ln_h: f64,
    sin_gamma0: f64,
    cos_gamma0: f64,
    /// Longitude of the natural origin from the central meridian, radians.
    origin: f64,
    /// Taken from u: 0 in variant A.
    u_centre: f64,
    sin_grid: f64,
    cos_grid: f64,
    /// Where longitudes are counted from, for two points; degrees.
    meridian_deg: f64,
}

impl Method for ObliqueMercator {
    const ABOUT: About = About {
        names: &[
            "Hotine Oblique Mercator (variant A)",
            "Hotine Oblique Mercator (variant B)",
            "Hotine_Oblique_Mercator",
            "Hotine_Oblique_Mercator_Azimuth_Center",
            "Hotine_Oblique_Mercator_Azimuth_Natural_Origin",
            "Oblique_Mercator",
            "Hotine_Oblique_Mercator_Two_Point_Natural_Origin",
            "Hotine_Oblique_Mercator_Two_Point_Center",
        ],
        domain: "within 80° of arc of the initial line",
        source: "IOGP Guidance Note 373-7-2, section 3.6.1; Snyder, USGS Professional Paper 1395, section 9",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e = given.ellipsoid;
        let e2 = e.eccentricity_squared();
        let phi_c = given.latitude(Parameter::LatitudeOfOrigin)?;
        let (s, c) = phi_c.sin_cos();
        if s.abs() < 1e-9 || c.abs() < 1e-9 {
            return Err(given.problem(
                Parameter::LatitudeOfOrigin,
                "is the equator or a pole; an oblique line has its centre between them",
            ));
        }
        let b = (1.0 + e2 * c.powi(4) / (1.0 - e2)).sqrt();
        let w2 = 1.0 - e2 * s * s;
        let a = e.semi_major_m * b * given.scale()? * (1.0 - e2).sqrt() / w2;
        let d = b * (1.0 - e2).sqrt() / (c * w2.sqrt());
        let root = (d * d - 1.0).max(0.0).sqrt();
        let sign = 1.0_f64.copysign(s);
        let ln_h = (d + root).ln() * sign - b * isometric(s, c, e2);
        let (azimuth, sin_gamma0, origin, meridian_deg);
        if given.optional(Parameter::LatitudeOfPoint1)?.is_some() {
            // Snyder, alternate A: equations 9-16 to 9-24.
            let psi = |p| -> Result<f64, Problem> {
                let (s, c) = given.latitude(p)?.sin_cos();
                Ok(isometric(s, c, e2))
            };
            let (psi1, psi2) = (psi(Parameter::LatitudeOfPoint1)?, psi(Parameter::LatitudeOfPoint2)?);
            let lambda1 = given.need(Parameter::LongitudeOfPoint1)?.to_radians();
            let lambda2 = given.need(Parameter::LongitudeOfPoint2)?.to_radians();
            let mut difference = lambda1 - lambda2;
            difference -= TAU * (difference / TAU).round();
            if (psi1 - psi2).abs() < 1e-9 || !psi1.is_finite() || !psi2.is_finite() {
                return Err(given
                    .problem(Parameter::LatitudeOfPoint2, "is that of the first point, or one of the two is a pole"));
            }
            let (ln_e, ln_h1, ln_l) = (ln_h, -b * psi1, -b * psi2);
            let g = (ln_e - ln_h1).sinh();
            // J and P over their common factors: hyperbolic tangents.
            let j = (ln_e - (ln_h1 + ln_l) / 2.0).tanh();
            let p = ((ln_l - ln_h1) / 2.0).tanh();
            let middle = lambda2 + difference / 2.0;
            let lambda0 = middle - (j * (b * difference / 2.0).tan() / p).atan() / b;
            let gamma0 = ((b * (lambda2 + difference - lambda0)).sin() / g).atan();
            sin_gamma0 = gamma0.sin();
            azimuth = (d * sin_gamma0).clamp(-1.0, 1.0).asin();
            origin = 0.0;
            meridian_deg = lambda0.to_degrees();
        } else {
            azimuth = given.need(Parameter::Azimuth)?.to_radians();
            if azimuth.sin().abs() < 1e-9 {
                return Err(given.problem(Parameter::Azimuth, "runs along the meridian; use transverse Mercator"));
            }
            let (sin_az, cos_az) = sin_cos_deg(given.need(Parameter::Azimuth)?);
            sin_gamma0 = sin_az / d;
            // G·tan γ₀ is the sine of this angle: its cosine is |D cos α| over the same length.
            origin = -((sign * root * sin_az).atan2((d * cos_az).abs())) / b;
            meridian_deg = given.frame()?.central_meridian_deg;
        }
        let (_, cos_az) = sin_cos_deg(azimuth.to_degrees());
        let grid = match given.optional(Parameter::RectifiedGridAngle)? {
            Some(angle) => angle.to_radians(),
            None => azimuth,
        };
        let natural = given.is("hotine") && !given.is("center") && !given.is("variantb");
        Ok(ObliqueMercator {
            conformal: AuxiliaryLatitude::conformal(e.third_flattening()),
            a,
            b,
            ln_h,
            sin_gamma0,
            cos_gamma0: (1.0 - sin_gamma0 * sin_gamma0).sqrt(),
            origin,
            u_centre: if natural { 0.0 } else { sign * a / b * root.atan2(cos_az) },
            sin_grid: grid.sin(),
            cos_grid: grid.cos(),
            meridian_deg,
        })
    }

    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        Ok(Frame { central_meridian_deg: self.meridian_deg, ..given.frame()? })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let mut from_origin = lambda - self.origin;
        from_origin -= TAU * (from_origin / TAU).round();
        let (sin_chi, cos_chi) = self.conformal.sin_cos(phi.sin(), phi.cos());
        if phi.abs() >= FRAC_PI_2 {
            return (f64::NAN, f64::NAN);
        }
        let w = self.ln_h + self.b * isometric_of_conformal(sin_chi, cos_chi);
        let (sinh, cosh) = (w.sinh(), w.cosh());
        let (sin, cos) = (self.b * from_origin).sin_cos();
        let tilt = (sinh * self.sin_gamma0 - sin * self.cos_gamma0) / cosh;
        // sin 80°: beyond, the line's poles are near and the map is a caricature.
        if !(tilt.abs() <= 0.985) {
            return (f64::NAN, f64::NAN);
        }
        let v = -self.a / self.b * tilt.atanh();
        let u = self.a / self.b * (sinh * self.cos_gamma0 + sin * self.sin_gamma0).atan2(cos) - self.u_centre;
        (v * self.cos_grid + u * self.sin_grid, u * self.cos_grid - v * self.sin_grid)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let v = x * self.cos_grid - y * self.sin_grid;
        let u = y * self.cos_grid + x * self.sin_grid + self.u_centre;
        let w = -self.b * v / self.a;
        let angle = self.b * u / self.a;
        if !(w.abs() <= 2.45 && angle.abs() <= std::f64::consts::PI) {
            return (f64::NAN, f64::NAN);
        }
        let (sinh, cosh) = (w.sinh(), w.cosh());
        let (sin, cos) = angle.sin_cos();
        let tilt = (sin * self.cos_gamma0 + sinh * self.sin_gamma0) / cosh;
        let psi = (tilt.atanh() - self.ln_h) / self.b;
        let (sin_chi, cos_chi) = conformal_of_isometric(psi);
        let lambda = self.origin - (sinh * self.cos_gamma0 - sin * self.sin_gamma0).atan2(cos) / self.b;
        let phi = self.conformal.geodetic(sin_chi.atan2(cos_chi), sin_chi, cos_chi);
        let lambda = lambda - TAU * (lambda / TAU).round();
        (within_half_turn(lambda), phi)
    }
}
