//! What the notations by cells share: a code names an area, and its centre is taken for the point.

use super::{Notation, Reading, position_words};

/// A cell in degrees.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Cell {
    pub west: f64,
    pub south: f64,
    pub width: f64,
    pub height: f64,
}

impl Cell {
    pub(super) fn world() -> Self {
        Cell { west: -180.0, south: -90.0, width: 360.0, height: 180.0 }
    }

    pub(super) fn reading(&self, notation: Notation, kind: &str) -> Reading {
        let (lon_deg, lat_deg) = (self.west + self.width / 2.0, self.south + self.height / 2.0);
        Reading {
            detail: format!("{}, the centre of the {kind}", position_words(lon_deg, lat_deg)),
            cell_m: Some(self.height.to_radians() * 6_371_000.0),
            ..Reading::new(notation, lon_deg, lat_deg)
        }
    }
}

/// Longitude in −180…180 (180 itself is −180) and latitude just below 90, so that every place is in one cell.
pub(super) fn fold(lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
    if !(lat_deg.abs() <= 90.0 && lon_deg.is_finite()) {
        return None;
    }
    let lon = (lon_deg + 180.0).rem_euclid(360.0) - 180.0;
    Some((lon, lat_deg.min(90.0 - 1e-12)))
}

/// A text without blanks, in capitals, without one of these prefixes; the second value says whether one was there.
pub(super) fn stripped(text: &str, prefixes: &[&str]) -> (String, bool) {
    let lower = text.trim().to_lowercase();
    for p in prefixes {
        if let Some(rest) = lower.strip_prefix(p) {
            let rest = rest.trim_start_matches([':', ' ', '=']);
            if rest.len() < lower.len() - p.len() || !rest.starts_with(char::is_alphabetic) {
                return (compact(rest), true);
            }
        }
    }
    (compact(text), false)
}

fn compact(text: &str) -> String {
    text.chars().filter(|c| !c.is_whitespace()).flat_map(char::to_uppercase).collect()
}

/// Letters of the alphabet without I and O, as grids use them; the position of a letter in it.
pub(super) const LETTERS: &[u8; 24] = b"ABCDEFGHJKLMNPQRSTUVWXYZ";

pub(super) fn letter_index(c: u8) -> Option<usize> {
    LETTERS.iter().position(|l| *l == c)
}
