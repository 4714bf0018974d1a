//! Degrees and decimal minutes: `46° 12.000' N`.

use super::definition::{Definition, Digits, LastDigit, Print};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "degrees-minutes",
    words: "degrees and decimal minutes",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(4),
    last_digit: |digits| LastDigit::part(60.0, digits),
    read: None,
    print: Print::Angles { one: |degrees, letter, digits| print(degrees.abs(), letter, digits), between: ", " },
    headers: &[],
    name_before: None,
};

/// Prints a magnitude with its hemisphere letter.
pub fn print(degrees: f64, letter: char, digits: usize) -> String {
    let (total, scale) = super::in_last_digits(degrees, 60, digits);
    let (whole, rest) = (total / (60 * scale), total % (60 * scale));
    let (minutes, fraction) = (rest / scale, rest % scale);
    if digits == 0 {
        format!("{whole}° {minutes:02}' {letter}")
    } else {
        format!("{whole}° {minutes:02}.{fraction:0digits$}' {letter}")
    }
}
