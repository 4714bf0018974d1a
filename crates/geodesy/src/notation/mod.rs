//! How a position is written: one file for each notation, parser beside printer.
//!
//! | example | read as | file |
//! |---|---|---|
//! | `46.2 -123.8`, `46,2; -123,8`, `123.8W 46.2N` | [`Notation::DecimalDegrees`] | [`decimal_degrees`] |
//! | `46° 12.0' N, 123° 48.0' W`, `N46 12.0 W123 48.0` | [`Notation::DegreesMinutes`] | [`degrees_minutes`] |
//! | `46°12'00"N 123°48'00"W`, `46 12 0 -123 48 0` | [`Notation::DegreesMinutesSeconds`] | [`degrees_minutes_seconds`] |
//! | `10T 438278 5116580`, `10 N 438278mE 5116580mN` | [`Notation::Utm`] | [`utm`] |
//!
//! [`read`] is the one entry point: one reading is used, several are an error that lists them, none is an error
//! that says where it stopped. [`read_angle`] does the same for a column that holds one latitude or longitude.

mod angle;
pub mod decimal_degrees;
pub mod degrees_minutes;
pub mod degrees_minutes_seconds;
pub mod number;
mod pair;
mod token;
pub mod utm;

pub use angle::{Angle, read_angle};
pub use number::read_number;

/// The notations that are read and printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Notation {
    /// Degrees with decimals.
    DecimalDegrees,
    /// Whole degrees and decimal minutes.
    DegreesMinutes,
    /// Whole degrees, whole minutes and decimal seconds.
    DegreesMinutesSeconds,
    /// Zone, hemisphere or band, easting and northing of the universal transverse Mercator grid.
    Utm,
}

/// All notations with their names, for messages and options.
pub const NOTATIONS: &[(Notation, &str)] = &[
    (Notation::DecimalDegrees, "decimal-degrees"),
    (Notation::DegreesMinutes, "degrees-minutes"),
    (Notation::DegreesMinutesSeconds, "degrees-minutes-seconds"),
    (Notation::Utm, "utm"),
];

impl Notation {
    /// The name used in options and reports.
    pub fn name(self) -> &'static str {
        NOTATIONS.iter().find(|(n, _)| *n == self).map_or("", |(_, name)| name)
    }

    /// The notation of that name.
    pub fn from_name(name: &str) -> Option<Self> {
        NOTATIONS.iter().find(|(_, n)| *n == name).map(|(n, _)| *n)
    }

    /// The name in words.
    pub fn words(self) -> String {
        match self {
            Notation::Utm => "UTM".into(),
            other => other
                .name()
                .replace("degrees-minutes-seconds", "degrees, minutes and seconds")
                .replace("degrees-minutes", "degrees and decimal minutes")
                .replace('-', " "),
        }
    }

    /// Decimals that show a tenth of a metre or better.
    pub fn usual_digits(self) -> usize {
        match self {
            Notation::DecimalDegrees => 6,
            Notation::DegreesMinutes => 4,
            Notation::DegreesMinutesSeconds => 2,
            Notation::Utm => 1,
        }
    }

    /// What one unit of the last digit is worth on the ground at a latitude, metres (north-south, east-west).
    ///
    /// On the WGS 84 ellipsoid, from the radii of curvature.
    pub fn last_digit_m(self, digits: usize, lat_deg: f64) -> (f64, f64) {
        let unit = 10f64.powi(-(digits as i32));
        let degrees = match self {
            Notation::DecimalDegrees => unit,
            Notation::DegreesMinutes => unit / 60.0,
            Notation::DegreesMinutesSeconds => unit / 3600.0,
            Notation::Utm => return (unit, unit),
        };
        let e = crate::ellipsoid::Ellipsoid::wgs84();
        let e2 = e.eccentricity_squared();
        let (s, c) = lat_deg.to_radians().sin_cos();
        let w = 1.0 - e2 * s * s;
        let meridian = e.semi_major_m * (1.0 - e2) / (w * w.sqrt());
        let normal = e.semi_major_m / w.sqrt();
        (meridian * degrees.to_radians(), normal * c * degrees.to_radians())
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

/// A written position, understood.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    /// How it was written.
    pub notation: Notation,
    /// Longitude, degrees east, in the system that the text is in.
    pub lon_deg: f64,
    /// Latitude, degrees north.
    pub lat_deg: f64,
    /// What was read, in words: `latitude 46.2° N, longitude 123.8° W`.
    pub words: String,
}

/// Why a text is not a position.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("\"{}\" {problem}{}", shorten(.text), caret(.text, *.at))]
pub struct NotationError {
    /// The text as it was given.
    pub text: String,
    /// Character (not byte) at which reading stopped, counted from 0, where one place is to blame.
    pub at: Option<usize>,
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
        NotationError { text: text.to_string(), at, problem: problem.into(), readings: Vec::new() }
    }

    fn ambiguous(text: &str, readings: Vec<Reading>, remedy: &str) -> Self {
        let list =
            readings.iter().map(|r| format!("{} ({})", r.words, r.notation.words())).collect::<Vec<_>>().join(", or ");
        NotationError {
            text: text.to_string(),
            at: None,
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
    if text.trim().is_empty() {
        return Err(NotationError::new(text, None, "is empty"));
    }
    if text.len() > 200 {
        return Err(NotationError::new(text, None, "is too long for a position"));
    }
    if utm::looks_like(text) {
        return utm::read(text);
    }
    pair::read(text, order)
}

/// Prints a position. `digits` are decimals of the last part.
///
/// `None` for UTM outside 80° S to 84° N, and for numbers that are no position.
///
/// ```
/// use basilocus_geodesy::notation::{print, Notation};
/// assert_eq!(print(-123.8, 46.2, Notation::DegreesMinutes, 3).unwrap(), "46° 12.000' N, 123° 48.000' W");
/// // 59.9996 seconds carry, they never become 60.
/// assert_eq!(print(0.0, 45.999_999_9, Notation::DegreesMinutesSeconds, 2).unwrap(), "46° 00' 00.00\" N, 0° 00' 00.00\" E");
/// ```
pub fn print(lon_deg: f64, lat_deg: f64, notation: Notation, digits: usize) -> Option<String> {
    if notation == Notation::Utm {
        return utm::print(lon_deg, lat_deg, digits);
    }
    Some(format!(
        "{}, {}",
        print_angle(lat_deg, true, notation, digits)?,
        print_angle(lon_deg, false, notation, digits)?
    ))
}

/// Prints one latitude (`is_latitude`) or longitude. `None` for UTM and for numbers that are no angle.
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
    match notation {
        Notation::DecimalDegrees => Some(decimal_degrees::print(degrees, digits)),
        Notation::DegreesMinutes => Some(degrees_minutes::print(degrees.abs(), letter, digits)),
        Notation::DegreesMinutesSeconds => Some(degrees_minutes_seconds::print(degrees.abs(), letter, digits)),
        Notation::Utm => None,
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
