//! Winkel tripel: the mean of Aitoff and equidistant cylindrical. The formulas are those of a sphere with the
//! semi-major axis as radius; the standard parallel is acos(2/π) unless another is given.

use super::newton::invert;
use super::{About, Given, Method, Parameter, Problem, aitoff};
use std::f64::consts::{FRAC_2_PI, FRAC_PI_2, PI};

/// The Winkel tripel projection.
#[derive(Debug, Clone, PartialEq)]
pub struct WinkelTripel {
    r: f64,
    cos1: f64,
}

impl Method for WinkelTripel {
    const ABOUT: About = About {
        names: &["Winkel Tripel", "Winkel_Tripel"],
        domain: "the whole sphere",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 233",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let cos1 = match given.optional(Parameter::StandardParallel1)? {
            Some(_) => given.latitude(Parameter::StandardParallel1)?.cos(),
            None => FRAC_2_PI,
        };
        Ok(WinkelTripel { r: given.ellipsoid.semi_major_m, cos1 })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (ratio, east, north) = aitoff::stretch(lambda, phi);
        (self.r * (lambda * self.cos1 / 2.0 + ratio * east), self.r * (phi + ratio * north) / 2.0)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let phi = (y / self.r).clamp(-FRAC_PI_2, FRAC_PI_2);
        let lambda = (x / self.r / (self.cos1 / 2.0 + phi.cos().max(0.3) / 2.0)).clamp(-PI, PI);
        invert(|l, p| self.forward(l, p), (lambda * 0.9, phi * 0.95), x, y, self.r)
    }
}
