//! Why a row of a source is no part of a reference, as classes that can be counted.

/// Why a row cannot be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Unusable {
    /// No locality, and no postcode that tells it.
    #[error("has no locality{}; a city or town is expected", of_its_postcode(.postcode))]
    NoLocality {
        /// The postcode, which is that of no one locality so far; may be empty.
        postcode: String,
    },
    /// No house number and no name of a house.
    #[error("house number \"{given}\" has no digits and is no name of a house")]
    NoNumber {
        /// What stands there.
        given: String,
    },
    /// No street.
    #[error("has no street name")]
    NoStreet,
    /// A place without a name.
    #[error("has no name")]
    NoName,
    /// A postcode row without one.
    #[error("has no postcode")]
    NoPostcode,
    /// A line with fewer than two points.
    #[error("has a line of fewer than two points")]
    ShortLine,
    /// A polygon without a ring.
    #[error("has no ring of four points or more")]
    NoRing,
    /// A position that is none on the earth.
    #[error("position {lon}, {lat} is not a longitude and a latitude in degrees")]
    Position {
        /// Longitude.
        lon: f64,
        /// Latitude.
        lat: f64,
    },
    /// A country that is none.
    #[error("country \"{0}\" is not known; a code of ISO 3166 or the name of a country is expected")]
    Country(String),
    /// More than the index can number.
    #[error("has one {0} more than a reference holds")]
    TooMany(&'static str),
    /// The temporary file failed.
    #[error("cannot be kept in a temporary file: {0}")]
    Temporary(String),
}

fn of_its_postcode(code: &str) -> String {
    if code.is_empty() { String::new() } else { format!(", and no one locality of its postcode {code} is known") }
}

impl Unusable {
    /// The class in words, as ledgers count it.
    pub const fn class(&self) -> &'static str {
        match self {
            Unusable::NoLocality { .. } => "no locality",
            Unusable::NoNumber { .. } => "no house number",
            Unusable::NoStreet => "no street name",
            Unusable::NoName => "no name",
            Unusable::NoPostcode => "no postcode",
            Unusable::ShortLine | Unusable::NoRing => "no line or polygon",
            Unusable::Position { .. } => "position not on the earth",
            Unusable::Country(_) => "country not known",
            Unusable::TooMany(_) => "more than a reference holds",
            Unusable::Temporary(_) => "temporary file failed",
        }
    }
}

impl From<Unusable> for String {
    fn from(u: Unusable) -> String {
        u.to_string()
    }
}

impl From<std::io::Error> for Unusable {
    fn from(e: std::io::Error) -> Self {
        Unusable::Temporary(e.to_string())
    }
}

/// Whether a position is on the earth.
pub(super) fn check(lon: f64, lat: f64) -> Result<(), Unusable> {
    if lon.abs() <= 180.0 && lat.abs() <= 90.0 { Ok(()) } else { Err(Unusable::Position { lon, lat }) }
}
