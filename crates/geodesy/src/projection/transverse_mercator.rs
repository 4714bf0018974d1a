//! Transverse Mercator (EPSG method 9807) by the Krüger series to sixth order in the third flattening.
//!
//! L. Krüger, "Konforme Abbildung des Erdellipsoids in der Ebene", Potsdam 1912; coefficients to sixth order in
//! C. F. F. Karney, "Transverse Mercator with an accuracy of a few nanometers", J. Geodesy 85 (2011),
//! equations 35 and 36. The sums run by Clenshaw's scheme on the complex argument 2(ξ + iη).
//!
//! Domain: up to 90° of longitude and 50° of arc from the central meridian, where the series holds 1 µm and
//! better; beyond that no number is given.

use super::wrap_deg;
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{tan_conformal, tan_geodetic};

/// The largest |η′| that is computed: 50° of arc from the central meridian, atanh(sin 50°).
const ETA_LIMIT: f64 = 1.010_683_189_1;

/// A transverse Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct TransverseMercator {
    central_meridian_deg: f64,
    e2: f64,
    /// Scale times the rectifying radius, metres.
    radius_m: f64,
    false_easting_m: f64,
    /// False northing less the northing of the latitude of origin.
    northing_shift_m: f64,
    /// Forward coefficients α₁…α₆.
    alpha: [f64; 6],
    /// Inverse coefficients β₁…β₆.
    beta: [f64; 6],
}

impl TransverseMercator {
    /// A projection from its five parameters: degrees and metres.
    pub fn new(ellipsoid: &Ellipsoid, central_meridian_deg: f64, latitude_of_origin_deg: f64, scale_factor: f64, false_easting_m: f64, false_northing_m: f64) -> Self {
        let n = ellipsoid.third_flattening();
        let n2 = n * n;
        let rectifying = ellipsoid.semi_major_m / (1.0 + n) * (1.0 + n2 * (1.0 / 4.0 + n2 * (1.0 / 64.0 + n2 / 256.0)));
        let mut projection = TransverseMercator {
            central_meridian_deg,
            e2: ellipsoid.eccentricity_squared(),
            radius_m: scale_factor * rectifying,
            false_easting_m,
            northing_shift_m: 0.0,
            alpha: forward_coefficients(n),
            beta: inverse_coefficients(n),
        };
        let origin = if latitude_of_origin_deg.abs() == 90.0 {
            projection.radius_m * std::f64::consts::FRAC_PI_2.copysign(latitude_of_origin_deg)
        } else {
            projection.forward(central_meridian_deg, latitude_of_origin_deg).map_or(0.0, |(_, n)| n)
        };
        projection.northing_shift_m = false_northing_m - origin;
        projection
    }

    /// The projection of a zone of the universal grid on an ellipsoid.
    pub fn utm(ellipsoid: &Ellipsoid, zone: crate::zone::UtmZone) -> Self {
        Self::new(ellipsoid, zone.central_meridian_deg(), 0.0, 0.9996, 500_000.0, if zone.north { 0.0 } else { 10_000_000.0 })
    }

    /// Longitude and latitude (degrees) to easting and northing (metres); `None` outside the domain.
    #[inline(always)]
    pub fn forward(&self, lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
        let d_lon = wrap_deg(lon_deg - self.central_meridian_deg);
        let (sin_lat, cos_lat) = lat_deg.to_radians().sin_cos();
        let (sin_lon, cos_lon) = d_lon.to_radians().sin_cos();
        // Written so that a NaN fails too.
        if !(lat_deg.abs() <= 90.0 && d_lon.abs() <= 90.0) {
            return None;
        }
        let tau = tan_conformal(sin_lat, cos_lat.max(1e-300), self.e2);
        // Gauss-Schreiber: all four functions of ξ′ and η′ follow without further transcendental calls.
        let h2 = tau * tau + cos_lon * cos_lon;
        let h = 1.0 / h2.sqrt();
        let (sin_xi, cos_xi) = (tau * h, cos_lon * h);
        let sinh_eta = sin_lon * h;
        let cosh_eta = (1.0 + sinh_eta * sinh_eta).sqrt();
        let xi = tau.atan2(cos_lon);
        let eta = asinh(sinh_eta, cosh_eta);
        if !(eta.abs() <= ETA_LIMIT) {
            return None;
        }
        let (d_xi, d_eta) = clenshaw(&self.alpha, 2.0 * sin_xi * cos_xi, 1.0 - 2.0 * sin_xi * sin_xi, 2.0 * sinh_eta * cosh_eta, 1.0 + 2.0 * sinh_eta * sinh_eta);
        Some((self.false_easting_m + self.radius_m * (eta + d_eta), self.northing_shift_m + self.radius_m * (xi + d_xi)))
    }

