//! Positions on the universal transverse Mercator grid: `10T 438278 5116580`, `10 N 438278mE 5116580mN`.
//!
//! The letter may be a latitude band (C to X) or the hemisphere (N, S, North, South). S is both: the band from
//! 32° to 40° N and the southern hemisphere. Where the northing allows both, that is an error with two readings.

use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};
use crate::ellipsoid::Ellipsoid;
use crate::projection::TransverseMercator;
use crate::zone::{UtmZone, band_limits_deg, band_of};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "utm",
    words: "UTM",
    crs: None,
    is_wgs84_grid: true,
    digits: Digits::decimals(1),
    last_digit: |digits| LastDigit::Metres(10f64.powi(-(digits as i32))),
    // A military grid reference begins like a zone: this is tried after all others.
    read: None,
    print: Print::Position(print),
    headers: &["utm", "utmcoordinates", "utmcoordinate", "utmposition"],
    name_before: None,
};

/// Whether the letter of a zone is a band and no hemisphere: N and S are both.
pub(super) fn has_band(text: &str) -> bool {
    let digits = text.trim().trim_start_matches(|c: char| c.is_alphabetic() || c.is_whitespace());
    let letter = digits.trim_start_matches(|c: char| c.is_ascii_digit()).trim_start();
    let word: String = letter.chars().take_while(char::is_ascii_alphabetic).collect();
    word.len() == 1 && !matches!(word.as_str(), "N" | "S" | "n" | "s")
}

/// Whether a text starts like a zone: one or two digits and a letter, then at least two long numbers.
pub(super) fn looks_like(text: &str) -> bool {
    let lower = text.trim().to_ascii_lowercase();
    let body = lower.strip_prefix("utm").map_or(lower.as_str(), str::trim_start);
    if body.len() != lower.len() || body.starts_with("zone") {
        return true;
    }
    let digits = body.bytes().take_while(u8::is_ascii_digit).count();
    let rest = body[digits..].trim_start();
    if !(1..=2).contains(&digits) || !rest.starts_with(|c: char| c.is_ascii_alphabetic()) {
        return false;
    }
    // "10N 438278 …" is a zone, "46N 123.80000W" an angle: eastings have five digits and more before the point.
    let after = rest.trim_start_matches(|c: char| c.is_ascii_alphabetic());
    let after = after.trim_start_matches(|c: char| c.is_whitespace() || ";,/|".contains(c));
    let number = after.split(|c: char| !(c.is_ascii_digit() || c == ',' || c == '\'')).next().unwrap_or("");
    let groups: Vec<&str> = number.trim_end_matches(',').split([',', '\'']).collect();
    let grouped = groups.len() == 1 || groups[1..].iter().all(|g| g.len() == 3);
    grouped && groups.iter().map(|g| g.len()).sum::<usize>() >= 5
}

/// Reads a grid position on the ellipsoid of WGS 84.
///
/// # Errors
/// [`NotationError`] where a part is missing, out of range, or the letter and the northing contradict each other.
pub fn read(text: &str) -> Result<Reading, NotationError> {
    read_with(text, false)
}

