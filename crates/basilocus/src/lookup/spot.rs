//! One coordinate typed by hand: how it was read, and the same spot in other notations and systems.

use crate::coordinates::finder::Finder;
use crate::coordinates::position_text::{self, Typed};
use crate::coordinates::system;
use crate::plan::OperationPlan;
use crate::{Error, OperationReport};
use basilocus_geodesy::crs::{Area, Catalogue, Crs, Kind};
use basilocus_geodesy::notation::{self, AxisOrder, Notation};
use basilocus_geodesy::projection::Projection;
use basilocus_geodesy::sheet;
use basilocus_geodesy::zone::{UtmZone, band_of};
use serde::{Serialize, Serializer};
use std::collections::HashSet;

/// Systems offered without being asked for.
const OFFERED: usize = 6;
/// Decimals of seconds unless said; other notations have what is worth as much.
const USUAL_DIGITS: usize = 2;
/// Geographic systems of today that are offered where they are at home.
const GEOGRAPHIC_OFFERED: [u32; 4] = [4269, 4258, 7844, 4167];

/// A coordinate.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct SpotQuestion {
    /// The coordinate, in quotes where it has blanks; one that begins with a minus sign comes after `--`
    pub coordinate: String,
    /// Its system; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Systems to give it in
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub to: Vec<String>,
    /// Which number comes first, where the text does not say
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    pub order: Option<AxisOrder>,
    /// Decimals of seconds; the other notations follow
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N"))]
    pub digits: Option<usize>,
    /// Which way to take
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub operation: OperationPlan,
}

/// The spot.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SpotReport {
    /// The text.
    pub input: String,
    /// The notation it was read in.
    pub read_as: String,
    /// What was read.
    pub reading: String,
    /// Code or name of its system.
    pub crs: String,
    /// The same with the name.
    pub crs_title: String,
    /// Whether the question says the system.
    pub crs_said: bool,
    /// Longitude in WGS 84, degrees.
    pub lon: f64,
    /// Latitude in WGS 84, degrees.
    pub lat: f64,
    /// Height that came with the text, metres.
    pub height_m: Option<f64>,
    /// Size of the cell that a code names, metres; the position is its centre.
    pub cell_m: Option<f64>,
    /// Accuracy of the way to WGS 84, metres; 0 for a conversion, null where nobody states one.
    pub accuracy_m: Option<f64>,
    /// The way to WGS 84.
    pub operation: OperationReport,
    /// The same spot in other notations, by their names.
    #[serde(serialize_with = "by_name")]
    #[cfg_attr(feature = "schemas", schemars(with = "std::collections::BTreeMap<String, String>"))]
    pub notations: Vec<WrittenPosition>,
    /// Its zone of the universal transverse Mercator grid.
    pub zone: Option<SpotZone>,
    /// Its sheet of the international map 1:1,000,000.
    pub sheet: Option<SpotSheet>,
    /// The same spot in other systems.
    pub systems: Vec<SpotSystem>,
}

/// A position as one notation writes it.
#[derive(Debug, Clone, PartialEq)]
pub struct WrittenPosition {
    /// The notation.
    pub notation: Notation,
    /// The text.
    pub text: String,
    /// What its last digit, or the cell of a code, is worth from south to north, metres.
    pub last_digit_m: f64,
}

fn by_name<S: Serializer>(written: &[WrittenPosition], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_map(written.iter().map(|w| (w.notation.name(), &w.text)))
}

/// A zone.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SpotZone {
    /// Its number, 1 to 60.
    pub number: u8,
    /// The band of latitude.
    pub band: Option<char>,
    /// Central meridian, degrees.
    pub central_meridian: f64,
    /// Western limit, degrees.
    pub west: f64,
    /// Eastern limit, degrees.
    pub east: f64,
}

/// A sheet.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SpotSheet {
    /// Its number.
    pub number: String,
    /// Limits, degrees.
    pub west: f64,
    /// Southern limit.
    pub south: f64,
    /// Eastern limit.
    pub east: f64,
    /// Northern limit.
    pub north: f64,
}

/// The spot in a system.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SpotSystem {
    /// Code of the system, or its name.
    pub code: String,
    /// Name.
    pub name: String,
    /// Longitude or easting, in the system's unit.
    pub x: f64,
    /// Latitude or northing.
    pub y: f64,
    /// Height, where the system has one.
    pub z: Option<f64>,
    /// The unit in words.
    pub unit: String,
    /// Name of the operation from the system of the text.
    pub operation: String,
    /// Its accuracy in metres; 0 for a conversion, null where nobody states one.
    pub accuracy_m: Option<f64>,
    /// What a careful user should know.
    pub notes: Vec<String>,
    /// Whether the system has degrees.
    #[serde(skip)]
    pub is_geographic: bool,
}

impl SpotQuestion {
    /// A coordinate in WGS 84, or in the system that it says itself.
    pub fn new(coordinate: impl Into<String>) -> Self {
        SpotQuestion { coordinate: coordinate.into(), ..Default::default() }
    }

