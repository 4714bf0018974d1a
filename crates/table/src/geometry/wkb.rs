//! Well-known binary (OGC 06-103r4, clause 8; ISO 13249-3 for heights and measures).
//!
//! A byte for the order of bytes (0 big-endian, 1 little-endian), the code of the type as `u32` (1000 more with
//! heights, 2000 more with measures, 3000 more with both), then the parts, each list behind its length as `u32`.

use super::{Geometry, Position};

/// How deep collections may lie in each other.
const DEEPEST: usize = 16;

/// What is wrong with well-known binary.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum WkbError {
    /// It ends too early, or a length says more than there is.
    #[error("the geometry ends too early")]
    Short,
    /// A type that is no simple feature.
    #[error("geometry type {0} is not one of the simple features")]
    Type(u32),
    /// Collections in collections in collections.
    #[error("collections lie more than 16 deep in each other")]
    Deep,
    /// A part of another type than its whole says.
    #[error("a part is of another type than the whole")]
    Part,
}

/// Reads a geometry, in either order of bytes; what follows it is passed over.
///
/// # Errors
/// [`WkbError`].
pub fn read(bytes: &[u8]) -> Result<Geometry, WkbError> {
    geometry(&mut Cursor { rest: bytes }, 0)
}

struct Cursor<'a> {
    rest: &'a [u8],
}

#[derive(Clone, Copy)]
struct Form {
    little: bool,
    z: bool,
    m: bool,
}

impl Form {
    fn size(self) -> usize {
        16 + 8 * (usize::from(self.z) + usize::from(self.m))
    }
}

impl Cursor<'_> {
    fn take<const N: usize>(&mut self) -> Result<[u8; N], WkbError> {
        let (head, rest) = self.rest.split_first_chunk::<N>().ok_or(WkbError::Short)?;
        self.rest = rest;
        Ok(*head)
    }

    fn u32(&mut self, little: bool) -> Result<u32, WkbError> {
        let b = self.take()?;
        Ok(if little { u32::from_le_bytes(b) } else { u32::from_be_bytes(b) })
    }

    fn f64(&mut self, little: bool) -> Result<f64, WkbError> {
        let b = self.take()?;
        Ok(if little { f64::from_le_bytes(b) } else { f64::from_be_bytes(b) })
    }

    /// A length of things of at least so many bytes: it cannot be more than what is left.
    fn length(&mut self, form: Form, least: usize) -> Result<usize, WkbError> {
        let n = self.u32(form.little)? as usize;
        if n > self.rest.len() / least.max(1) { Err(WkbError::Short) } else { Ok(n) }
    }

    fn position(&mut self, form: Form) -> Result<Position, WkbError> {
        let mut p = Position::xy(self.f64(form.little)?, self.f64(form.little)?);
        if form.z {
            p.z = self.f64(form.little)?;
        }
        if form.m {
            p.m = self.f64(form.little)?;
        }
        Ok(p)
    }

    fn positions(&mut self, form: Form) -> Result<Vec<Position>, WkbError> {
        let n = self.length(form, form.size())?;
        (0..n).map(|_| self.position(form)).collect()
    }

    fn rings(&mut self, form: Form) -> Result<Vec<Vec<Position>>, WkbError> {
        let n = self.length(form, 4)?;
        (0..n).map(|_| self.positions(form)).collect()
    }
}

fn geometry(c: &mut Cursor, depth: usize) -> Result<Geometry, WkbError> {
    if depth > DEEPEST {
        return Err(WkbError::Deep);
    }
    let [order] = c.take()?;
    let little = order == 1;
    let code = c.u32(little)?;
    // Heights and measures are also found as flags in the upper bits.
    let (low, flags) = (code & 0x0FFF_FFFF, code >> 28);
    let form = Form {
        little,
        z: flags & 8 != 0 || matches!(low / 1000, 1 | 3),
        m: flags & 4 != 0 || matches!(low / 1000, 2 | 3),
    };
    if flags & 2 != 0 {
        // A code of the reference system in front.
        c.u32(little)?;
    }
    let parts = |c: &mut Cursor| -> Result<Vec<Geometry>, WkbError> {
        let n = c.length(form, 5)?;
        (0..n).map(|_| geometry(c, depth + 1)).collect()
    };
    Ok(match low % 1000 {
        1 => Geometry::Point(c.position(form)?),
        2 => Geometry::LineString(c.positions(form)?),
        3 => Geometry::Polygon(c.rings(form)?),
        4 => Geometry::MultiPoint(
            parts(c)?
                .into_iter()
                .map(|g| if let Geometry::Point(p) = g { Ok(p) } else { Err(WkbError::Part) })
                .collect::<Result<_, _>>()?,
        ),
        5 => Geometry::MultiLineString(
            parts(c)?
                .into_iter()
                .map(|g| if let Geometry::LineString(l) = g { Ok(l) } else { Err(WkbError::Part) })
                .collect::<Result<_, _>>()?,
        ),
        6 => Geometry::MultiPolygon(
            parts(c)?
                .into_iter()
                .map(|g| if let Geometry::Polygon(l) = g { Ok(l) } else { Err(WkbError::Part) })
                .collect::<Result<_, _>>()?,
        ),
        7 => Geometry::Collection(parts(c)?),
        _ => return Err(WkbError::Type(code)),
    })
}

