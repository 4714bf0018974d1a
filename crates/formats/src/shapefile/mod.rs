//! Shapefiles, as their public description of July 1998 has them: shapes, an index of them, and a DBF table of attributes.
//!
//! | module | what is in it |
//! |---|---|
//! | `record` | one shape, both ways |
//! | `rings` | rings to polygons and back: shells run with the clock, holes against it |
//! | `reader` | shapes with their rows; a missing `.shx`, `.dbf` or `.prj` does not keep from reading |
//! | `writer` | all files of a shapefile at once |

mod decode;
mod reader;
mod record;
mod rings;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
pub use reader::ShapefileReader;
pub use writer::ShapefileWriter;

/// What the main file begins with: 9994, big-endian.
pub(crate) const MAGIC: [u8; 4] = [0, 0, 0x27, 0x0A];

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Shapefile,
    name: "shapefile",
    endings: &["shp"],
    companions: &["shx", "dbf", "prj", "cpg", "dbt", "fpt", "sbn", "sbx", "qix", "fbn", "fbx", "ain", "aih"],
    geometry: GeometryPlace::Needs,
    always_wgs84: false,
    null_geometry: true,
    shows: &[],
    options: &[],
    recognises: |head| head.bytes.starts_with(&MAGIC),
    open: |path, options| Ok(Box::new(ShapefileReader::open(path, options)?)),
    layers: None,
    create: Some(|pending| Ok(Box::new(ShapefileWriter::create(pending)?))),
};
