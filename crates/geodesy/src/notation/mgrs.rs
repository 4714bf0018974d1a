//! Military grid references and the United States national grid: `10TDS3827816580`, every precision, poles included.
//!
//! Zone, band, square of 100 km, then as many digits of the easting as of the northing (NGA.STND.0037; lettering of
//! WGS 84). Zone exceptions in Norway and Svalbard; beyond 84° N and 80° S the polar stereographic grid.

use super::cell::{LETTERS, letter_index, stripped};
use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};
use crate::ellipsoid::Ellipsoid;
use crate::projection::{Framed, Given, Method, Parameters, PolarStereographic, TransverseMercator};
use crate::zone::{UtmZone, band_limits_deg, band_of};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "mgrs",
    words: "military grid reference",
    crs: None,
    is_wgs84_grid: true,
    digits: Digits::SQUARES,
    last_digit: LastDigit::square,
    read: Some(read),
    print: Print::Position(print),
    headers: &["mgrs", "usng", "mgrscoordinates", "mgrscoordinate", "mgrsreference", "militarygridreference"],
    name_before: Some("MGRS"),
};

/// Letters of the rows of squares: A to V without I and O.
const ROWS: usize = 20;

/// The polar grid of a hemisphere.
fn polar(north: bool) -> Option<Framed<PolarStereographic>> {
    let parameters = Parameters(vec![
        ("latitude_of_origin".into(), if north { 90.0 } else { -90.0 }),
        ("scale_factor".into(), 0.994),
    ]);
    let e = Ellipsoid::wgs84();
    let method = PolarStereographic::from_given(&Given::new("Polar_Stereographic", &parameters, &e, 1.0)).ok()?;
    Some(Framed::new(method, 0.0, 2e6, 2e6))
}

/// Column letters of the polar grid in the order of eastings: 18 letters, those west of the meridian end with Z.
const POLAR_COLUMNS: &[u8; 18] = b"ABCFGHJKLPQRSTUXYZ";

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let (code, named) = stripped(text, &["mgrs", "usng"]);
    let b = code.as_bytes();
    let zone_digits = b.iter().take_while(|c| c.is_ascii_digit()).count();
    let rest = &b[zone_digits.min(b.len())..];
    let letters = rest.iter().take_while(|c| c.is_ascii_uppercase()).count();
    let shaped = zone_digits <= 2 && letters == 3 && rest[3..].iter().all(u8::is_ascii_digit);
    // Three letters at the start are many things: polar references need a polar letter and digits.
    let is_polar = zone_digits == 0 && rest.first().is_some_and(|c| b"ABYZ".contains(c));
    if !shaped || (zone_digits == 0 && !(is_polar && (named || rest.len() > 4))) {
        return named.then(|| {
            Err(NotationError::new(
                text,
                None,
                "is not a military grid reference: zone, three letters, an even number of digits",
            ))
        });
    }
    let digits = &rest[3..];
    let wrong = |problem: String| Some(Err(NotationError::new(text, None, problem)));
    if !digits.len().is_multiple_of(2) || digits.len() > 10 {
        return wrong(format!(
            "has {} digits after the square's letters; an even number up to 10 is expected",
            digits.len()
        ));
    }
    let half = digits.len() / 2;
    let size = 100_000.0 / 10f64.powi(half as i32);
    let number = |d: &[u8]| d.iter().fold(0.0, |sum, c| sum * 10.0 + f64::from(c - b'0'));
    let (x, y) = ((number(&digits[..half]) + 0.5) * size, (number(&digits[half..]) + 0.5) * size);
    Some(if is_polar {
        read_polar(text, rest, x, y, size)
    } else {
        read_zone(text, &b[..zone_digits], rest, x, y, size)
    })
}

fn reading(lon_deg: f64, lat_deg: f64, easting: f64, northing: f64, place: String, size: f64) -> Reading {
    Reading {
        detail: format!("{place}, easting {easting} m, northing {northing} m, the centre of a square of {size} m"),
        cell_m: Some(size),
        ..Reading::new(Notation::Mgrs, lon_deg, lat_deg)
    }
}