/// As [`read`]; where letters are known to be bands, S is the band.
pub(super) fn read_with(text: &str, letters_are_bands: bool) -> Result<Reading, NotationError> {
    let wrong = |problem: String| Err(NotationError::new(text, None, problem));
    let cleaned: String = text.replace([';', '/', '|', '(', ')'], " ");
    // A comma between digits is read as a number's own; one followed by a blank parts two numbers.
    let cleaned = cleaned.replace(", ", " ");
    let mut words: Vec<String> = Vec::new();
    for raw in cleaned.split_whitespace() {
        let lower = raw.trim_end_matches(',').to_ascii_lowercase();
        if matches!(lower.as_str(), "utm" | "zone" | "e" | "me" | "mn" | "m" | "east" | "easting" | "northing") {
            continue;
        }
        words.push(lower);
    }
    // "10T" or "10 T"
    let Some(first) = words.first().cloned() else {
        return wrong("has no zone".into());
    };
    let digits: String = first.chars().take_while(char::is_ascii_digit).collect();
    let mut letter = first[digits.len()..].to_string();
    let mut at = 1;
    if letter.is_empty() {
        letter = words.get(1).cloned().unwrap_or_default();
        at = 2;
    }
    let Some(number) = digits.parse::<u8>().ok().filter(|n| (1..=60).contains(n)) else {
        return wrong(format!("has zone \"{digits}\"; zones are 1 to 60"));
    };
    let mut values = Vec::new();
    for word in &words[at.min(words.len())..] {
        if word == "n" {
            continue;
        }
        let body = word.trim_end_matches(['e', 'n', 'm']);
        values.push(
            metres(body)
                .map_err(|_| NotationError::new(text, None, format!("has \"{word}\" where metres are expected")))?,
        );
    }
    let [easting, northing] = values.as_slice() else {
        return wrong(format!("has {} numbers after the zone; an easting and a northing are expected", values.len()));
    };
    if !(100_000.0..=900_000.0).contains(easting) {
        return wrong(format!("has easting {easting}; eastings lie between 100000 and 900000 m (is it the northing?)"));
    }
    if !(0.0..=10_000_000.0).contains(northing) {
        return wrong(format!("has northing {northing}; northings lie between 0 and 10000000 m"));
    }
    let mut readings = Vec::new();
    let mut problem = None;
    for side in sides(&letter).into_iter().filter(|s| !(letters_are_bands && letter == "s" && matches!(s, Side::South)))
    {
        match place(number, side, *easting, *northing) {
            Ok(reading) => {
                if !readings.iter().any(|r: &Reading| r.lat_deg == reading.lat_deg && r.lon_deg == reading.lon_deg) {
                    readings.push(reading);
                }
            }
            Err(text) => problem = Some(text),
        }
    }
    match (readings.len(), problem) {
        (1, _) => Ok(readings.swap_remove(0)),
        (0, None) => wrong(format!(
            "has \"{letter}\" after the zone; a band letter C to X or a hemisphere (North, South) is expected"
        )),
        (0, Some(problem)) => wrong(problem),
        _ => Err(NotationError::ambiguous(text, readings, "write the hemisphere as a word (North, South)")),
    }
}

/// A number of metres. A lone comma groups thousands here: an easting or northing below a thousand is none.
fn metres(text: &str) -> Result<f64, NotationError> {
    super::read_number(text).or_else(|e| {
        if e.kind == super::NotationErrorKind::Ambiguous { super::read_number(&text.replace(',', "")) } else { Err(e) }
    })
}

#[derive(Clone, Copy)]
enum Side {
    North,
    South,
    Band(char, f64, f64),
}

fn sides(letter: &str) -> Vec<Side> {
    let mut out = Vec::new();
    match letter {
        "north" => return vec![Side::North],
        "south" => return vec![Side::South],
        "n" => out.push(Side::North),
        "s" => out.push(Side::South),
        _ => {}
    }
    let mut chars = letter.chars();
    if let (Some(c), None) = (chars.next(), chars.next())
        && c != 'n'
        && let Some((south, north)) = band_limits_deg(c)
    {
        out.push(Side::Band(c.to_ascii_uppercase(), south, north));
    }
    out
}

fn place(number: u8, side: Side, easting: f64, northing: f64) -> Result<Reading, String> {
    let north = match side {
        Side::North => true,
        Side::South => false,
        Side::Band(_, south, _) => south >= 0.0,
    };
    let zone = UtmZone { number, north };
    let outside = || format!("is outside the grid: easting {easting}, northing {northing} in zone {number}");
    let (lon_deg, lat_deg) =
        TransverseMercator::utm(&Ellipsoid::wgs84(), zone).inverse(easting, northing).ok_or_else(outside)?;
    if !(-80.5..=84.5).contains(&lat_deg) {
        return Err(outside());
    }
    if let Side::Band(letter, south, limit) = side
        && !(south - 0.01..=limit + 0.01).contains(&lat_deg)
    {
        return Err(format!("has band {letter} ({south} to {limit}°) but its northing is at latitude {lat_deg:.2}°"));
    }
    let side_words = match side {
        Side::North => "northern hemisphere".to_string(),
        Side::South => "southern hemisphere".to_string(),
        Side::Band(letter, ..) => format!("band {letter}"),
    };
    Ok(Reading {
        detail: format!("zone {number}, {side_words}, easting {easting} m, northing {northing} m"),
        ..Reading::new(Notation::Utm, lon_deg, lat_deg)
    })
}

/// Prints zone, band (`North` for the band S, which would be read as south), easting and northing in metres; `None` outside 80° S to 84° N.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    let zone = UtmZone::of(lon_deg, lat_deg)?;
    let band = band_of(lat_deg)?;
    let (easting, northing) = TransverseMercator::utm(&Ellipsoid::wgs84(), zone).forward(lon_deg, lat_deg)?;
    // The letter S would be the southern hemisphere to every second reader.
    let side = if band == 'S' { " North".to_string() } else { band.to_string() };
    Some(format!("{}{side} {easting:.digits$} {northing:.digits$}", zone.number))
}
