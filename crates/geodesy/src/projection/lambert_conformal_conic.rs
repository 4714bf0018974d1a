//! Lambert conformal conic with one (EPSG method 9801) or two (9802) standard parallels, and its relatives: with
//! eastings that grow westwards (9826), for Belgium in 1972 (9803, the cone turned by 29.2985″) and for Michigan
//! (1051, the ellipsoid enlarged).
//!
//! Formulas of IOGP Guidance Note 373-7-2, section 3.1.1, written with the isometric latitude ψ instead of
//! t = exp(−ψ), which keeps digits near the equator.
//!
//! Domain: everywhere but the pole away from the cone's apex, and, in the inverse direction, within half a turn
//! of the cone.

use super::{About, Given, InVectors, Method, Parameter, Problem, within_half_turn};
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal};
use basilocus_arithmetic::trigonometry::{atan2_right, sin_cos};
use std::f64::consts::FRAC_PI_2;

/// The angle by which the Belgian system of 1972 turns its cone: 29.2985″.
const BELGIAN_TURN: f64 = 29.2985 / 3600.0 * std::f64::consts::PI / 180.0;

/// A Lambert conformal conic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct LambertConformalConic {
    conformal: AuxiliaryLatitude,
    /// Cone constant, negative in the southern hemisphere.
    n: f64,
    /// a·k₀·F in metres: the radius of the equator.
    equator_radius_m: f64,
    /// Radius of the latitude of origin, metres.
    origin_radius_m: f64,
    /// Added to the angle at the apex.
    turn: f64,
    /// −1 where eastings grow westwards.
    east: f64,
}

impl LambertConformalConic {
    /// One standard parallel at the latitude of origin (degrees), with a scale factor there.
    ///
    /// # Errors
    /// What is wrong with the latitude of origin: the equator makes no cone.
    pub fn one_standard_parallel(
        ellipsoid: &Ellipsoid,
        latitude_of_origin_deg: f64,
        scale_factor: f64,
    ) -> Result<Self, &'static str> {
        Self::build(ellipsoid, latitude_of_origin_deg, [latitude_of_origin_deg; 2], scale_factor)
    }

    /// Two standard parallels (degrees), in either order.
    ///
    /// # Errors
    /// What is wrong with the parallels: parallels on both sides of the equator at the same distance make no cone.
    pub fn two_standard_parallels(
        ellipsoid: &Ellipsoid,
        latitude_of_origin_deg: f64,
        standard_parallel_1_deg: f64,
        standard_parallel_2_deg: f64,
    ) -> Result<Self, &'static str> {
        Self::build(ellipsoid, latitude_of_origin_deg, [standard_parallel_1_deg, standard_parallel_2_deg], 1.0)
    }

    fn build(
        ellipsoid: &Ellipsoid,
        origin_deg: f64,
        parallels_deg: [f64; 2],
        scale_factor: f64,
    ) -> Result<Self, &'static str> {
        let e2 = ellipsoid.eccentricity_squared();
        let [(psi1, m1, sin1), (psi2, m2, _)] = parallels_deg.map(|deg| {
            let (s, c) = deg.to_radians().sin_cos();
            (isometric(s, c, e2), c / (1.0 - e2 * s * s).sqrt(), s)
        });
        if parallels_deg.iter().any(|p| p.abs() >= 90.0) {
            return Err("is at a pole");
        }
        let n = if (parallels_deg[0] - parallels_deg[1]).abs() < 1e-10 { sin1 } else { (m1 / m2).ln() / (psi2 - psi1) };
        if n.abs() < 1e-10 {
            return Err("makes no cone (symmetric about the equator)");
        }
        let equator_radius_m = ellipsoid.semi_major_m * scale_factor * m1 * (n * psi1).exp() / n;
        let (s, c) = origin_deg.to_radians().sin_cos();
        let origin_radius_m =
            if origin_deg.abs() == 90.0 { 0.0 } else { equator_radius_m * (-n * isometric(s, c, e2)).exp() };
        Ok(LambertConformalConic {
            conformal: AuxiliaryLatitude::conformal(ellipsoid.third_flattening()),
            n,
            equator_radius_m,
            origin_radius_m,
            turn: 0.0,
            east: 1.0,
        })
    }
}

impl Method for LambertConformalConic {
    const ABOUT: About = About {
        names: &[
            "Lambert Conic Conformal (1SP)",
            "Lambert Conic Conformal (2SP)",
            "Lambert Conic Conformal (West Orientated)",
            "Lambert Conic Conformal (2SP Belgium)",
            "Lambert Conic Conformal (2SP Michigan)",
            "Lambert_Conformal_Conic_1SP",
            "Lambert_Conformal_Conic_2SP",
            "Lambert_Conformal_Conic_2SP_Belgium",
            "Lambert_Conformal_Conic_2SP_Michigan",
            "Lambert_Conformal_Conic",
        ],
        domain: "everywhere but the pole away from the apex; within half a turn of the cone",
        source: "IOGP Guidance Note 373-7-2, section 3.1.1",
    };

