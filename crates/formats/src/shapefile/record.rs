//! One shape: its type as `u32`, its box, how many parts and points, then the numbers; all little-endian.

use super::rings;
use basilocus_table::geometry::{Geometry, Position};

/// Measures below this say that there is none.
const NO_MEASURE: f64 = -1e38;

/// What a type of shape says: what it is, and whether it has heights and measures.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Kind {
    pub family: Family,
    pub z: bool,
    pub m: bool,
}

/// Points, lines or polygons.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Family {
    Null,
    Point,
    Line,
    Polygon,
    MultiPoint,
}

impl Kind {
    /// The kind of a code; none for patches of surfaces and for what the description does not have.
    pub(super) fn of(code: u32) -> Option<Self> {
        let family = match code % 10 {
            0 if code == 0 => Family::Null,
            1 if code < 30 => Family::Point,
            3 if code < 30 => Family::Line,
            5 if code < 30 => Family::Polygon,
            8 if code < 30 => Family::MultiPoint,
            _ => return None,
        };
        Some(Kind { family, z: code / 10 == 1, m: code / 10 >= 1 })
    }

    /// The code of a kind.
    pub(super) fn code(self) -> u32 {
        let base = match self.family {
            Family::Null => return 0,
            Family::Point => 1,
            Family::Line => 3,
            Family::Polygon => 5,
            Family::MultiPoint => 8,
        };
        base + if self.z {
            10
        } else if self.m {
            20
        } else {
            0
        }
    }
}

impl Family {
    /// The family of a geometry; none for collections.
    pub(super) fn of(geometry: &Geometry) -> Option<Self> {
        Some(match geometry {
            Geometry::Point(_) => Family::Point,
            Geometry::MultiPoint(_) => Family::MultiPoint,
            Geometry::LineString(_) | Geometry::MultiLineString(_) => Family::Line,
            Geometry::Polygon(_) | Geometry::MultiPolygon(_) => Family::Polygon,
            Geometry::Collection(_) => return None,
        })
    }

    pub(super) fn name(self) -> &'static str {
        match self {
            Family::Null => "no geometry",
            Family::Point => "points",
            Family::Line => "lines",
            Family::Polygon => "polygons",
            Family::MultiPoint => "multi-points",
        }
    }
}

struct Cursor<'a>(&'a [u8]);

impl Cursor<'_> {
    fn u32(&mut self) -> Option<u32> {
        let (head, rest) = self.0.split_first_chunk()?;
        self.0 = rest;
        Some(u32::from_le_bytes(*head))
    }

    fn f64(&mut self) -> Option<f64> {
        let (head, rest) = self.0.split_first_chunk()?;
        self.0 = rest;
        Some(f64::from_le_bytes(*head))
    }

    fn skip(&mut self, n: usize) -> Option<()> {
        self.0 = self.0.get(n..)?;
        Some(())
    }
}

