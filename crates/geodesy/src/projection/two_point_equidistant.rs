//! Two-point equidistant: distances to two points are true. The formulas are those of a sphere with the semi-major
//! axis as radius.
//!
//! The origin is half-way, x runs from the first to the second point. Near the line through both the triangle's
//! height comes from the angle at the first point instead of from differences of nearly equal sides.

use super::{About, Frame, Given, Method, Parameter, Problem};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// A two-point equidistant projection.
#[derive(Debug, Clone, PartialEq)]
pub struct TwoPointEquidistant {
    r: f64,
    lambda1: f64,
    sin1: f64,
    cos1: f64,
    lambda2: f64,
    sin2: f64,
    cos2: f64,
    /// Distance and azimuth from the first to the second point, radians.
    z0: f64,
    azimuth: f64,
}

/// Arc and azimuth on the sphere.
fn arc(l1: f64, s1: f64, c1: f64, l2: f64, s2: f64, c2: f64) -> (f64, f64) {
    let (sd, cd) = (l2 - l1).sin_cos();
    let (east, north) = (c2 * sd, c1 * s2 - s1 * c2 * cd);
    (east.hypot(north).atan2(s1 * s2 + c1 * c2 * cd), east.atan2(north))
}

impl Method for TwoPointEquidistant {
    const ABOUT: About = About {
        names: &["Two Point Equidistant", "Two_Point_Equidistant"],
        domain: "everywhere but the line between the antipodes of the two points",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 234",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let lambda1 = given.need(Parameter::LongitudeOfPoint1)?.to_radians();
        let lambda2 = given.need(Parameter::LongitudeOfPoint2)?.to_radians();
        let (sin1, cos1) = given.latitude(Parameter::LatitudeOfPoint1)?.sin_cos();
        let (sin2, cos2) = given.latitude(Parameter::LatitudeOfPoint2)?.sin_cos();
        let (z0, azimuth) = arc(lambda1, sin1, cos1, lambda2, sin2, cos2);
        if !(z0 > 1e-6 && z0 < PI - 1e-6) {
            return Err(given.problem(Parameter::LatitudeOfPoint2, "makes the two points one, or antipodes"));
        }
        let r = given.ellipsoid.semi_major_m;
        Ok(TwoPointEquidistant { r, lambda1, sin1, cos1, lambda2, sin2, cos2, z0, azimuth })
    }

    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        Ok(Frame { central_meridian_deg: 0.0, ..given.frame()? })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = phi.sin_cos();
        let (z1, azimuth) = arc(self.lambda1, self.sin1, self.cos1, lambda, s, c);
        let (z2, _) = arc(self.lambda2, self.sin2, self.cos2, lambda, s, c);
        let mut angle = azimuth - self.azimuth;
        angle -= TAU * (angle / TAU).round();
        let half = (z1 + z2 + self.z0) / 2.0;
        if !(half < PI - 1e-9) {
            return (f64::NAN, f64::NAN);
        }
        let (mut d0, mut d1, mut d2) = (half - self.z0, half - z1, half - z2);
        // tan²(B/2) = sin(s−z₀) sin(s−z₁) / (sin s sin(s−z₂)): the small one of the three from the others.
        let t2 = (angle / 2.0).tan().powi(2);
        if angle.abs() <= FRAC_PI_2 {
            let product = t2 * half.sin() * d2.sin();
            if d0 < d1 {
                d0 = (product / d1.sin()).clamp(0.0, 1.0).asin();
            } else if d1 < d0 {
                d1 = (product / d0.sin()).clamp(0.0, 1.0).asin();
            }
        } else if d2 < d0 {
            d2 = (d0.sin() * d1.sin() / (t2 * half.sin())).clamp(0.0, 1.0).asin();
        }
        let y = 2.0 * (half * d0.max(0.0) * d1.max(0.0) * d2.max(0.0)).sqrt() / self.z0;
        let x = (z1 - z2) * (z1 + z2) / (2.0 * self.z0);
        (self.r * x, self.r * y.copysign(-angle))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = (x / self.r, y / self.r);
        let (x1, x2) = (x + self.z0 / 2.0, x - self.z0 / 2.0);
        let (z1, z2) = (x1.hypot(y), x2.hypot(y));
        let half = (z1 + z2 + self.z0) / 2.0;
        if !(half < PI - 1e-9) {
            return (f64::NAN, f64::NAN);
        }
        // zᵢ − |xᵢ| = y²/(zᵢ + |xᵢ|): the half sum less a side, without cancellation near the line.
        let lack = |z: f64, x: f64| if z > 0.0 { y * y / (z + x.abs()) } else { 0.0 };
        let (e1, e2) = (lack(z1, x1), lack(z2, x2));
        let d0 = (e1 + e2 + (x1.abs() + x2.abs() - self.z0).max(0.0)) / 2.0;
        let d1 = (self.z0 + x2.abs() - x1.abs() + e2 - e1) / 2.0;
        let d2 = (self.z0 + x1.abs() - x2.abs() + e1 - e2) / 2.0;
        let t2 = d0.sin() * d1.sin() / (half.sin() * d2.sin());
        let angle = if d2 <= 0.0 { PI } else { 2.0 * t2.max(0.0).sqrt().atan() };
        let azimuth = self.azimuth - angle.copysign(y);
        let (sz, cz) = z1.sin_cos();
        let (sa, ca) = azimuth.sin_cos();
        let sin_phi = self.sin1 * cz + self.cos1 * sz * ca;
        let (east, ahead) = (sz * sa, self.cos1 * cz - self.sin1 * sz * ca);
        let lambda = self.lambda1 + east.atan2(ahead);
        (lambda - TAU * (lambda / TAU).round(), sin_phi.atan2(east.hypot(ahead)))
    }
}
