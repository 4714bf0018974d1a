//! How a position is written: one file for each notation, parser beside printer.
//!
//! | example | read as | file |
//! |---|---|---|
//! | `46.2 -123.8`, `46,2; -123,8`, `123.8W 46.2N` | [`Notation::DecimalDegrees`] | [`decimal_degrees`] |
//! | `46° 12.0' N, 123° 48.0' W`, `N46 12.0 W123 48.0` | [`Notation::DegreesMinutes`] | [`degrees_minutes`] |
//! | `46°12'00"N 123°48'00"W`, `46 12 0 -123 48 0` | [`Notation::DegreesMinutesSeconds`] | [`degrees_minutes_seconds`] |
//! | `10T 438278 5116580`, `10 N 438278mE 5116580mN` | [`Notation::Utm`] | [`utm`] |
//! | `461200N 1234800W`, `N4612.0 W12348.0` | [`Notation::Packed`] | [`packed`] |
//! | `+46.2-123.8/`, `+4612.0-12348.0+12CRSWGS_84/` | [`Notation::Iso6709`] | [`iso_6709`] |
//! | `10TDS3827716579`, `YZG1234512345` | [`Notation::Mgrs`] | [`mgrs`] |
//! | `TG 51409 13177` | [`Notation::GreatBritainGrid`] | [`great_britain_grid`] |
//! | `O 15904 34671` | [`Notation::IrishGrid`] | [`irish_grid`] |
//! | `c20fbqumet` | [`Notation::Geohash`] | [`geohash`] |
//! | `84RW6622+22` | [`Notation::OpenLocationCode`] | [`open_location_code`] |
//! | `EKBB1212` | [`Notation::Georef`] | [`georef`] |
//! | `113LQ48` | [`Notation::Gars`] | [`gars`] |
//! | `CN86ce` | [`Notation::Maidenhead`] | [`maidenhead`] |
//! | `POINT (-123.8 46.2)` | [`Notation::WellKnownText`] | [`well_known_text`] |
//! | `geo:46.2,-123.8` | [`Notation::GeoUri`] | [`geo_uri`] |
//!
//! Links to maps that hold decimal degrees are read as these. Eastings and northings of a system that is said beforehand are in [`easting_northing`].
//!
//! To add one: a file with a `DEFINITION`, `read` and `print`, and one line in the list below.
//!
//! [`read`] is the one entry point: one reading is used, several are an error that lists them, none is an error
//! that says where it stopped. [`read_angle`] does the same for a column that holds one latitude or longitude.

mod angle;
mod cell;
mod common_form;
mod definition;
pub mod easting_northing;
mod link;
pub mod number;
mod pair;
mod squares;
mod token;

pub use angle::{Angle, read_angle};
use definition::{Definition, LastDigit, Print};
pub use number::{DecimalMark, MarkEvidence, mark_evidence, read_number, read_number_marked};

use crate::names::{self, UnknownName};
use std::fmt::{self, Display, Formatter};
use std::str::FromStr;