/// Reads the content of a record; none for a null shape.
///
/// # Errors
/// In words.
pub(super) fn read(content: &[u8]) -> Result<Option<Geometry>, String> {
    let mut c = Cursor(content);
    let short = || "the shape ends too early".to_string();
    let code = c.u32().ok_or_else(short)?;
    let kind = Kind::of(code).ok_or_else(|| {
        if code == 31 {
            "the shape is a patch of surfaces, which is not read".to_string()
        } else {
            format!("{code} is no type of shape")
        }
    })?;
    Ok(match kind.family {
        Family::Null => None,
        Family::Point => {
            let mut p = Position::xy(c.f64().ok_or_else(short)?, c.f64().ok_or_else(short)?);
            if kind.z {
                p.z = c.f64().ok_or_else(short)?;
            }
            // Measures may be left out.
            if kind.m
                && let Some(m) = c.f64()
            {
                p.m = measure(m);
            }
            if !(p.x.is_finite() && p.y.is_finite()) {
                return Ok(None);
            }
            Some(Geometry::Point(p))
        }
        Family::MultiPoint => {
            c.skip(32).ok_or_else(short)?;
            let n = c.u32().ok_or_else(short)? as usize;
            let points = positions(&mut c, n, kind).ok_or_else(short)?;
            (!points.is_empty()).then_some(Geometry::MultiPoint(points))
        }
        Family::Line | Family::Polygon => {
            c.skip(32).ok_or_else(short)?;
            let (parts, n) = (c.u32().ok_or_else(short)? as usize, c.u32().ok_or_else(short)? as usize);
            if parts > c.0.len() / 4 {
                return Err(short());
            }
            let starts: Vec<usize> =
                (0..parts).map(|_| c.u32().map(|s| s as usize)).collect::<Option<_>>().ok_or_else(short)?;
            let points = positions(&mut c, n, kind).ok_or_else(short)?;
            let mut lists = Vec::with_capacity(parts);
            for (i, from) in starts.iter().enumerate() {
                let to = starts.get(i + 1).copied().unwrap_or(n);
                let part = points.get(*from..to).ok_or("the parts of the shape do not follow each other")?;
                if !part.is_empty() {
                    lists.push(part.to_vec());
                }
            }
            match (kind.family, lists.len()) {
                (_, 0) => None,
                (Family::Polygon, _) => Some(rings::polygons(lists)),
                (_, 1) => Some(Geometry::LineString(lists.remove(0))),
                _ => Some(Geometry::MultiLineString(lists)),
            }
        }
    })
}

fn measure(m: f64) -> f64 {
    if m < NO_MEASURE { f64::NAN } else { m }
}

/// The points of a shape: all x and y, then all heights behind their range, then all measures behind theirs.
fn positions(c: &mut Cursor, n: usize, kind: Kind) -> Option<Vec<Position>> {
    if n > c.0.len() / 16 {
        return None;
    }
    let mut out: Vec<Position> = (0..n).map(|_| Some(Position::xy(c.f64()?, c.f64()?))).collect::<Option<_>>()?;
    if kind.z {
        c.skip(16)?;
        for p in &mut out {
            p.z = c.f64()?;
        }
    }
    // Measures may be left out.
    if kind.m && c.0.len() >= 16 + 8 * n {
        c.skip(16)?;
        for p in &mut out {
            p.m = measure(c.f64()?);
        }
    }
    Some(out)
}

/// Appends the content of a record. A geometry of another family than the file's is written as a null shape; the
/// caller sees to it that there is none.
pub(super) fn push(geometry: Option<&Geometry>, kind: Kind, out: &mut Vec<u8>) {
    let geometry = geometry.filter(|g| Family::of(g).is_some_and(|f| fits(f, kind.family)) && !g.is_empty());
    let Some(geometry) = geometry else {
        out.extend_from_slice(&0u32.to_le_bytes());
        return;
    };
    out.extend_from_slice(&kind.code().to_le_bytes());
    let mut lists: Vec<Vec<Position>> = Vec::new();
    match geometry {
        Geometry::Point(p) if kind.family == Family::Point => {
            for v in [Some(p.x), Some(p.y), kind.z.then_some(height(p.z)), kind.m.then_some(measured(p.m))]
                .into_iter()
                .flatten()
            {
                out.extend_from_slice(&v.to_le_bytes());
            }
            return;
        }
        Geometry::Point(p) => lists.push(vec![*p]),
        Geometry::MultiPoint(l) | Geometry::LineString(l) => lists.push(l.clone()),
        Geometry::MultiLineString(l) => lists.extend(l.iter().cloned()),
        Geometry::Polygon(p) => rings::rings(p, &mut lists),
        Geometry::MultiPolygon(l) => l.iter().for_each(|p| rings::rings(p, &mut lists)),
        Geometry::Collection(_) => {}
    }
    let [w, s, e, n] = geometry.bounds().unwrap_or_default();
    let put = |out: &mut Vec<u8>, v: f64| out.extend_from_slice(&v.to_le_bytes());
    [w, s, e, n].into_iter().for_each(|v| put(out, v));
    let count: usize = lists.iter().map(Vec::len).sum();
    if kind.family != Family::MultiPoint {
        out.extend_from_slice(&(lists.len() as u32).to_le_bytes());
    }
    out.extend_from_slice(&(count as u32).to_le_bytes());
    if kind.family != Family::MultiPoint {
        let mut from = 0u32;
        for l in &lists {
            out.extend_from_slice(&from.to_le_bytes());
            from += l.len() as u32;
        }
    }
    for p in lists.iter().flatten() {
        put(out, p.x);
        put(out, p.y);
    }
    let mut further = |value: &dyn Fn(&Position) -> f64| {
        let all: Vec<f64> = lists.iter().flatten().map(value).collect();
        let there = || all.iter().copied().filter(|v| *v > NO_MEASURE);
        put(out, there().reduce(f64::min).unwrap_or(0.0));
        put(out, there().reduce(f64::max).unwrap_or(0.0));
        all.into_iter().for_each(|v| put(out, v));
    };
    if kind.z {
        further(&|p| height(p.z));
    }
    if kind.m {
        further(&|p| measured(p.m));
    }
}

