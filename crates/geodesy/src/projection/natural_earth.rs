//! Natural Earth, a pseudocylindrical compromise for world maps. The formulas are those of a sphere with the semi-major axis as radius; geodetic
//! latitudes are taken as they are.

use super::{About, Given, Method, Problem, newton::root, within_half_turn};

/// The Natural Earth projection.
#[derive(Debug, Clone, PartialEq)]
pub struct NaturalEarth {
    r: f64,
}

/// Length of the parallels and its polynomial in φ².
fn length(phi: f64) -> f64 {
    let p2 = phi * phi;
    let p4 = p2 * p2;
    0.8707 + p2 * -0.131_979 + p4 * (-0.013_791 + p4 * p2 * (0.003_971 - 0.001_529 * p2))
}

/// Distance of the parallels from the equator, and its derivative.
fn distance(phi: f64) -> (f64, f64) {
    let p2 = phi * phi;
    let p6 = p2 * p2 * p2;
    (
        phi * (1.007_226 + p2 * 0.015_085 + p6 * (-0.044_475 + 0.028_874 * p2 - 0.005_916 * p2 * p2)),
        1.007_226 + p2 * 0.045_255 + p6 * (-0.311_325 + 0.259_866 * p2 - 0.065_076 * p2 * p2),
    )
}

impl Method for NaturalEarth {
    const ABOUT: About = About {
        names: &["Natural Earth", "Natural_Earth"],
        domain: "the whole sphere",
        source: "Šavrič, Jenny, Patterson, Petrovič, Hurni (2011), A polynomial equation for the Natural Earth projection",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(NaturalEarth { r: given.ellipsoid.semi_major_m })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        (self.r * lambda * length(phi), self.r * distance(phi).0)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let y = y / self.r;
        let limit = distance(std::f64::consts::FRAC_PI_2).0;
        if !(y.abs() <= limit + 1e-13) {
            return (f64::NAN, f64::NAN);
        }
        let phi = root(
            |p| {
                let (v, s) = distance(p);
                (v - y, s)
            },
            -std::f64::consts::FRAC_PI_2,
            std::f64::consts::FRAC_PI_2,
        );
        (within_half_turn(x / (self.r * length(phi))), phi)
    }
}
