//! Well-known text of geometries (OGC 06-103r4, clause 7): `POLYGON ((0 0, 4 0, 4 4, 0 0))`.

use super::{Geometry, Position, TYPES};
use std::fmt::Write;

/// How deep collections may lie in each other.
const DEEPEST: usize = 16;

/// What is wrong with a well-known text, and after how many characters.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{expected} is expected after {after} characters of the geometry")]
pub struct WktError {
    /// What should stand there.
    pub expected: &'static str,
    /// Characters before the place.
    pub after: usize,
}

/// Reads a geometry; upper and lower case are alike.
///
/// # Errors
/// [`WktError`], where it says what was expected.
pub fn read(text: &str) -> Result<Geometry, WktError> {
    let mut c = Cursor { text, at: 0 };
    let g = c.geometry(0)?;
    c.blanks();
    if c.at < text.len() { Err(c.expected("the end")) } else { Ok(g) }
}

struct Cursor<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Cursor<'a> {
    fn expected(&self, expected: &'static str) -> WktError {
        WktError { expected, after: self.text[..self.at].chars().count() }
    }

    fn blanks(&mut self) {
        let rest = &self.text[self.at..];
        self.at += rest.len() - rest.trim_start().len();
    }

    fn sign(&mut self, sign: char) -> bool {
        self.blanks();
        let found = self.text[self.at..].starts_with(sign);
        self.at += if found { sign.len_utf8() } else { 0 };
        found
    }

    fn word(&mut self) -> &'a str {
        self.blanks();
        let rest = &self.text[self.at..];
        let n = rest.bytes().take_while(u8::is_ascii_alphabetic).count();
        self.at += n;
        &rest[..n]
    }

    fn number(&mut self) -> Option<f64> {
        self.blanks();
        let rest = &self.text[self.at..];
        // A position without a height among others that have one.
        if rest.get(..3).is_some_and(|w| w.eq_ignore_ascii_case("nan")) {
            self.at += 3;
            return Some(f64::NAN);
        }
        let n =
            rest.bytes().take_while(|b| b.is_ascii_digit() || matches!(b, b'+' | b'-' | b'.' | b'e' | b'E')).count();
        let value: f64 = rest[..n].parse().ok().filter(|v: &f64| v.is_finite())?;
        self.at += n;
        Some(value)
    }

    fn geometry(&mut self, depth: usize) -> Result<Geometry, WktError> {
        if depth > DEEPEST {
            return Err(self.expected("less than 16 collections in each other"));
        }
        let start = self.at;
        let word = self.word().to_ascii_uppercase();
        let (mut z, mut m) = (false, false);
        // "POINTZ", "POINT Z", "POINT ZM"
        let bare = word.trim_end_matches(['Z', 'M']);
        let code = TYPES.iter().position(|t| *t == word || *t == bare && word.len() - bare.len() <= 2);
        let Some(code) = code else {
            self.at = start;
            return Err(self.expected("the type of a geometry"));
        };
        let mut marks = word[TYPES[code].len()..].to_string();
        let before = self.at;
        let next = self.word().to_ascii_uppercase();
        let mut empty = false;
        match next.as_str() {
            "Z" | "M" | "ZM" => {
                marks = next;
                let before = self.at;
                empty = self.word().eq_ignore_ascii_case("EMPTY");
                if !empty {
                    self.at = before;
                }
            }
            "EMPTY" => empty = true,
            _ => self.at = before,
        }
        z |= marks.contains('Z');
        m |= marks.contains('M');
        if empty {
            return Ok(match code {
                0 => Geometry::Point(Position::xy(f64::NAN, f64::NAN)),
                1 => Geometry::LineString(Vec::new()),
                2 => Geometry::Polygon(Vec::new()),
                3 => Geometry::MultiPoint(Vec::new()),
                4 => Geometry::MultiLineString(Vec::new()),
                5 => Geometry::MultiPolygon(Vec::new()),
                _ => Geometry::Collection(Vec::new()),
            });
        }
        Ok(match code {
            0 => {
                self.open()?;
                let p = self.position(z, m)?;
                self.close()?;
                Geometry::Point(p)
            }
            1 => Geometry::LineString(self.list(&mut |c| c.position(z, m))?),
            2 => Geometry::Polygon(self.rings(z, m)?),
            // The points may have parentheses of their own or not.
            3 => Geometry::MultiPoint(self.list(&mut |c| {
                let own = c.sign('(');
                let p = c.position(z, m)?;
                if own {
                    c.close()?;
                }
                Ok(p)
            })?),
            4 => Geometry::MultiLineString(self.rings(z, m)?),
            5 => Geometry::MultiPolygon(self.list(&mut |c| c.rings(z, m))?),
            _ => Geometry::Collection(self.list(&mut |c| c.geometry(depth + 1))?),
        })
    }

    fn open(&mut self) -> Result<(), WktError> {
        if self.sign('(') { Ok(()) } else { Err(self.expected("an opening parenthesis")) }
    }

    fn close(&mut self) -> Result<(), WktError> {
        if self.sign(')') { Ok(()) } else { Err(self.expected("a comma or a closing parenthesis")) }
    }

    fn list<T>(&mut self, one: &mut dyn FnMut(&mut Self) -> Result<T, WktError>) -> Result<Vec<T>, WktError> {
        self.open()?;
        let mut out = Vec::new();
        loop {
            out.push(one(self)?);
            if !self.sign(',') {
                self.close()?;
                return Ok(out);
            }
        }
    }

    fn rings(&mut self, z: bool, m: bool) -> Result<Vec<Vec<Position>>, WktError> {
        self.list(&mut |c| c.list(&mut |c| c.position(z, m)))
    }

    /// Two to four numbers; without a mark a third is a height and a fourth a measure.
    fn position(&mut self, z: bool, m: bool) -> Result<Position, WktError> {
        let mut n = || self.number();
        let (x, y, third, fourth) = (n(), n(), n(), n());
        let number = |v: Option<f64>| v.filter(|v| !v.is_nan());
        let (Some(x), Some(y)) = (number(x), number(y)) else { return Err(self.expected("a number")) };
        let mut p = Position::xy(x, y);
        match (third, m && !z) {
            (Some(v), true) => p.m = v,
            (Some(v), false) => p.z = v,
            (None, _) if z || m => return Err(self.expected("a height or measure")),
            (None, _) => {}
        }
        p.m = fourth.unwrap_or(p.m);
        Ok(p)
    }
}

