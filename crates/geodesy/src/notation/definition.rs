//! What a notation is, as data: each file has one, and the list in the module above names it.

use super::{NotationError, Reading};
use crate::ellipsoid::Ellipsoid;

/// A parser that knows at a glance whether a text is its own: `None` where it is not.
pub(super) type Reader = fn(&str) -> Option<Result<Reading, NotationError>>;

/// A notation.
pub(super) struct Definition {
    /// The name in options and reports.
    pub name: &'static str,
    /// The name in words.
    pub words: &'static str,
    /// The geographic system that it is defined on, where it is not the one of the data.
    pub crs: Option<u32>,
    /// Whether it is a grid on the ellipsoid of WGS 84.
    pub is_wgs84_grid: bool,
    pub digits: Digits,
    /// What one unit of the last of so many digits is worth.
    pub last_digit: fn(usize) -> LastDigit,
    /// Its parser; `None` for those that are tried after all others, and those that the shared parser of pairs reads.
    pub read: Option<Reader>,
    pub print: Print,
    /// Headers of columns that hold it, letters and digits alone in lower case.
    pub headers: &'static [&'static str],
    /// The name that stands before a code where the code alone could be another's.
    pub name_before: Option<&'static str>,
}

/// How fine a notation can be asked to be.
pub(super) struct Digits {
    /// What shows a metre or better, where the notation can.
    pub usual: usize,
    pub takes: fn(usize) -> bool,
    /// What they count, for messages.
    pub are: &'static str,
    /// Whether they are decimals of the last part.
    pub are_decimals: bool,
}

impl Digits {
    /// Decimals of the last part.
    pub(super) const fn decimals(usual: usize) -> Self {
        Digits { usual, takes: |digits| digits <= 12, are: "decimals, 0 to 12", are_decimals: true }
    }

    /// Digits of each coordinate of a grid of 100 km squares.
    pub(super) const SQUARES: Digits = Digits {
        usual: 5,
        takes: |digits| digits <= 5,
        are: "digits of easting and of northing, 0 to 5",
        are_decimals: false,
    };
}

/// The worth of a last digit, or the size of a cell.
pub(super) enum LastDigit {
    /// Degrees of latitude and of longitude.
    Degrees(f64, f64),
    Metres(f64),
    /// A cell, in degrees of latitude and of longitude.
    Cell(f64, f64),
}

impl LastDigit {
    /// Degrees of both axes: a part of so many of a degree, with decimals.
    pub(super) fn part(per_degree: f64, digits: usize) -> Self {
        let degrees = 10f64.powi(-(digits as i32)) / per_degree;
        LastDigit::Degrees(degrees, degrees)
    }

    /// Metres of a grid of 100 km squares.
    pub(super) fn square(digits: usize) -> Self {
        LastDigit::Metres(10f64.powi(5 - digits.min(5) as i32))
    }

    /// Metres (north-south, east-west) at a latitude, on the WGS 84 ellipsoid, from the radii of curvature.
    pub(super) fn metres(&self, lat_deg: f64) -> (f64, f64) {
        let (degrees, degrees_east) = match *self {
            LastDigit::Metres(m) => return (m, m),
            LastDigit::Degrees(north, east) | LastDigit::Cell(north, east) => (north, east),
        };
        let e = Ellipsoid::wgs84();
        let e2 = e.eccentricity_squared();
        let (s, c) = lat_deg.to_radians().sin_cos();
        let w = 1.0 - e2 * s * s;
        let meridian = e.semi_major_m * (1.0 - e2) / (w * w.sqrt());
        let normal = e.semi_major_m / w.sqrt();
        (meridian * degrees.to_radians(), normal * c * degrees_east.to_radians())
    }
}

/// How it is printed.
pub(super) enum Print {
    /// Longitude, latitude and digits to one text; `None` outside its area.
    Position(fn(f64, f64, usize) -> Option<String>),
    /// Two angles, each by itself.
    Angles {
        /// Degrees with their sign, the letter of the hemisphere, digits.
        one: fn(f64, char, usize) -> String,
        /// What stands between latitude and longitude.
        between: &'static str,
    },
}
