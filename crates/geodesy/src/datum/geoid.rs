//! Heights of a geoid or of one vertical datum above another, by grid: GTX files.
//!
//! A header of four doubles (southern and western limit, steps in latitude and longitude, degrees) and two integers
//! (rows, columns), then rows of single-precision metres from the south, each from the west; big-endian.
//! −88.8888 marks nodes without a value. Between nodes heights are bilinear.

/// A grid of heights.
#[derive(Debug, Clone, PartialEq)]
pub struct GeoidGrid {
    south: f64,
    west: f64,
    lat_step: f64,
    lon_step: f64,
    rows: usize,
    columns: usize,
    heights: Vec<f32>,
}

/// Why a grid file cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("is not a GTX grid file that can be used: {0}")]
pub struct GeoidError(String);

const NO_VALUE: f32 = -88.8888;

impl GeoidGrid {
    /// Reads the bytes of a file.
    ///
    /// # Errors
    /// [`GeoidError`] where the header and the size of the file contradict each other.
    pub fn parse(bytes: &[u8]) -> Result<Self, GeoidError> {
        let wrong = |text: &str| GeoidError(text.to_string());
        if bytes.len() < 40 {
            return Err(wrong("it is shorter than its header"));
        }
        let double = |i: usize| {
            let mut b = [0u8; 8];
            b.copy_from_slice(&bytes[i..i + 8]);
            f64::from_be_bytes(b)
        };
        let integer = |i: usize| {
            let mut b = [0u8; 4];
            b.copy_from_slice(&bytes[i..i + 4]);
            usize::try_from(i32::from_be_bytes(b)).unwrap_or(0)
        };
        let (south, west, lat_step, lon_step) = (double(0), double(8), double(16), double(24));
        let (rows, columns) = (integer(32), integer(36));
        if !((-90.0..=90.0).contains(&south) && west.abs() <= 360.0 && lat_step > 0.0 && lon_step > 0.0) {
            return Err(wrong("limits or steps are no angles"));
        }
        let expected = rows.checked_mul(columns).and_then(|n| n.checked_mul(4)).and_then(|n| n.checked_add(40));
        if rows < 2 || columns < 2 || expected != Some(bytes.len()) {
            return Err(wrong("the number of rows and columns does not fit the size of the file"));
        }
        let heights = bytes[40..].chunks_exact(4).map(|b| f32::from_be_bytes([b[0], b[1], b[2], b[3]])).collect();
        Ok(GeoidGrid { south, west, lat_step, lon_step, rows, columns, heights })
    }

    /// Height at a position (degrees), metres; `None` outside the grid and beside nodes without a value.
    pub fn at(&self, lon_deg: f64, lat_deg: f64) -> Option<f64> {
        let width = self.lon_step * (self.columns - 1) as f64;
        // A grid of the whole Earth has no last column: it closes on the first.
        let closed = self.lon_step * self.columns as f64 >= 360.0 - 1e-9;
        let x = (lon_deg - self.west).rem_euclid(360.0) / self.lon_step;
        let y = (lat_deg - self.south) / self.lat_step;
        let hair = 1e-9;
        if !(y >= -hair && y <= (self.rows - 1) as f64 + hair && (closed || x * self.lon_step <= width + hair)) {
            return None;
        }
        let y = y.clamp(0.0, (self.rows - 1) as f64);
        let (i, j) = (x as usize, (y as usize).min(self.rows - 2));
        let i = if closed { i.min(self.columns - 1) } else { i.min(self.columns - 2) };
        let next = if i + 1 == self.columns { 0 } else { i + 1 };
        let (fx, fy) = (x - i as f64, y - j as f64);
        let node = |r: usize, c: usize| {
            let v = self.heights[r * self.columns + c];
            (v.is_finite() && (v - NO_VALUE).abs() > 1e-3).then_some(f64::from(v))
        };
        let (a, b, c, d) = (node(j, i)?, node(j, next)?, node(j + 1, i)?, node(j + 1, next)?);
        Some((a * (1.0 - fx) + b * fx) * (1.0 - fy) + (c * (1.0 - fx) + d * fx) * fy)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(south: f64, west: f64, step: f64, rows: i32, columns: i32, f: impl Fn(i32, i32) -> f32) -> Vec<u8> {
        let mut out = Vec::new();
        for v in [south, west, step, step] {
            out.extend(v.to_be_bytes());
        }
        out.extend(rows.to_be_bytes());
        out.extend(columns.to_be_bytes());
        for r in 0..rows {
            for c in 0..columns {
                out.extend(f(r, c).to_be_bytes());
            }
        }
        out
    }

    #[test]
    fn bilinear_between_nodes_and_nothing_beyond() {
        let g = GeoidGrid::parse(&file(46.0, -124.0, 0.5, 3, 3, |r, c| -20.0 + r as f32 + 2.0 * c as f32)).unwrap();
        assert_eq!(g.at(-124.0, 46.0), Some(-20.0));
        assert_eq!(g.at(-123.75, 46.25), Some(-18.5));
        assert_eq!(g.at(-123.0, 47.0), Some(-14.0));
        assert_eq!(g.at(236.25, 46.25), Some(-18.5), "longitudes counted to 360");
        for (lon, lat) in [(-124.1, 46.5), (-122.9, 46.5), (-123.5, 45.9), (-123.5, 47.1), (f64::NAN, 46.5)] {
            assert_eq!(g.at(lon, lat), None, "{lon} {lat}");
        }
    }

    #[test]
    fn the_whole_earth_closes_and_holes_are_holes() {
        let g = GeoidGrid::parse(&file(-90.0, -180.0, 90.0, 3, 4, |_, c| c as f32)).unwrap();
        assert_eq!(g.at(135.0, 0.0), Some(1.5), "between the last and the first column");
        let holed = GeoidGrid::parse(&file(0.0, 0.0, 1.0, 2, 3, |_, c| if c == 2 { -88.8888 } else { 1.0 })).unwrap();
        assert_eq!((holed.at(0.5, 0.5), holed.at(1.5, 0.5)), (Some(1.0), None));
    }

    #[test]
    fn broken_files_are_refused() {
        let good = file(0.0, 0.0, 1.0, 2, 3, |_, _| 0.0);
        for n in [0, 39, 40, good.len() - 1] {
            assert!(GeoidGrid::parse(&good[..n]).is_err());
        }
        let mut huge = good.clone();
        huge[32..40].copy_from_slice(&[0x7f, 0xff, 0xff, 0xff, 0x7f, 0xff, 0xff, 0xff]);
        assert!(GeoidGrid::parse(&huge).is_err());
    }
}
