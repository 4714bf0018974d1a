//! How much each disagreement costs. The confidence of a candidate is 100 less the sum.
//!
//! The numbers were set by hand; the benchmark prints, for generated dirt with known truth, the share of right
//! matches at each confidence, so that they can be compared with what they promise.

/// Candidates below this confidence are not used.
pub(super) const LEAST: u8 = 60;

/// Distance of names, by the length of the longer one.
pub(super) fn name(distance: usize, letters: usize) -> i32 {
    match distance {
        0 => 0,
        1 => 3 + 30 / letters.max(1) as i32,
        d => 6 + d as i32 * 50 / letters.max(1) as i32,
    }
}

/// A direction that is another one, or only on one side.
pub(super) fn direction(asked: Option<u8>, there: Option<u8>) -> i32 {
    match (asked, there) {
        (a, b) if a == b => 0,
        (Some(_), Some(_)) => 12,
        (None, Some(_)) => 4,
        (Some(_), None) => 6,
        (None, None) => 0,
    }
}

/// A thoroughfare type that is another one, or only on one side.
pub(super) fn street_type(asked: Option<u8>, there: Option<u8>) -> i32 {
    match (asked, there) {
        (a, b) if a == b => 0,
        (Some(_), Some(_)) => 9,
        _ => 4,
    }
}

/// The locality that was asked for is this one but for `distance` letters.
pub(super) fn locality_misspelt(distance: usize) -> i32 {
    4 * distance as i32
}
/// Another locality, which has the postcode that was given.
pub(super) const LOCALITY_BY_POSTCODE: i32 = 8;
/// A locality that the reference does not know, and no postcode that helps.
pub(super) const LOCALITY_UNKNOWN: i32 = 22;
/// Another locality than the one that was asked for and is known.
pub(super) const LOCALITY_OTHER: i32 = 45;
/// No locality was given and the postcode is another.
pub(super) const LOCALITY_MISSING_POSTCODE_OTHER: i32 = 18;
/// Neither locality nor postcode was given.
pub(super) const LOCALITY_MISSING: i32 = 8;
/// Another region than the one that was given.
pub(super) const REGION_OTHER: i32 = 20;
/// A postcode with one digit changed.
pub(super) const POSTCODE_ONE_DIGIT: i32 = 5;
/// Another postcode.
pub(super) const POSTCODE_OTHER: i32 = 9;
/// The point is there but its suffix (A, ½) is another.
pub(super) const SUFFIX: i32 = 5;
/// Placed by a number range.
pub(super) const RANGE: i32 = 4;
/// The range holds the number, but numbers of the other parity.
pub(super) const RANGE_PARITY: i32 = 12;
/// No number was asked for: the street as a whole.
pub(super) const STREET_NO_NUMBER: i32 = 5;
/// The number is on no point and in no range of the street.
pub(super) const STREET_NUMBER_OUTSIDE: i32 = 22;
/// Confidence of a postcode's middle where nothing finer was asked for.
pub(super) const POSTCODE_CONFIDENCE: i32 = 90;
/// Confidence of a locality's middle where nothing finer was asked for.
pub(super) const LOCALITY_CONFIDENCE: i32 = 85;
/// A thoroughfare was asked for and not found: the middle of a postcode is then rarely near it.
pub(super) const STREET_NOT_FOUND: i32 = 45;
