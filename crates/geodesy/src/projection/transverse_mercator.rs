//! Transverse Mercator (EPSG method 9807) by the Krüger series to sixth order in the third flattening.
//!
//! L. Krüger, "Konforme Abbildung des Erdellipsoids in der Ebene", Potsdam 1912; coefficients to sixth order in
//! C. F. F. Karney, "Transverse Mercator with an accuracy of a few nanometers", J. Geodesy 85 (2011),
//! equations 35 and 36. The sums run by Clenshaw's scheme on the complex argument 2(ξ + iη).
//!
//! Domain: up to 90° of longitude and 50° of arc from the central meridian, where the series holds 1 µm and
//! better; beyond that no number is given.

use super::{About, Framed, Given, InVectors, Method, Parameter, Problem};
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{AuxiliaryLatitude, polynomials, rectifying_radius_m};
use basilocus_arithmetic::trigonometry::{atan2_right, atanh, sin_cos, sinh_cosh};
use std::f64::consts::FRAC_PI_2;

/// The largest |η′| that is computed: 50° of arc from the central meridian, atanh(sin 50°).
const ETA_LIMIT: f64 = 1.010_683_189_1;
/// The same limit as tanh η′ = sin 50°.
const TANH_ETA_LIMIT: f64 = 0.766_044_443_1;

/// A transverse Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct TransverseMercator {
    conformal: AuxiliaryLatitude,
    /// Scale times the rectifying radius, metres.
    radius_m: f64,
    /// Its reciprocal: a division less a point.
    over_radius: f64,
    /// Minus the northing of the latitude of origin, metres.
    northing_shift_m: f64,
    /// Forward coefficients α₁…α₆.
    alpha: [f64; 6],
    /// Inverse coefficients β₁…β₆.
    beta: [f64; 6],
}

impl TransverseMercator {
    /// From the latitude of origin (degrees) and the scale factor on the central meridian.
    pub fn new(ellipsoid: &Ellipsoid, latitude_of_origin_deg: f64, scale_factor: f64) -> Self {
        let n = ellipsoid.third_flattening();
        let radius_m = scale_factor * rectifying_radius_m(ellipsoid);
        let mut projection = TransverseMercator {
            conformal: AuxiliaryLatitude::conformal(n),
            radius_m,
            over_radius: 1.0 / radius_m,
            northing_shift_m: 0.0,
            alpha: forward_coefficients(n),
            beta: inverse_coefficients(n),
        };
        projection.northing_shift_m = -projection.forward(0.0, latitude_of_origin_deg.to_radians()).1;
        projection
    }

    /// The projection of a zone of the universal grid on an ellipsoid.
    pub fn utm(ellipsoid: &Ellipsoid, zone: crate::zone::UtmZone) -> Framed<Self> {
        let false_northing_m = if zone.north { 0.0 } else { 10_000_000.0 };
        Framed::new(Self::new(ellipsoid, 0.0, 0.9996), zone.central_meridian_deg(), 500_000.0, false_northing_m)
    }
}

impl Method for TransverseMercator {
    const ABOUT: About = About {
        names: &["Transverse Mercator", "Gauss_Kruger", "Gauss Kruger"],
        domain: "within 90° of longitude and 50° of arc of the central meridian",
        source: "Krüger (1912), to sixth order as in Karney (2011)",
    };

    const IN_VECTORS: InVectors = InVectors { forward: true, inverse: true };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let origin_deg = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?.to_degrees();
        Ok(Self::new(given.ellipsoid, origin_deg, given.scale()?))
    }

    // A straight line of arithmetic and selections: several points are computed at once.
    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (sin_lat, cos_lat) = sin_cos(phi);
        let (sin_lon, cos_lon) = sin_cos(lambda);
        let (sin_chi, cos_chi) = self.conformal.sin_cos(sin_lat, cos_lat);
        // Gauss-Schreiber: tanh η′ = cos χ sin λ, tan ξ′ = tan χ / cos λ; the functions of ξ′ and η′ that the sums
        // need follow from these without further transcendental functions.
        let tanh_eta = cos_chi * sin_lon;
        let c = (cos_chi * cos_lon).max(0.0);
        let cosh_eta = 1.0 / (sin_chi * sin_chi + c * c).sqrt();
        let (sin_xi, cos_xi, sinh_eta) = (sin_chi * cosh_eta, c * cosh_eta, tanh_eta * cosh_eta);
        let xi = atan2_right(sin_chi, c);
        let eta = atanh(tanh_eta);
        let (d_xi, d_eta) = clenshaw(
            &self.alpha,
            2.0 * sin_xi * cos_xi,
            1.0 - 2.0 * sin_xi * sin_xi,
            2.0 * sinh_eta * cosh_eta,
            1.0 + 2.0 * sinh_eta * sinh_eta,
        );
        // Written so that a NaN fails too.
        let inside = (lambda.abs() <= FRAC_PI_2) & (tanh_eta.abs() <= TANH_ETA_LIMIT);
        let easting = self.radius_m * (eta + d_eta);
        let northing = self.northing_shift_m + self.radius_m * (xi + d_xi);
        (if inside { easting } else { f64::NAN }, if inside { northing } else { f64::NAN })
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let xi = (y - self.northing_shift_m) * self.over_radius;
        let eta = x * self.over_radius;
        let (sin_xi, cos_xi) = sin_cos(xi);
        let (sinh_eta, cosh_eta) = sinh_cosh(eta);
        let (d_xi, d_eta) = clenshaw(
            &self.beta,
            2.0 * sin_xi * cos_xi,
            1.0 - 2.0 * sin_xi * sin_xi,
            2.0 * sinh_eta * cosh_eta,
            1.0 + 2.0 * sinh_eta * sinh_eta,
        );
        // ξ′ = ξ − δξ, η′ = η − δη, with δ below a hundredth: addition theorems and short series instead of
        // another round of functions.
        let (s, c) = (sin_series(d_xi), cos_series(d_xi));
        let (sin_xi, cos_xi) = (sin_xi * c - cos_xi * s, cos_xi * c + sin_xi * s);
        let (sh, ch) = (sinh_series(d_eta), cosh_series(d_eta));
        let sinh_eta = sinh_eta * ch - cosh_eta * sh;
        let inside = (xi.abs() <= 1.6) & (eta.abs() <= 1.1) & (cos_xi >= -1e-12) & ((eta - d_eta).abs() <= ETA_LIMIT);
        let cos_xi = cos_xi.max(0.0);
        let r = (sinh_eta * sinh_eta + cos_xi * cos_xi).sqrt();
        let over_cosh = 1.0 / (1.0 + sinh_eta * sinh_eta).sqrt();
        let lat = self.conformal.geodetic(atan2_right(sin_xi, r), sin_xi * over_cosh, r * over_cosh);
        // sinh η′ and cos ξ′ ≥ 0: the angle is in the right half-plane.
        let lon = atan2_right(sinh_eta, cos_xi);
        (if inside { lon } else { f64::NAN }, if inside { lat } else { f64::NAN })
    }
}