    const IN_VECTORS: InVectors = InVectors { forward: true, inverse: false };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let origin_deg = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?.to_degrees();
        let two = given.optional(Parameter::StandardParallel2)?.is_some();
        if !two && given.is("2sp") {
            given.need(Parameter::StandardParallel2)?;
        }
        let built = if two {
            let first = given.latitude(Parameter::StandardParallel1)?.to_degrees();
            let second = given.latitude(Parameter::StandardParallel2)?.to_degrees();
            let mut ellipsoid = given.ellipsoid.clone();
            if let Some(factor) = given.optional(Parameter::EllipsoidScaling)? {
                ellipsoid.semi_major_m *= factor;
            }
            // A scale factor beside two parallels occurs in definitions; it multiplies.
            Self::build(&ellipsoid, origin_deg, [first, second], given.scale()?)
                .map_err(|p| given.problem(Parameter::StandardParallel1, p))
        } else {
            let parallel = match given.optional(Parameter::StandardParallel1)? {
                Some(_) => given.latitude(Parameter::StandardParallel1)?.to_degrees(),
                None => given.latitude(Parameter::LatitudeOfOrigin)?.to_degrees(),
            };
            Self::build(given.ellipsoid, origin_deg, [parallel; 2], given.scale()?)
                .map_err(|p| given.problem(Parameter::LatitudeOfOrigin, p))
        };
        let mut projection = built?;
        if given.is("belgium") {
            projection.turn = -BELGIAN_TURN;
        }
        if given.is("westorientated") {
            projection.east = -1.0;
        }
        Ok(projection)
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let theta = self.n * lambda + self.turn;
        let (s, c) = sin_cos(phi);
        let (sin_chi, cos_chi) = self.conformal.sin_cos(s, c);
        let radius = if phi.abs() >= FRAC_PI_2 {
            // The apex, or the pole that is infinitely far.
            if (phi > 0.0) == (self.n > 0.0) { 0.0 } else { f64::NAN }
        } else {
            self.equator_radius_m * (-self.n * isometric_of_conformal(sin_chi, cos_chi)).exp()
        };
        let (sin, cos) = sin_cos(theta);
        (self.east * radius * sin, self.origin_radius_m - radius * cos)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let sign = 1.0_f64.copysign(self.n);
        let x = sign * self.east * x;
        let y = sign * (self.origin_radius_m - y);
        let radius = sign * (x * x + y * y).sqrt();
        if radius == 0.0 {
            return (0.0, FRAC_PI_2 * sign);
        }
        // Beyond half a turn the plane has no longitude: the gap of the unrolled cone.
        let lambda = within_half_turn((x.atan2(y) - self.turn) / self.n);
        let (sin_chi, cos_chi) = conformal_of_isometric(-(radius / self.equator_radius_m).ln() / self.n);
        (lambda, self.conformal.geodetic(atan2_right(sin_chi, cos_chi), sin_chi, cos_chi))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cone_needs_its_parallels_on_one_side() {
        let e = Ellipsoid::wgs84();
        assert!(LambertConformalConic::two_standard_parallels(&e, 0.0, 30.0, -30.0).is_err());
        assert!(LambertConformalConic::one_standard_parallel(&e, 0.0, 1.0).is_err());
        assert!(LambertConformalConic::two_standard_parallels(&e, 0.0, 30.0, 90.0).is_err());
    }

    #[test]
    fn the_other_pole_and_the_gap_have_no_numbers() {
        let cone = LambertConformalConic::two_standard_parallels(&Ellipsoid::wgs84(), 45.0, 33.0, 45.0).unwrap();
        let p = crate::projection::Framed::new(cone, 0.0, 0.0, 0.0);
        assert_eq!(p.forward(0.0, -90.0), None);
        assert_eq!(p.forward(0.0, 95.0), None);
        assert_eq!(p.forward(f64::NAN, 5.0), None);
        assert!(p.forward(0.0, 90.0).is_some());
        let apex = p.forward(0.0, 90.0).unwrap().1;
        assert_eq!(p.inverse(0.0, apex + 1e6), None, "straight above the apex is the gap");
    }

    #[test]
    fn order_of_parallels_does_not_matter() {
        let e = Ellipsoid::wgs84();
        let a = LambertConformalConic::two_standard_parallels(&e, 43.0, 44.0, 46.0).unwrap().forward(-0.04, 0.8);
        let b = LambertConformalConic::two_standard_parallels(&e, 43.0, 46.0, 44.0).unwrap().forward(-0.04, 0.8);
        assert!((a.0 - b.0).abs() < 1e-8 && (a.1 - b.1).abs() < 1e-8);
    }
}
