//! Lines and polygons of OGC well-known text, as references want them: longitude and latitude alone.

use basilocus_table::geometry::{Geometry, Position, wkt};

/// The vertices of a `LINESTRING (x y, x y)`; of a `MULTILINESTRING` with one line, that line.
pub(super) fn line(text: &str) -> Result<Vec<(f64, f64)>, String> {
    match read(text)? {
        Geometry::LineString(l) if !l.is_empty() => Ok(plain(&l)),
        Geometry::MultiLineString(l) => match l.as_slice() {
            [one] => Ok(plain(one)),
            [] => Err("the geometry is empty".into()),
            _ => Err("a line of several parts; one part a row is expected".into()),
        },
        Geometry::LineString(_) => Err("the geometry is empty".into()),
        g => Err(format!("the geometry is a {}; a LINESTRING is expected", g.type_name())),
    }
}

/// The rings of a `POLYGON` or `MULTIPOLYGON`, holes among them.
pub(crate) fn rings(text: &str) -> Result<Vec<Vec<(f64, f64)>>, String> {
    let rings: Vec<Vec<(f64, f64)>> = match read(text)? {
        Geometry::Polygon(rings) => rings.iter().map(|r| plain(r)).collect(),
        Geometry::MultiPolygon(list) => list.iter().flatten().map(|r| plain(r)).collect(),
        g => return Err(format!("the geometry is a {}; a POLYGON or MULTIPOLYGON is expected", g.type_name())),
    };
    match rings.iter().find(|r| r.first() != r.last()) {
        Some(r) => Err(format!("a ring of {} points is not closed", r.len())),
        None if rings.is_empty() => Err("the geometry is empty".into()),
        None => Ok(rings),
    }
}

/// Whether a text begins like a polygon.
pub(crate) fn is_polygon(text: &str) -> bool {
    let start: String = text.trim_start().chars().take(12).collect::<String>().to_ascii_uppercase();
    start.starts_with("POLYGON") || start.starts_with("MULTIPOLYGON")
}

/// Whether a text begins like a line.
pub(crate) fn is_line(text: &str) -> bool {
    let start: String = text.trim_start().chars().take(15).collect::<String>().to_ascii_uppercase();
    start.starts_with("LINESTRING") || start.starts_with("MULTILINESTRING")
}

fn read(text: &str) -> Result<Geometry, String> {
    let text = text.trim();
    // "SRID=4326;POINT …" is no well-known text but often met.
    let text =
        text.split_once(';').filter(|(a, _)| a.to_ascii_uppercase().starts_with("SRID=")).map_or(text, |(_, b)| b);
    if text.is_empty() {
        return Err("the geometry is empty".into());
    }
    wkt::read(text).map_err(|e| e.to_string())
}

fn plain(list: &[Position]) -> Vec<(f64, f64)> {
    list.iter().map(|p| (p.x, p.y)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines() {
        assert_eq!(line("LINESTRING (-123.8 46.2, -123.7 46.3)").unwrap(), [(-123.8, 46.2), (-123.7, 46.3)]);
        assert_eq!(line("linestring z(1 2 3,4 5 6)").unwrap(), [(1.0, 2.0), (4.0, 5.0)]);
        assert_eq!(line("SRID=4326;LINESTRING(1 2,4 5)").unwrap().len(), 2);
        assert_eq!(line("MULTILINESTRING ((1 2, 4 5))").unwrap().len(), 2);
        assert!(line("MULTILINESTRING ((1 2, 4 5), (6 7, 8 9))").unwrap_err().contains("several parts"));
        assert!(line("POINT (1 2)").unwrap_err().contains("LINESTRING"));
        assert!(line("LINESTRING (1 2, x y)").unwrap_err().contains("a number is expected after 17"));
        assert!(line("").is_err());
    }

    #[test]
    fn polygons() {
        assert_eq!(rings("POLYGON ((0 0, 1 0, 1 1, 0 0))").unwrap().len(), 1);
        assert_eq!(rings("POLYGON((0 0, 9 0, 9 9, 0 0), (1 1, 2 1, 2 2, 1 1))").unwrap().len(), 2);
        let two = "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))";
        assert_eq!(rings(two).unwrap()[1][0], (5.0, 5.0));
        assert!(rings("POLYGON ((0 0, 1 0, 1 1))").unwrap_err().contains("not closed"));
        assert!(rings("POLYGON ((0 0, 1 0, 1 1, 0 0)").unwrap_err().contains("closing parenthesis"));
        assert!(rings("LINESTRING (0 0, 1 1)").unwrap_err().contains("POLYGON"));
        assert!(is_polygon(" polygon ((") && !is_polygon("LINESTRING ("));
    }
}
