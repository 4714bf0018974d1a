//! Gnomonic: geodesics through the centre are straight, others nearly so.
//!
//! On an ellipsoid the radius is the reduced length over the geodesic scale, which is tan(s/R) on a sphere.

use super::{About, Given, Method, Parameter, Problem};
use crate::geodesic::{Geodesic, sin_cos_deg};

/// A gnomonic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Gnomonic {
    geodesic: Geodesic,
    lat_deg: f64,
}

/// Smallest geodesic scale that is computed: 89° from the centre.
const SCALE_LIMIT: f64 = 0.017;

impl Method for Gnomonic {
    const ABOUT: About = About {
        names: &["Gnomonic"],
        domain: "within 89° of arc of the centre",
        source: "Karney, \"Algorithms for geodesics\" (2013), section 8; on a sphere Snyder, section 22",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let lat_deg = given.latitude_or_equator(Parameter::LatitudeOfOrigin)?.to_degrees();
        Ok(Gnomonic { geodesic: Geodesic::new(given.ellipsoid), lat_deg })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let line = self.geodesic.inverse(0.0, self.lat_deg, lambda.to_degrees(), phi.to_degrees());
        if !(line.scale >= SCALE_LIMIT) {
            return (f64::NAN, f64::NAN);
        }
        let r = line.reduced_length_m / line.scale;
        let (s, c) = sin_cos_deg(line.azimuth_deg);
        (r * s, r * c)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let r = x.hypot(y);
        let a = self.geodesic.semi_major_m;
        if !(r <= 60.0 * a) {
            return (f64::NAN, f64::NAN);
        }
        let line = self.geodesic.line(0.0, self.lat_deg, x.atan2(y).to_degrees());
        // dr/ds = 1/M²; far out 1/r is the better unknown, its derivative is −1/m².
        let mut s = a * (r / a).atan();
        let mut end = line.at(s);
        for _ in 0..20 {
            let (m, scale) = (end.reduced_length_m, end.scale);
            let step = if r <= a { (r - m / scale) * scale * scale } else { (scale / m - 1.0 / r) * m * m };
            s += step;
            end = line.at(s);
            if step.abs() < 1e-9 {
                break;
            }
        }
        if end.scale >= SCALE_LIMIT {
            (end.lon_deg.to_radians(), end.lat_deg.to_radians())
        } else {
            (f64::NAN, f64::NAN)
        }
    }
}
