//! OGC GeoPackage 1.4: an SQLite file with layers of points, tables without geometry, and R-tree indexes.

mod blob;
mod reader;
mod writer;

pub use reader::{GeoPackageReader, layers};
pub use writer::GeoPackageWriter;