fn read_polar(text: &str, letters: &[u8], x: f64, y: f64, size: f64) -> Result<Reading, NotationError> {
    let outside = |problem: &str| NotationError::new(text, None, problem);
    let no_square = || outside("has letters that no square of the polar grid has");
    let north = letters[0] >= b'Y';
    let east = letters[0] == b'B' || letters[0] == b'Z';
    let column = POLAR_COLUMNS.iter().position(|l| *l == letters[1]).ok_or_else(no_square)?;
    let easting = if east { 2e6 + column as f64 * 1e5 } else { 2e6 - (18 - column) as f64 * 1e5 } + x;
    let row = letter_index(letters[2]).ok_or_else(no_square)?;
    let northing = if north { 13e5 } else { 8e5 } + row as f64 * 1e5 + y;
    let grid = polar(north).ok_or_else(no_square)?;
    let (lon, lat) = grid.inverse(easting, northing).ok_or_else(no_square)?;
    // A square of the grid reaches a little over the rim at most.
    let limit = if north { 84.0 } else { 80.0 };
    if lat.abs() < limit - 1.0 - size / 100_000.0 {
        return Err(outside(&format!("is at latitude {lat:.2}°, where the grid has zones, not polar squares")));
    }
    Ok(reading(
        lon,
        lat,
        easting,
        northing,
        format!("{} polar grid", if north { "northern" } else { "southern" }),
        size,
    ))
}

fn read_zone(text: &str, zone: &[u8], letters: &[u8], x: f64, y: f64, size: f64) -> Result<Reading, NotationError> {
    let wrong = |problem: String| NotationError::new(text, None, problem);
    let number = zone.iter().fold(0u8, |sum, c| sum.saturating_mul(10).saturating_add(c - b'0'));
    if !(1..=60).contains(&number) {
        return Err(wrong(format!("has zone {number}; zones are 1 to 60")));
    }
    let band = char::from(letters[0]);
    let Some((south, north)) = band_limits_deg(band) else {
        return Err(wrong(format!("has the band letter {band}; bands are C to X without I and O")));
    };
    let set = usize::from((number - 1) % 3);
    let column = letter_index(letters[1]).and_then(|i| i.checked_sub(set * 8)).filter(|c| *c < 8);
    let row = letter_index(letters[2]).filter(|r| *r < ROWS);
    let (Some(column), Some(row)) = (column, row) else {
        return Err(wrong(format!(
            "has the square {}{}, which zone {number} does not have",
            char::from(letters[1]),
            char::from(letters[2])
        )));
    };
    let zone = UtmZone { number, north: south >= 0.0 };
    let grid = TransverseMercator::utm(&Ellipsoid::wgs84(), zone);
    let easting = (column + 1) as f64 * 1e5 + x;
    // Rows start over every 2,000 km; even zones start with F.
    let row = (row + ROWS - if number % 2 == 0 { 5 } else { 0 }) % ROWS;
    let candidates = (0..5).map(|k| row as f64 * 1e5 + y + f64::from(k) * 2e6);
    let in_band = |e: f64, n: f64| {
        grid.inverse(e, n).filter(|(lon, lat)| {
            (south..=north).contains(lat)
                && UtmZone::of(*lon, lat.clamp(-80.0, 84.0)).is_some_and(|z| z.number == number)
        })
    };
    for northing in candidates {
        // The square counts where any part of it is in its zone and band; a square that a border cuts stands for the
        // part on this side, and for the point of it that is nearest to the centre.
        let part = |k: i32| size * (f64::from(k) / 8.0 - 0.5) * 0.999_999;
        let nearest = (0..81)
            .map(|i| (part(i % 9), part(i / 9)))
            .filter_map(|(dx, dy)| in_band(easting + dx, northing + dy).map(|place| (dx.hypot(dy), place, dx, dy)))
            .min_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((_, (lon, lat), dx, dy)) = nearest {
            let place = format!("zone {number}, band {band}");
            return Ok(reading(lon, lat, easting + dx, northing + dy, place, size));
        }
    }
    Err(wrong(format!(
        "has the square {}{}, which does not lie in zone {number}, band {band}",
        char::from(letters[1]),
        char::from(letters[2])
    )))
}

