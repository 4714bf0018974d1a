//! Geohash: base-32 characters, each five bits of longitude and latitude in turn (public domain, 2008).
//!
//! Written in lower case with at least five characters, letters and digits among them; other codes need the word
//! `geohash` before them, since many words and other codes are made of the same characters.

use super::cell::{Cell, fold};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "geohash",
    words: "geohash",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits {
        usual: 10,
        takes: |digits| (1..=12).contains(&digits),
        are: "characters, 1 to 12",
        are_decimals: false,
    },
    last_digit: |digits| {
        let bits = 5 * digits.clamp(1, 12) as i32;
        LastDigit::Cell(180.0 / 2f64.powi(bits / 2), 360.0 / 2f64.powi(bits - bits / 2))
    },
    read: Some(read),
    print: Print::Position(print),
    headers: &["geohash"],
    name_before: Some("geohash"),
};

const ALPHABET: &[u8; 32] = b"0123456789bcdefghjkmnpqrstuvwxyz";

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let trimmed = text.trim();
    let lower = trimmed.to_ascii_lowercase();
    let named = lower.strip_prefix("geohash").map(|r| r.trim_start_matches([':', ' ', '=']));
    let code = named.unwrap_or(trimmed);
    if named.is_none() {
        let letters = code.bytes().filter(u8::is_ascii_lowercase).count();
        let digits = code.bytes().filter(u8::is_ascii_digit).count();
        if !(5..=12).contains(&code.len()) || letters < 2 || digits < 1 || letters + digits != code.len() {
            return None;
        }
    }
    let mut cell = Cell::world();
    let mut even = true;
    for (at, c) in code.bytes().enumerate() {
        let Some(value) = ALPHABET.iter().position(|a| *a == c) else {
            let wrong =
                NotationError::new(text, None, format!("has the character {}, which is none of a geohash", at + 1));
            return named.map(|_| Err(wrong));
        };
        for bit in (0..5).rev() {
            let upper = value >> bit & 1 == 1;
            if even {
                cell.width /= 2.0;
                cell.west += if upper { cell.width } else { 0.0 };
            } else {
                cell.height /= 2.0;
                cell.south += if upper { cell.height } else { 0.0 };
            }
            even = !even;
        }
    }
    if code.is_empty() || code.len() > 12 {
        return Some(Err(NotationError::new(text, None, "has no geohash of 1 to 12 characters")));
    }
    Some(Ok(cell.reading(Notation::Geohash, "geohash cell")))
}

/// Prints a position with `digits` characters, 1 to 12.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (lon, lat) = fold(lon_deg, lat_deg)?;
    let mut cell = Cell::world();
    let mut even = true;
    let mut out = String::new();
    for _ in 0..digits.clamp(1, 12) {
        let mut value = 0;
        for _ in 0..5 {
            value *= 2;
            if even {
                cell.width /= 2.0;
                if lon >= cell.west + cell.width {
                    cell.west += cell.width;
                    value += 1;
                }
            } else {
                cell.height /= 2.0;
                if lat >= cell.south + cell.height {
                    cell.south += cell.height;
                    value += 1;
                }
            }
            even = !even;
        }
        out.push(char::from(ALPHABET[value]));
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn published_examples() {
        // The notation's description: ezs42 is 42.605, -5.603; u4pruydqqvj is 57.64911, 10.40744.
        let r = read("ezs42").unwrap().unwrap();
        assert!((r.lat_deg - 42.605).abs() < 5e-4 && (r.lon_deg + 5.603).abs() < 5e-4);
        assert_eq!(print(10.407_44, 57.649_11, 11).unwrap(), "u4pruydqqvj");
        assert_eq!(print(-5.603, 42.605, 5).unwrap(), "ezs42");
    }

    #[test]
    fn words_are_not_codes() {
        for word in ["creek", "bridge", "12345", "EZS42", "north", "9q8", "46.2n"] {
            assert!(read(word).is_none(), "{word}");
        }
        assert!(read("geohash:creek").unwrap().is_ok());
        assert!(read("geohash:ail").unwrap().is_err(), "a, i and l are left out");
        assert!(read("geohash").unwrap().is_err());
    }
}
