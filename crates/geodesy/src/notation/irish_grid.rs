//! References of the Irish grid: one letter and up to ten digits, `O 15904 34671`.
//!
//! On TM75, the adjustment of 1975; the letters name squares of 100 km. References in squares N, S, E and W look like an
//! angle with its hemisphere where they have few digits: those need `IG` before them.

use super::cell::stripped;
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading, squares};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "irish-grid",
    words: "Irish grid",
    crs: Some(4300),
    is_wgs84_grid: false,
    digits: Digits::SQUARES,
    last_digit: LastDigit::square,
    read: Some(read),
    print: Print::Position(print),
    headers: &["irishgrid", "irishgridreference", "irishgridref"],
    name_before: Some("IG"),
};

const CRS: u32 = 29_903;

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["irish grid", "ig"]);
    let b = code.as_bytes();
    let shaped = b.len() >= 3 && b[0].is_ascii_uppercase() && b[1..].iter().all(u8::is_ascii_digit);
    if !shaped {
        return named.then(|| {
            Err(NotationError::new(text, None, "is not an Irish grid reference: a letter and an even number of digits"))
        });
    }
    let (column, row) = squares::place(b[0])?;
    if !named && b"NSEW".contains(&b[0]) && b.len() < 9 {
        return Some(Err(NotationError::new(
            text,
            None,
            "may be an Irish grid reference or one angle alone; write IG before a grid reference, or both angles of a position",
        )));
    }
    Some(squares::digits(text, &b[1..]).and_then(|(x, y, size)| {
        squares::reading(text, Notation::IrishGrid, CRS, column * 1e5 + x, row * 1e5 + y, size)
    }))
}

/// Prints a longitude and latitude on TM75 with `digits` digits for each coordinate, 0 to 5; `None` outside the grid.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (e, n) = squares::project(CRS, lon_deg, lat_deg)?;
    if !((0.0..500_000.0).contains(&e) && (0.0..500_000.0).contains(&n)) {
        return None;
    }
    let prefix = squares::letter((e / 1e5) as usize, (n / 1e5) as usize).to_string();
    Some(squares::written(&prefix, e, n, digits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn squares_by_the_grids_map() {
        // A is the north-west square, V the south-west one, Z the south-east one; O holds Dublin.
        for (text, e, n) in [
            ("V 00 00", 500.0, 500.0),
            ("A 0 0", 5_000.0, 405_000.0),
            ("Z 0 0", 405_000.0, 5_000.0),
            ("O 15904 34671", 315_904.5, 234_671.5),
        ] {
            let r = read(text).unwrap().unwrap();
            assert!(r.words().starts_with(&format!("easting {e} m, northing {n} m")), "{text} {}", r.words());
            let digits = (text.len() - 3) / 2;
            assert_eq!(print(r.lon_deg, r.lat_deg, digits).unwrap(), text);
        }
    }

    #[test]
    fn angles_are_not_taken_for_squares() {
        assert!(read("N 46 12").unwrap().unwrap_err().problem.contains("IG"));
        assert!(read("IG N 46 12").unwrap().is_ok());
        assert!(read("O123").unwrap().is_err());
        assert!(read("46 N").is_none());
    }
}
