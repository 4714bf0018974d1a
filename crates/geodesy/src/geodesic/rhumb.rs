//! Rhumb lines: lines of constant bearing.
//!
//! In the isometric latitude ψ and longitude λ a rhumb line is straight; its length is the meridian distance over
//! the cosine of the bearing. Along a parallel the ratio of the differences is replaced by its limit
//! (C. F. F. Karney, "On auxiliary latitudes", 2022, section 7, uses divided differences for the same purpose).

use crate::ellipsoid::Ellipsoid;
use crate::latitude::{AuxiliaryLatitude, isometric, meridian_radius, rectifying_radius_m};

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
    let (psi1, psi2) = (psi(lat1_deg, e2), psi(lat2_deg, e2));
    let rectifying = AuxiliaryLatitude::rectifying(ellipsoid.third_flattening());
    let r = rectifying_radius_m(ellipsoid);
    let arc = |deg: f64| {
        let (s, c) = deg.to_radians().sin_cos();
        r * rectifying.angle(deg.to_radians(), s, c)
    };
    let d_lat = (lat2_deg - lat1_deg).to_radians();
    let middle = (lat1_deg + lat2_deg).to_radians() / 2.0;
    // Near a parallel the differences vanish together; their ratio at the middle is right to second order.
    let (d_m, d_psi) = if d_lat.abs() < 1e-6 {
        let (s, c) = middle.sin_cos();
        let w = 1.0 - e2 * s * s;
        (meridian_radius(ellipsoid, s) * d_lat, (1.0 - e2) / (w * c) * d_lat)
    } else {
        (arc(lat2_deg) - arc(lat1_deg), psi2 - psi1)
    };
    let azimuth = d_lon.atan2(d_psi);
    let distance_m = if d_psi.is_infinite() {
        d_m.abs()
    } else if d_lat.abs() < 1e-6 {
        let (s, c) = middle.sin_cos();
        let w = 1.0 - e2 * s * s;
        let parallel = ellipsoid.semi_major_m * c / w.sqrt() * d_lon;
        d_m.hypot(parallel)
    } else {
        d_lon.hypot(d_psi) * (d_m / d_psi).abs()
    };
    Rhumb { distance_m, azimuth_deg: azimuth.to_degrees() }
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
    let (s, c) = lat_deg.to_radians().sin_cos();
    let mu2 = rectifying.angle(lat_deg.to_radians(), s, c) + distance_m * cos_az / r;
    if !(mu2.abs() <= std::f64::consts::FRAC_PI_2) {
        return None;
    }
    let (s2, c2) = mu2.sin_cos();
    let lat2 = rectifying.geodetic(mu2, s2, c2).to_degrees();
    let d_lat = (lat2 - lat_deg).to_radians();
    let d_lon = if d_lat.abs() < 1e-6 {
        let (s, c) = ((lat_deg + lat2).to_radians() / 2.0).sin_cos();
        distance_m * sin_az * (1.0 - e2 * s * s).sqrt() / (ellipsoid.semi_major_m * c)
    } else {
        (psi(lat2, e2) - psi(lat_deg, e2)) * sin_az / cos_az
    };
    d_lon.is_finite().then(|| (crate::projection::wrap_deg(lon_deg + d_lon.to_degrees()), lat2))
}

fn psi(lat_deg: f64, e2: f64) -> f64 {
    if lat_deg.abs() == 90.0 {
        return f64::INFINITY.copysign(lat_deg);
    }
    let (s, c) = lat_deg.to_radians().sin_cos();
    isometric(s, c, e2)
}
