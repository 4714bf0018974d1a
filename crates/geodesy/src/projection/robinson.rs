//! Robinson, a compromise defined by a table of every fifth parallel.
//!
//! Robinson left the interpolation open. Here both columns are natural cubic splines through the table (even in φ for
//! the lengths, odd for the distances): smooth everywhere, exact at the table's parallels. Another
//! interpolation differs between the parallels by up to some hundred metres. The formulas are those of a sphere with the
//! semi-major axis as radius.

use super::newton::root;
use super::{About, Given, Method, Problem, within_half_turn};

/// The Robinson projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Robinson {
    r: f64,
    lengths: Spline,
    distances: Spline,
}

/// Lengths of the parallels and their distances from the equator, every 5° from 0° to 90°.
const LENGTHS: [f64; 19] = [
    1.0, 0.9986, 0.9954, 0.9900, 0.9822, 0.9730, 0.9600, 0.9427, 0.9216, 0.8962, 0.8679, 0.8350, 0.7986, 0.7597,
    0.7186, 0.6732, 0.6213, 0.5722, 0.5322,
];
const DISTANCES: [f64; 19] = [
    0.0, 0.0620, 0.1240, 0.1860, 0.2480, 0.3100, 0.3720, 0.4340, 0.4958, 0.5571, 0.6176, 0.6769, 0.7346, 0.7903,
    0.8435, 0.8936, 0.9394, 0.9761, 1.0,
];

/// A natural cubic spline over −90°…90° with knots every 5°.
#[derive(Debug, Clone, PartialEq)]
struct Spline {
    values: [f64; 37],
    /// Second derivatives by steps of 5°.
    bends: [f64; 37],
}

impl Spline {
    fn new(half: &[f64; 19], odd: bool) -> Self {
        let values: [f64; 37] = std::array::from_fn(|i| {
            if i >= 18 {
                half[i - 18]
            } else if odd {
                -half[18 - i]
            } else {
                half[18 - i]
            }
        });
        // Thomas' algorithm for b[i−1] + 4b[i] + b[i+1] = 6·second difference, b = 0 at both ends.
        let (mut upper, mut right) = ([0.0; 37], [0.0; 37]);
        for i in 1..36 {
            let d = 6.0 * (values[i - 1] - 2.0 * values[i] + values[i + 1]);
            let pivot = 4.0 - upper[i - 1];
            upper[i] = 1.0 / pivot;
            right[i] = (d - right[i - 1]) / pivot;
        }
        let mut bends = [0.0; 37];
        for i in (1..36).rev() {
            bends[i] = right[i] - upper[i] * bends[i + 1];
        }
        Spline { values, bends }
    }

    /// Value and derivative by radians.
    fn at(&self, phi: f64) -> (f64, f64) {
        let step = 5f64.to_radians();
        let t = phi / step + 18.0;
        let i = (t.floor() as usize).min(35);
        let (b, a) = (t - i as f64, 1.0 - (t - i as f64));
        let (y0, y1, m0, m1) = (self.values[i], self.values[i + 1], self.bends[i], self.bends[i + 1]);
        (
            a * y0 + b * y1 + ((a * a * a - a) * m0 + (b * b * b - b) * m1) / 6.0,
            (y1 - y0 + ((1.0 - 3.0 * a * a) * m0 + (3.0 * b * b - 1.0) * m1) / 6.0) / step,
        )
    }
}

impl Method for Robinson {
    const ABOUT: About = About {
        names: &["Robinson"],
        domain: "the whole sphere",
        source: "Snyder and Voxland, USGS Professional Paper 1453, page 222 (table); cubic splines between the parallels",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(Robinson {
            r: given.ellipsoid.semi_major_m,
            lengths: Spline::new(&LENGTHS, false),
            distances: Spline::new(&DISTANCES, true),
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        (0.8487 * self.r * self.lengths.at(phi).0 * lambda, 1.3523 * self.r * self.distances.at(phi).0)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let wanted = y / (1.3523 * self.r);
        if !(wanted.abs() <= 1.0 + 1e-14) {
            return (f64::NAN, f64::NAN);
        }
        let limit = std::f64::consts::FRAC_PI_2;
        let phi = root(
            |p| {
                let (v, s) = self.distances.at(p);
                (v - wanted, s)
            },
            -limit,
            limit,
        );
        (within_half_turn(x / (0.8487 * self.r * self.lengths.at(phi).0)), phi)
    }
}
