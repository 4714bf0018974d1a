//! OGC GeoPackage 1.4: an SQLite file with layers of points, tables without geometry, and R-tree indexes.
//! Behind the feature `geopackage`, for the database.

#[cfg(feature = "geopackage")]
mod blob;
#[cfg(feature = "geopackage")]
mod packed_index;
#[cfg(feature = "geopackage")]
mod reader;
#[cfg(feature = "geopackage")]
mod there;
#[cfg(feature = "geopackage")]
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption, Layers};
#[cfg(feature = "geopackage")]
use crate::{FormatError, InputOptions, PendingOutput, Reader, Writer};
#[cfg(feature = "geopackage")]
pub use blob::{Blob, read as read_blob};
#[cfg(feature = "geopackage")]
pub use reader::{GeoPackageReader, connect, declared_type, layers, numbers_rows, quoted, system_text};
#[cfg(feature = "geopackage")]
use std::path::Path;
#[cfg(feature = "geopackage")]
pub use writer::GeoPackageWriter;

/// The key of a table of features as we write it: the number of the row. Read back, it is no column of anybody's.
#[cfg(feature = "geopackage")]
const KEY: &str = "feature_id";

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::GeoPackage,
    name: "GeoPackage",
    endings: &["gpkg"],
    companions: &[],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: true,
    shows: &[],
    options: &[InputOption::Layer],
    recognises: |head| head.bytes.starts_with(b"SQLite format 3\0"),
    open,
    layers: LAYERS,
    create: Some(create),
};

#[cfg(feature = "geopackage")]
const LAYERS: Option<Layers> = Some(layers);
#[cfg(not(feature = "geopackage"))]
const LAYERS: Option<Layers> = None;

#[cfg(feature = "geopackage")]
fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, FormatError> {
    Ok(Box::new(GeoPackageReader::open(path, options)?))
}

#[cfg(feature = "geopackage")]
fn create(pending: PendingOutput) -> Result<Box<dyn Writer>, FormatError> {
    Ok(Box::new(GeoPackageWriter::create(pending)?))
}

/// Opens one that is there to add layers to it, and rows to its layers.
#[cfg(feature = "geopackage")]
pub(crate) fn append(pending: PendingOutput, adds_rows: bool) -> Result<Box<dyn Writer>, FormatError> {
    Ok(Box::new(GeoPackageWriter::append(pending, adds_rows)?))
}

#[cfg(not(feature = "geopackage"))]
pub(crate) fn append(pending: crate::PendingOutput, _: bool) -> Result<Box<dyn crate::Writer>, crate::FormatError> {
    left_out(pending.target())
}

#[cfg(not(feature = "geopackage"))]
crate::driver::left_out!("GeoPackages", "geopackage");