/// A geometry as well-known binary, little-endian.
pub fn write(geometry: &Geometry) -> Vec<u8> {
    let mut out = Vec::with_capacity(64);
    push(geometry, &mut out);
    out
}

/// Appends a geometry, little-endian; heights and measures are written where any position has one.
pub fn push(geometry: &Geometry, out: &mut Vec<u8>) {
    let (z, m) = geometry.has_z_and_m();
    push_form(geometry, z, m, out);
}

fn push_form(geometry: &Geometry, z: bool, m: bool, out: &mut Vec<u8>) {
    head(geometry.code(), z, m, out);
    match geometry {
        Geometry::Point(p) => position(p, z, m, out),
        Geometry::LineString(l) => positions(l, z, m, out),
        Geometry::Polygon(rings) => lists(rings, z, m, out),
        Geometry::MultiPoint(l) => {
            count(l.len(), out);
            for p in l {
                head(1, z, m, out);
                position(p, z, m, out);
            }
        }
        Geometry::MultiLineString(l) => {
            count(l.len(), out);
            for line in l {
                head(2, z, m, out);
                positions(line, z, m, out);
            }
        }
        Geometry::MultiPolygon(l) => {
            count(l.len(), out);
            for rings in l {
                head(3, z, m, out);
                lists(rings, z, m, out);
            }
        }
        Geometry::Collection(l) => {
            count(l.len(), out);
            l.iter().for_each(|g| push_form(g, z, m, out));
        }
    }
}

fn head(code: u32, z: bool, m: bool, out: &mut Vec<u8>) {
    out.push(1);
    out.extend_from_slice(&(code + 1000 * u32::from(z) + 2000 * u32::from(m)).to_le_bytes());
}

fn count(n: usize, out: &mut Vec<u8>) {
    out.extend_from_slice(&(n as u32).to_le_bytes());
}

fn position(p: &Position, z: bool, m: bool, out: &mut Vec<u8>) {
    for v in [Some(p.x), Some(p.y), z.then_some(p.z), m.then_some(p.m)].into_iter().flatten() {
        out.extend_from_slice(&v.to_le_bytes());
    }
}

fn positions(l: &[Position], z: bool, m: bool, out: &mut Vec<u8>) {
    count(l.len(), out);
    l.iter().for_each(|p| position(p, z, m, out));
}

fn lists(l: &[Vec<Position>], z: bool, m: bool, out: &mut Vec<u8>) {
    count(l.len(), out);
    l.iter().for_each(|r| positions(r, z, m, out));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::wkt;

    /// Built by hand from clause 8.2: big-endian, a line with heights (code 1002) through two positions.
    #[test]
    fn byte_by_byte() {
        let mut bytes = vec![0, 0, 0, 0x03, 0xEA, 0, 0, 0, 2];
        for v in [1.0f64, 2.0, 3.0, 4.0, 5.0, 6.0] {
            bytes.extend(v.to_be_bytes());
        }
        let wanted = Geometry::LineString(vec![Position::xyz(1.0, 2.0, 3.0), Position::xyz(4.0, 5.0, 6.0)]);
        assert_eq!(read(&bytes), Ok(wanted.clone()));
        for cut in 0..bytes.len() {
            assert_eq!(read(&bytes[..cut]), Err(WkbError::Short), "{cut}");
        }
        // The same with the flag for heights, and a code of a system.
        let mut flagged = vec![0, 0xA0, 0, 0, 2, 0, 0, 0x10, 0xE6];
        flagged.extend(&bytes[5..]);
        assert_eq!(read(&flagged), Ok(wanted));
    }

    #[test]
    fn lying_lengths_and_deep_nests_are_errors() {
        assert_eq!(read(&[1, 2, 0, 0, 0, 255, 255, 255, 255]), Err(WkbError::Short));
        assert_eq!(read(&[1, 3, 0, 0, 0, 255, 255, 255, 127]), Err(WkbError::Short));
        assert_eq!(read(&[1, 17, 0, 0, 0]), Err(WkbError::Type(17)));
        let mut nest = Vec::new();
        for _ in 0..1000 {
            nest.extend([1, 7, 0, 0, 0, 1, 0, 0, 0]);
        }
        assert_eq!(read(&nest), Err(WkbError::Deep));
        // A point among the lines of a multi-line string.
        let mut mixed = vec![1, 5, 0, 0, 0, 1, 0, 0, 0];
        mixed.extend(write(&Geometry::Point(Position::xy(1.0, 2.0))));
        assert_eq!(read(&mixed), Err(WkbError::Part));
    }

    #[test]
    fn all_types_go_there_and_back() {
        for text in [
            "POINT (1 2)",
            "POINT Z (1 2 3)",
            "LINESTRING M (1 2 3, 4 5 6)",
            "POLYGON ((0 0, 4 0, 4 4, 0 0), (1 1, 2 1, 2 2, 1 1))",
            "MULTIPOINT ZM ((1 2 3 4), (5 6 7 8))",
            "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))",
            "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))",
            "GEOMETRYCOLLECTION (POINT (1 2), LINESTRING (0 0, 1 1))",
            "MULTIPOLYGON EMPTY",
        ] {
            let g = wkt::read(text).unwrap();
            assert_eq!(read(&write(&g)), Ok(g.clone()), "{text}");
            assert_eq!(wkt::write(&g), text);
        }
    }
}