/// Prints a position with `digits` digits for each coordinate, 0 to 5: the square that holds it.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let digits = digits.min(5);
    let unit = 10f64.powi(5 - digits as i32);
    // A hundredth of a millimetre: a position read from a square's corner, or the pole, comes back a rounding error short.
    // Letters and digits are of the same place.
    let whole = |(e, n): (f64, f64)| (e + 1e-5, n + 1e-5);
    let cut = |v: f64| (v.rem_euclid(1e5) / unit).floor().min(1e5 / unit - 1.0) as u64;
    let write = |head: String, e: f64, n: f64| {
        if digits == 0 { head } else { format!("{head}{:0digits$}{:0digits$}", cut(e), cut(n)) }
    };
    if let (Some(zone), Some(band), true) = (UtmZone::of(lon_deg, lat_deg), band_of(lat_deg), lat_deg < 84.0) {
        let (e, n) = whole(TransverseMercator::utm(&Ellipsoid::wgs84(), zone).forward(lon_deg, lat_deg)?);
        let set = usize::from((zone.number - 1) % 3);
        let column = ((e / 1e5).floor() as usize).checked_sub(1)?;
        let shift = if zone.number % 2 == 0 { 5 } else { 0 };
        let row = ((n / 1e5).floor() as usize + shift) % ROWS;
        let letters = format!("{}{}", char::from(*LETTERS.get(set * 8 + column)?), char::from(LETTERS[row]));
        return Some(write(format!("{}{band}{letters}", zone.number), e, n));
    }
    if !(lat_deg.abs() <= 90.0 && lon_deg.is_finite()) {
        return None;
    }
    let north = lat_deg > 0.0;
    let (e, n) = whole(polar(north)?.forward(lon_deg, lat_deg)?);
    let east = e >= 2e6;
    let first = match (north, east) {
        (false, false) => 'A',
        (false, true) => 'B',
        (true, false) => 'Y',
        (true, true) => 'Z',
    };
    let column = (e / 1e5).floor() as i64 - 20;
    let column = POLAR_COLUMNS.get(usize::try_from(if east { column } else { column + 18 }).ok()?)?;
    let row = ((n - if north { 13e5 } else { 8e5 }) / 1e5).floor() as usize;
    Some(write(format!("{first}{}{}", char::from(*column), char::from(*LETTERS.get(row)?)), e, n))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> (f64, f64) {
        let r = read(text).unwrap().unwrap_or_else(|e| panic!("{e}"));
        (r.lon_deg, r.lat_deg)
    }

    #[test]
    fn published_references() {
        // United States national grid standard (FGDC-STD-011-2001): the Washington Monument is 18SUJ2348306479, at
        // 38°53′22″ N 77°02′07″ W; a position in Hawaii is 4QFJ12345678 (zone 4, band Q).
        let (lon, lat) = at("18S UJ 23483 06479");
        assert!((lat - 38.889_44).abs() < 3e-4 && (lon + 77.035_28).abs() < 3e-4, "{lon} {lat}");
        assert_eq!(print(lon, lat, 5).unwrap(), "18SUJ2348306479");
        let (lon, lat) = at("4QFJ12345678");
        assert!((lat - 21.309_4).abs() < 2e-4 && (lon + 157.916).abs() < 2e-3, "{lon} {lat}");
    }

    #[test]
    fn the_poles_are_corners_of_their_squares() {
        assert_eq!(print(0.0, 90.0, 5).unwrap(), "ZAH0000000000");
        assert_eq!(print(0.0, -90.0, 5).unwrap(), "BAN0000000000");
        assert_eq!(at("ZAH0000000000").1.round(), 90.0);
    }

    #[test]
    fn every_precision_names_the_square_that_holds_the_place() {
        for (lon, lat) in [
            (-123.8, 46.2),
            (5.5, 60.5),
            (10.2, 78.9),
            (0.0, 0.0),
            (-0.001, -0.001),
            (174.7, -41.3),
            (12.0, 88.0),
            (-170.0, 85.0),
            (33.0, -85.5),
            (-100.0, -89.9),
            (0.0, 90.0),
            (179.9999, 83.9),
        ] {
            for digits in 0..=5 {
                let text = print(lon, lat, digits).unwrap();
                let r =
                    read(&text).or_else(|| read(&format!("MGRS {text}"))).unwrap().unwrap_or_else(|e| panic!("{e}"));
                assert_eq!(print(r.lon_deg, r.lat_deg, digits).unwrap(), text, "{lon} {lat}");
                let size = r.cell_m.unwrap();
                let metres =
                    ((r.lon_deg - lon + 540.0).rem_euclid(360.0) - 180.0).abs() * lat.to_radians().cos() * 111_320.0;
                assert!(
                    metres < size * 0.75 + 1.0 && (r.lat_deg - lat).abs() * 111_700.0 < size * 0.75 + 1.0,
                    "{text}"
                );
            }
        }
    }

    #[test]
    fn exceptions_and_contradictions() {
        assert!(print(5.0, 60.0, 0).unwrap().starts_with("32V"));
        assert!(print(10.0, 79.0, 0).unwrap().starts_with("33X"));
        for (text, part) in [
            ("61TDS12", "zones are 1 to 60"),
            ("10IDS12", "band letter"),
            ("10TKS12", "does not have"),
            ("10TDS123", "even number"),
            ("10CDS1234512345", "does not lie"),
        ] {
            assert!(read(text).unwrap().unwrap_err().problem.contains(part), "{text}: {:?}", read(text));
        }
        for text in ["10T 438278 5116580", "10N 438278mE 5116580mN", "TDS1234", "ABC"] {
            assert!(read(text).is_none(), "{text}");
        }
    }
}