/// A geometry as well-known text, numbers in their shortest form.
pub fn write(geometry: &Geometry) -> String {
    let mut out = String::with_capacity(64);
    push(geometry, None, &mut out);
    out
}

/// A geometry as well-known text, numbers rounded to so many decimals, without zeros at their end.
pub fn write_rounded(geometry: &Geometry, digits: usize) -> String {
    let mut out = String::with_capacity(64);
    push(geometry, Some(digits), &mut out);
    out
}

fn push_number(value: f64, digits: Option<usize>, out: &mut String) {
    let Some(digits) = digits else {
        let _ = write!(out, "{value}");
        return;
    };
    let start = out.len();
    let _ = write!(out, "{value:.digits$}");
    if out[start..].contains('.') {
        let kept = out.trim_end_matches('0').trim_end_matches('.').len();
        out.truncate(kept);
    }
    if &out[start..] == "-0" {
        out.replace_range(start.., "0");
    }
}

fn push(geometry: &Geometry, digits: Option<usize>, out: &mut String) {
    out.push_str(geometry.type_name());
    let (z, m) = geometry.has_z_and_m();
    out.push_str(match (z, m) {
        (true, true) => " ZM ",
        (true, false) => " Z ",
        (false, true) => " M ",
        (false, false) => " ",
    });
    if geometry.is_empty() {
        out.push_str("EMPTY");
        return;
    }
    let position = |p: &Position, out: &mut String| {
        push_number(p.x, digits, out);
        for v in [Some(p.y), z.then_some(p.z), m.then_some(p.m)].into_iter().flatten() {
            out.push(' ');
            push_number(v, digits, out);
        }
    };
    let positions = |l: &[Position], out: &mut String| list(l, out, &mut |p, out| position(p, out));
    let rings = |l: &Vec<Vec<Position>>, out: &mut String| list(l, out, &mut |r, out| positions(r, out));
    match geometry {
        Geometry::Point(p) => {
            out.push('(');
            position(p, out);
            out.push(')');
        }
        Geometry::LineString(l) => positions(l, out),
        Geometry::MultiPoint(l) => list(l, out, &mut |p, out| positions(std::slice::from_ref(p), out)),
        Geometry::Polygon(l) | Geometry::MultiLineString(l) => rings(l, out),
        Geometry::MultiPolygon(l) => list(l, out, &mut |r, out| rings(r, out)),
        Geometry::Collection(l) => list(l, out, &mut |g, out| push(g, digits, out)),
    }
}

