//! Cassini-Soldner (EPSG method 9806) and hyperbolic Cassini-Soldner (9833).
//!
//! x is the length of the geodesic from the point to the central meridian, perpendicular to it; y is the distance along
//! the meridian from the origin to its foot. Both are computed by geodesics. The series that the registry prints is
//! this to a tenth of a millimetre within 1.5° of the meridian and leaves it beyond. The hyperbolic variant bends
//! the northing by its third power.

use super::newton::root;
use super::{About, Given, Method, Parameter, Problem};
use crate::ellipsoid::Ellipsoid;
use crate::geodesic::Geodesic;
use crate::latitude::{AuxiliaryLatitude, meridian_radius, normal_radius, rectifying_radius_m};

/// A Cassini-Soldner projection.
#[derive(Debug, Clone, PartialEq)]
pub struct CassiniSoldner {
    ellipsoid: Ellipsoid,
    geodesic: Geodesic,
    rectifying: AuxiliaryLatitude,
    radius_m: f64,
    origin_arc_m: f64,
    hyperbolic: bool,
}

impl CassiniSoldner {
    fn arc(&self, phi: f64) -> f64 {
        let (s, c) = phi.sin_cos();
        self.radius_m * self.rectifying.angle(phi, s, c) - self.origin_arc_m
    }

    /// 6ρν at a latitude (radians).
    fn bend(&self, phi: f64) -> f64 {
        let s = phi.sin();
        6.0 * meridian_radius(&self.ellipsoid, s) * normal_radius(&self.ellipsoid, s)
    }

    /// The position from the distance to the meridian and the foot's distance from the origin.
    fn place(&self, x: f64, arc: f64) -> (f64, f64) {
        let mu = (self.origin_arc_m + arc) / self.radius_m;
        if !(mu.abs() <= std::f64::consts::FRAC_PI_2) {
            return (f64::NAN, f64::NAN);
        }
        let foot = self.rectifying.geodetic(mu, mu.sin(), mu.cos());
        let end = self.geodesic.direct(0.0, foot.to_degrees(), 90.0, x);
        (end.lon_deg.to_radians(), end.lat_deg.to_radians())
    }
}

impl Method for CassiniSoldner {
    const ABOUT: About = About {
        names: &[
            "Cassini-Soldner",
            "Cassini_Soldner",
            "Hyperbolic Cassini-Soldner",
            "Hyperbolic_Cassini_Soldner",
            "Cassini",
        ],
        domain: "within 80° of longitude of the central meridian; the hyperbolic variant within 2,000 km of its origin",
        source: "IOGP Guidance Note 373-7-2, section 3.4.1; geodesics as in `geodesic`",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let phi0 = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?;
        let mut projection = CassiniSoldner {
            ellipsoid: given.ellipsoid.clone(),
            geodesic: Geodesic::new(given.ellipsoid),
            rectifying: AuxiliaryLatitude::rectifying(given.ellipsoid.third_flattening()),
            radius_m: rectifying_radius_m(given.ellipsoid),
            origin_arc_m: 0.0,
            hyperbolic: given.is("hyperbolic"),
        };
        projection.origin_arc_m = projection.arc(phi0);
        Ok(projection)
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        if !(lambda.abs() <= 80f64.to_radians() && phi.abs() <= std::f64::consts::FRAC_PI_2) {
            return (f64::NAN, f64::NAN);
        }
        let (lon, lat) = (lambda.to_degrees(), phi.to_degrees());
        // The geodesic to the mirror image crosses the meridian at a right angle, half-way.
        let whole = self.geodesic.inverse(-lon, lat, lon, lat);
        let x = (0.5 * whole.distance_m).copysign(lambda);
        let half = self.geodesic.direct(-lon, lat, whole.azimuth_deg, 0.5 * whole.distance_m);
        let arc = self.arc(half.lat_deg.to_radians());
        if !self.hyperbolic {
            return (x, arc);
        }
        if !(arc.abs() <= 2e6) {
            return (f64::NAN, f64::NAN);
        }
        (x, arc - arc * arc * arc / self.bend(phi))
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        // 80° of longitude are at most 80° of arc.
        if !(x.abs() <= 8.95e6) {
            return (f64::NAN, f64::NAN);
        }
        if !self.hyperbolic {
            return self.place(x, y);
        }
        // The bend depends on the latitude that is sought: it changes so slowly that a few rounds settle it.
        let mut place = self.place(x, y);
        let mut arc = y;
        for _ in 0..12 {
            let bend = self.bend(place.1);
            arc = root(|m| (m - m * m * m / bend - y, 1.0 - 3.0 * m * m / bend), -3e6, 3e6);
            place = self.place(x, arc);
        }
        if arc.abs() <= 2e6 { place } else { (f64::NAN, f64::NAN) }
    }
}
