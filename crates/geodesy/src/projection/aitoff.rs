//! Aitoff: the equatorial azimuthal equidistant map of half the longitude, stretched to the world. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem};
use std::f64::consts::{FRAC_PI_2, PI};

/// The Aitoff projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Aitoff {
    r: f64,
}

/// α/sin α for the arc α from the centre of the half map, with the components of its end.
pub(super) fn stretch(lambda: f64, phi: f64) -> (f64, f64, f64) {
    let ((s, c), (sl, cl)) = (phi.sin_cos(), (lambda / 2.0).sin_cos());
    let sine = (c * sl).hypot(s);
    let ratio = if sine < 1e-9 { 1.0 } else { sine.atan2(c * cl) / sine };
    (ratio, c * sl, s)
}

impl Method for Aitoff {
    const ABOUT: About = About {
        names: &["Aitoff"],
        domain: "the whole sphere",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 233",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(Aitoff { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (ratio, east, north) = stretch(lambda, phi);
        (2.0 * self.r * ratio * east, self.r * ratio * north)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = (x / (2.0 * self.r), y / self.r);
        let arc = x.hypot(y);
        if !(arc <= FRAC_PI_2 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        if arc == 0.0 {
            return (0.0, 0.0);
        }
        let (s, c) = arc.sin_cos();
        let (east, north) = (x * s / arc, y * s / arc);
        let ahead = c.max(0.0);
        (
            if east.hypot(ahead) < 1e-14 { 0.0 } else { (2.0 * east.atan2(ahead)).clamp(-PI, PI) },
            north.atan2(east.hypot(ahead)),
        )
    }
}
