//! Shortest lines on the ellipsoid: the direct and the inverse problem, rhumb lines, areas.
//!
//! | question | answer |
//! |---|---|
//! | where does one arrive after so many metres on this azimuth? | [`Geodesic::direct`] |
//! | how far apart are two points, and in which direction? | [`Geodesic::inverse`] |
//! | and on a line of constant bearing? | [`rhumb`] |
//! | how large is a polygon? | [`area`] |
//!
//! | module | what is in it |
//! |---|---|
//! | `great_circle` | a line's image on the auxiliary sphere |
//! | `integrals` | length, longitude and reduced length along it |
//! | `inverse` | the line between two positions |
//! | `antipodal` | the same where they are nearly antipodal |
//! | `line` | points along a line |
//!
//! Bessel's method: a geodesic is mapped to a great circle of a sphere whose latitudes are the reduced ones; its length and
//! longitude are integrals along that circle. Ellipsoids are oblate, or spheres. Within 15 nanometres for those of the
//! Earth, antipodes included: the tests hold it to values computed with 50 digits.

mod antipodal;
pub mod area;
mod great_circle;
mod integrals;
mod inverse;
mod line;
pub mod rhumb;

pub use line::Line;

use crate::ellipsoid::Ellipsoid;

/// The solver of one ellipsoid.
#[derive(Debug, Clone, PartialEq)]
pub struct Geodesic {
    pub(crate) semi_major_m: f64,
    pub(crate) semi_minor_m: f64,
    pub(crate) flattening: f64,
    pub(crate) second_eccentricity_squared: f64,
    zones: area::Zones,
}

/// The answer to the inverse problem.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Inverse {
    /// Length of the shortest line, metres.
    pub distance_m: f64,
    /// Azimuth at the first point, degrees clockwise from north, −180…180.
    pub azimuth_deg: f64,
    /// Azimuth at the second point, in the direction of travel.
    pub final_azimuth_deg: f64,
    /// Reduced length, metres: how far apart two lines from the first point are at the second, by radian.
    pub reduced_length_m: f64,
    /// Geodesic scale of the second point relative to the first.
    pub scale: f64,
}

/// The answer to the direct problem.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Direct {
    /// Longitude of the second point, degrees, −180…180.
    pub lon_deg: f64,
    /// Latitude of the second point, degrees.
    pub lat_deg: f64,
    /// Azimuth there, in the direction of travel, degrees.
    pub final_azimuth_deg: f64,
    /// Reduced length, metres.
    pub reduced_length_m: f64,
    /// Geodesic scale.
    pub scale: f64,
}

impl Geodesic {
    /// The solver of an ellipsoid.
    pub fn new(ellipsoid: &Ellipsoid) -> Self {
        let e2 = ellipsoid.eccentricity_squared();
        let second_eccentricity_squared = e2 / (1.0 - e2);
        Geodesic {
            semi_major_m: ellipsoid.semi_major_m,
            semi_minor_m: ellipsoid.semi_minor_m(),
            flattening: ellipsoid.flattening(),
            second_eccentricity_squared,
            zones: area::Zones::new(second_eccentricity_squared),
        }
    }

    /// The shortest line between two positions (degrees).
    ///
    /// Where several are equally short (from pole to pole, between antipodes on the equator) one of them. NaN for
    /// latitudes beyond ±90°.
    ///
    /// ```
    /// use basilocus_geodesy::{ellipsoid::Ellipsoid, geodesic::Geodesic};
    /// // A quarter of the meridian.
    /// let quarter = Geodesic::new(&Ellipsoid::wgs84()).inverse(0.0, 0.0, 0.0, 90.0);
    /// assert!((quarter.distance_m - 10_001_965.729_312_7).abs() < 1e-6);
    /// assert_eq!(quarter.azimuth_deg, 0.0);
    /// ```
    pub fn inverse(&self, lon1_deg: f64, lat1_deg: f64, lon2_deg: f64, lat2_deg: f64) -> Inverse {
        inverse::inverse(self, [lon1_deg, lat1_deg], [lon2_deg, lat2_deg])
    }

    /// Where a line ends that starts at a position (degrees) on an azimuth (degrees) and is `distance_m` long.
    ///
    /// ```
    /// use basilocus_geodesy::{ellipsoid::Ellipsoid, geodesic::Geodesic};
    /// let pole = Geodesic::new(&Ellipsoid::wgs84()).direct(20.0, 0.0, 0.0, 10_001_965.729_312_7);
    /// assert!((pole.lat_deg - 90.0).abs() < 1e-11);
    /// ```
    pub fn direct(&self, lon_deg: f64, lat_deg: f64, azimuth_deg: f64, distance_m: f64) -> Direct {
        self.line(lon_deg, lat_deg, azimuth_deg).at(distance_m)
    }

    /// A line from a position on an azimuth, for many points along it.
    pub fn line(&self, lon_deg: f64, lat_deg: f64, azimuth_deg: f64) -> Line {
        Line::new(self, lon_deg, lat_deg, azimuth_deg)
    }
}

/// Sine and cosine of degrees, exact at multiples of 90.
pub(crate) fn sin_cos_deg(deg: f64) -> (f64, f64) {
    let quarter = (deg / 90.0).round();
    let (s, c) = (deg - 90.0 * quarter).to_radians().sin_cos();
    match quarter.rem_euclid(4.0) as i32 {
        0 => (s, c),
        1 => (c, -s),
        2 => (-s, -c),
        _ => (-c, s),
    }
}

/// atan2 in degrees, exact at multiples of 90.
pub(crate) fn atan2_deg(y: f64, x: f64) -> f64 {
    if y.abs() > x.abs() {
        let rest = x.atan2(y.abs()).to_degrees();
        (90.0 - rest).copysign(y)
    } else if x < 0.0 {
        180.0_f64.copysign(y) - (y / -x).atan().to_degrees()
    } else {
        y.atan2(x).to_degrees()
    }
}
