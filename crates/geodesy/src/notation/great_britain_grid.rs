//! References of the national grid of Great Britain: two letters and up to ten digits, `TG 51409 13177`.
//!
//! On OSGB36; the letters name squares of 100 km (Ordnance Survey, "A guide to coordinate systems in Great
//! Britain").

use super::cell::stripped;
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading, squares};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "great-britain-grid",
    words: "national grid of Great Britain",
    crs: Some(4277),
    is_wgs84_grid: false,
    digits: Digits::SQUARES,
    last_digit: LastDigit::square,
    read: Some(read),
    print: Print::Position(print),
    headers: &["greatbritaingrid", "gbgridreference", "osgridreference", "osgridref", "nationalgridreference"],
    name_before: Some("OS"),
};

const CRS: u32 = 27_700;

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["os grid", "osgb", "os", "national grid", "bng", "gb"]);
    let b = code.as_bytes();
    let shaped = b.len() >= 2 && b[..2].iter().all(u8::is_ascii_uppercase) && b[2..].iter().all(u8::is_ascii_digit);
    // Two letters alone are many things.
    if !shaped || (b.len() < 4 && !named) {
        return None;
    }
    let square = squares::place(b[0]).zip(squares::place(b[1]));
    let square = square.map(|((c1, r1), (c2, r2))| ((c1 - 2.0) * 5.0 + c2, (r1 - 1.0) * 5.0 + r2));
    let Some((column, row)) = square.filter(|(c, r)| (0.0..7.0).contains(c) && (0.0..13.0).contains(r)) else {
        return named.then(|| Err(NotationError::new(text, None, "has letters that no square of the grid has")));
    };
    Some(squares::digits(text, &b[2..]).and_then(|(x, y, size)| {
        squares::reading(text, Notation::GreatBritainGrid, CRS, column * 1e5 + x, row * 1e5 + y, size)
    }))
}

/// Prints a longitude and latitude on OSGB36 with `digits` digits for each coordinate, 0 to 5; `None` outside the grid.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let (e, n) = squares::project(CRS, lon_deg, lat_deg)?;
    if !((0.0..700_000.0).contains(&e) && (0.0..1_300_000.0).contains(&n)) {
        return None;
    }
    let (column, row) = ((e / 1e5) as usize, (n / 1e5) as usize);
    let prefix = format!("{}{}", squares::letter(2 + column / 5, 1 + row / 5), squares::letter(column % 5, row % 5));
    Some(squares::written(&prefix, e, n, digits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn squares_of_the_guide() {
        // The guide's worked example: E 651409.903, N 313177.270 is TG 51409 13177.
        let r = read("TG 51409 13177").unwrap().unwrap();
        assert!(r.words().starts_with("easting 651409.5 m, northing 313177.5 m"), "{}", r.words());
        assert_eq!(print(1.717_921_583_333, 52.657_570_305_556, 5).unwrap(), "TG 51409 13177");
        // Squares by the guide's map: SV is the origin, HP the far north, TV the south-east, NN and SU inland.
        for (text, e, n) in [
            ("SV00", 5_000.0, 5_000.0),
            ("HP 50", 455_000.0, 1_205_000.0),
            ("TV 69", 565_000.0, 95_000.0),
            ("NN1671", 216_500.0, 771_500.0),
            ("SU 4 1", 445_000.0, 115_000.0),
        ] {
            assert!(
                read(text).unwrap().unwrap().words().starts_with(&format!("easting {e} m, northing {n} m")),
                "{text}"
            );
        }
    }

    #[test]
    fn what_is_none() {
        for text in ["TG", "TI1234", "AA1234", "T51409", "TG 51409,13177 N", "ZZ1234"] {
            assert!(read(text).is_none(), "{text}");
        }
        assert!(read("TG 514 1").unwrap().unwrap().cell_m == Some(1000.0));
        assert!(read("TG 514").unwrap().unwrap_err().problem.contains("even number"));
        assert!(print(-10.0, 50.0, 5).is_none());
    }
}
