//! Lines and polygons of OGC well-known text.

/// The vertices of a `LINESTRING (x y, x y)`; of a `MULTILINESTRING` with one line, that line.
pub(super) fn line(text: &str) -> Result<Vec<(f64, f64)>, String> {
    let (kind, body) = head(text)?;
    let inner = match kind.as_str() {
        "LINESTRING" => body.strip_prefix('(').and_then(|r| r.strip_suffix(')')),
        "MULTILINESTRING" => {
            let one = body.strip_prefix("((").and_then(|r| r.strip_suffix("))"));
            if one.is_some_and(|r| r.contains('(')) {
                return Err("a line of several parts; one part a row is expected".into());
            }
            one
        }
        _ => None,
    };
    vertices(inner.ok_or_else(|| format!("\"{}\" is not a LINESTRING in well-known text", short(text)))?)
}

/// The rings of a `POLYGON` or `MULTIPOLYGON`, holes among them.
pub(crate) fn rings(text: &str) -> Result<Vec<Vec<(f64, f64)>>, String> {
    let (kind, body) = head(text)?;
    let depth = match kind.as_str() {
        "POLYGON" => 2,
        "MULTIPOLYGON" => 3,
        _ => return Err(format!("\"{}\" is not a POLYGON or MULTIPOLYGON in well-known text", short(text))),
    };
    let balanced = body.matches('(').count() == body.matches(')').count();
    if !balanced || !body.starts_with(&"(".repeat(depth)) || !body.ends_with(&")".repeat(depth)) {
        return Err(format!("the brackets of \"{}\" do not fit a {kind}", short(text)));
    }
    body.split('(')
        .filter_map(|part| part.split_once(')').map(|(ring, _)| ring))
        .map(vertices)
        .collect::<Result<Vec<_>, _>>()
        .and_then(|rings| match rings.iter().find(|r| r.first() != r.last()) {
            Some(r) => Err(format!("a ring of {} points is not closed", r.len())),
            None => Ok(rings),
        })
}

/// Whether a text begins like a polygon.
pub(crate) fn is_polygon(text: &str) -> bool {
    let start: String = text.trim_start().chars().take(12).collect::<String>().to_ascii_uppercase();
    start.starts_with("POLYGON") || start.starts_with("MULTIPOLYGON")
}

/// The type, without what says that it has heights, and the rest without blanks between brackets.
fn head(text: &str) -> Result<(String, String), String> {
    let text = text.trim();
    // "SRID=4326;POINT …" is no well-known text but often met.
    let text =
        text.split_once(';').filter(|(a, _)| a.to_ascii_uppercase().starts_with("SRID=")).map_or(text, |(_, b)| b);
    let letters = text.bytes().take_while(u8::is_ascii_alphabetic).count();
    let kind = text[..letters].to_ascii_uppercase();
    let rest = text[letters..].trim_start();
    let words = rest.bytes().take_while(u8::is_ascii_alphabetic).count();
    let kind = kind.strip_suffix('Z').map_or(kind.clone(), String::from);
    let body = rest[words..].trim().replace(" (", "(").replace("( ", "(").replace(" )", ")").replace(") ", ")");
    if body.is_empty() { Err("the geometry is empty".into()) } else { Ok((kind, body)) }
}

fn vertices(list: &str) -> Result<Vec<(f64, f64)>, String> {
    list.split(',')
        .map(|vertex| {
            let mut numbers = vertex.split_whitespace().map(str::parse::<f64>);
            match (numbers.next(), numbers.next()) {
                (Some(Ok(x)), Some(Ok(y))) => Ok((x, y)),
                _ => Err(format!("vertex \"{}\" is not two numbers", vertex.trim())),
            }
        })
        .collect()
}

fn short(text: &str) -> String {
    text.chars().take(40).collect()
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
        assert!(line("LINESTRING (1 2, x y)").unwrap_err().contains("vertex"));
        assert!(line("").is_err());
    }

    #[test]
    fn polygons() {
        assert_eq!(rings("POLYGON ((0 0, 1 0, 1 1, 0 0))").unwrap().len(), 1);
        assert_eq!(rings("POLYGON((0 0, 9 0, 9 9, 0 0), (1 1, 2 1, 2 2, 1 1))").unwrap().len(), 2);
        let two = "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))";
        assert_eq!(rings(two).unwrap()[1][0], (5.0, 5.0));
        assert!(rings("POLYGON ((0 0, 1 0, 1 1))").unwrap_err().contains("not closed"));
        assert!(rings("POLYGON ((0 0, 1 0, 1 1, 0 0)").unwrap_err().contains("brackets"));
        assert!(rings("LINESTRING (0 0, 1 1)").unwrap_err().contains("POLYGON"));
        assert!(is_polygon(" polygon ((") && !is_polygon("LINESTRING ("));
    }
}
