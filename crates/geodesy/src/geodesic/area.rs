//! Areas and perimeters of polygons whose edges are geodesics.
//!
//! The area between an edge and the equator is S(σ₂) − S(σ₁), Karney (2013), equations 58 and 59. The integral
//! I₄ (equation 60) is taken by Gaussian quadrature: its integrand is smooth, so sixteen nodes reach machine
//! precision and no table of coefficients is needed.

use super::Geodesic;
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
        let line = g.inverse(lon1, lat1, lon2, lat2);
        perimeter += line.distance_m;
        // Kahan's summation: millions of slim edges lose nothing.
        let term = under(&g, lon1, lat1, lon2, lat2, line.azimuth_deg, line.final_azimuth_deg) - lost;
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

fn authalic_radius_squared(g: &Geodesic) -> f64 {
    let ratio = if g.e2 == 0.0 { 1.0 } else { g.e2.sqrt().atanh() / g.e2.sqrt() };
    (g.a * g.a + g.b * g.b * ratio) / 2.0
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
fn under(g: &Geodesic, lon1: f64, lat1: f64, lon2: f64, lat2: f64, az1: f64, az2: f64) -> f64 {
    let (salp1, calp1) = super::sin_cos_deg(az1);
    let (salp2, calp2) = super::sin_cos_deg(az2);
    let reduced = |lat: f64| {
        let (s, c) = super::sin_cos_deg(lat);
        super::unit(g.f1 * s, c)
    };
    let ((sbet1, cbet1), (sbet2, cbet2)) = (reduced(lat1), reduced(lat2));
    let salp0 = salp1 * cbet1;
    let calp0 = calp1.hypot(salp1 * sbet1);
    let c2 = authalic_radius_squared(g);
    let mut ellipsoidal = 0.0;
    if salp0 != 0.0 && calp0 != 0.0 {
        let k2 = calp0 * calp0 * g.ep2;
        let (s1, s2) = ((sbet1).atan2(cbet1 * calp1), (sbet2).atan2(cbet2 * calp2));
        // σ grows along the line, by less than half a turn and a little.
        let s2 = if s2 < s1 - 1e-9 { s2 + std::f64::consts::TAU } else { s2 };
        ellipsoidal = g.e2 * g.a * g.a * calp0 * salp0 * i4(g.ep2, k2, s1, s2);
    }
    // The spherical excess α₂ − α₁, from the azimuths or, for edges that are short in longitude, from the latitudes.
    let omg12 = wrap_deg(lon2 - lon1).to_radians();
    let meridian = salp0.abs() < 1e-14;
    let alp12 = if !meridian && omg12.cos() > -std::f64::consts::FRAC_1_SQRT_2 && sbet2 - sbet1 < 1.75 {
        // tan(α₁₂/2) with reduced latitudes needs the longitude on the auxiliary sphere.
        let (s1, s2) = ((salp0 * sbet1).atan2(cbet1 * calp1), (salp0 * sbet2).atan2(cbet2 * calp2));
        let omega = wrap_deg((s2 - s1).to_degrees()).to_radians();
        let (somg, domg) = (omega.sin(), 1.0 + omega.cos());
        let (dbet1, dbet2) = (1.0 + cbet1, 1.0 + cbet2);
        2.0 * (somg * (sbet1 * dbet2 + sbet2 * dbet1)).atan2(domg * (sbet1 * sbet2 + dbet1 * dbet2))
    } else {
        let (s, c) = (salp2 * calp1 - calp2 * salp1, calp2 * calp1 + salp2 * salp1);
        if s == 0.0 && c < 0.0 { std::f64::consts::PI.copysign(omg12) } else { s.atan2(c) }
    };
    c2 * alp12 + ellipsoidal
}

/// ∫ of equation 60 between two arcs.
fn i4(ep2: f64, k2: f64, s1: f64, s2: f64) -> f64 {
    let (middle, half) = ((s1 + s2) / 2.0, (s2 - s1) / 2.0);
    let mut sum = 0.0;
    for &(node, weight) in &GAUSS_16 {
        for x in [middle - half * node, middle + half * node] {
            let s = x.sin();
            sum += weight * divided_difference(ep2, k2 * s * s) * s;
        }
    }
    -0.5 * half * sum
}

/// [t(x) − t(y)]/(x − y) with t(x) = x + √(1+x)·asinh(√x)/√x, as a power series: both are below 0.01.
fn divided_difference(x: f64, y: f64) -> f64 {
    // √(1+x)·asinh(√x)/√x = Σ gₖxᵏ with gₖ = (−1)ᵏ(aₖ − aₖ₋₁), aₖ = aₖ₋₁·2k/(2k+1).
    let (mut sum, mut a, mut sign) = (1.0, 1.0, -1.0);
    let (mut power, mut y_power) = (1.0, 1.0);
    for k in 1..12 {
        let before = a;
        a *= 2.0 * f64::from(k) / (2.0 * f64::from(k) + 1.0);
        sum += sign * (a - before) * power;
        sign = -sign;
        // Σ xⁱ yᵏ⁻¹⁻ⁱ grows by one power a round.
        y_power *= y;
        power = power * x + y_power;
    }
    sum
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
