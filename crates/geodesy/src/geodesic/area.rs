//! Areas and perimeters of polygons whose edges are geodesics.
//!
//! The area between an edge and the equator, from the mathematics: a zone up to the reduced latitude β has per radian of
//! longitude the area b a G(u), u = sin β, G(u) = ∫₀ᵘ w dv, w(v) = √(1 + e′²v²), and along a geodesic dλ = (b/a) w dω,
//! dω = sin α₀ dσ/(1 − u²). So the area is b² sin α₀ ∫ G w/(1 − u²) dσ. With C = G(1) w(1) the integrand is split into
//! C u/(1 − u²), whose integral is the change of azimuth on the sphere, and a rest (G w − C u)/(1 − u²) without a pole: a
//! power series in u² times u, of which each term loses the factor e′². Over cos σ the rest is a polynomial, which Gaussian
//! quadrature takes exactly. b² C is the square of the authalic radius.

use super::Geodesic;
use super::great_circle::Latitude;
use super::inverse::{self, Solved};
use crate::ellipsoid::Ellipsoid;
use crate::projection::wrap_deg;

/// Area and perimeter of a ring.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measure {
    /// Area, square metres; positive where the ring runs counter-clockwise.
    pub area_m2: f64,
    /// Length of the ring, metres.
    pub perimeter_m: f64,
}

/// The ring through these positions (degrees); the last is joined to the first, which may be repeated.
///
/// A ring around a pole is measured as the smaller or counter-clockwise part: the area is within ± half the
/// ellipsoid.
///
/// ```
/// use basilocus_geodesy::{ellipsoid::Ellipsoid, geodesic::area};
/// // An octant: an eighth of the surface of the ellipsoid.
/// let octant = area::ring(&Ellipsoid::wgs84(), &[(0.0, 0.0), (90.0, 0.0), (0.0, 90.0)]);
/// assert!((octant.area_m2 - 510_065_621_724_088.4 / 8.0).abs() < 1.0);
/// ```
pub fn ring(ellipsoid: &Ellipsoid, points: &[(f64, f64)]) -> Measure {
    let g = Geodesic::new(ellipsoid);
    let (mut area, mut lost, mut perimeter, mut crossings) = (0.0, 0.0, 0.0, 0i32);
    for (i, &(lon1, lat1)) in points.iter().enumerate() {
        let (lon2, lat2) = points[(i + 1) % points.len()];
        let line = inverse::solve(&g, [lon1, lat1], [lon2, lat2]);
        perimeter += line.distance_m;
        // Kahan's summation: millions of slim edges lose nothing.
        let term = under(&g, &line, lat1, lat2) - lost;
        let sum: f64 = area + term;
        lost = (sum - area) - term;
        area = sum;
        crossings += crossing(lon1, lon2);
    }
    let whole = surface_m2(&g);
    // Edges are counted west to east as positive, a counter-clockwise ring therefore as negative.
    let mut area = -area;
    if crossings % 2 != 0 {
        area += if area < 0.0 { whole / 2.0 } else { -whole / 2.0 };
    }
    if area > whole / 2.0 {
        area -= whole;
    } else if area <= -whole / 2.0 {
        area += whole;
    }
    Measure { area_m2: area + 0.0, perimeter_m: perimeter }
}

/// Length of a path through these positions (degrees), metres.
pub fn path_length_m(ellipsoid: &Ellipsoid, points: &[(f64, f64)]) -> f64 {
    let g = Geodesic::new(ellipsoid);
    points.windows(2).map(|w| g.inverse(w[0].0, w[0].1, w[1].0, w[1].1).distance_m).sum()
}

/// Surface of the whole ellipsoid, square metres.
pub fn surface_m2(g: &Geodesic) -> f64 {
    4.0 * std::f64::consts::PI * authalic_radius_squared(g)
}

/// Square of the radius of the sphere with the same surface.
fn authalic_radius_squared(g: &Geodesic) -> f64 {
    g.semi_minor_m * g.semi_minor_m * g.zones.at_pole
}

/// Terms of the power series: e′² to this power is far below a rounding error.
const TERMS: usize = 8;

/// The areas of zones of one ellipsoid, in squared semi-minor axes.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Zones {
    /// G w at the pole.
    at_pole: f64,
    /// The rest (G w − C u)/(1 − u²) as −u Σ tⱼ u²ʲ.
    rest: [f64; TERMS],
}

impl Zones {
    pub(super) fn new(second_eccentricity_squared: f64) -> Self {
        // w² and G w/u as power series of u²: w = Σ gₖ, G/u = Σ gₖ/(2k + 1) with gₖ the binomial series of the root.
        let mut root = [0.0; TERMS + 1];
        let mut term = 1.0;
        for (k, slot) in root.iter_mut().enumerate() {
            *slot = term;
            term *= second_eccentricity_squared * (0.5 - k as f64) / (k as f64 + 1.0);
        }
        let product = |k: usize| -> f64 { (0..=k).map(|i| root[k - i] * root[i] / (2 * i + 1) as f64).sum() };
        let powers: [f64; TERMS + 1] = std::array::from_fn(product);
        // p(1) − p(v) = (1 − v) Σ vʲ Σ_{k>j} pₖ: what is left of the sum behind each power.
        let rest = std::array::from_fn(|j| powers[j + 1..].iter().rev().sum());
        Zones { at_pole: powers.iter().rev().sum(), rest }
    }

