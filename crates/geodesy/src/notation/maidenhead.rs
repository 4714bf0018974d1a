//! Maidenhead locator: pairs of letters and digits in turn (radio amateurs, 1980).

use super::cell::{Cell, fold, stripped};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "maidenhead",
    words: "Maidenhead locator",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits {
        usual: 5,
        takes: |digits| (1..=6).contains(&digits),
        are: "pairs of characters, 1 to 6",
        are_decimals: false,
    },
    last_digit: |digits| {
        let d = [10.0, 1.0, 1.0 / 24.0, 1.0 / 240.0, 1.0 / 5760.0, 1.0 / 57_600.0][digits.clamp(1, 6) - 1];
        LastDigit::Cell(d, 2.0 * d)
    },
    read: Some(read),
    print: Print::Position(print),
    headers: &["maidenhead", "maidenheadlocator", "locator"],
    name_before: Some("locator"),
};

/// Cells in a pair: fields, squares, subsquares, extended squares and so on.
const DIVISIONS: [u32; 6] = [18, 10, 24, 10, 24, 10];

/// The reading, or `None` where the text is not in this notation. At least a field and a square.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["maidenhead", "locator", "grid square"]);
    let b = code.as_bytes();
    let mut cell = Cell::world();
    let shaped = (4..=12).contains(&b.len()) && b.len().is_multiple_of(2) && !text.trim().contains(' ') || named;
    if !shaped {
        return None;
    }
    let wrong = || {
        named.then(|| {
            Err(NotationError::new(
                text,
                None,
                "is not a locator: two letters A to R, two digits, two letters A to X, …",
            ))
        })
    };
    if b.len() < 2 || !b.len().is_multiple_of(2) || b.len() > 12 {
        return wrong();
    }
    for (pair, parts) in b.chunks(2).zip(DIVISIONS) {
        let index = |c: u8| {
            let v = if parts == 10 { c.wrapping_sub(b'0') } else { c.wrapping_sub(b'A') };
            (u32::from(v) < parts).then_some(f64::from(v))
        };
        let (Some(x), Some(y)) = (index(pair[0]), index(pair[1])) else { return wrong() };
        cell.width /= f64::from(parts);
        cell.height /= f64::from(parts);
        cell.west += x * cell.width;
        cell.south += y * cell.height;
    }
    Some(Ok(cell.reading(Notation::Maidenhead, "locator's cell")))
}

/// Prints a position with `digits` pairs, 1 to 6.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (lon, lat) = fold(lon_deg, lat_deg)?;
    // In whole cells of the finest division asked for, so that no rounding splits a pair.
    let parts = &DIVISIONS[..digits.clamp(1, 6)];
    let total: f64 = parts.iter().map(|p| f64::from(*p)).product();
    let mut x = (((lon + 180.0) / 360.0 * total + 1e-9).floor()).min(total - 1.0) as u64;
    let mut y = (((lat + 90.0) / 180.0 * total + 1e-9).floor()).min(total - 1.0) as u64;
    let mut pairs = Vec::new();
    for (i, p) in parts.iter().enumerate().rev() {
        let first = if *p == 10 {
            b'0'
        } else if i == 0 {
            b'A'
        } else {
            b'a'
        };
        let p = u64::from(*p);
        pairs.push([first + (x % p) as u8, first + (y % p) as u8]);
        (x, y) = (x / p, y / p);
    }
    Some(pairs.iter().rev().flatten().map(|b| char::from(*b)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_locators() {
        // Munich 48°08.8′ N 11°36.5′ E is JN58td, Montevideo 34°54.6′ S 56°12.7′ W is GF15vc (examples of the
        // amateur unions' descriptions).
        assert_eq!(print(11.608_33, 48.146_66, 3).unwrap(), "JN58td");
        assert_eq!(print(-56.211_66, -34.91, 3).unwrap(), "GF15vc");
        let r = read("JN58td").unwrap().unwrap();
        assert!((r.lon_deg - 11.625).abs() < 1e-9 && (r.lat_deg - 48.145_833_333).abs() < 1e-8);
    }

    #[test]
    fn what_is_none() {
        for text in ["SU12", "JN5", "JN58ty", "JN 58", "1234", "ABCD"] {
            assert!(read(text).is_none(), "{text}");
        }
        assert!(read("locator JN").unwrap().is_ok());
        assert!(read("locator ZZ99").unwrap().is_err());
    }
}
