//! GML simple features, OGC 10-100r3 (levels 0 and 1 of compliance), in the forms of GML 2, 3.1 and 3.2; written as 3.2
//! with its schema beside it.

pub(crate) mod geometry;
mod reader;
mod schema;
mod system;
mod writer;

pub use reader::GmlReader;
pub(crate) use reader::layers;
pub use writer::GmlWriter;

/// Whether a name space is that of GML, of any version.
pub(crate) fn is_gml(space: &str) -> bool {
    space.starts_with("http://www.opengis.net/gml")
}
