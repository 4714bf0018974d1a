//! Readers and writers of open formats.
//!
//! A [`Reader`] gives blocks of a source in order; a [`Decode`] turns a block into rows and can do so on any
//! thread. A [`Writer`] takes what its [`Encode`] made of rows, in order. Formats that allow it stream: memory
//! does not grow with the number of rows.
//!
//! | format | module | reads | writes |
//! |---|---|---|---|
//! | delimited text | [`delimited`] | yes | yes |
//! | text in fixed columns | [`fixed`] | yes | no |
//! | XYZ text | [`xyz`] | yes | no |
//! | PLY: points | [`ply`] | yes | no |
//! | XLSX, with the feature `workbooks` | [`xlsx`] | yes | yes |
//! | OpenDocument workbooks, with the feature `workbooks` | [`xlsx`] | yes | no |
//! | GeoJSON (RFC 7946), a feature a line (RFC 8142) | [`geojson`] | yes | yes |
//! | GeoPackage, with the feature `geopackage` | [`geopackage`] | yes | yes |
//! | KML 2.2 | [`kml`] | yes | yes |
//! | GML simple features | [`gml`] | yes | yes |
//! | GPX | [`gpx`] | yes | points, lines |
//! | XML that repeats an element: Atom, RSS, GeoRSS | [`feed`] | yes | no |
//! | shapefile | [`shapefile`] | yes | yes |
//! | DBF | [`dbf`] | yes | yes |
//! | GeoParquet 1.1, with the feature `parquet` | [`parquet`] | yes | yes |
//! | DXF drawings | [`dxf`] | yes | yes |
//!
//! Grids of heights are read and written by [`raster`].
//!
//! To add one: a folder with a reader, a writer and a `DRIVER`, and its line in the list of `driver.rs`. Endings, options,
//! detection and messages come from there.

#[cfg_attr(not(feature = "archives"), path = "archive_left_out.rs")]
mod archive;
pub mod ascii_grid;
mod crossing;
pub mod dbf;
pub mod delimited;
mod detect;
mod driver;
pub mod dxf;
mod error;
mod feature;
pub mod feed;
pub mod fixed;
pub mod geojson;
mod geometry_text;
pub mod geopackage;
pub mod geotiff;
pub mod gml;
pub mod gpx;
pub mod gtx;
mod head_room;
pub mod html;
mod http;
mod in_order;
pub mod kml;
pub mod number;
mod output;
pub mod parquet;
pub mod picture;
pub mod ply;
mod presentation;
mod publish;
pub mod raster;
mod reader;
pub mod shapefile;
mod spool;
mod temporary;
mod unchanged;
mod writer;
pub mod xlsx;
mod xml;
mod xml_pieces;
pub mod xyz;

pub use detect::detect;
pub use driver::{DRIVERS, Driver, Format, GeometryPlace, InputOption, Show};
pub use error::FormatError;
pub use http::{fetch, is_address};
pub use output::PendingOutput;
pub use presentation::{Altitude, Presentation, Rule, Template, color};
pub use publish::publish;
pub use reader::{About, Block, Decode, Decoded, InputOptions, PassThrough, Reader, Suspicion, layers, open};
pub use spool::{HeldSource, STANDARD, is_standard};
pub use temporary::remove_temporary_files;
pub use writer::{
    AsRows, ColumnStyle, CrsText, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, append, create,
};
