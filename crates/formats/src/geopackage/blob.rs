//! Geometry blobs: a GeoPackage header (clause 2.1.3) before well-known binary (ISO 13249-3).

/// A geometry as far as it is understood.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Geometry {
    Point { x: f64, y: f64, z: Option<f64> },
    Empty,
    Other(&'static str),
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

/// Reads a blob; `None` where it breaks the rules.
pub(super) fn read(blob: &[u8]) -> Option<Geometry> {
    if blob.len() < 8 || &blob[..2] != b"GP" {
        return None;
    }
    let flags = blob[3];
    let envelope = match (flags >> 1) & 7 {
        0 => 0,
        1 => 32,
        2 | 3 => 48,
        4 => 64,
        _ => return None,
    };
    if flags & 0x10 != 0 {
        return Some(Geometry::Empty);
    }
    let wkb = blob.get(8 + envelope..)?;
    let little = *wkb.first()? == 1;
    let u32_at = |i: usize| {
        let b: [u8; 4] = wkb.get(i..i + 4)?.try_into().ok()?;
        Some(if little { u32::from_le_bytes(b) } else { u32::from_be_bytes(b) })
    };
    let f64_at = |i: usize| {
        let b: [u8; 8] = wkb.get(i..i + 8)?.try_into().ok()?;
        Some(if little { f64::from_le_bytes(b) } else { f64::from_be_bytes(b) })
    };
    let code = u32_at(1)?;
    let (base, has_z) = (code % 1000, matches!(code / 1000, 1 | 3));
    match base {
        1 => {
            let (x, y) = (f64_at(5)?, f64_at(13)?);
            if x.is_nan() || y.is_nan() {
                return Some(Geometry::Empty);
            }
            Some(Geometry::Point { x, y, z: if has_z { f64_at(21) } else { None } })
        }
        2 => Some(Geometry::Other("line string")),
        3 => Some(Geometry::Other("polygon")),
        4 => Some(Geometry::Other("multi-point")),
        5 => Some(Geometry::Other("multi-line string")),
        6 => Some(Geometry::Other("multi-polygon")),
        7 => Some(Geometry::Other("geometry collection")),
        _ => Some(Geometry::Other("curve or surface")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
        assert_eq!(read(&blob), Some(Geometry::Point { x: 1.0, y: 2.0, z: None }));
        for cut in 0..blob.len() {
            let _ = read(&blob[..cut]);
        }
        assert_eq!(
            read(&write_point(2269, 5.0, 6.0, Some(7.0))),
            Some(Geometry::Point { x: 5.0, y: 6.0, z: Some(7.0) })
        );
        assert_eq!(read(b"nonsense"), None);
    }
}
