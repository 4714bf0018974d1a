//! Degrees and decimal minutes: `46° 12.000' N`.

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
