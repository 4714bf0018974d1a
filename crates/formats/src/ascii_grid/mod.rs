//! ASCII grid: a few lines that say a word and a number each, then the heights as text, row by row from the north.
//!
//! The corner is that of the south-western cell (`xllcorner`, `yllcorner`) or its middle (`xllcenter`, `yllcenter`); cells
//! are squares (`cellsize`) or have two sides (`dx`, `dy`). A height that equals `nodata_value` is none.

mod reader;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
use crate::raster::points::RasterPoints;
use crate::raster::{RasterDriver, RasterFormat};

/// How it is read as a layer of points.
pub(crate) static POINTS: Driver = Driver {
    format: Format::AsciiGrid,
    name: "ASCII grid",
    endings: &["asc"],
    companions: &["prj"],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[],
    recognises: |head| (DRIVER.recognises)(&head.bytes),
    open: |path, _| Ok(Box::new(RasterPoints::open(path, Format::AsciiGrid)?)),
    layers: None,
    create: None,
};

/// How it is read and written.
pub(crate) static DRIVER: RasterDriver = RasterDriver {
    format: RasterFormat::AsciiGrid,
    name: "ASCII grid",
    endings: &["asc"],
    companions: &["prj"],
    holds_heights: true,
    recognises: |head| {
        let text = head.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(head);
        let start: Vec<u8> = text.iter().skip_while(|b| b.is_ascii_whitespace()).take(6).copied().collect();
        start.len() == 6
            && (start[..5].eq_ignore_ascii_case(b"ncols") || start[..5].eq_ignore_ascii_case(b"nrows"))
            && start[5].is_ascii_whitespace()
    },
    open: Some(|path| Ok(Box::new(reader::AsciiGridReader::open(path)?))),
    create: Some(|pending, out| Ok(Box::new(writer::AsciiGridWriter::create(pending, out)?))),
};
