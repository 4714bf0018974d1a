//! Azimuthal equidistant (EPSG method 1125): distance and azimuth from the centre are those of the geodesic.

use super::{About, Given, Method, Parameter, Problem};
use crate::geodesic::{Geodesic, sin_cos_deg};

/// An azimuthal equidistant projection, any aspect.
#[derive(Debug, Clone, PartialEq)]
pub struct AzimuthalEquidistant {
    geodesic: Geodesic,
    lat_deg: f64,
}

impl Method for AzimuthalEquidistant {
    const ABOUT: About = About {
        names: &["Azimuthal Equidistant", "Azimuthal_Equidistant"],
        domain: "to 19,900 km from the centre: everywhere but the neighbourhood of its antipode",
        source: "Snyder, USGS Professional Paper 1395, section 25; geodesics as in `geodesic`",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let lat_deg = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?.to_degrees();
        Ok(AzimuthalEquidistant { geodesic: Geodesic::new(given.ellipsoid), lat_deg })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let line = self.geodesic.inverse(0.0, self.lat_deg, lambda.to_degrees(), phi.to_degrees());
        // Near the antipode one place has many azimuths.
        if !(line.distance_m <= 19.9e6 * self.geodesic.semi_major_m / 6_378_137.0) {
            return (f64::NAN, f64::NAN);
        }
        let (s, c) = sin_cos_deg(line.azimuth_deg);
        (line.distance_m * s, line.distance_m * c)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let distance = x.hypot(y);
        if !(distance <= 19.9e6 * self.geodesic.semi_major_m / 6_378_137.0) {
            return (f64::NAN, f64::NAN);
        }
        let end = self.geodesic.direct(0.0, self.lat_deg, x.atan2(y).to_degrees(), distance);
        (end.lon_deg.to_radians(), end.lat_deg.to_radians())
    }
}