    /// Σ tⱼ vʲ.
    fn rest(&self, v: f64) -> f64 {
        self.rest.iter().rev().fold(0.0, |sum, t| sum * v + t)
    }
}

/// Whether an edge crosses the prime meridian: 1 eastwards, −1 westwards. An odd sum means a pole is inside.
fn crossing(lon1: f64, lon2: f64) -> i32 {
    let (a, b) = (wrap_deg(lon1), wrap_deg(lon2));
    let step = wrap_deg(b - a);
    if a < 0.0 && b >= 0.0 && step > 0.0 {
        1
    } else if b < 0.0 && a >= 0.0 && step < 0.0 {
        -1
    } else {
        0
    }
}

/// Area between an edge and the equator.
fn under(g: &Geodesic, line: &Solved, lat1: f64, lat2: f64) -> f64 {
    let circle = &line.circle;
    let b2 = g.semi_minor_m * g.semi_minor_m;
    // Over the cosine of the arc, whose change is −2 sin(mean arc) sin(half the arc).
    let middle = circle.arc + line.arc / 2.0;
    let half_change = -middle.sin() * (line.arc / 2.0).sin();
    let mean = middle.cos() * (line.arc / 2.0).cos();
    let steepness = circle.cos_equator * circle.cos_equator;
    let rest = |cos: f64| g.zones.rest(steepness * (1.0 - cos) * (1.0 + cos));
    let sum: f64 = GAUSS_16
        .iter()
        .map(|(node, weight)| weight * (rest(mean - half_change * node) + rest(mean + half_change * node)))
        .sum();
    b2 * (g.zones.at_pole * excess(g, line, lat1, lat2) + circle.sin_equator * circle.cos_equator * half_change * sum)
}

/// The change of azimuth on the auxiliary sphere, which is the area between the great circle and its equator.
fn excess(g: &Geodesic, line: &Solved, lat1: f64, lat2: f64) -> f64 {
    let (from, to) = (Latitude::reduced(g, lat1), Latitude::reduced(g, lat2));
    if line.longitude.cos() > -0.7 && to.sin - from.sin < 1.75 {
        // tan E/2 = tan ω/2 · (t₁ + t₂)/(1 + t₁t₂) with t = tan β/2: no digit is lost on short edges.
        let (sin, one_and_cos) = (line.longitude.sin(), 1.0 + line.longitude.cos());
        let (d1, d2) = (1.0 + from.cos, 1.0 + to.cos);
        return 2.0 * (sin * (from.sin * d2 + to.sin * d1)).atan2(one_and_cos * (from.sin * to.sin + d1 * d2));
    }
    let [(sin1, cos1), (sin2, cos2)] = line.azimuths;
    let (sin, cos) = (sin2 * cos1 - cos2 * sin1, cos2 * cos1 + sin2 * sin1);
    // Over a pole: half a turn, in the direction of the longitude.
    if sin == 0.0 && cos < 0.0 { std::f64::consts::PI.copysign(line.longitude) } else { sin.atan2(cos) }
}

/// Nodes and weights of Gauss-Legendre quadrature with 16 points, positive half
/// (Abramowitz and Stegun, Handbook of Mathematical Functions, table 25.4).
pub(crate) const GAUSS_16: [(f64, f64); 8] = [
    (0.095_012_509_837_637_44, 0.189_450_610_455_068_5),
    (0.281_603_550_779_258_9, 0.182_603_415_044_923_58),
    (0.458_016_777_657_227_4, 0.169_156_519_395_002_54),
    (0.617_876_244_402_643_7, 0.149_595_988_816_576_73),
    (0.755_404_408_355_003, 0.124_628_971_255_533_87),
    (0.865_631_202_387_831_7, 0.095_158_511_682_492_78),
    (0.944_575_023_073_232_6, 0.062_253_523_938_647_89),
    (0.989_400_934_991_649_9, 0.027_152_459_411_754_095),
];

#[cfg(test)]
mod tests {
    use super::*;
    use crate::latitude::{meridian_radius, normal_radius};

    #[test]
    fn small_fields_are_as_exact_as_large_ones() {
        let e = Ellipsoid::wgs84();
        // Between two meridians and two parallels, so near each other that the product of the radii in the middle is the
        // area but for its square.
        for size in [1e-2f64, 1e-3, 1e-4] {
            let (west, south): (f64, f64) = (-123.75, 46.25);
            let corners = [(west, south), (west + size, south), (west + size, south + size), (west, south + size)];
            // What the corners are once they are rounded.
            let (wide, high) = (corners[1].0 - west, corners[2].1 - south);
            let sin = (south + high / 2.0).to_radians().sin();
            let cos = (1.0 - sin * sin).sqrt();
            let product = meridian_radius(&e, sin) * normal_radius(&e, sin) * cos;
            let expected = product * wide.to_radians() * high.to_radians();
            for turned in [false, true] {
                let mut ring_of = corners.to_vec();
                if turned {
                    ring_of.reverse();
                }
                let area = ring(&e, &ring_of).area_m2.abs();
                assert!(
                    (area - expected).abs() < 2e-7 * expected.sqrt() + 1e-8 * expected,
                    "{size}: {area} {expected}"
                );
            }
        }
    }
}
