//! Why a row is not in the output, as a short name that is counted by.

use std::borrow::Cow;
use std::fmt;

/// The class of a reason for setting a row aside or leaving it out: what the ledger counts by.
///
/// Those that the program itself looks at have a constant here; a step of one's own may bring others.
///
/// ```
/// use basilocus_table::Reason;
///
/// const FLOODED: Reason = Reason::new("flooded");
/// assert_eq!(FLOODED.to_string(), "flooded");
/// assert!(FLOODED != Reason::BLANK_ROW);
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Reason(Cow<'static, str>);

impl Reason {
    /// A row without a single value.
    pub const BLANK_ROW: Reason = Reason::new("blank row");
    /// The header once more, among the rows.
    pub const HEADER_AGAIN: Reason = Reason::new("header again");
    /// A row of another table that stands below the one that is read.
    pub const OTHER_TABLE: Reason = Reason::new("another table");
    /// A row with more or fewer fields than the header.
    pub const RAGGED_ROW: Reason = Reason::new("ragged row");
    /// A row without a position, where one is needed.
    pub const NO_COORDINATES: Reason = Reason::new("no coordinates");
    /// A row without a geometry, where one is needed.
    pub const NO_GEOMETRY: Reason = Reason::new("no geometry");
    /// A row without a height, where its system needs one.
    pub const NO_HEIGHT: Reason = Reason::new("no height");
    /// A text that is no coordinate in any notation.
    pub const NOT_A_COORDINATE: Reason = Reason::new("not a coordinate");
    /// A text that may be read in two ways.
    pub const AMBIGUOUS_COORDINATE: Reason = Reason::new("ambiguous coordinate");
    /// The row says another zone than the system has.
    pub const OTHER_ZONE: Reason = Reason::new("another zone");
    /// A latitude beyond a pole.
    pub const LATITUDE_OUT_OF_RANGE: Reason = Reason::new("latitude out of range");
    /// A longitude beyond a whole turn.
    pub const LONGITUDE_OUT_OF_RANGE: Reason = Reason::new("longitude out of range");
    /// A position that an operation gives no numbers for.
    pub const CANNOT_BE_TRANSFORMED: Reason = Reason::new("cannot be transformed");
    /// A position that a notation has no text for.
    pub const OUTSIDE_THE_NOTATION: Reason = Reason::new("outside the notation");
    /// A value that the model of a layer has no place for.
    pub const DOES_NOT_FIT_THE_MODEL: Reason = Reason::new("does not fit the model");
    /// Left out: it has another value than those that were chosen.
    pub const OTHER_VALUE: Reason = Reason::new("another value");
    /// A value that is compared is neither a number nor a date.
    pub const NO_COMPARABLE_VALUE: Reason = Reason::new("no number or date to compare");
    /// Left out: it lies outside the extent that was chosen.
    pub const OUTSIDE_THE_EXTENT: Reason = Reason::new("outside the extent");
    /// Left out: it lies in none of the areas that were chosen.
    pub const OUTSIDE_THE_AREAS: Reason = Reason::new("outside the areas");

    /// A reason of this name.
    pub const fn new(name: &'static str) -> Self {
        Reason(Cow::Borrowed(name))
    }

    /// A reason whose name is made while rows go by.
    pub fn named(name: String) -> Self {
        Reason(Cow::Owned(name))
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Reason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<&'static str> for Reason {
    fn from(name: &'static str) -> Self {
        Reason::new(name)
    }
}