fn list<T>(items: &[T], out: &mut String, one: &mut dyn FnMut(&T, &mut String)) {
    out.push('(');
    for (i, item) in items.iter().enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        one(item, out);
    }
    out.push(')');
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_in_other_ways() {
        for (text, wanted) in [
            ("point(1 2)", "POINT (1 2)"),
            ("POINTZ (1 2 3)", "POINT Z (1 2 3)"),
            ("POINT (1 2 3)", "POINT Z (1 2 3)"),
            ("MULTIPOINT ((1 2), (3 4))", "MULTIPOINT ((1 2), (3 4))"),
            ("MULTIPOINT (1 2, 3 4)", "MULTIPOINT ((1 2), (3 4))"),
            (" POLYGON((0 0,1e0 0,1 1,0 0)) ", "POLYGON ((0 0, 1 0, 1 1, 0 0))"),
            ("POINT EMPTY", "POINT EMPTY"),
            ("LINESTRING Z (1 2 nan, 3 4 5)", "LINESTRING Z (1 2 NaN, 3 4 5)"),
            ("LineString Z Empty", "LINESTRING EMPTY"),
        ] {
            assert_eq!(read(text).map(|g| write(&g)).as_deref(), Ok(wanted), "{text}");
        }
    }

    #[test]
    fn digits_are_those_asked_for() {
        let g = read("LINESTRING (1.23456 -0.00001, 100 2.5)").unwrap();
        assert_eq!(write_rounded(&g, 3), "LINESTRING (1.235 0, 100 2.5)");
        assert_eq!(write_rounded(&g, 0), "LINESTRING (1 0, 100 2)");
    }

    #[test]
    fn what_is_wrong_is_said_with_its_place() {
        for (text, wanted) in [
            ("POINT (1)", "a number is expected after 8 characters of the geometry"),
            ("POINT 1 2", "an opening parenthesis is expected after 6 characters of the geometry"),
            ("CIRCLE (1 2)", "the type of a geometry is expected after 0 characters of the geometry"),
            ("POINT (1 2) x", "the end is expected after 12 characters of the geometry"),
            (
                "LINESTRING (1 2, 3 4",
                "a comma or a closing parenthesis is expected after 20 characters of the geometry",
            ),
            ("POINT Z (1 2)", "a height or measure is expected after 12 characters of the geometry"),
            ("", "the type of a geometry is expected after 0 characters of the geometry"),
        ] {
            assert_eq!(read(text).unwrap_err().to_string(), wanted, "{text}");
        }
        let deep = "GEOMETRYCOLLECTION (".repeat(40);
        assert!(read(&deep).is_err());
    }
}
