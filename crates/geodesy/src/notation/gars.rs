//! Global area reference system: half-degree cells, their quarters and ninths of those (United States, 2006).

use super::cell::{Cell, LETTERS, fold, letter_index, stripped};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "gars",
    words: "global area reference system",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits {
        usual: 2,
        takes: |digits| digits <= 2,
        are: "characters after the letters, 0 to 2",
        are_decimals: false,
    },
    last_digit: |digits| {
        let d = [0.5, 0.25, 0.25 / 3.0][digits.min(2)];
        LastDigit::Cell(d, d)
    },
    read: Some(read),
    print: Print::Position(print),
    headers: &["gars"],
    name_before: Some("GARS"),
};

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["gars"]);
    let b = code.as_bytes();
    let shaped = (5..=7).contains(&b.len())
        && b[..3].iter().all(u8::is_ascii_digit)
        && b[3..5].iter().all(u8::is_ascii_uppercase)
        && b[5..].iter().all(u8::is_ascii_digit);
    if !shaped {
        return named.then(|| {
            Err(NotationError::new(
                text,
                None,
                "is not a global area reference: three digits, two letters, and a quadrant and a key",
            ))
        });
    }
    let wrong = |problem: &str| Some(Err(NotationError::new(text, None, problem)));
    let band = b[..3].iter().fold(0usize, |sum, c| sum * 10 + usize::from(c - b'0'));
    if !(1..=720).contains(&band) {
        return wrong("has a band of longitude outside 001 to 720");
    }
    let (Some(high), Some(low)) = (letter_index(b[3]), letter_index(b[4])) else {
        return wrong("has the letter I or O, which no band of latitude has");
    };
    let row = high * 24 + low;
    if row >= 360 {
        return wrong("has a band of latitude beyond QZ");
    }
    let mut cell =
        Cell { west: (band - 1) as f64 * 0.5 - 180.0, south: row as f64 * 0.5 - 90.0, width: 0.5, height: 0.5 };
    if let Some(q) = b.get(5) {
        let q = match q {
            b'1'..=b'4' => q - b'1',
            _ => return wrong("has a quadrant outside 1 to 4"),
        };
        cell.width = 0.25;
        cell.height = 0.25;
        // 1 and 2 are in the north.
        cell.west += f64::from(q % 2) * 0.25;
        cell.south += if q < 2 { 0.25 } else { 0.0 };
    }
    if let Some(k) = b.get(6) {
        if *k == b'0' {
            return wrong("has the key 0; keys are 1 to 9");
        }
        let k = k - b'1';
        cell.width /= 3.0;
        cell.height /= 3.0;
        cell.west += f64::from(k % 3) * cell.width;
        cell.south += f64::from(2 - k / 3) * cell.height;
    }
    Some(Ok(cell.reading(Notation::Gars, "global area reference's cell")))
}

/// Prints a position: `digits` 0 for the half degree, 1 for the quadrant, 2 and more for the key.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (lon, lat) = fold(lon_deg, lat_deg)?;
    // In twelfths of a degree (5′) from the south-west corner of the world.
    let x = (((lon + 180.0) * 12.0 + 1e-9).floor() as usize).min(360 * 12 - 1);
    let y = (((lat + 90.0) * 12.0 + 1e-9).floor() as usize).min(180 * 12 - 1);
    let (band, row) = (x / 6, y / 6);
    let mut out = format!("{:03}{}{}", band + 1, char::from(LETTERS[row / 24]), char::from(LETTERS[row % 24]));
    let (qx, qy) = (x % 6 / 3, y % 6 / 3);
    if digits >= 1 {
        out.push(char::from(b'1' + (qx + 2 * (1 - qy)) as u8));
    }
    if digits >= 2 {
        out.push(char::from(b'1' + (x % 3 + 3 * (2 - y % 3)) as u8));
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_systems_own_corners() {
        // 001AA is at 180° W 90° S; 006AG39 is the description's example: 177°30′ W 87° S, quadrant 3, key 9.
        let r = read("006AG39").unwrap().unwrap();
        let (west, south) = (-177.5, -87.0);
        assert!((r.lon_deg - (west + 0.25 - 1.0 / 24.0)).abs() < 1e-9, "{}", r.lon_deg);
        assert!((r.lat_deg - (south + 1.0 / 24.0)).abs() < 1e-9, "{}", r.lat_deg);
        assert_eq!(print(r.lon_deg, r.lat_deg, 2).unwrap(), "006AG39");
        assert_eq!(print(-180.0, -90.0, 0).unwrap(), "001AA");
        assert_eq!(print(179.99, 90.0, 0).unwrap(), "720QZ");
    }

    #[test]
    fn what_is_wrong_is_named() {
        for (text, part) in [
            ("000AG39", "001 to 720"),
            ("006IG39", "I or O"),
            ("006ZZ", "beyond QZ"),
            ("006AG59", "quadrant"),
            ("006AG30", "key 0"),
        ] {
            assert!(read(text).unwrap().unwrap_err().problem.contains(part), "{text}");
        }
        assert!(read("06AG39").is_none());
    }
}