macro_rules! notations {
    ($($(#[$doc:meta])* $notation:ident = $file:ident,)+) => {
        $(pub mod $file;)+

        /// The notations that are read and printed.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[non_exhaustive]
        pub enum Notation {
            $($(#[$doc])* $notation,)+
        }

        /// All notations, in the order in which they are shown.
        pub const NOTATIONS: &[Notation] = &[$(Notation::$notation),+];

        static DEFINITIONS: &[&Definition] = &[$(&$file::DEFINITION),+];
    };
}

notations! {
    /// Degrees with decimals.
    DecimalDegrees = decimal_degrees,
    /// Whole degrees and decimal minutes.
    DegreesMinutes = degrees_minutes,
    /// Whole degrees, whole minutes and decimal seconds.
    DegreesMinutesSeconds = degrees_minutes_seconds,
    /// Zone, hemisphere or band, easting and northing of the universal transverse Mercator grid.
    Utm = utm,
    /// Degrees, minutes and seconds in one run of digits with a hemisphere letter.
    Packed = packed,
    /// The string form of ISO 6709.
    Iso6709 = iso_6709,
    /// Military grid references and the United States national grid.
    Mgrs = mgrs,
    /// References of the national grid of Great Britain.
    GreatBritainGrid = great_britain_grid,
    /// References of the Irish grid.
    IrishGrid = irish_grid,
    /// Geohash.
    Geohash = geohash,
    /// Open location codes.
    OpenLocationCode = open_location_code,
    /// World geographic reference system.
    Georef = georef,
    /// Global area reference system.
    Gars = gars,
    /// Maidenhead locator.
    Maidenhead = maidenhead,
    /// A point in the well-known text of simple features.
    WellKnownText = well_known_text,
    /// The `geo` address of RFC 5870.
    GeoUri = geo_uri,
}

impl FromStr for Notation {
    type Err = UnknownName;

    fn from_str(name: &str) -> Result<Self, UnknownName> {
        let named: Vec<(Notation, &'static str)> = NOTATIONS.iter().map(|n| (*n, n.name())).collect();
        names::find(&named, "notation", name)
    }
}

impl Display for Notation {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl Notation {
    fn definition(self) -> &'static Definition {
        DEFINITIONS[self as usize]
    }

    /// The notation that a column's header names.
    ///
    /// ```
    /// use basilocus_geodesy::notation::Notation;
    /// assert_eq!(Notation::of_header("UTM zone"), None);
    /// assert_eq!(Notation::of_header("MGRS"), Some(Notation::Mgrs));
    /// ```
    pub fn of_header(header: &str) -> Option<Self> {
        let plain: String = header.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
        let is_named =
            |n: &Notation| n.definition().headers.contains(&plain.as_str()) || n.name().replace('-', "") == plain;
        NOTATIONS.iter().copied().find(is_named)
    }

    /// Whether a code of it may be taken for another's, or for a word, where nothing says what it is.
    pub fn needs_naming(self) -> bool {
        self.definition().name_before.is_some()
    }

    /// The name used in options and reports.
    pub fn name(self) -> &'static str {
        self.definition().name
    }

    /// The name in words.
    pub fn words(self) -> &'static str {
        self.definition().words
    }

    /// Whether a position in it is one text, not two angles.
    pub fn is_whole(self) -> bool {
        matches!(self.definition().print, Print::Position(_))
    }

    /// Whether it names a cell, not a point.
    pub fn is_cell(self) -> bool {
        matches!((self.definition().last_digit)(self.usual_digits()), LastDigit::Cell(..))
    }

    /// Whether its digits count characters or places of a code, not decimals.
    pub fn is_code(self) -> bool {
        !self.definition().digits.are_decimals
    }

    /// The geographic system that the notation is defined on, where it is not the one of the data.
    pub fn crs_code(self) -> Option<u32> {
        self.definition().crs
    }

    /// Whether it is a grid on the ellipsoid of WGS 84, whatever system the data are in.
    pub fn is_wgs84_grid(self) -> bool {
        self.definition().is_wgs84_grid
    }

    /// Decimals or characters that show a metre or better, where the notation can.
    pub fn usual_digits(self) -> usize {
        self.definition().digits.usual
    }

    /// Whether so many digits can be asked for.
    pub fn takes_digits(self, digits: usize) -> bool {
        (self.definition().digits.takes)(digits)
    }

    /// What `digits` count, for messages.
    pub fn digits_are(self) -> &'static str {
        self.definition().digits.are
    }

    /// What one unit of the last digit, or the cell of a code, is worth on the ground at a latitude, metres
    /// (north-south, east-west).
    ///
    /// On the WGS 84 ellipsoid, from the radii of curvature.
    pub fn last_digit_m(self, digits: usize, lat_deg: f64) -> (f64, f64) {
        (self.definition().last_digit)(digits).metres(lat_deg)
    }
}

/// Which of two numbers comes first where nothing in the text says so.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AxisOrder {
    /// Both readings are an error if both are possible: the default, because the two places are far apart.
    #[default]
    Reject,
    /// Latitude first, as ISO 6709 writes positions.
    LatitudeFirst,
    /// Longitude first, as most tables and formats store them.
    LongitudeFirst,
}

const ORDERS: &[(AxisOrder, &str)] =
    &[(AxisOrder::LatitudeFirst, "latitude-first"), (AxisOrder::LongitudeFirst, "longitude-first")];

impl FromStr for AxisOrder {
    type Err = UnknownName;

    /// Of `latitude-first` or `longitude-first`; what rejects has no name, because nobody asks for it.
    fn from_str(name: &str) -> Result<Self, UnknownName> {
        names::find(ORDERS, "order of axes", name)
    }
}

impl Display for AxisOrder {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(ORDERS.iter().find(|(order, _)| order == self).map_or("not said", |(_, name)| name))
    }
}

