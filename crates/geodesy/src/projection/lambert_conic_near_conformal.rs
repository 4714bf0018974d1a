//! Lambert conic near-conformal (EPSG method 9817), the Levant zone.
//!
//! The meridian distance from the origin is stretched by its third power only, so the map is conformal near the
//! origin's parallel and not elsewhere.

use super::newton::root;
use super::{About, Given, Method, Parameter, Problem};
use crate::latitude::{AuxiliaryLatitude, meridian_radius, normal_radius, rectifying_radius_m};

/// The farthest meridian distance from the origin that is computed, metres: the zone is 700 km high.
const REACH_M: f64 = 1_500_000.0;

/// A near-conformal conic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct LambertConicNearConformal {
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    origin_arc_m: f64,
    scale: f64,
    /// Radius of the parallel of origin, metres.
    r0: f64,
    sin0: f64,
    /// 1/(6 ρ₀ ν₀)
    cubic: f64,
}

impl Method for LambertConicNearConformal {
    const ABOUT: About = About {
        names: &["Lambert Conic Near-Conformal"],
        domain: "within 1,500 km of the parallel of origin",
        source: "IOGP Guidance Note 373-7-2, section 3.1.1.6",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e = given.ellipsoid;
        let phi0 = given.latitude(Parameter::LatitudeOfOrigin)?;
        let (s, c) = phi0.sin_cos();
        if s.abs() < 1e-6 || c.abs() < 1e-6 {
            return Err(given.problem(Parameter::LatitudeOfOrigin, "makes no cone"));
        }
        let rectifying = AuxiliaryLatitude::rectifying(e.third_flattening());
        let radius_m = rectifying_radius_m(e);
        let scale = given.scale()?;
        Ok(LambertConicNearConformal {
            origin_arc_m: radius_m * rectifying.angle(phi0, s, c),
            rectifying,
            radius_m,
            scale,
            r0: scale * normal_radius(e, s) * c / s,
            sin0: s,
            cubic: 1.0 / (6.0 * meridian_radius(e, s) * normal_radius(e, s)),
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (s, c) = phi.sin_cos();
        let m = self.radius_m * self.rectifying.angle(phi, s, c) - self.origin_arc_m;
        if !(m.abs() <= REACH_M) {
            return (f64::NAN, f64::NAN);
        }
        let stretched = self.scale * (m + self.cubic * m * m * m);
        let r = self.r0 - stretched;
        let theta = lambda * self.sin0;
        // r·sin θ·tan(θ/2) = r(1 − cos θ)
        (r * theta.sin(), stretched + r * (1.0 - theta.cos()))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let sign = 1.0_f64.copysign(self.r0);
        let theta = (sign * x).atan2(sign * (self.r0 - y));
        let stretched = (self.r0 - sign * x.hypot(self.r0 - y)) / self.scale;
        let m = root(
            |m| (m + self.cubic * m * m * m - stretched, 1.0 + 3.0 * self.cubic * m * m),
            -2.0 * REACH_M,
            2.0 * REACH_M,
        );
        if !(m.abs() <= REACH_M) {
            return (f64::NAN, f64::NAN);
        }
        let mu = (self.origin_arc_m + m) / self.radius_m;
        (super::within_half_turn(theta / self.sin0), self.rectifying.geodetic(mu, mu.sin(), mu.cos()))
    }
}
