//! Degrees, minutes and seconds: `46° 12' 00.00" N`.

use super::definition::{Definition, Digits, LastDigit, Print};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "degrees-minutes-seconds",
    words: "degrees, minutes and seconds",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(2),
    last_digit: |digits| LastDigit::part(3600.0, digits),
    read: None,
    print: Print::Angles { one: |degrees, letter, digits| print(degrees.abs(), letter, digits), between: ", " },
    headers: &[],
    name_before: None,
};

/// Prints a magnitude with its hemisphere letter.
pub fn print(degrees: f64, letter: char, digits: usize) -> String {
    let (total, scale) = super::in_last_digits(degrees, 3600, digits);
    let (whole, rest) = (total / (3600 * scale), total % (3600 * scale));
    let (minutes, rest) = (rest / (60 * scale), rest % (60 * scale));
    let (seconds, fraction) = (rest / scale, rest % scale);
    if digits == 0 {
        format!("{whole}° {minutes:02}' {seconds:02}\" {letter}")
    } else {
        format!("{whole}° {minutes:02}' {seconds:02}.{fraction:0digits$}\" {letter}")
    }
}
