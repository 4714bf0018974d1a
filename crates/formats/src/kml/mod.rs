//! KML, OGC 07-147r2 (version 2.2): placemarks with their folders, data and geometry; longitude, latitude, altitude in
//! WGS 84.

mod geometry;
mod looks;
mod reader;
mod style;
mod writer;

pub use reader::KmlReader;
pub use writer::KmlWriter;
