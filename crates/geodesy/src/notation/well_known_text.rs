//! A point in the well-known text of OGC simple features: `POINT (-123.8 46.2)`, `POINT Z (-123.8 46.2 12)`.
//!
//! Longitude or easting first, in the unit of the system.

use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, NotationErrorKind, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "well-known-text",
    words: "well-known text",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(6),
    last_digit: |digits| LastDigit::part(1.0, digits),
    read: Some(read),
    print: Print::Position(print),
    headers: &["wkt", "wellknowntext", "geom", "thegeom", "geometry", "wktgeom", "geomwkt", "geometrywkt"],
    name_before: None,
};

/// The numbers of a point as they stand.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// Longitude or easting.
    pub x: f64,
    /// Latitude or northing.
    pub y: f64,
    /// Height, where the text has one.
    pub z: Option<f64>,
}

/// The numbers of a point; `None` where the text is no well-known text of a geometry.
pub fn point(text: &str) -> Option<Result<Point, NotationError>> {
    const KINDS: [&str; 7] =
        ["POINT", "LINESTRING", "POLYGON", "MULTIPOINT", "MULTILINESTRING", "MULTIPOLYGON", "GEOMETRYCOLLECTION"];
    let trimmed = text.trim();
    let end = trimmed.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(trimmed.len());
    let kind = trimmed[..end].to_ascii_uppercase();
    // "POINTZ" is written without the blank too.
    let (kind, joined) = match kind.strip_prefix("POINT") {
        Some(suffix @ ("Z" | "M" | "ZM")) => ("POINT".to_string(), suffix.to_string()),
        _ => (kind, String::new()),
    };
    if !KINDS.contains(&kind.as_str()) {
        return None;
    }
    let wrong = |problem: String| Some(Err(NotationError::new(text, None, problem)));
    if kind != "POINT" {
        return wrong(format!("is a {kind} and not a point"));
    }
    let rest = trimmed[end..].trim_start();
    let open = rest.find('(').unwrap_or(rest.len());
    let dimension = format!("{joined}{}", rest[..open].trim().to_ascii_uppercase());
    if dimension == "EMPTY" {
        return wrong("is an empty point".into());
    }
    if !matches!(dimension.as_str(), "" | "Z" | "M" | "ZM") {
        return wrong(format!("has \"{dimension}\" where Z, M or a bracket is expected"));
    }
    let Some(inside) = rest[open..].strip_prefix('(').and_then(|r| r.trim_end().strip_suffix(')')) else {
        return wrong("has no closed brackets around its numbers".into());
    };
    let numbers: Option<Vec<f64>> = inside
        .split_whitespace()
        .map(|n| n.parse::<f64>().ok().filter(|v| v.is_finite() && n.contains(|c: char| c.is_ascii_digit())))
        .collect();
    let expected = 2 + dimension.len();
    match numbers.as_deref() {
        // A third number without a letter is a height, as many writers have it.
        Some([x, y]) if dimension.is_empty() => Some(Ok(Point { x: *x, y: *y, z: None })),
        Some([x, y, z]) if dimension.is_empty() || dimension == "Z" => Some(Ok(Point { x: *x, y: *y, z: Some(*z) })),
        Some([x, y, _]) if dimension == "M" => Some(Ok(Point { x: *x, y: *y, z: None })),
        Some([x, y, z, _]) if dimension == "ZM" => Some(Ok(Point { x: *x, y: *y, z: Some(*z) })),
        Some(list) => wrong(format!("has {} numbers; {expected} are expected", list.len())),
        None => wrong(format!(
            "has \"{}\" between its brackets; {expected} numbers with blanks between them are expected",
            inside.trim()
        )),
    }
}

/// The reading of a point in degrees, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let Point { x, y, z } = match point(text)? {
        Ok(p) => p,
        Err(e) => return Some(Err(e)),
    };
    if !(y.abs() <= 90.0) {
        let hint = if x.abs() <= 90.0 { "; well-known text has the longitude first" } else { "" };
        return Some(Err(NotationError::new(text, None, format!("is latitude {y}, outside −90…90{hint}"))
            .of_kind(NotationErrorKind::LatitudeOutOfRange)));
    }
    if !(x.abs() <= 360.0) {
        return Some(Err(NotationError::new(text, None, format!("is longitude {x}, outside −180…180"))
            .of_kind(NotationErrorKind::LongitudeOutOfRange)));
    }
    let reading = Reading::new(Notation::WellKnownText, crate::projection::wrap_deg(x), y);
    Some(Ok(Reading { height_m: z, ..reading }))
}

/// Prints a position.
pub(super) fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    (lon_deg.abs() <= 360.0 && lat_deg.abs() <= 90.0 && digits <= 12)
        .then(|| format!("POINT ({lon_deg:.digits$} {lat_deg:.digits$})"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_in_the_forms_of_the_standard() {
        for text in [
            "POINT (-123.8 46.2)",
            "POINT(-123.8 46.2)",
            "point ( -123.8   46.2 )",
            "POINT M (-123.8 46.2 7)",
            "POINTM(-123.8 46.2 7)",
        ] {
            let r = read(text).unwrap().unwrap();
            assert_eq!((r.lon_deg, r.lat_deg, r.height_m), (-123.8, 46.2, None), "{text}");
        }
        for text in [
            "POINT Z (-123.8 46.2 12)",
            "POINT(-123.8 46.2 12)",
            "POINT ZM (-123.8 46.2 12 3)",
            "POINTZ (-123.8 46.2 12)",
        ] {
            assert_eq!(read(text).unwrap().unwrap().height_m, Some(12.0), "{text}");
        }
        assert_eq!(point("POINT (7382000 932000)").unwrap().unwrap(), Point { x: 7_382_000.0, y: 932_000.0, z: None });
    }

    #[test]
    fn what_is_no_point_is_said() {
        let problem = |text: &str| read(text).unwrap().unwrap_err().problem;
        assert!(problem("LINESTRING (0 0, 1 1)").contains("not a point"));
        assert!(problem("POINT EMPTY").contains("empty"));
        assert!(problem("POINT (1 2").contains("brackets"));
        assert!(problem("POINT (1)").contains("1 numbers"));
        assert!(problem("POINT (1, 2)").contains("blanks between them"));
        assert!(problem("POINT (46.2 -123.8)").contains("longitude first"));
        assert!(read("POINTER 3").is_none() && read("46.2 -123.8").is_none());
    }
}