#[inline(always)]
fn sinh_series(x: f64) -> f64 {
    let q = x * x;
    x * (1.0 + q * (1.0 / 6.0 + q / 120.0))
}

#[inline(always)]
fn cosh_series(x: f64) -> f64 {
    let q = x * x;
    1.0 + q * (0.5 + q * (1.0 / 24.0 + q / 720.0))
}

#[inline(always)]
fn sin_series(x: f64) -> f64 {
    let q = x * x;
    x * (1.0 - q * (1.0 / 6.0 - q / 120.0))
}

#[inline(always)]
fn cos_series(x: f64) -> f64 {
    let q = x * x;
    1.0 - q * (0.5 - q * (1.0 / 24.0 - q / 720.0))
}

/// Σ cₖ sin 2k(ξ + iη): real part Σ cₖ sin 2kξ cosh 2kη, imaginary part Σ cₖ cos 2kξ sinh 2kη.
#[inline(always)]
fn clenshaw(c: &[f64; 6], sin2: f64, cos2: f64, sinh2: f64, cosh2: f64) -> (f64, f64) {
    // 2·cos(2ζ), the multiplier of the recurrence.
    let (mr, mi) = (2.0 * cos2 * cosh2, -2.0 * sin2 * sinh2);
    let (mut br, mut bi, mut ar, mut ai) = (0.0, 0.0, 0.0, 0.0);
    for k in (0..6).rev() {
        let (nr, ni) = (c[k] + mr * br - mi * bi - ar, mr * bi + mi * br - ai);
        (ar, ai) = (br, bi);
        (br, bi) = (nr, ni);
    }
    // times sin(2ζ)
    let (sr, si) = (sin2 * cosh2, cos2 * sinh2);
    (sr * br - si * bi, sr * bi + si * br)
}

fn forward_coefficients(n: f64) -> [f64; 6] {
    polynomials(
        n,
        &[
            &[1.0 / 2.0, -2.0 / 3.0, 5.0 / 16.0, 41.0 / 180.0, -127.0 / 288.0, 7891.0 / 37_800.0],
            &[13.0 / 48.0, -3.0 / 5.0, 557.0 / 1440.0, 281.0 / 630.0, -1_983_433.0 / 1_935_360.0],
            &[61.0 / 240.0, -103.0 / 140.0, 15_061.0 / 26_880.0, 167_603.0 / 181_440.0],
            &[49_561.0 / 161_280.0, -179.0 / 168.0, 6_601_661.0 / 7_257_600.0],
            &[34_729.0 / 80_640.0, -3_418_889.0 / 1_995_840.0],
            &[212_378_941.0 / 319_334_400.0],
        ],
    )
}

fn inverse_coefficients(n: f64) -> [f64; 6] {
    polynomials(
        n,
        &[
            &[1.0 / 2.0, -2.0 / 3.0, 37.0 / 96.0, -1.0 / 360.0, -81.0 / 512.0, 96_199.0 / 604_800.0],
            &[1.0 / 48.0, 1.0 / 15.0, -437.0 / 1440.0, 46.0 / 105.0, -1_118_711.0 / 3_870_720.0],
            &[17.0 / 480.0, -37.0 / 840.0, -209.0 / 4480.0, 5569.0 / 90_720.0],
            &[4397.0 / 161_280.0, -11.0 / 504.0, -830_251.0 / 7_257_600.0],
            &[4583.0 / 161_280.0, -108_847.0 / 3_991_680.0],
            &[20_648_693.0 / 638_668_800.0],
        ],
    )
}
