//! Writes ASCII grids.

use crate::raster::{RasterOut, RasterWriter, check_rows, foreign_definition, write_definition};
use crate::{FormatError, PendingOutput, number};
use std::fs::File;
use std::io::{BufWriter, Write};

/// What stands for no height.
const NO_DATA: f64 = -9999.0;

/// Takes the rows of an ASCII grid.
pub(crate) struct AsciiGridWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    out: RasterOut,
    rows: usize,
    line: Vec<u8>,
    notices: Vec<String>,
}

impl AsciiGridWriter {
    pub(crate) fn create(mut pending: PendingOutput, out: RasterOut) -> Result<Self, FormatError> {
        let mut notices = Vec::new();
        match &out.crs {
            Some(crs) => write_definition(&mut pending, crs)?,
            None => notices.extend(foreign_definition(&pending)),
        }
        let target = pending.target().to_path_buf();
        let failed = |e: std::io::Error| FormatError::write(&target, e);
        let mut file = BufWriter::with_capacity(1 << 18, File::create(pending.path()).map_err(failed)?);
        let p = out.place;
        let size = if p.step_x == p.step_y {
            format!("cellsize {}\n", p.step_x)
        } else {
            format!("dx {}\ndy {}\n", p.step_x, p.step_y)
        };
        let south = p.north - (p.rows as f64 - 1.0) * p.step_y;
        write!(
            file,
            "ncols {}\nnrows {}\nxllcenter {}\nyllcenter {}\n{size}nodata_value {NO_DATA}\n",
            p.columns, p.rows, p.west, south
        )
        .map_err(failed)?;
        Ok(AsciiGridWriter { pending, file, out, rows: 0, line: Vec::new(), notices })
    }
}

impl RasterWriter for AsciiGridWriter {
    fn row(&mut self, values: &[f64]) -> Result<(), FormatError> {
        self.line.clear();
        for (i, value) in values.iter().enumerate() {
            if *value == NO_DATA {
                return Err(FormatError::write(
                    self.pending.target(),
                    format!("a height is {NO_DATA}, which stands for no height in this format; write a .tif"),
                ));
            }
            if i > 0 {
                self.line.push(b' ');
            }
            let value = if value.is_finite() { *value } else { NO_DATA };
            push_height(&mut self.line, value);
        }
        self.line.push(b'\n');
        self.rows += 1;
        self.file.write_all(&self.line).map_err(|e| FormatError::write(self.pending.target(), e))
    }

    fn finish(mut self: Box<Self>) -> Result<(PendingOutput, Vec<String>), FormatError> {
        check_rows(self.pending.target(), self.out.place.rows, self.rows)?;
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok((self.pending, self.notices))
    }
}

/// Appends a height: in the shortest form that reads back as the same, or where that has more digits than anybody measures,
/// in that of 32 bits.
fn push_height(line: &mut Vec<u8>, value: f64) {
    let from = line.len();
    number::push_shortest(line, value);
    if line.len() - from > 10 {
        line.truncate(from);
        line.extend_from_slice((value as f32).to_string().as_bytes());
    }
}
