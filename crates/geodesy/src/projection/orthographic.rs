//! Orthographic (EPSG method 9840): the ellipsoid seen from very far along the vertical of the centre.

use super::{About, Given, Method, Parameter, Problem};
use crate::ellipsoid::Ellipsoid;
use crate::latitude::normal_radius;

/// An orthographic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Orthographic {
    ellipsoid: Ellipsoid,
    sin0: f64,
    cos0: f64,
    /// The centre in the plane of its meridian: distance from the axis and height above the equator, metres.
    centre: (f64, f64),
}

impl Method for Orthographic {
    const ABOUT: About = About {
        names: &["Orthographic", "Orthographic (Spherical)"],
        domain: "the hemisphere that is seen from above the centre",
        source: "IOGP Guidance Note 373-7-2, section 3.2.6",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let mut ellipsoid = given.ellipsoid.clone();
        if given.is("spherical") {
            ellipsoid.inverse_flattening = 0.0;
        }
        let (sin0, cos0) = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?.sin_cos();
        let nu = normal_radius(&ellipsoid, sin0);
        let centre = (nu * cos0, nu * (1.0 - ellipsoid.eccentricity_squared()) * sin0);
        Ok(Orthographic { ellipsoid, sin0, cos0, centre })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = phi.sin_cos();
        let (sin_l, cos_l) = lambda.sin_cos();
        // The vertical of the point against the line of sight.
        if !(self.sin0 * s + self.cos0 * c * cos_l >= 0.0) {
            return (f64::NAN, f64::NAN);
        }
        let nu = normal_radius(&self.ellipsoid, s);
        let (along, z) = (nu * c * cos_l, nu * (1.0 - self.ellipsoid.eccentricity_squared()) * s);
        (nu * c * sin_l, self.cos0 * (z - self.centre.1) - self.sin0 * (along - self.centre.0))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        // The line of sight through (x, y) meets the ellipsoid: along = p + h·cos φ₀, z = q + h·sin φ₀.
        let (p, q) = (self.centre.0 - y * self.sin0, self.centre.1 + y * self.cos0);
        let a2 = self.ellipsoid.semi_major_m.powi(2);
        let ratio = 1.0 / (1.0 - self.ellipsoid.eccentricity_squared());
        let qa = self.cos0 * self.cos0 + ratio * self.sin0 * self.sin0;
        let qb = p * self.cos0 + ratio * q * self.sin0;
        let qc = p * p + x * x + ratio * q * q - a2;
        let discriminant = qb * qb - qa * qc;
        // Beyond the rim there is no Earth; a rounding error at the rim is forgiven.
        if !(discriminant >= -1e-12 * a2) {
            return (f64::NAN, f64::NAN);
        }
        let h = (-qb + discriminant.max(0.0).sqrt()) / qa;
        let (along, z) = (p + h * self.cos0, q + h * self.sin0);
        (x.atan2(along), (z * ratio).atan2(x.hypot(along)))
    }
}
