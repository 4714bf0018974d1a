//! The shortest line between two positions on the ellipsoid, and the line of constant bearing.

use crate::Error;
use crate::coordinates::position_text::{self, Typed};
use basilocus_geodesy::geodesic::{Geodesic, rhumb};
use basilocus_geodesy::notation::AxisOrder;
use serde::Serialize;

/// Two positions.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct DistanceQuestion {
    /// The first position, in any notation; one that begins with a minus sign comes after `--`
    pub a: String,
    /// The second position
    pub b: String,
    /// System of the positions; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Which number comes first, where the text does not say
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    pub order: Option<AxisOrder>,
}

/// The two lines.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DistanceReport {
    /// The first position.
    pub a: DistanceEnd,
    /// The second position.
    pub b: DistanceEnd,
    /// Code or name of the system.
    pub crs: String,
    /// The ellipsoid.
    pub ellipsoid: String,
    /// Length of the geodesic, metres.
    pub distance_m: f64,
    /// Azimuth at the first position, degrees clockwise from north.
    pub azimuth_deg: f64,
    /// Azimuth at the second one in the direction of travel.
    pub final_azimuth_deg: f64,
    /// Length of the line of constant bearing, metres.
    pub rhumb_distance_m: f64,
    /// Its bearing, degrees clockwise from north.
    pub rhumb_azimuth_deg: f64,
}

/// An end of the line.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DistanceEnd {
    /// The text.
    pub text: String,
    /// Longitude, degrees on the datum of the system.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// The notation it was read in.
    pub read_as: String,
    /// What was read.
    pub reading: String,
}

impl DistanceEnd {
    fn of(text: &str, p: &Typed) -> Self {
        DistanceEnd {
            text: text.to_string(),
            lon: p.lon,
            lat: p.lat,
            read_as: p.read_as.clone(),
            reading: p.words.clone(),
        }
    }
}

impl DistanceQuestion {
    /// Two positions in WGS 84, or in the systems that they say themselves.
    pub fn new(a: impl Into<String>, b: impl Into<String>) -> Self {
        DistanceQuestion { a: a.into(), b: b.into(), ..Default::default() }
    }

    /// Measures.
    ///
    /// # Errors
    /// Where a position cannot be read, or the two are on different datums.
    pub fn report(&self) -> Result<DistanceReport, Error> {
        let read = |text: &str| position_text::read(text, self.from.as_deref(), self.order.unwrap_or_default());
        let (p, q) = (read(&self.a)?, read(&self.b)?);
        let datum = p.crs.datum().ok_or_else(|| Error::Usage(format!("{} has no ellipsoid", p.crs.title())))?;
        if q.crs.datum().map(|d| &d.name) != Some(&datum.name) {
            return Err(Error::Usage(format!(
                "\"{}\" is in {} and \"{}\" in {}: bring them to one datum first (`basilocus at`)",
                self.a,
                p.crs.title(),
                self.b,
                q.crs.title()
            )));
        }
        let line = Geodesic::new(&datum.ellipsoid).inverse(p.lon, p.lat, q.lon, q.lat);
        let bearing = rhumb::inverse(&datum.ellipsoid, p.lon, p.lat, q.lon, q.lat);
        Ok(DistanceReport {
            a: DistanceEnd::of(&self.a, &p),
            b: DistanceEnd::of(&self.b, &q),
            crs: p.crs.identifier(),
            ellipsoid: datum.ellipsoid.name.clone(),
            distance_m: line.distance_m,
            azimuth_deg: turned(line.azimuth_deg),
            final_azimuth_deg: turned(line.final_azimuth_deg),
            rhumb_distance_m: bearing.distance_m,
            rhumb_azimuth_deg: turned(bearing.azimuth_deg),
        })
    }
}

/// An azimuth from 0 to below 360.
fn turned(azimuth_deg: f64) -> f64 {
    let turned = azimuth_deg.rem_euclid(360.0);
    // A rounding error below north is north.
    if turned < 360.0 { turned + 0.0 } else { 0.0 }
}
