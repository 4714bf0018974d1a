//! Lines and polygons of OGC well-known text, as references want them: longitude and latitude alone.

use basilocus_table::geometry::{Geometry, Position, wkt};

/// The vertices of a `LINESTRING (x y, x y)`; of a `MULTILINESTRING`, those of its parts joined to one line, in the
/// direction of its first part.
pub(super) fn line(text: &str) -> Result<Vec<(f64, f64)>, String> {
    match read(text)? {
        Geometry::LineString(l) if !l.is_empty() => Ok(plain(&l)),
        Geometry::MultiLineString(parts) => joined(parts.iter().filter(|p| !p.is_empty()).map(|p| plain(p)).collect()),
        Geometry::LineString(_) => Err("the geometry is empty".into()),
        g => Err(format!("the geometry is a {}; a LINESTRING is expected", g.type_name())),
    }
}

/// Parts whose ends lie no farther apart are one street: the crossing of a divided road is that wide.
const TOUCHING: f64 = 30.0 / 111_320.0;

/// Parts joined end to end: numbers run along the whole, so that parts which lie apart would put houses into the gap.
fn joined(mut parts: Vec<Vec<(f64, f64)>>) -> Result<Vec<(f64, f64)>, String> {
    if parts.is_empty() {
        return Err("the geometry is empty".into());
    }
    let mut line = parts.remove(0);
    while !parts.is_empty() {
        let (begin, end) = (line[0], line[line.len() - 1]);
        // The part that is nearest to either end, and whether it is turned round.
        let ways = parts.iter().enumerate().flat_map(|(i, part)| {
            let (first, last) = (part[0], part[part.len() - 1]);
            [
                (end, first, false, false),
                (end, last, false, true),
                (begin, last, true, false),
                (begin, first, true, true),
            ]
            .map(|(here, there, is_before, is_turned)| (apart(here, there), i, is_before, is_turned))
        });
        let Some((gap, i, is_before, is_turned)) = ways.min_by(|a, b| a.0.total_cmp(&b.0)) else { break };
        if gap > TOUCHING {
            return Err(format!(
                "a line of parts that lie {:.0} m apart; one part a row is expected, each with its numbers",
                gap * 111_320.0
            ));
        }
        let mut part = parts.remove(i);
        if is_turned {
            part.reverse();
        }
        let (mut first, second) = if is_before { (part, line) } else { (line, part) };
        let shared = usize::from(first.last() == second.first());
        first.extend(second.into_iter().skip(shared));
        line = first;
    }
    Ok(line)
}

/// Degrees of latitude that are as long as the distance of two positions that are near each other.
fn apart(a: (f64, f64), b: (f64, f64)) -> f64 {
    let shrink = (0.5 * (a.1 + b.1)).to_radians().cos();
    ((a.0 - b.0) * shrink).hypot(a.1 - b.1)
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
        let apart = line("MULTILINESTRING ((1 2, 4 5), (4.001 5, 8 9))").unwrap_err();
        assert!(apart.contains("parts that lie 111 m apart"), "{apart}");
        assert!(line("POINT (1 2)").unwrap_err().contains("LINESTRING"));
        assert!(line("LINESTRING (1 2, x y)").unwrap_err().contains("a number is expected after 17"));
        assert!(line("").is_err());
    }

    /// However the parts are ordered and turned, the line runs as the first of them does.
    #[test]
    fn parts_of_a_line_are_joined() {
        let whole: Vec<(f64, f64)> = [(1.0, 2.0), (2.0, 2.0), (3.0, 2.5), (4.0, 2.5), (5.0, 3.0)].into();
        for text in [
            "MULTILINESTRING ((1 2, 2 2), (2 2, 3 2.5), (3 2.5, 4 2.5, 5 3))",
            "MULTILINESTRING ((3 2.5, 4 2.5, 5 3), (1 2, 2 2), (3 2.5, 2 2))",
            "MULTILINESTRING ((2 2, 3 2.5), (5 3, 4 2.5, 3 2.5), (2 2, 1 2))",
        ] {
            assert_eq!(line(text).unwrap(), whole, "{text}");
        }
        // Across a crossing of 22 m both ends stay.
        assert_eq!(line("MULTILINESTRING ((1 2, 2 2), (2.0002 2, 3 2))").unwrap().len(), 4);
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