/// A written position, understood.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    /// How it was written.
    pub notation: Notation,
    /// Longitude, degrees east, in the system that the text is in.
    pub lon_deg: f64,
    /// Latitude, degrees north.
    pub lat_deg: f64,
    /// What was read, in words, where that is more than latitude and longitude.
    detail: String,
    /// Height in metres, where the text has one.
    pub height_m: Option<f64>,
    /// Size of the cell that a code names, metres; the position is its centre.
    pub cell_m: Option<f64>,
    /// Code of the geographic system that longitude and latitude are in, where the notation or the text says it.
    pub crs: Option<u32>,
}

impl Reading {
    fn new(notation: Notation, lon_deg: f64, lat_deg: f64) -> Self {
        Reading { notation, lon_deg, lat_deg, detail: String::new(), height_m: None, cell_m: None, crs: None }
    }

    /// What was read, in words: `latitude 46.2° N, longitude 123.8° W`.
    pub fn words(&self) -> String {
        let place = match self.detail.as_str() {
            "" => position_words(self.lon_deg, self.lat_deg),
            detail => detail.to_string(),
        };
        match self.height_m {
            Some(h) => format!("{place}, height {h} m"),
            None => place,
        }
    }
}

/// `latitude 46.2° N, longitude 123.8° W`.
fn position_words(lon_deg: f64, lat_deg: f64) -> String {
    format!(
        "latitude {}° {}, longitude {}° {}",
        angle::trim(lat_deg.abs()),
        if lat_deg < 0.0 { 'S' } else { 'N' },
        angle::trim(lon_deg.abs()),
        if lon_deg < 0.0 { 'W' } else { 'E' }
    )
}

/// Kinds of problems with written positions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum NotationErrorKind {
    /// The text is no number, angle or position of any notation.
    Malformed,
    /// It can be read in several ways.
    Ambiguous,
    /// It is a latitude beyond a pole.
    LatitudeOutOfRange,
    /// It is a longitude beyond a whole turn.
    LongitudeOutOfRange,
}

/// Why a text is not a position.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("\"{}\" {problem}{}", shorten(.text), caret(.text, *.at))]
pub struct NotationError {
    /// The text as it was given.
    pub text: String,
    /// Character (not byte) at which reading stopped, counted from 0, where one place is to blame.
    pub at: Option<usize>,
    /// What kind of problem it is.
    pub kind: NotationErrorKind,
    /// What is wrong and what is expected, to follow the quoted text.
    pub problem: String,
    /// The readings between which the text does not decide; empty if there is none.
    pub readings: Vec<Reading>,
}

fn shorten(text: &str) -> String {
    if text.chars().count() <= 60 { text.to_string() } else { text.chars().take(57).chain("…".chars()).collect() }
}

fn caret(text: &str, at: Option<usize>) -> String {
    match at.and_then(|at| text.chars().nth(at).map(|c| (at, c))) {
        Some((at, c)) => format!(" (at character {}: \"{c}\")", at + 1),
        None => String::new(),
    }
}

impl NotationError {
    fn new(text: &str, at: Option<usize>, problem: impl Into<String>) -> Self {
        let kind = NotationErrorKind::Malformed;
        NotationError { text: text.to_string(), at, kind, problem: problem.into(), readings: Vec::new() }
    }

    fn of_kind(self, kind: NotationErrorKind) -> Self {
        NotationError { kind, ..self }
    }

    fn ambiguous(text: &str, readings: Vec<Reading>, remedy: &str) -> Self {
        let list = readings
            .iter()
            .map(|r| format!("{} ({})", r.words(), r.notation.words()))
            .collect::<Vec<_>>()
            .join(", or ");
        NotationError {
            text: text.to_string(),
            at: None,
            kind: NotationErrorKind::Ambiguous,
            problem: format!("has {} readings: {list}; {remedy}", readings.len()),
            readings,
        }
    }
}

