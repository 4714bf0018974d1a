//! National grids with letters for squares of 500 and 100 km: what Great Britain and Ireland share.

use super::{Notation, NotationError, Reading};
use crate::crs::Catalogue;

/// The 25 letters of a five-by-five square, row by row from the north-west; I is left out.
pub(super) const SQUARE: &[u8; 25] = b"ABCDEFGHJKLMNOPQRSTUVWXYZ";

/// Column and row, from the west and from the south, of a letter.
pub(super) fn place(letter: u8) -> Option<(f64, f64)> {
    let i = SQUARE.iter().position(|l| *l == letter)?;
    Some(((i % 5) as f64, (4 - i / 5) as f64))
}

/// The letter of a column and row.
pub(super) fn letter(column: usize, row: usize) -> char {
    char::from(SQUARE[(4 - row.min(4)) * 5 + column.min(4)])
}

/// Easting and northing of a square's centre from its corner and the digits, with the size of the square.
pub(super) fn digits(text: &str, digits: &[u8]) -> Result<(f64, f64, f64), NotationError> {
    if !digits.len().is_multiple_of(2) || digits.len() > 10 {
        return Err(NotationError::new(
            text,
            None,
            format!("has {} digits after the letters; an even number up to 10 is expected", digits.len()),
        ));
    }
    let half = digits.len() / 2;
    let size = 100_000.0 / 10f64.powi(half as i32);
    let number = |d: &[u8]| d.iter().fold(0.0, |sum, c| sum * 10.0 + f64::from(c - b'0'));
    Ok(((number(&digits[..half]) + 0.5) * size, (number(&digits[half..]) + 0.5) * size, size))
}

/// The reading of a position on a grid of the catalogue.
pub(super) fn reading(
    text: &str,
    notation: Notation,
    code: u32,
    easting: f64,
    northing: f64,
    size: f64,
) -> Result<Reading, NotationError> {
    let outside = || NotationError::new(text, None, "is outside the grid");
    let crs = Catalogue::embedded().get(code).map_err(|_| outside())?;
    let projection = crs.projection().ok().flatten().ok_or_else(outside)?;
    let (lon_deg, lat_deg) = projection.inverse(easting, northing).ok_or_else(outside)?;
    let base = match &crs.kind {
        crate::crs::Kind::Projected { base, .. } => base.code,
        _ => return Err(outside()),
    };
    Ok(Reading {
        detail: format!(
            "easting {easting} m, northing {northing} m of {}, the centre of a square of {size} m",
            crs.title()
        ),
        cell_m: Some(size),
        crs: base,
        ..Reading::new(notation, lon_deg, lat_deg)
    })
}

/// Easting and northing of a longitude and latitude on a grid of the catalogue.
pub(super) fn project(code: u32, lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
    Catalogue::embedded().get(code).ok()?.projection().ok()??.forward(lon_deg, lat_deg)
}

/// Letters and `digits` digits (0 to 5) for each coordinate; the square's south-west corner is meant, so nothing
/// rounds up into the next one.
pub(super) fn written(prefix: &str, easting: f64, northing: f64, digits: usize) -> String {
    let digits = digits.min(5);
    if digits == 0 {
        return prefix.to_string();
    }
    let unit = 10f64.powi(5 - digits as i32);
    // A position that was read from a text comes back a rounding error short of its square's corner at worst.
    let cut = |v: f64| ((v.rem_euclid(100_000.0) + 1e-6) / unit).floor() as u64;
    format!("{prefix} {:0digits$} {:0digits$}", cut(easting), cut(northing))
}
