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

#[cfg(feature = "parquet")]
pub use reader::ParquetReader;
#[cfg(feature = "parquet")]
pub use writer::ParquetWriter;

/// How to get a build that reads and writes Parquet.
#[cfg(not(feature = "parquet"))]
pub(crate) const HOW: &str =
    "Parquet is in builds with the feature parquet: cargo install --path crates/cli --features parquet";
