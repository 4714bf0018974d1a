//! The zone of a longitude or position, or the limits of a zone, of the universal transverse Mercator grid.

use crate::Error;
use crate::coordinates::position_text;
use basilocus_geodesy::notation::{self, AxisOrder};
use basilocus_geodesy::zone::{UtmZone, band_limits_deg, band_of};
use serde::Serialize;

/// A longitude, a position or a zone.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ZoneQuestion {
    /// A longitude, a position, or a zone such as 10, 10N or 10T
    #[cfg_attr(feature = "arguments", arg(required = true, num_args = 1..))]
    pub what: Vec<String>,
}

/// The zone.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ZoneReport {
    /// Its number, 1 to 60.
    pub zone: u8,
    /// The longitude that was asked for, degrees.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lon: Option<f64>,
    /// The latitude that was asked for, degrees.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lat: Option<f64>,
    /// Central meridian, degrees.
    pub central_meridian: f64,
    /// Western limit, degrees.
    pub west: f64,
    /// Eastern limit, degrees.
    pub east: f64,
    /// Codes of the systems of the zone in WGS 84; of both hemispheres where nothing says which.
    pub crs: Vec<String>,
    /// The band of latitude.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub band: Option<Band>,
    /// What was asked for.
    #[serde(skip)]
    pub asked: ZoneAsked,
}

/// What a report on a zone was asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ZoneAsked {
    /// The zone itself.
    Zone,
    /// The zone of a longitude.
    Longitude,
    /// The zone of a position.
    Position,
}

/// A band of latitude.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Band {
    /// Its letter, C to X.
    pub letter: char,
    /// Southern limit, degrees.
    pub south: f64,
    /// Northern limit, degrees.
    pub north: f64,
}

impl Band {
    fn of(letter: char) -> Option<Self> {
        band_limits_deg(letter).map(|(south, north)| Band { letter, south, north })
    }
}

impl ZoneQuestion {
    /// Finds the zone.
    ///
    /// # Errors
    /// [`Error::Usage`] for what is no zone and no position, and for positions beyond the grid's reach.
    ///
    /// ```
    /// use basilocus::lookup::ZoneQuestion;
    ///
    /// let zone = |what: &str| ZoneQuestion { what: vec![what.into()] }.report();
    /// assert_eq!(zone("60.5 N 4.5 E")?.zone, 32, "south-west Norway");
    /// assert_eq!(zone("31N")?.crs, ["EPSG:32631", "EPSG:32731"], "N is a band to some, a hemisphere to others");
    /// assert!(zone("31I").is_err());
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<ZoneReport, Error> {
        let text = self.what.join(" ");
        let plain = text.trim();
        match zone_named(plain)? {
            Some((number, band)) => Ok(of_zone(number, band)),
            None => of_place(plain),
        }
    }
}

/// A zone that is named: its number, perhaps with a band. "10" alone is a zone; "10.5" and "-123.8" are longitudes.
fn zone_named(text: &str) -> Result<Option<(u8, Option<Band>)>, Error> {
    let digits = text.len() - text.trim_start_matches(|c: char| c.is_ascii_digit()).len();
    let (number, rest) = (text[..digits].parse::<u8>().ok().filter(|n| (1..=60).contains(n)), text[digits..].trim());
    let Some(number) = number else { return Ok(None) };
    let mut letters = rest.chars();
    match (letters.next().map(|c| c.to_ascii_uppercase()), letters.next()) {
        (None, _) => Ok(Some((number, None))),
        (Some(letter), None) if letter.is_ascii_alphabetic() && !"EW".contains(rest) => match Band::of(letter) {
            Some(band) => Ok(Some((number, Some(band)))),
            None => Err(Error::Usage(format!(
                "\"{text}\": {letter} is no hemisphere and no latitude band (C to X without I and O)"
            ))),
        },
        _ => Ok(None),
    }
}

fn codes(zone: UtmZone, both: bool) -> Vec<String> {
    let code = |north: bool| format!("EPSG:{}", UtmZone { north, ..zone }.epsg_code());
    if both { vec![code(true), code(false)] } else { vec![code(zone.north)] }
}

fn of_zone(number: u8, band: Option<Band>) -> ZoneReport {
    let zone = UtmZone { number, north: true };
    let (west, east) = zone.limits_deg();
    ZoneReport {
        zone: number,
        lon: None,
        lat: None,
        central_meridian: zone.central_meridian_deg(),
        west,
        east,
        crs: codes(zone, true),
        band,
        asked: ZoneAsked::Zone,
    }
}

fn of_place(text: &str) -> Result<ZoneReport, Error> {
    let number = notation::read_number(text).ok();
    let (lon, lat) = match number.or_else(|| notation::read_angle(text, false).ok().map(|a| a.degrees)) {
        Some(lon) => (lon, None),
        None => {
            let p = position_text::read(text, None, AxisOrder::Reject)?;
            (p.lon, Some(p.lat))
        }
    };
    if !(lon.abs() <= 360.0) {
        return Err(Error::Usage(format!("\"{text}\": {lon} is no longitude; −180 to 180 degrees are expected")));
    }
    // 180° is the western edge of the first zone, as −180° is.
    let lon = if (-180.0..180.0).contains(&lon) { lon } else { (lon + 180.0).rem_euclid(360.0) - 180.0 };
    let zone = UtmZone::of(lon, lat.unwrap_or(0.0)).ok_or_else(|| {
        Error::Usage(format!(
            "\"{text}\": UTM reaches from 80° S to 84° N; polewards the polar stereographic grid is used (EPSG:5041, EPSG:5042)"
        ))
    })?;
    let (west, east) = zone.limits_deg();
    Ok(ZoneReport {
        zone: zone.number,
        lon: Some(lon),
        lat,
        central_meridian: zone.central_meridian_deg(),
        west,
        east,
        crs: codes(zone, lat.is_none()),
        band: lat.and_then(band_of).and_then(Band::of),
        asked: if lat.is_some() { ZoneAsked::Position } else { ZoneAsked::Longitude },
    })
}
