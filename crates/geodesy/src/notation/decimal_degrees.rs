//! Decimal degrees: `46.2`, `-123.8`.

use super::definition::{Definition, Digits, LastDigit, Print};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "decimal-degrees",
    words: "decimal degrees",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(6),
    last_digit: |digits| LastDigit::part(1.0, digits),
    read: None,
    print: Print::Angles { one: |degrees, _, digits| print(degrees, digits), between: ", " },
    headers: &[],
    name_before: None,
};

/// Prints degrees with a sign and a fixed number of decimals.
pub fn print(degrees: f64, digits: usize) -> String {
    let text = format!("{degrees:.digits$}");
    // -0.000001 rounds to "-0.0000": a zero has no sign.
    match text.strip_prefix('-') {
        Some(rest) if rest.bytes().all(|b| b == b'0' || b == b'.') => rest.to_string(),
        _ => text,
    }
}
