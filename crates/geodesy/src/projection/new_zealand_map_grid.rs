//! New Zealand map grid (EPSG method 9811): a complex polynomial of sixth order, made for one country.

use super::newton::root;
use super::{About, Given, Method, Parameter, Problem};

/// The grid of New Zealand until 2001.
#[derive(Debug, Clone, PartialEq)]
pub struct NewZealandMapGrid {
    a: f64,
    phi0: f64,
}

/// Isometric latitude from the latitude in units of 100,000″.
const A: [f64; 10] = [
    0.639_917_507_3,
    -0.135_879_761_3,
    0.063_294_409,
    -0.025_268_53,
    0.011_787_9,
    -0.005_516_1,
    0.002_690_6,
    -0.001_333,
    0.000_67,
    -0.000_34,
];

/// The map from the isometric latitude and longitude.
const B: [(f64, f64); 6] = [
    (0.755_785_322_8, 0.0),
    (0.249_204_646, 0.003_371_507),
    (-0.001_541_739, 0.041_058_560),
    (-0.101_629_07, 0.017_276_09),
    (-0.266_234_89, -0.362_492_18),
    (-0.687_098_3, -1.165_196_7),
];

/// Radians to units of 100,000 seconds of arc.
const SECONDS: f64 = 180.0 / std::f64::consts::PI * 3600.0 * 1e-5;

fn times(a: (f64, f64), b: (f64, f64)) -> (f64, f64) {
    (a.0 * b.0 - a.1 * b.1, a.0 * b.1 + a.1 * b.0)
}

/// Σ Bₖθᵏ and its derivative.
fn polynomial(theta: (f64, f64)) -> ((f64, f64), (f64, f64)) {
    let (mut value, mut slope) = ((0.0, 0.0), (0.0, 0.0));
    for k in (0..6).rev() {
        slope = times(slope, theta);
        slope = (slope.0 + (k + 1) as f64 * B[k].0, slope.1 + (k + 1) as f64 * B[k].1);
        value = times((value.0 + B[k].0, value.1 + B[k].1), theta);
    }
    (value, slope)
}

fn isometric(d: f64) -> (f64, f64) {
    let value = A.iter().rev().fold(0.0, |sum, c| (sum + c) * d);
    let slope = A.iter().enumerate().rev().fold(0.0, |sum, (k, c)| sum * d + (k + 1) as f64 * c);
    (value, slope)
}

/// Latitudes within 10° and longitudes within 10° of the origin: the country lies within 8°.
fn inside(lambda: f64, phi_from_origin: f64) -> bool {
    lambda.abs() <= 10f64.to_radians() && phi_from_origin.abs() <= 10f64.to_radians()
}

impl Method for NewZealandMapGrid {
    const ABOUT: About = About {
        names: &["New Zealand Map Grid", "New_Zealand_Map_Grid"],
        domain: "within 10° of latitude and longitude of its origin",
        source: "Land Information New Zealand, LINZS25002; Reilly (1973)",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        Ok(NewZealandMapGrid { a: given.ellipsoid.semi_major_m, phi0: given.latitude(Parameter::LatitudeOfOrigin)? })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        if !inside(lambda, phi - self.phi0) {
            return (f64::NAN, f64::NAN);
        }
        let (psi, _) = isometric((phi - self.phi0) * SECONDS);
        let (z, _) = polynomial((psi, lambda));
        (self.a * z.1, self.a * z.0)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let z = (y / self.a, x / self.a);
        let mut theta = times(z, (1.0 / B[0].0, 0.0));
        for _ in 0..30 {
            let (value, slope) = polynomial(theta);
            let miss = (value.0 - z.0, value.1 - z.1);
            let m = slope.0 * slope.0 + slope.1 * slope.1;
            let step = times(miss, (slope.0 / m, -slope.1 / m));
            theta = (theta.0 - step.0, theta.1 - step.1);
            if step.0.hypot(step.1) < 1e-17 {
                break;
            }
        }
        // 10° are 0.36 units.
        let d = root(
            |d| {
                let (v, s) = isometric(d);
                (v - theta.0, s)
            },
            -0.4,
            0.4,
        );
        let phi = self.phi0 + d / SECONDS;
        let (value, _) = polynomial(theta);
        let hit = (value.0 - z.0).hypot(value.1 - z.1) < 1e-14;
        if hit && inside(theta.1, phi - self.phi0) { (theta.1, phi) } else { (f64::NAN, f64::NAN) }
    }
}
