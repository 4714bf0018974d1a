//! Open location codes: pairs of base-20 digits, then a grid of 4 by 5 cells (open specification, 2014).
//!
//! Full codes only: a short one stands for a place near a named town.

use super::cell::{Cell, fold};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "open-location-code",
    words: "open location code",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits {
        usual: 11,
        takes: |digits| (10..=15).contains(&digits) || matches!(digits, 2 | 4 | 6 | 8),
        are: "characters: 2, 4, 6, 8, or 10 to 15",
        are_decimals: false,
    },
    last_digit: |digits| {
        let digits = digits.clamp(2, 15) as i32;
        let pairs = 400.0 / 20f64.powi(digits.min(10) / 2);
        let fine = (digits - 10).max(0);
        LastDigit::Cell(pairs / 5f64.powi(fine), pairs / 4f64.powi(fine))
    },
    read: Some(read),
    print: Print::Position(print),
    headers: &["openlocationcode"],
    name_before: None,
};

const ALPHABET: &[u8; 20] = b"23456789CFGHJMPQRVWX";

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let code = text.trim().to_ascii_uppercase();
    let (before, after) = code.split_once('+')?;
    let ours = |s: &str| s.bytes().all(|b| ALPHABET.contains(&b) || b == b'0');
    // "+46.2" and "12+34" are numbers: eight characters come before the plus, four to six in a short code.
    if !ours(before) || !ours(after) || before.len() < 4 || !before.len().is_multiple_of(2) {
        return None;
    }
    let wrong = |problem: &str| Some(Err(NotationError::new(text, None, problem)));
    if before.len() < 8 {
        return wrong(
            "is a short open location code, which counts from a place that it does not name; give the full code with eight characters before the +",
        );
    }
    let digits: Vec<u8> = before.trim_end_matches('0').bytes().chain(after.bytes()).collect();
    let padded = before.ends_with('0');
    if before.len() > 8
        || digits.contains(&b'0')
        || padded && (!after.is_empty() || !digits.len().is_multiple_of(2))
        || after.len() == 1
        || digits.len() > 15
        || digits.len() < 2
    {
        return wrong("is not an open location code: eight characters, a +, and none or two to seven more");
    }
    let value = |b: u8| ALPHABET.iter().position(|a| *a == b).unwrap_or(0) as f64;
    let mut cell = Cell { west: -180.0, south: -90.0, width: 400.0, height: 400.0 };
    for pair in digits[..digits.len().min(10)].chunks(2) {
        cell.height /= 20.0;
        cell.width /= 20.0;
        cell.south += value(pair[0]) * cell.height;
        cell.west += value(pair[1]) * cell.width;
    }
    for &d in digits.iter().skip(10) {
        cell.height /= 5.0;
        cell.width /= 4.0;
        cell.south += (value(d) / 4.0).floor() * cell.height;
        cell.west += value(d) % 4.0 * cell.width;
    }
    if cell.south >= 90.0 || cell.west >= 180.0 {
        return wrong("is an open location code beyond 90° of latitude or 180° of longitude");
    }
    Some(Ok(cell.reading(Notation::OpenLocationCode, "open location code's cell")))
}

/// Prints a position with `digits` characters: 2, 4, 6, 8, 10 or 11 to 15.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (lon, lat) = fold(lon_deg, lat_deg)?;
    let mut length = digits.clamp(2, 15);
    if length < 10 {
        length -= length % 2;
    }
    // In whole units of the finest cell: 1/20³/5⁵ degrees of latitude, 1/20³/4⁵ of longitude.
    let mut y = ((lat + 90.0) * 8000.0 * 3125.0).floor() as u64;
    let mut x = ((lon + 180.0) * 8000.0 * 1024.0).floor() as u64;
    let mut code = [0u8; 15];
    for i in (10..15).rev() {
        code[i] = ALPHABET[(y % 5 * 4 + x % 4) as usize];
        (y, x) = (y / 5, x / 4);
    }
    for i in (0..5).rev() {
        code[2 * i + 1] = ALPHABET[(x % 20) as usize];
        code[2 * i] = ALPHABET[(y % 20) as usize];
        (y, x) = (y / 20, x / 20);
    }
    let text: String = code[..length].iter().map(|b| char::from(*b)).collect();
    Some(if length <= 8 { format!("{text:0<8}+") } else { format!("{}+{}", &text[..8], &text[8..]) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn published_examples() {
        // Test data of the specification (encoding and decoding).
        for (code, lat, lon, length) in [
            ("7FG49Q00+", 20.375, 2.775, 6),
            ("7FG49QCJ+2V", 20.370_062_5, 2.782_187_5, 10),
            ("7FG49QCJ+2VX", 20.370_112_5, 2.782_234_375, 11),
            ("8FVC2222+22", 47.000_062_5, 8.000_062_5, 10),
            ("4VCPPQGP+Q9", -41.273_062_5, 174.785_937_5, 10),
            ("62G20000+", 0.5, -179.5, 4),
            ("22220000+", -89.5, -179.5, 4),
        ] {
            let r = read(code).unwrap().unwrap();
            assert!((r.lat_deg - lat).abs() < 1e-10 && (r.lon_deg - lon).abs() < 1e-10, "{code} {r:?}");
            assert_eq!(print(lon, lat, length).unwrap(), code);
        }
    }

    #[test]
    fn what_is_no_full_code() {
        assert!(read("46+12").is_none());
        assert!(read("+46.2-123.8/").is_none());
        assert!(read("9QCJ+2V").unwrap().unwrap_err().problem.contains("short"));
        for bad in ["7FG49QCJ+2", "7FG40QCJ+2V", "7FG49Q00+2V", "XX000000+"] {
            assert!(read(bad).unwrap().is_err(), "{bad}");
        }
    }
}
