//! Laborde oblique Mercator (EPSG method 9813), the grid of Madagascar: a transverse Mercator of a conformal sphere,
//! turned by a cubic.

use super::{About, Given, Method, Parameter, Problem};
use crate::latitude::{AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal};

/// The largest |H| that is computed: some 1,900 km from the centre, where the cubic is still one to one.
const REACH: f64 = 0.3;

/// A Laborde projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Laborde {
    conformal: AuxiliaryLatitude,
    r: f64,
    b: f64,
    c: f64,
    sin_s: f64,
    cos_s: f64,
    /// The complex factor of the cubic.
    g: (f64, f64),
}

fn times(a: (f64, f64), b: (f64, f64)) -> (f64, f64) {
    (a.0 * b.0 - a.1 * b.1, a.0 * b.1 + a.1 * b.0)
}

impl Method for Laborde {
    const ABOUT: About = About {
        names: &["Laborde Oblique Mercator", "Laborde_Oblique_Mercator"],
        domain: "within some 1,900 km of the centre",
        source: "IOGP Guidance Note 373-7-2, section 3.6.2",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        let phi_c = given.latitude(Parameter::LatitudeOfOrigin)?;
        let (s, c) = phi_c.sin_cos();
        if c < 1e-6 {
            return Err(given.problem(Parameter::LatitudeOfOrigin, "is a pole"));
        }
        let b = (1.0 + e2 * c.powi(4) / (1.0 - e2)).sqrt();
        let sin_s = s / b;
        let azimuth = given.need(Parameter::Azimuth)?.to_radians();
        Ok(Laborde {
            conformal: AuxiliaryLatitude::conformal(given.ellipsoid.third_flattening()),
            r: given.ellipsoid.semi_major_m * given.scale()? * (1.0 - e2).sqrt() / (1.0 - e2 * s * s),
            b,
            c: sin_s.atanh() - b * isometric(s, c, e2),
            sin_s,
            cos_s: (1.0 - sin_s * sin_s).sqrt(),
            g: ((1.0 - (2.0 * azimuth).cos()) / 12.0, (2.0 * azimuth).sin() / 12.0),
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (sin_chi, cos_chi) = self.conformal.sin_cos(phi.sin(), phi.cos());
        let (sin_p, cos_p) = conformal_of_isometric(self.c + self.b * isometric_of_conformal(sin_chi, cos_chi));
        let (sin_l, cos_l) = (self.b * lambda).sin_cos();
        let u = cos_p * cos_l * self.cos_s + sin_p * self.sin_s;
        let v = cos_p * cos_l * self.sin_s - sin_p * self.cos_s;
        let w = cos_p * sin_l;
        let h = (-v.atan2(u), (w / u.hypot(v)).asinh());
        if !(h.0.hypot(h.1) <= REACH) {
            return (f64::NAN, f64::NAN);
        }
        let cubic = times(self.g, times(h, times(h, h)));
        (self.r * (h.1 + cubic.1), self.r * (h.0 + cubic.0))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let z = (y / self.r, x / self.r);
        let mut h = z;
        // H + GH³ = Z by Newton's method.
        for _ in 0..20 {
            let h2 = times(h, h);
            let cubic = times(self.g, times(h, h2));
            let slope = times(self.g, h2);
            let (dr, di) = (1.0 + 3.0 * slope.0, 3.0 * slope.1);
            let miss = (h.0 + cubic.0 - z.0, h.1 + cubic.1 - z.1);
            let q = times(miss, (dr, -di));
            let m = dr * dr + di * di;
            h = (h.0 - q.0 / m, h.1 - q.1 / m);
            if miss.0.hypot(miss.1) < 1e-16 {
                break;
            }
        }
        if !(h.0.hypot(h.1) <= REACH) {
            return (f64::NAN, f64::NAN);
        }
        let (sin_l1, cos_l1) = (-h.0).sin_cos();
        let (sin_p1, cos_p1) = (h.1.tanh(), 1.0 / h.1.cosh());
        let u = cos_p1 * cos_l1 * self.cos_s + cos_p1 * sin_l1 * self.sin_s;
        let w = cos_p1 * cos_l1 * self.sin_s - cos_p1 * sin_l1 * self.cos_s;
        let d = u.hypot(sin_p1);
        let psi = ((w / d).asinh() - self.c) / self.b;
        let (sin_chi, cos_chi) = conformal_of_isometric(psi);
        (sin_p1.atan2(u) / self.b, self.conformal.geodetic(sin_chi.atan2(cos_chi), sin_chi, cos_chi))
    }
}
