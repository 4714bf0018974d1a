//! GeoJSON, RFC 7946: always WGS 84, longitude first.

mod reader;
mod stream;
mod writer;

pub use reader::GeoJsonReader;
pub use writer::GeoJsonWriter;
