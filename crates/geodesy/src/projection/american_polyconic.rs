//! American polyconic (EPSG method 9818).

use super::newton::invert;
use super::{About, Given, Method, Parameter, Problem};
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{AuxiliaryLatitude, normal_radius, rectifying_radius_m};

/// An American polyconic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct AmericanPolyconic {
    ellipsoid: Ellipsoid,
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    origin_arc_m: f64,
}

impl AmericanPolyconic {
    fn arc(&self, phi: f64) -> f64 {
        let (s, c) = phi.sin_cos();
        self.radius_m * self.rectifying.angle(phi, s, c)
    }
}

impl Method for AmericanPolyconic {
    const ABOUT: About = About {
        names: &["American Polyconic", "Polyconic"],
        domain: "within 90° of longitude of the central meridian",
        source: "IOGP Guidance Note 373-7-2, section 3.1.4; Snyder, USGS Professional Paper 1395, section 18",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let phi0 = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        let mut projection = AmericanPolyconic {
            ellipsoid: given.ellipsoid.clone(),
            rectifying: AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening()),
            radius_m: rectifying_radius_m(given.ellipsoid),
            origin_arc_m: 0.0,
        };
        projection.origin_arc_m = projection.arc(phi0);
        Ok(projection)
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        if !(lambda.abs() <= std::f64::consts::FRAC_PI_2 + 1e-5) {
            return (f64::NAN, f64::NAN);
        }
        let (s, c) = phi.sin_cos();
        let nu = normal_radius(&self.ellipsoid, s);
        let angle = lambda * s;
        // sin x/x and (1 − cos x)/x², which stay finite on the equator.
        let half = (angle / 2.0).sin();
        let (sinc, versine) = if angle.abs() < 1e-4 {
            (1.0 - angle * angle / 6.0, 0.5 - angle * angle / 24.0)
        } else {
            (angle.sin() / angle, 2.0 * half * half / (angle * angle))
        };
        (nu * c * lambda * sinc, self.arc(phi) - self.origin_arc_m + nu * c * s * lambda * lambda * versine)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let a = self.ellipsoid.semi_major_m;
        // Snyder's circle through the point, on the sphere: A = y/a, B = (x/a)² + A².
        let height = (y + self.origin_arc_m) / a;
        let b = (x / a).powi(2) + height * height;
        let mut phi = height.clamp(-1.5, 1.5);
        for _ in 0..8 {
            let t = phi.tan();
            let step = (height * (phi * t + 1.0) - phi - 0.5 * (phi * phi + b) * t) / ((phi - height) / t - 1.0);
            if !step.is_finite() {
                break;
            }
            phi = (phi - step).clamp(-1.57, 1.57);
        }
        let start = ((x / a * phi.tan()).clamp(-1.0, 1.0).asin() / phi.sin()).clamp(-1.57, 1.57);
        let start = if start.is_finite() { start } else { x / a };
        invert(|l, p| self.forward(l, p), (start, phi), x, y, a)
    }
}