/// Reads a position written in any notation.
///
/// # Errors
/// [`NotationError`] with the place where reading stopped, or with the readings where there are several.
///
/// ```
/// use basilocus_geodesy::notation::{read, AxisOrder, Notation};
/// let r = read("N46° 12.0' W123° 48.0'", AxisOrder::Reject).unwrap();
/// assert_eq!((r.notation, r.lon_deg, r.lat_deg), (Notation::DegreesMinutes, -123.8, 46.2));
/// // Both orders are possible here, so it is an error that lists them.
/// assert_eq!(read("10 20", AxisOrder::Reject).unwrap_err().readings.len(), 2);
/// ```
pub fn read(text: &str, order: AxisOrder) -> Result<Reading, NotationError> {
    if let Some(r) = common_form::read(text) {
        return Ok(r);
    }
    if text.trim().is_empty() {
        return Err(NotationError::new(text, None, "is empty"));
    }
    let longest = if link::is_link(text) { 2_000 } else { 200 };
    if text.len() > longest {
        return Err(NotationError::new(text, None, "is too long for a position"));
    }
    let mut readings: Vec<Reading> = Vec::new();
    let mut error = None;
    for reader in DEFINITIONS.iter().filter_map(|d| d.read) {
        match reader(text) {
            Some(Ok(r)) => readings.push(r),
            Some(Err(e)) => error = error.or(Some(e)),
            None => {}
        }
    }
    match (readings.len(), error) {
        (1, _) => return Ok(readings.swap_remove(0)),
        (0, Some(e)) => return Err(e),
        (0, None) => {}
        _ => {
            return Err(NotationError::ambiguous(
                text,
                readings,
                "write the notation's name before the code (MGRS, OS, IG, geohash, georef, GARS, locator)",
            ));
        }
    }
    if utm::looks_like(text) {
        return utm::read(text);
    }
    if let Some(position) = link::position(text) {
        return pair::read(&position, order).map_err(|e| NotationError { text: text.to_string(), ..e });
    }
    match iso_6709::height_at_end(text) {
        Some((position, height)) => pair::read(position, order).map(|r| Reading { height_m: Some(height), ..r }),
        None => pair::read(text, order),
    }
}

/// What is known of how a column writes positions: from its header, or from rows that leave no doubt.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Known {
    /// Which of two numbers comes first.
    pub order: AxisOrder,
    /// The notation that is meant where a text could be of several.
    pub notation: Option<Notation>,
    /// Whether the letters of UTM zones are bands.
    pub utm_bands: bool,
}

/// Reads a position of a column of which something is known. A text that leaves no doubt by itself is read as it says.
///
/// # Errors
/// As [`read`].
///
/// ```
/// use basilocus_geodesy::notation::{Known, Notation, read, read_known, AxisOrder};
/// // All letters: a word as well as a geohash.
/// assert!(read("dpzgxrhkmb", AxisOrder::Reject).is_err());
/// let known = Known { notation: Some(Notation::Geohash), ..Default::default() };
/// assert_eq!(read_known("dpzgxrhkmb", known).unwrap().notation, Notation::Geohash);
/// ```
pub fn read_known(text: &str, known: Known) -> Result<Reading, NotationError> {
    let plain = read(text, known.order);
    if known.utm_bands && utm::looks_like(text) && plain.as_ref().is_err_and(|e| !e.readings.is_empty()) {
        return utm::read_with(text, true);
    }
    let Some(notation) = known.notation else { return plain };
    if plain.as_ref().is_ok_and(|r| r.notation == notation) {
        return plain;
    }
    let named = notation.definition().name_before.zip(notation.definition().read);
    let read = named.and_then(|(name, reader)| reader(&format!("{name} {}", text.trim())));
    match (read, plain) {
        (Some(Ok(reading)), _) => Ok(reading),
        (_, plain) => plain,
    }
}

/// What a position says about the notation of its column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NotationEvidence {
    /// The notation that it can only be of, where it is a code.
    pub notation: Option<Notation>,
    /// Whether it is a position of UTM whose letter is a band.
    pub utm_band: bool,
    /// Whether it cannot be read without knowing more.
    pub is_open: bool,
}

