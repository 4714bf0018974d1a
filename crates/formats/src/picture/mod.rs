//! Pictures of light and dark: PNG with a world file and a definition beside it, so that it lies where it belongs. Cells
//! without light are transparent.

use crate::raster::{
    RasterDriver, RasterFormat, RasterOut, RasterWriter, check_rows, write_definition, write_world_file,
};
use crate::{FormatError, PendingOutput};
use std::fs::File;
use std::io::{BufWriter, Write};

/// How it is written.
pub(crate) static DRIVER: RasterDriver = RasterDriver {
    format: RasterFormat::Picture,
    name: "PNG",
    endings: &["png"],
    companions: &["pgw", "prj"],
    holds_heights: false,
    recognises: |_| false,
    open: None,
    create: Some(|pending, out| Ok(Box::new(PictureWriter::create(pending, out)?))),
};

/// The most cells along a side: what programs that show pictures open.
const LARGEST_SIDE: usize = 30_000;

struct PictureWriter {
    pending: PendingOutput,
    stream: png::StreamWriter<'static, BufWriter<File>>,
    rows: usize,
    expected: usize,
    line: Vec<u8>,
}

impl PictureWriter {
    fn create(mut pending: PendingOutput, out: RasterOut) -> Result<Self, FormatError> {
        let place = out.place;
        if place.columns.max(place.rows) > LARGEST_SIDE {
            return Err(FormatError::Option {
                path: pending.target().to_path_buf(),
                problem: format!(
                    "a picture of {} by {} cells is larger than programs open ({LARGEST_SIDE} along a side); write a .tif",
                    place.columns, place.rows
                ),
            });
        }
        write_world_file(&mut pending, "pgw", &place)?;
        if let Some(crs) = &out.crs {
            write_definition(&mut pending, crs)?;
        }
        let target = pending.target().to_path_buf();
        let file = File::create(pending.path()).map_err(|e| FormatError::write(&target, e))?;
        let mut encoder = png::Encoder::new(BufWriter::new(file), place.columns as u32, place.rows as u32);
        encoder.set_color(png::ColorType::GrayscaleAlpha);
        encoder.set_depth(png::BitDepth::Eight);
        let writer = encoder.write_header().map_err(|e| FormatError::write(&target, e))?;
        let stream = writer.into_stream_writer().map_err(|e| FormatError::write(&target, e))?;
        Ok(PictureWriter { pending, stream, rows: 0, expected: place.rows, line: Vec::new() })
    }
}

impl RasterWriter for PictureWriter {
    fn row(&mut self, values: &[f64]) -> Result<(), FormatError> {
        self.line.clear();
        for value in values {
            let pair = if value.is_nan() { [0, 0] } else { [(value.clamp(0.0, 1.0) * 255.0).round() as u8, 255] };
            self.line.extend_from_slice(&pair);
        }
        self.rows += 1;
        self.stream.write_all(&self.line).map_err(|e| FormatError::write(self.pending.target(), e))
    }

    fn finish(self: Box<Self>) -> Result<(PendingOutput, Vec<String>), FormatError> {
        check_rows(self.pending.target(), self.expected, self.rows)?;
        self.stream.finish().map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok((self.pending, Vec::new()))
    }
}