    /// Reads the coordinate and gives it in every useful form.
    ///
    /// # Errors
    /// Where it cannot be read, could be two places, or cannot be brought to a system that is asked for.
    ///
    /// ```
    /// use basilocus::lookup::SpotQuestion;
    ///
    /// let spot = SpotQuestion::new("10TDS3827716579").report()?;
    /// assert!((spot.lon + 123.8).abs() < 1e-4 && (spot.lat - 46.2).abs() < 1e-4);
    /// // Nothing says which of the two is the latitude, and both could be.
    /// assert!(SpotQuestion::new("46.2 12.5").report().is_err());
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<SpotReport, Error> {
        let catalogue = Catalogue::embedded();
        let wgs84 = catalogue.get(4326)?;
        let typed = position_text::read(&self.coordinate, self.from.as_deref(), self.order.unwrap_or_default())?;
        let finder = Finder::new(&self.operation, false)?.around(here(&typed));
        // A local transformation or a way by name is for the systems asked for; WGS 84 is reached as ever.
        let plain = Finder::new(&OperationPlan { via: None, ..self.operation.clone() }, false)?.around(here(&typed));
        let (lon, lat, _, to_wgs84) = typed.in_system(&wgs84, &plain)?;
        let mut systems = Vec::new();
        for text in &self.to {
            systems.push(in_system(&typed, &system::find(text)?.crs, &finder)?);
        }
        if self.to.is_empty() {
            systems = offered(&typed, catalogue, lon, lat, &plain);
        }
        Ok(SpotReport {
            input: self.coordinate.clone(),
            crs: typed.crs.identifier(),
            crs_title: typed.crs.title(),
            crs_said: self.from.is_some(),
            lon,
            lat,
            height_m: typed.height_m,
            cell_m: typed.cell_m,
            accuracy_m: to_wgs84.accuracy_m(),
            operation: OperationReport::of(&typed.crs, &wgs84, &to_wgs84),
            notations: self.written(&typed, lon, lat, &plain)?,
            zone: UtmZone::of(lon, lat).map(|z| SpotZone {
                number: z.number,
                band: band_of(lat),
                central_meridian: z.central_meridian_deg(),
                west: z.limits_deg().0,
                east: z.limits_deg().1,
            }),
            sheet: sheet::international(lon, lat).map(|s| {
                let [west, south, east, north] = s.limits_deg;
                SpotSheet { number: s.number, west, south, east, north }
            }),
            systems,
            read_as: typed.read_as,
            reading: typed.words,
        })
    }

    /// The spot in all notations that have a text for it.
    fn written(&self, typed: &Typed, lon: f64, lat: f64, finder: &Finder) -> Result<Vec<WrittenPosition>, Error> {
        let asked = self.digits.unwrap_or(USUAL_DIGITS);
        let mut written = Vec::new();
        for notation in notation::NOTATIONS.iter().copied() {
            // Codes are written to about a metre; the written angles follow the digits that were asked for.
            let digits = match notation.is_code() {
                true => notation.usual_digits(),
                false => (notation.usual_digits() + asked).saturating_sub(USUAL_DIGITS),
            };
            let (x, y) = match notation.crs_code() {
                None => (lon, lat),
                Some(code) => match typed.in_system(&Catalogue::embedded().get(code)?, finder) {
                    Ok((x, y, ..)) => (x, y),
                    Err(_) => continue,
                },
            };
            if let Some(text) = notation::print(x, y, notation, digits) {
                let (last_digit_m, _) = notation.last_digit_m(digits, lat);
                written.push(WrittenPosition { notation, text, last_digit_m });
            }
        }
        Ok(written)
    }
}

/// The area that is the position alone.
fn here(typed: &Typed) -> Area {
    Area::of_bounds([typed.lon, typed.lat, typed.lon, typed.lat])
}

fn in_system(typed: &Typed, crs: &Crs, finder: &Finder) -> Result<SpotSystem, Error> {
    let (x, y, z, operation) = typed.in_system(crs, finder)?;
    let mut notes = operation.notes().to_vec();
    let mut accuracy_m = operation.accuracy_m();
    if let Some(fitted) = finder.fitted(&typed.crs, crs) {
        let (x, y) = if fitted.of_target { (x, y) } else { (typed.x, typed.y) };
        notes.extend(fitted.far_words(fitted.see(vec![x], vec![y])));
        let (grown, told) = fitted.accuracy(accuracy_m);
        accuracy_m = grown;
        notes.extend(told);
    }
    Ok(SpotSystem {
        code: crs.identifier(),
        name: crs.name.clone(),
        x,
        y,
        z,
        unit: crs.unit_words(),
        operation: operation.name().to_string(),
        accuracy_m,
        notes,
        is_geographic: crs.is_geographic(),
    })
}

/// The smallest areas of use that hold the position, in datums of today first.
fn offered(typed: &Typed, catalogue: Catalogue, lon: f64, lat: f64, finder: &Finder) -> Vec<SpotSystem> {
    let at_home = |code: &u32| catalogue.get(*code).is_ok_and(|c| c.area.contains(lon, lat));
    let mut wanted: Vec<u32> = GEOGRAPHIC_OFFERED.into_iter().filter(at_home).collect();
    wanted.extend(UtmZone::of(lon, lat).map(|zone| zone.epsg_code()));
    let mut areas = HashSet::new();
    for crs in catalogue.projected_at(lon, lat) {
        let Kind::Projected { datum, method, .. } = &crs.kind else { continue };
        let Some(code) = crs.code else { continue };
        let of_today = ["GRS 1980", "WGS 84"].contains(&datum.ellipsoid.name.as_str()) && datum.shift.is_some();
        let is_usable = of_today && Projection::is_implemented(method);
        if wanted.len() < OFFERED + 2 && is_usable && areas.insert(crs.area.description.clone()) {
            wanted.push(code);
        }
    }
    let mut seen = HashSet::new();
    wanted.retain(|code| seen.insert(*code));
    wanted.iter().filter_map(|code| in_system(typed, &catalogue.get(*code).ok()?, finder).ok()).collect()
}
