//! Geometry blobs: a GeoPackage header (clause 2.1.3) before well-known binary (ISO 13249-3).

use basilocus_table::geometry::{Geometry, wkb};

/// What a blob holds.
#[derive(Debug, Clone, PartialEq)]
pub enum Blob {
    /// A geometry without positions.
    Empty,
    /// A geometry.
    Geometry(Geometry),
}

/// A point in the blob form: little-endian, no envelope (a point needs none).
pub(super) fn write_point(srs_id: i32, x: f64, y: f64, z: Option<f64>) -> Vec<u8> {
    let mut out = Vec::with_capacity(37);
    out.extend_from_slice(b"GP\0\x01");
    out.extend_from_slice(&srs_id.to_le_bytes());
    out.push(1);
    out.extend_from_slice(&(if z.is_some() { 1001u32 } else { 1 }).to_le_bytes());
    for v in [Some(x), Some(y), z].into_iter().flatten() {
        out.extend_from_slice(&v.to_le_bytes());
    }
    out
}

/// Any geometry in the blob form, of its well-known binary and its bounds; an envelope saves readers a pass.
pub(super) fn write(srs_id: i32, bounds: Option<[f64; 4]>, wkb: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(40 + wkb.len());
    // Little-endian (1), an envelope of x and y (1 << 1), or empty (1 << 4).
    out.extend_from_slice(b"GP\0");
    out.push(if bounds.is_some() { 0x03 } else { 0x11 });
    out.extend_from_slice(&srs_id.to_le_bytes());
    if let Some([west, south, east, north]) = bounds {
        for v in [west, east, south, north] {
            out.extend_from_slice(&v.to_le_bytes());
        }
    }
    out.extend_from_slice(wkb);
    out
}

/// Reads a blob.
///
/// # Errors
/// The reason in words where it breaks the rules.
pub fn read(blob: &[u8]) -> Result<Blob, String> {
    let short = || "the geometry ends too early".to_string();
    if blob.len() < 8 || &blob[..2] != b"GP" {
        return Err("the geometry does not begin as the GeoPackage standard says".into());
    }
    let flags = blob[3];
    let envelope = match (flags >> 1) & 7 {
        0 => 0,
        1 => 32,
        2 | 3 => 48,
        4 => 64,
        _ => return Err("the envelope of the geometry is of no form of the standard".into()),
    };
    if flags & 0x10 != 0 {
        return Ok(Blob::Empty);
    }
    let geometry = wkb::read(blob.get(8 + envelope..).ok_or_else(short)?).map_err(|e| e.to_string())?;
    // An empty point is one without numbers.
    Ok(match geometry {
        Geometry::Point(p) if p.x.is_nan() || p.y.is_nan() => Blob::Empty,
        geometry => Blob::Geometry(geometry),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    fn text(blob: &[u8]) -> Result<String, String> {
        read(blob).map(|b| match b {
            Blob::Empty => "EMPTY".into(),
            Blob::Geometry(g) => wkt::write(&g),
        })
    }

    #[test]
    fn byte_by_byte() {
        // Built from clause 2.1.3 by hand: big-endian header and body, an envelope of four doubles, POINT(1 2).
        let mut blob = b"GP\0\x02".to_vec();
        blob.extend(4326i32.to_be_bytes());
        for v in [1.0f64, 1.0, 2.0, 2.0] {
            blob.extend(v.to_be_bytes());
        }
        blob.push(0);
        blob.extend(1u32.to_be_bytes());
        blob.extend(1.0f64.to_be_bytes());
        blob.extend(2.0f64.to_be_bytes());
        assert_eq!(text(&blob).as_deref(), Ok("POINT (1 2)"));
        for cut in 0..blob.len() {
            assert!(text(&blob[..cut]).is_err(), "{cut}");
        }
        assert_eq!(text(&write_point(2269, 5.0, 6.0, Some(7.0))).as_deref(), Ok("POINT Z (5 6 7)"));
        assert!(text(b"nonsense").is_err());
    }

    #[test]
    fn lines_and_polygons_with_their_envelope() {
        let g = wkt::read("POLYGON ((0 1, 4 1, 4 5, 0 1))").unwrap();
        let blob = write(4326, g.bounds(), &wkb::write(&g));
        let number = |i: usize| f64::from_le_bytes(blob[i..i + 8].try_into().unwrap());
        assert_eq!([number(8), number(16), number(24), number(32)], [0.0, 4.0, 1.0, 5.0], "x first, then y");
        assert_eq!(text(&blob).as_deref(), Ok("POLYGON ((0 1, 4 1, 4 5, 0 1))"));
        let empty = wkt::read("POLYGON EMPTY").unwrap();
        assert_eq!(text(&write(4326, None, &wkb::write(&empty))).as_deref(), Ok("EMPTY"));
    }
}
