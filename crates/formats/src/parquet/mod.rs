//! GeoParquet 1.1: geometry as well-known binary or in the native encodings, its system, and a column of bounds. Behind
//! the feature `parquet`, for the time that its packages take to build.

#[cfg(feature = "parquet")]
mod native;
#[cfg(feature = "parquet")]
mod reader;
#[cfg(feature = "parquet")]
mod system;
#[cfg(feature = "parquet")]
mod values;
#[cfg(feature = "parquet")]
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
#[cfg(feature = "parquet")]
use crate::{FormatError, InputOptions, PendingOutput, Reader, Writer};
#[cfg(feature = "parquet")]
use std::path::Path;

#[cfg(feature = "parquet")]
pub use reader::ParquetReader;
#[cfg(feature = "parquet")]
pub use writer::ParquetWriter;

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Parquet,
    name: "Parquet",
    endings: &["parquet", "geoparquet"],
    companions: &[],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: true,
    shows: &[],
    options: &[],
    recognises: |head| head.bytes.starts_with(b"PAR1"),
    open,
    layers: None,
    create: Some(create),
};

#[cfg(feature = "parquet")]
fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, FormatError> {
    Ok(Box::new(ParquetReader::open(path, options)?))
}

#[cfg(feature = "parquet")]
fn create(pending: PendingOutput) -> Result<Box<dyn Writer>, FormatError> {
    Ok(Box::new(ParquetWriter::create(pending)))
}

#[cfg(not(feature = "parquet"))]
crate::driver::left_out!("Parquet", "parquet");