/// Whether geometries of a family can stand in a file of another: a point among multi-points.
pub(super) fn fits(family: Family, file: Family) -> bool {
    family == file || family == Family::Point && file == Family::MultiPoint
}

fn height(z: f64) -> f64 {
    if z.is_nan() { 0.0 } else { z }
}

fn measured(m: f64) -> f64 {
    if m.is_nan() { -1e39 } else { m }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    /// Built by hand from table 9 of the description: a polygon of one ring.
    #[test]
    fn a_polygon_byte_by_byte() {
        let mut bytes = 5u32.to_le_bytes().to_vec();
        for v in [0.0f64, 0.0, 4.0, 4.0] {
            bytes.extend(v.to_le_bytes());
        }
        for n in [1u32, 4, 0] {
            bytes.extend(n.to_le_bytes());
        }
        for v in [0.0f64, 0.0, 4.0, 4.0, 4.0, 0.0, 0.0, 0.0] {
            bytes.extend(v.to_le_bytes());
        }
        let text = |b: &[u8]| read(b).map(|g| g.map_or("null".into(), |g| wkt::write(&g)));
        assert_eq!(text(&bytes).as_deref(), Ok("POLYGON ((0 0, 4 0, 4 4, 0 0))"));
        let mut back = Vec::new();
        push(read(&bytes).unwrap().as_ref(), Kind::of(5).unwrap(), &mut back);
        assert_eq!(back, bytes);
        for cut in 0..bytes.len() {
            assert!(read(&bytes[..cut]).is_err(), "{cut}");
        }
        // A length that lies, parts that do not follow, a patch.
        bytes[40] = 255;
        assert!(read(&bytes).is_err());
        assert_eq!(text(&31u32.to_le_bytes()), Err("the shape is a patch of surfaces, which is not read".into()));
        assert_eq!(text(&7u32.to_le_bytes()), Err("7 is no type of shape".into()));
        assert_eq!(text(&0u32.to_le_bytes()).as_deref(), Ok("null"));
    }

    #[test]
    fn all_kinds_there_and_back() {
        for (code, text) in [
            (1, "POINT (1 2)"),
            (11, "POINT ZM (1 2 3 4)"),
            (21, "POINT M (1 2 4)"),
            (8, "MULTIPOINT ((1 2), (3 4))"),
            (3, "LINESTRING (1 2, 3 4)"),
            (13, "MULTILINESTRING Z ((1 2 3, 4 5 6), (7 8 9, 1 2 3))"),
            (23, "LINESTRING M (1 2 3, 4 5 6)"),
            (15, "POLYGON Z ((0 0 1, 4 0 1, 4 4 1, 0 0 1))"),
            (5, "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))"),
        ] {
            let mut bytes = Vec::new();
            push(Some(&wkt::read(text).unwrap()), Kind::of(code).unwrap(), &mut bytes);
            assert_eq!(Kind::of(code).unwrap().code(), code);
            assert_eq!(read(&bytes).map(|g| g.map(|g| wkt::write(&g))), Ok(Some(text.to_string())));
        }
    }
}
