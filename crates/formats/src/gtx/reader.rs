//! Reads GTX grids.

use crate::FormatError;
use crate::raster::{RasterAbout, RasterCrs, RasterFormat, RasterPlace, RasterReader, check_place, definition_beside};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

/// Bytes in front of the heights.
const HEADER: usize = 40;
/// Stands for no height.
const NO_HEIGHT: f32 = -88.8888;

/// What the first bytes say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Header {
    south: f64,
    west: f64,
    step_lat: f64,
    step_lon: f64,
    rows: usize,
    columns: usize,
}

impl Header {
    /// Reads it; `None` where the numbers are no limits and steps in degrees: a file has no other mark.
    pub(super) fn of(bytes: &[u8]) -> Option<Self> {
        let double = |at: usize| Some(f64::from_be_bytes(bytes.get(at..at + 8)?.try_into().ok()?));
        let count = |at: usize| usize::try_from(i32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?)).ok();
        let header = Header {
            south: double(0)?,
            west: double(8)?,
            step_lat: double(16)?,
            step_lon: double(24)?,
            rows: count(32)?,
            columns: count(36)?,
        };
        let is_step = |step: f64| (1e-6..=30.0).contains(&step);
        let reaches = header.south + header.step_lat * (header.rows as f64 - 1.0);
        let is_grid = (-90.0..=90.0).contains(&header.south)
            && header.west.abs() <= 360.0
            && is_step(header.step_lat)
            && is_step(header.step_lon)
            && header.rows >= 2
            && header.columns >= 2
            && reaches <= 90.001
            && header.step_lon * (header.columns as f64 - 1.0) <= 361.0;
        is_grid.then_some(header)
    }

    /// The place of its heights, longitudes within -180 and 180 where the grid allows.
    fn place(&self) -> RasterPlace {
        let west = if self.west >= 180.0 { self.west - 360.0 } else { self.west };
        RasterPlace {
            west,
            north: self.south + self.step_lat * (self.rows as f64 - 1.0),
            step_x: self.step_lon,
            step_y: self.step_lat,
            columns: self.columns,
            rows: self.rows,
        }
    }
}

/// Gives the rows of a GTX grid, from the south: a chunk is a row.
pub(crate) struct GtxReader {
    about: RasterAbout,
    file: File,
}

impl GtxReader {
    pub(crate) fn open(path: &Path) -> Result<Self, FormatError> {
        let failed = |e: std::io::Error| FormatError::read(path, e);
        let mut file = File::open(path).map_err(failed)?;
        let bytes = file.metadata().map_err(failed)?.len();
        let mut head = [0; HEADER];
        let is_whole = bytes >= HEADER as u64;
        if is_whole {
            file.read_exact(&mut head).map_err(failed)?;
        }
        let header = Header::of(&head).filter(|_| is_whole);
        let header =
            header.ok_or_else(|| FormatError::broken(path, "its first bytes are no limits and steps in degrees"))?;
        let place = header.place();
        check_place(path, &place)?;
        let expected = header.rows as u128 * header.columns as u128 * 4 + HEADER as u128;
        if expected != u128::from(bytes) {
            let problem = format!(
                "has {bytes} bytes; {} rows of {} columns, as it says, have {expected}",
                header.rows, header.columns
            );
            return Err(FormatError::broken(path, problem));
        }
        let mut notes = vec!["heights in metres on a grid in degrees that says no system itself".to_string()];
        if place.west != header.west {
            notes.push(format!("its longitudes begin at {}°, which is {}°", header.west, place.west));
        }
        let about = RasterAbout {
            path: path.to_path_buf(),
            format: RasterFormat::Gtx,
            place,
            from_south: true,
            crs: definition_beside(path).map_or(RasterCrs::Unsaid, RasterCrs::Text),
            is_of_points: true,
            sample: "32-bit float".into(),
            no_data: Some(-88.8888),
            notes,
            chunk: (header.columns, 1),
            bytes,
        };
        Ok(GtxReader { about, file })
    }
}

impl RasterReader for GtxReader {
    fn about(&self) -> &RasterAbout {
        &self.about
    }

    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, FormatError> {
        let RasterPlace { columns, rows, .. } = self.about.place;
        if across > 0 || down >= rows {
            return Err(FormatError::broken(&self.about.path, format!("has no row {}", down + 1)));
        }
        let mut bytes = vec![0; columns * 4];
        let start = HEADER as u64 + down as u64 * bytes.len() as u64;
        let read = self.file.seek(SeekFrom::Start(start)).and_then(|_| self.file.read_exact(&mut bytes));
        read.map_err(|e| FormatError::read(&self.about.path, e))?;
        let height = |b: &[u8]| {
            let z = f32::from_be_bytes([b[0], b[1], b[2], b[3]]);
            // Programs write the mark with a digit more or less.
            if !z.is_finite() || (z - NO_HEIGHT).abs() < 1e-3 { f64::NAN } else { f64::from(z) }
        };
        Ok(bytes.chunks_exact(4).map(height).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Three rows of four columns from 46° north and 236.1° east (123.9° west), one height missing.
    fn grid() -> Vec<u8> {
        let mut bytes = Vec::new();
        [46.0, 236.1, 0.1, 0.1].iter().for_each(|v: &f64| bytes.extend(v.to_be_bytes()));
        [3i32, 4].iter().for_each(|v| bytes.extend(v.to_be_bytes()));
        (0..12).for_each(|i| bytes.extend(if i == 5 { NO_HEIGHT } else { -20.0 - i as f32 }.to_be_bytes()));
        bytes
    }

    #[test]
    fn rows_come_from_the_south_with_their_place() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("geoid.gtx");
        std::fs::write(&file, grid()).unwrap();
        let mut reader = GtxReader::open(&file).unwrap();
        let place = reader.about().place;
        assert!((place.west + 123.9).abs() < 1e-9 && (place.north - 46.2).abs() < 1e-9, "{place:?}");
        assert!(reader.about().from_south && reader.about().notes[1].contains("236.1"));
        assert_eq!(reader.chunk(0, 0).unwrap(), [-20.0, -21.0, -22.0, -23.0]);
        let second = reader.chunk(0, 1).unwrap();
        assert!(second[1].is_nan() && second[0] == -24.0 && second[2] == -26.0);
        assert!(reader.chunk(0, 3).is_err() && reader.chunk(1, 0).is_err());
    }

    #[test]
    fn what_is_no_grid_is_not_taken_for_one() {
        for other in [&b"lon,lat,height\n-123.8,46.2,3.1\n-123.7,46.2,3.2\n"[..], b"SQLite format 3\0", &[0; 64], b""] {
            assert_eq!(Header::of(other), None, "{other:?}");
        }
        assert!(Header::of(&grid()).is_some());
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("cut.gtx");
        std::fs::write(&file, &grid()[..70]).unwrap();
        let message = GtxReader::open(&file).err().unwrap().to_string();
        assert!(message.contains("has 70 bytes; 3 rows of 4 columns, as it says, have 88"), "{message}");
    }
}