/// What a position says about the notation of its column.
///
/// ```
/// use basilocus_geodesy::notation::{Notation, notation_evidence};
/// assert_eq!(notation_evidence("c20fbqumet").notation, Some(Notation::Geohash));
/// assert!(notation_evidence("dpzgxrhkmb").is_open);
/// assert!(notation_evidence("10T 438278 5116580").utm_band);
/// ```
pub fn notation_evidence(text: &str) -> NotationEvidence {
    let read = read(text, AxisOrder::LatitudeFirst);
    let notation = read.as_ref().ok().map(|r| r.notation).filter(|n| n.is_whole());
    let utm_band = notation == Some(Notation::Utm) && utm::has_band(text);
    NotationEvidence { notation, utm_band, is_open: read.is_err() && !text.trim().is_empty() }
}

/// Which orders of its numbers a written position allows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OrderEvidence {
    /// Letters or the notation say it, or it cannot be read at all: nothing follows for other rows.
    None,
    /// The numbers allow this order only.
    Only(AxisOrder),
    /// The numbers allow both.
    Either,
}

/// What a position says about the order of latitude and longitude in its column.
///
/// ```
/// use basilocus_geodesy::notation::{order_evidence, AxisOrder, OrderEvidence};
/// assert_eq!(order_evidence("46.2 -123.8"), OrderEvidence::Only(AxisOrder::LatitudeFirst));
/// assert_eq!(order_evidence("46.2 12.8"), OrderEvidence::Either);
/// assert_eq!(order_evidence("46.2 N 12.8 E"), OrderEvidence::None);
/// ```
pub fn order_evidence(text: &str) -> OrderEvidence {
    match (read(text, AxisOrder::LatitudeFirst), read(text, AxisOrder::LongitudeFirst)) {
        (Ok(a), Ok(b)) if (a.lon_deg, a.lat_deg) == (b.lon_deg, b.lat_deg) => OrderEvidence::None,
        (Ok(_), Ok(_)) => OrderEvidence::Either,
        (Ok(_), Err(_)) => OrderEvidence::Only(AxisOrder::LatitudeFirst),
        (Err(_), Ok(_)) => OrderEvidence::Only(AxisOrder::LongitudeFirst),
        (Err(_), Err(_)) => OrderEvidence::None,
    }
}

/// Prints a position. `digits` are decimals of the last part, or what [`Notation::digits_are`] says.
///
/// `None` outside the area of a grid (UTM: 80° S to 84° N), and for numbers that are no position.
///
/// ```
/// use basilocus_geodesy::notation::{print, Notation};
/// assert_eq!(print(-123.8, 46.2, Notation::DegreesMinutes, 3).unwrap(), "46° 12.000' N, 123° 48.000' W");
/// // 59.9996 seconds carry, they never become 60.
/// assert_eq!(print(0.0, 45.999_999_9, Notation::DegreesMinutesSeconds, 2).unwrap(), "46° 00' 00.00\" N, 0° 00' 00.00\" E");
/// ```
pub fn print(lon_deg: f64, lat_deg: f64, notation: Notation, digits: usize) -> Option<String> {
    match notation.definition().print {
        Print::Position(print) => print(lon_deg, lat_deg, digits),
        Print::Angles { between, .. } => Some(format!(
            "{}{between}{}",
            print_angle(lat_deg, true, notation, digits)?,
            print_angle(lon_deg, false, notation, digits)?
        )),
    }
}

/// Prints one latitude (`is_latitude`) or longitude. `None` for notations of whole positions and for numbers that
/// are no angle.
pub fn print_angle(degrees: f64, is_latitude: bool, notation: Notation, digits: usize) -> Option<String> {
    if !degrees.is_finite() || degrees.abs() > 360.0 || digits > 12 {
        return None;
    }
    let letter = match (is_latitude, degrees.is_sign_negative() && degrees != 0.0) {
        (true, false) => 'N',
        (true, true) => 'S',
        (false, false) => 'E',
        (false, true) => 'W',
    };
    match notation.definition().print {
        Print::Angles { one, .. } => Some(one(degrees, letter, digits)),
        Print::Position(_) => None,
    }
}

/// An angle cut into whole units of its last digit, so that rounding carries through every part.
fn in_last_digits(degrees: f64, per_degree: u64, digits: usize) -> (u128, u128) {
    let scale = 10u128.pow(digits as u32);
    // The product is formed in two parts to keep the digits that a double has.
    let whole = degrees.trunc();
    let rest = (degrees - whole) * (per_degree as f64 * scale as f64);
    (whole as u128 * u128::from(per_degree) * scale + rest.round() as u128, scale)
}

#[cfg(test)]
mod tests;
