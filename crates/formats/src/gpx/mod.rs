//! GPX 1.0 and 1.1: way points, routes and tracks; longitude, latitude and elevation in WGS 84.

mod reader;
mod writer;

pub use reader::GpxReader;
pub(crate) use reader::layers;
pub use writer::GpxWriter;
