//! Rhumb lines: lines of constant bearing.
//!
//! In the isometric latitude ψ and longitude λ a rhumb line is straight; its length is the meridian distance over
//! the cosine of the bearing. Near a parallel both differences are small, so they are computed as differences and not as
//! what is left of two latitudes (C. F. F. Karney, "On auxiliary latitudes", 2022, section 7, does so for the same purpose).

use crate::ellipsoid::Ellipsoid;
use crate::latitude::{AuxiliaryLatitude, rectifying_radius_m};

/// A line of constant bearing between two points.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rhumb {
    /// Length, metres.
    pub distance_m: f64,
    /// Bearing, degrees clockwise from north, −180…180.
    pub azimuth_deg: f64,
}

/// The shorter rhumb line between two positions (degrees).
///
/// ```
/// use basilocus_geodesy::{ellipsoid::Ellipsoid, geodesic::rhumb};
/// // Along the equator: a times the difference in longitude.
/// let r = rhumb::inverse(&Ellipsoid::wgs84(), 10.0, 0.0, 20.0, 0.0);
/// assert!((r.distance_m - 6_378_137.0 * 10f64.to_radians()).abs() < 1e-8 && r.azimuth_deg == 90.0);
/// ```
pub fn inverse(ellipsoid: &Ellipsoid, lon1_deg: f64, lat1_deg: f64, lon2_deg: f64, lat2_deg: f64) -> Rhumb {
    let e2 = ellipsoid.eccentricity_squared();
    let d_lon = crate::projection::wrap_deg(lon2_deg - lon1_deg).to_radians();
    // The difference is taken of the degrees: that of the radians has lost digits already.
    let (phi1, d_phi) = (lat1_deg.to_radians(), (lat2_deg - lat1_deg).to_radians());
    if d_phi == 0.0 {
        let distance_m = parallel_radius_m(ellipsoid, phi1) * d_lon.abs();
        return Rhumb { distance_m, azimuth_deg: if d_lon < 0.0 { -90.0 } else { 90.0 } };
    }
    let rectifying = AuxiliaryLatitude::rectifying(ellipsoid.third_flattening());
    let d_m = rectifying_radius_m(ellipsoid) * rectifying.angle_difference(phi1, d_phi);
    let at_pole = lat1_deg.abs() == 90.0 || lat2_deg.abs() == 90.0;
    let d_psi = if at_pole { f64::INFINITY.copysign(d_m) } else { isometric_difference(phi1, d_phi, e2) };
    let distance_m = if d_psi.is_infinite() { d_m.abs() } else { d_lon.hypot(d_psi) * (d_m / d_psi).abs() };
    Rhumb { distance_m, azimuth_deg: d_lon.atan2(d_psi).to_degrees() }
}

/// Where a rhumb line ends: longitude and latitude, degrees; `None` where it would run beyond a pole.
pub fn direct(
    ellipsoid: &Ellipsoid,
    lon_deg: f64,
    lat_deg: f64,
    azimuth_deg: f64,
    distance_m: f64,
) -> Option<(f64, f64)> {
    let e2 = ellipsoid.eccentricity_squared();
    let rectifying = AuxiliaryLatitude::rectifying(ellipsoid.third_flattening());
    let r = rectifying_radius_m(ellipsoid);
    let (sin_az, cos_az) = super::sin_cos_deg(azimuth_deg);
    let phi1 = lat_deg.to_radians();
    let (s, c) = phi1.sin_cos();
    let mu1 = rectifying.angle(phi1, s, c);
    let d_mu = distance_m * cos_az / r;
    if !((mu1 + d_mu).abs() <= std::f64::consts::FRAC_PI_2) {
        return None;
    }
    let d_phi = rectifying.geodetic_difference(mu1, d_mu);
    let d_lon = if sin_az == 0.0 {
        0.0
    } else if d_phi == 0.0 {
        distance_m * sin_az / parallel_radius_m(ellipsoid, phi1)
    } else {
        // The ratio of the differences and not the tangent of the bearing, which has no digits along a parallel.
        sin_az * (distance_m / r) * (isometric_difference(phi1, d_phi, e2) / d_mu)
    };
    d_lon.is_finite().then(|| {
        (crate::projection::wrap_deg(lon_deg + d_lon.to_degrees()), (lat_deg + d_phi.to_degrees()).clamp(-90.0, 90.0))
    })
}

/// Radius of the parallel, ν cos φ, metres.
fn parallel_radius_m(ellipsoid: &Ellipsoid, phi: f64) -> f64 {
    let (s, c) = phi.sin_cos();
    ellipsoid.semi_major_m * c / (1.0 - ellipsoid.eccentricity_squared() * s * s).sqrt()
}

/// ψ(φ + Δ) − ψ(φ) with all its digits, however small: by the addition theorems of asinh and atanh.
fn isometric_difference(phi: f64, delta: f64, e2: f64) -> f64 {
    let ((s1, c1), (s2, c2)) = (phi.sin_cos(), (phi + delta).sin_cos());
    let d_sin = 2.0 * (delta / 2.0).sin() * (phi + delta / 2.0).cos();
    let e = e2.sqrt();
    (d_sin / (c1 * c2)).asinh() - e * (e * d_sin / (1.0 - e2 * s1 * s2)).atanh()
}