    /// Easting and northing (metres) to longitude and latitude (degrees); `None` outside the domain.
    #[inline(always)]
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Option<(f64, f64)> {
        let xi = (northing_m - self.northing_shift_m) / self.radius_m;
        let eta = (easting_m - self.false_easting_m) / self.radius_m;
        if !(xi.abs() <= 1.6 && eta.abs() <= 1.1) {
            return None;
        }
        let (sin_xi, cos_xi) = xi.sin_cos();
        // One exponential serves both hyperbolic functions; for small η the difference is taken by a series.
        let grown = eta.exp();
        let cosh_eta = 0.5 * (grown + 1.0 / grown);
        let sinh_eta = if eta.abs() < 0.1 { sinh_series(eta) } else { 0.5 * (grown - 1.0 / grown) };
        let (d_xi, d_eta) = clenshaw(&self.beta, 2.0 * sin_xi * cos_xi, 1.0 - 2.0 * sin_xi * sin_xi, 2.0 * sinh_eta * cosh_eta, 1.0 + 2.0 * sinh_eta * sinh_eta);
        // ξ′ = ξ − δξ, η′ = η − δη, with δ below a hundredth: addition theorems and short series instead of
        // another round of transcendental calls.
        let (s, c) = (sin_series(d_xi), cos_series(d_xi));
        let (sin_xi, cos_xi) = (sin_xi * c - cos_xi * s, cos_xi * c + sin_xi * s);
        let (sh, ch) = (sinh_series(d_eta), cosh_series(d_eta));
        let sinh_eta = sinh_eta * ch - cosh_eta * sh;
        if !(cos_xi >= -1e-12 && (eta - d_eta).abs() <= ETA_LIMIT) {
            return None;
        }
        let r = (sinh_eta * sinh_eta + cos_xi * cos_xi).sqrt();
        let (lon, lat) = if r == 0.0 {
            (0.0, 90.0_f64.copysign(sin_xi))
        } else {
            (sinh_eta.atan2(cos_xi.max(0.0)).to_degrees(), tan_geodetic(sin_xi / r, self.e2).atan().to_degrees())
        };
        Some((wrap_deg(self.central_meridian_deg + lon), lat))
    }
}

/// asinh from sinh and cosh, exact for small arguments as well.
#[inline(always)]
fn asinh(sinh: f64, cosh: f64) -> f64 {
    let s = sinh.abs();
    // ln(s + √(1+s²)) = ln1p(s + s²/(1+√(1+s²)))
    (s + s * s / (1.0 + cosh)).ln_1p().copysign(sinh)
}

#[inline(always)]
fn sinh_series(x: f64) -> f64 {
    let q = x * x;
    x * (1.0 + q * (1.0 / 6.0 + q * (1.0 / 120.0 + q * (1.0 / 5040.0 + q * (1.0 / 362_880.0 + q / 39_916_800.0)))))
}

#[inline(always)]
fn cosh_series(x: f64) -> f64 {
    let q = x * x;
    1.0 + q * (0.5 + q * (1.0 / 24.0 + q * (1.0 / 720.0 + q / 40_320.0)))
}

#[inline(always)]
fn sin_series(x: f64) -> f64 {
    let q = x * x;
    x * (1.0 - q * (1.0 / 6.0 - q * (1.0 / 120.0 - q * (1.0 / 5040.0 - q / 362_880.0))))
}

#[inline(always)]
fn cos_series(x: f64) -> f64 {
    let q = x * x;
    1.0 - q * (0.5 - q * (1.0 / 24.0 - q * (1.0 / 720.0 - q / 40_320.0)))
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

/// Row k is a polynomial in n whose first power is n^(k+1).
fn polynomials(n: f64, rows: &[&[f64]; 6]) -> [f64; 6] {
    std::array::from_fn(|k| n.powi(k as i32 + 1) * rows[k].iter().rev().fold(0.0, |sum, c| sum * n + c))
}
