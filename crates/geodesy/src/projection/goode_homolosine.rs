//! Interrupted Goode homolosine: sinusoidal near the equator, Mollweide beyond 40°44′11.8″, in six lobes. The formulas
//! are those of a sphere with the semi-major axis as radius.

use super::{About, Given, Method, Problem, mollweide};
use std::f64::consts::{PI, SQRT_2};

/// The interrupted Goode homolosine projection.
#[derive(Debug, Clone, PartialEq)]
pub struct GoodeHomolosine {
    r: f64,
    /// The latitude where both maps have parallels of one length, and the northing that Mollweide's map loses there.
    fusion: f64,
    shift: f64,
}

/// Lobes: western limit, central meridian, eastern limit, degrees.
const NORTH: [(f64, f64, f64); 2] = [(-180.0, -100.0, -40.0), (-40.0, 30.0, 180.0)];
const SOUTH: [(f64, f64, f64); 4] =
    [(-180.0, -160.0, -100.0), (-100.0, -60.0, -20.0), (-20.0, 20.0, 80.0), (80.0, 140.0, 180.0)];

fn lobes(north: bool) -> &'static [(f64, f64, f64)] {
    if north { &NORTH } else { &SOUTH }
}

impl Method for GoodeHomolosine {
    const ABOUT: About = About {
        names: &["Interrupted Goode Homolosine", "Goode_Homolosine", "Interrupted_Goode_Homolosine"],
        domain: "the whole sphere; between the lobes the map is empty",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 221; Goode (1925)",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        // cos φ = (2√2/π) cos θ(φ): found by bisection, some 40°44′12″.
        let (mut low, mut high) = (0.6_f64, 0.8_f64);
        for _ in 0..60 {
            let middle = (low + high) / 2.0;
            let longer = middle.cos() > 2.0 * SQRT_2 / PI * mollweide::parametric(middle).cos();
            *(if longer { &mut low } else { &mut high }) = middle;
        }
        let fusion = (low + high) / 2.0;
        let shift = SQRT_2 * mollweide::parametric(fusion).sin() - fusion;
        Ok(GoodeHomolosine { r: given.ellipsoid.semi_major_m, fusion, shift })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let lon = lambda.to_degrees();
        let lobes = lobes(phi >= 0.0);
        let Some(lobe) = lobes.iter().find(|l| lon < l.2).or(lobes.last()) else { return (f64::NAN, f64::NAN) };
        let middle = lobe.1.to_radians();
        let (x, y) = if phi.abs() <= self.fusion {
            ((lambda - middle) * phi.cos(), phi)
        } else {
            let (s, c) = mollweide::parametric(phi).sin_cos();
            (2.0 * SQRT_2 / PI * (lambda - middle) * c, SQRT_2 * s - self.shift.copysign(phi))
        };
        (self.r * (middle + x), self.r * y)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = (x / self.r, y / self.r);
        let (phi, length) = if y.abs() <= self.fusion {
            (y, y.cos())
        } else {
            let s = (y + self.shift.copysign(y)) / SQRT_2;
            if !(s.abs() <= 1.0 + 1e-14) {
                return (f64::NAN, f64::NAN);
            }
            let s = s.clamp(-1.0, 1.0);
            let c = (1.0 - s * s).sqrt();
            (mollweide::latitude(s.atan2(c)), 2.0 * SQRT_2 / PI * c)
        };
        for (west, middle, east) in lobes(y >= 0.0) {
            let m = middle.to_radians();
            let from = if length < 1e-12 { x - m } else { (x - m) / length };
            let lambda = m + from;
            if lambda >= west.to_radians() - 1e-11 && lambda <= east.to_radians() + 1e-11 {
                return (lambda.clamp(-PI, PI), phi);
            }
        }
        (f64::NAN, f64::NAN)
    }
}
