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

pub use reader::ShapefileReader;
pub use writer::ShapefileWriter;

/// What the main file begins with: 9994, big-endian.
pub(crate) const MAGIC: [u8; 4] = [0, 0, 0x27, 0x0A];
