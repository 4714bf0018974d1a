//! Hammer: the equatorial azimuthal equal-area map of half the longitude, stretched to the world. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem};
use std::f64::consts::{PI, SQRT_2};

/// The Hammer projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Hammer {
    r: f64,
}

impl Method for Hammer {
    const ABOUT: About = About {
        names: &["Hammer", "Hammer_Aitoff"],
        domain: "the whole sphere",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 232",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(Hammer { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let ((s, c), (sl, cl)) = (phi.sin_cos(), (lambda / 2.0).sin_cos());
        let k = self.r * SQRT_2 / (1.0 + c * cl).sqrt();
        (2.0 * k * c * sl, k * s)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = (x / (2.0 * self.r), y / self.r);
        // Half the chord; the outline is the circle √2 of the half map.
        let q = (x * x + y * y) / 4.0;
        if !(q <= 0.5 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let k = (1.0 - q).sqrt();
        let sin_phi = y * k;
        let (east, ahead) = (x * k, 1.0 - 2.0 * q);
        let phi = sin_phi.atan2(east.hypot(ahead));
        let lambda = 2.0 * east.atan2(ahead.max(0.0));
        (if east.hypot(ahead) < 1e-14 { 0.0 } else { lambda.clamp(-PI, PI) }, phi)
    }
}
