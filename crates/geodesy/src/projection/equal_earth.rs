//! Equal Earth (EPSG method 1078), an equal-area map of the world, on the authalic sphere of the ellipsoid.

use super::newton::root;
use super::{About, Given, Method, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, authalic_q};

/// The Equal Earth projection.
#[derive(Debug, Clone, PartialEq)]
pub struct EqualEarth {
    authalic: AuxiliaryLatitude,
    rq: f64,
}

const A: [f64; 4] = [1.340_264, -0.081_106, 0.000_893, 0.003_796];
/// Half the square root of three.
const M: f64 = 0.866_025_403_784_438_6;

/// The polynomial of the parallels and its derivative.
fn distance(theta: f64) -> (f64, f64) {
    let t2 = theta * theta;
    let t6 = t2 * t2 * t2;
    (theta * (A[0] + A[1] * t2 + t6 * (A[2] + A[3] * t2)), A[0] + 3.0 * A[1] * t2 + t6 * (7.0 * A[2] + 9.0 * A[3] * t2))
}

impl Method for EqualEarth {
    const ABOUT: About = About {
        names: &["Equal Earth", "Equal_Earth"],
        domain: "everywhere",
        source: "Šavrič, Patterson, Jenny (2018), The Equal Earth map projection; IOGP Guidance Note 373-7-2, section 3.4.4",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        Ok(EqualEarth {
            authalic: AuxiliaryLatitude::authalic(e2),
            rq: given.ellipsoid.semi_major_m * (authalic_q(1.0, e2) / 2.0).sqrt(),
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (sin_beta, _) = self.authalic.sin_cos(phi.sin(), phi.cos());
        let theta = (M * sin_beta).asin();
        let (y, slope) = distance(theta);
        (self.rq * lambda * theta.cos() / (M * slope), self.rq * y)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let y = y / self.rq;
        let limit = std::f64::consts::FRAC_PI_3;
        if !(y.abs() <= distance(limit).0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let theta = root(
            |t| {
                let (v, s) = distance(t);
                (v - y, s)
            },
            -limit,
            limit,
        );
        let (s, c) = theta.sin_cos();
        let sin_beta = (s / M).clamp(-1.0, 1.0);
        let cos_beta = (1.0 - sin_beta * sin_beta).sqrt();
        let lambda = x / self.rq * M * distance(theta).1 / c;
        (within_half_turn(lambda), self.authalic.geodetic(sin_beta.atan2(cos_beta), sin_beta, cos_beta))
    }
}
