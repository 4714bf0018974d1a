//! More points than memory should hold: in a temporary file, in the order of their rows.

use super::points::{AboutPoints, Points};
use crate::Error;
use basilocus_terrain::lattice::Different;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, Write};
use std::path::Path;

/// Positions with heights, and the rows that they are of.
#[derive(Debug, Default)]
pub(super) struct PointBlock {
    pub x: Vec<f64>,
    pub y: Vec<f64>,
    pub z: Vec<f64>,
    pub source_rows: Vec<u64>,
}

impl PointBlock {
    /// Keeps those with a position and a height; `without` is told the others.
    pub(super) fn keep_points(&mut self, mut without: impl FnMut(f64, f64)) {
        let is_point = |c: &Self, i: usize| c.x[i].is_finite() && c.y[i].is_finite() && c.z[i].is_finite();
        // Nearly all blocks are points from end to end.
        if (0..self.x.len()).all(|i| is_point(self, i)) {
            return;
        }
        let keep: Vec<usize> = (0..self.x.len()).filter(|i| is_point(self, *i)).collect();
        (0..self.x.len()).filter(|i| !is_point(self, *i)).for_each(|i| without(self.x[i], self.y[i]));
        for values in [&mut self.x, &mut self.y, &mut self.z] {
            *values = keep.iter().map(|i| values[*i]).collect();
        }
        self.source_rows = keep.iter().map(|i| self.source_rows[*i]).collect();
    }

    pub(super) fn append(&mut self, mut more: PointBlock) {
        self.x.append(&mut more.x);
        self.y.append(&mut more.y);
        self.z.append(&mut more.z);
        self.source_rows.append(&mut more.source_rows);
    }
}

/// Bytes of a point: three numbers and a row.
const POINT: usize = 32;
/// Points that are read together.
const TOGETHER: usize = 1 << 15;

/// A file of points, removed when it is dropped; and how their coordinates are spread.
pub(super) struct PointFile {
    file: BufWriter<File>,
    count: u64,
    along: [Different; 2],
}

impl PointFile {
    /// A file for points, in the folder of `beside`.
    pub(super) fn create(beside: Option<&Path>) -> Result<Self, Error> {
        let file = BufWriter::with_capacity(1 << 20, temporary(beside)?);
        Ok(PointFile { file, count: 0, along: Default::default() })
    }

    pub(super) fn add(&mut self, points: &PointBlock) -> Result<(), Error> {
        self.along[0].add(&points.x);
        self.along[1].add(&points.y);
        self.count += points.x.len() as u64;
        for i in 0..points.x.len() {
            let mut bytes = [0; POINT];
            for (part, value) in bytes.chunks_exact_mut(8).zip([points.x[i], points.y[i], points.z[i]]) {
                part.copy_from_slice(&value.to_le_bytes());
            }
            bytes[24..].copy_from_slice(&points.source_rows[i].to_le_bytes());
            self.file.write_all(&bytes).map_err(failed)?;
        }
        Ok(())
    }
}

/// Points in a file.
pub(super) struct ManyPoints {
    pub file: PointFile,
    pub about: AboutPoints,
}

impl ManyPoints {
    /// The values along both axes.
    pub(super) fn along(&self) -> &[Different; 2] {
        &self.file.along
    }

    /// Gives all points, some thousand at once, in their order.
    pub(super) fn each(&mut self, give: &mut dyn FnMut(&PointBlock) -> Result<(), Error>) -> Result<(), Error> {
        self.file.file.flush().map_err(failed)?;
        let file = self.file.file.get_mut();
        file.rewind().map_err(failed)?;
        let mut file = BufReader::with_capacity(1 << 20, file);
        let mut left = self.file.count as usize;
        let mut bytes = Vec::new();
        while left > 0 {
            let count = left.min(TOGETHER);
            bytes.resize(count * POINT, 0);
            file.read_exact(&mut bytes).map_err(failed)?;
            let eight = |i: usize, part: usize| {
                let from = i * POINT + part * 8;
                <[u8; 8]>::try_from(&bytes[from..from + 8]).unwrap_or_default()
            };
            let numbers = |part: usize| (0..count).map(|i| f64::from_le_bytes(eight(i, part))).collect();
            let points = PointBlock {
                x: numbers(0),
                y: numbers(1),
                z: numbers(2),
                source_rows: (0..count).map(|i| u64::from_le_bytes(eight(i, 3))).collect(),
            };
            give(&points)?;
            left -= count;
        }
        Ok(())
    }

    /// All of them in memory: what is no grid needs each at once.
    pub(super) fn in_memory(mut self) -> Result<Points, Error> {
        let mut all = PointBlock::default();
        self.each(&mut |points| {
            all.x.extend_from_slice(&points.x);
            all.y.extend_from_slice(&points.y);
            all.z.extend_from_slice(&points.z);
            all.source_rows.extend_from_slice(&points.source_rows);
            Ok(())
        })?;
        Ok(Points::of(all, self.about))
    }
}

/// A temporary file without a name: in the folder of an output, where there is room for it, rather than where temporary files
/// are, which may be memory.
pub(super) fn temporary(beside: Option<&Path>) -> Result<File, Error> {
    let folder = beside.and_then(Path::parent).filter(|p| !p.as_os_str().is_empty() && p.is_dir());
    folder.map_or_else(tempfile::tempfile, tempfile::tempfile_in).map_err(failed)
}

/// What goes wrong with temporary files: their disk is full.
pub(super) fn failed(e: std::io::Error) -> Error {
    Error::Data(format!("a temporary file of points, beside the output, cannot be written or read: {e}"))
}
