//! World geographic reference system: letters for 15° and 1° cells, digits for minutes (United States, 1951).

use super::cell::{Cell, LETTERS, fold, letter_index, stripped};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "georef",
    words: "world geographic reference system",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits {
        usual: 5,
        takes: |digits| digits == 0 || (2..=6).contains(&digits),
        are: "digits of longitude and of latitude, 0 or 2 to 6",
        are_decimals: false,
    },
    last_digit: |digits| {
        let d = if digits == 0 { 1.0 } else { 10f64.powi(2 - digits.clamp(2, 6) as i32) / 60.0 };
        LastDigit::Cell(d, d)
    },
    read: Some(read),
    print: Print::Position(print),
    headers: &["georef"],
    name_before: Some("georef"),
};

/// The reading, or `None` where the text is not in this notation. Codes without digits need the word `georef`.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["georef"]);
    let b = code.as_bytes();
    let letters = b.iter().take_while(|c| c.is_ascii_uppercase()).count();
    let digits = &b[letters..];
    let shaped = letters == 4 && digits.iter().all(u8::is_ascii_digit) && (named || digits.len() >= 4);
    if !shaped {
        return named.then(|| {
            Err(NotationError::new(text, None, "is not a georef code: four letters and an even number of digits"))
        });
    }
    let wrong = |problem: String| Some(Err(NotationError::new(text, None, problem)));
    let index = |i: usize, limit: usize| letter_index(b[i]).filter(|v| *v < limit);
    let (Some(a), Some(c), Some(d), Some(e)) = (index(0, 24), index(1, 12), index(2, 15), index(3, 15)) else {
        return if named {
            wrong("has letters that no georef cell has (A to Z, A to M, A to Q, A to Q, without I and O)".into())
        } else {
            None
        };
    };
    if !digits.len().is_multiple_of(2) || digits.len() > 12 || digits.len() == 2 {
        return wrong("has a number of digits that does not halve into minutes east and north (4, 6, 8, …)".into());
    }
    let half = digits.len() / 2;
    let number = |d: &[u8]| d.iter().fold(0.0, |sum, c| sum * 10.0 + f64::from(c - b'0'));
    let unit = if half == 0 { 60.0 } else { 10f64.powi(2 - half as i32) };
    let (east, north) = (number(&digits[..half]) * unit, number(&digits[half..]) * unit);
    if half > 0 && (east >= 60.0 || north >= 60.0) {
        return wrong(format!("has minutes {east} and {north}; they end below 60"));
    }
    let cell = Cell {
        west: -180.0 + 15.0 * a as f64 + d as f64 + if half == 0 { 0.0 } else { east / 60.0 },
        south: -90.0 + 15.0 * c as f64 + e as f64 + if half == 0 { 0.0 } else { north / 60.0 },
        width: unit / 60.0,
        height: unit / 60.0,
    };
    Some(Ok(cell.reading(Notation::Georef, "georef cell")))
}

/// Prints a position with `digits` digits for each of the two: 0, or 2 (whole minutes) to 6.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (lon, lat) = fold(lon_deg, lat_deg)?;
    let digits = if digits == 1 { 2 } else { digits.min(6) };
    let scale = 60.0 * 10f64.powi(digits.max(2) as i32 - 2);
    // Whole units of the last digit from the south-west corner of the world.
    let units = |deg: f64| (deg * scale + 1e-9).floor() as u64;
    let per_degree = scale as u64;
    let (x, y) = (units(lon + 180.0).min(360 * per_degree - 1), units(lat + 90.0).min(180 * per_degree - 1));
    let (xd, yd) = ((x / per_degree) as usize, (y / per_degree) as usize);
    let letter = |i: usize| char::from(LETTERS[i]);
    let mut out: String = [xd / 15, yd / 15, xd % 15, yd % 15].into_iter().map(letter).collect();
    if digits > 0 {
        out.push_str(&format!("{:0digits$}{:0digits$}", x % per_degree, y % per_degree));
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_cells() {
        // 38°17′10″ N 76°24′42″ W, the example of the system's description: GJPJ3517.
        assert_eq!(print(-(76.0 + 24.7 / 60.0), 38.0 + 17.0 / 60.0 + 10.0 / 3600.0, 2).unwrap(), "GJPJ3517");
        let r = read("GJPJ 3517").unwrap().unwrap();
        assert!((r.lon_deg + 76.0 + 24.5 / 60.0).abs() < 1e-9 && (r.lat_deg - 38.0 - 17.5 / 60.0).abs() < 1e-9);
        assert!(read("georef MKPG").unwrap().is_ok());
    }

    #[test]
    fn what_is_none() {
        for text in ["MKPG", "MKPG12", "BRIDGE1234", "AB1234", "ZZZZ1234"] {
            assert!(read(text).is_none(), "{text}");
        }
        assert!(read("GJPJ6517").unwrap().unwrap_err().problem.contains("below 60"));
        assert!(read("GJPJ35170").unwrap().is_err());
    }
}
