//! GeoTIFF (OGC 19-008r4, GeoTIFF 1.1): heights in a TIFF whose keys say where on the ground they are.
//!
//! The container is a package's work; the keys are ours. Read are strips and tiles, classic files and those beyond 4 GB,
//! integers and floats of 8 to 64 bits, and the first image alone where smaller copies follow. Written are tiles of 32-bit
//! floats, or bytes, deflated, with the difference to their neighbour.

mod keys;
mod part;
mod reader;
mod writer;

pub use keys::GeoKeys;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
use crate::raster::points::RasterPoints;
use crate::raster::{RasterDriver, RasterFormat};

/// How it is read as a layer of points.
pub(crate) static POINTS: Driver = Driver {
    format: Format::GeoTiff,
    name: "GeoTIFF",
    endings: &["tif", "tiff"],
    companions: &["prj"],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[],
    recognises: |head| (DRIVER.recognises)(&head.bytes),
    open: |path, _| Ok(Box::new(RasterPoints::open(path, Format::GeoTiff)?)),
    layers: None,
    create: None,
};

/// How it is read and written.
pub(crate) static DRIVER: RasterDriver = RasterDriver {
    format: RasterFormat::GeoTiff,
    name: "GeoTIFF",
    endings: &["tif", "tiff"],
    // Its keys say the system; a definition beside it is written only where they cannot.
    companions: &[],
    holds_heights: true,
    recognises: |head| [&b"II\x2a\0"[..], b"MM\0\x2a", b"II\x2b\0", b"MM\0\x2b"].iter().any(|m| head.starts_with(m)),
    open: Some(|path| Ok(Box::new(reader::GeoTiffReader::open(path)?))),
    create: Some(|pending, out| Ok(Box::new(writer::GeoTiffWriter::create(pending, out)?))),
};

/// The tags of the standard, and the one that the trade at large keeps the number for no height in, as text.
mod tags {
    use tiff::tags::Tag;

    pub(super) const PIXEL_SCALE: Tag = Tag::ModelPixelScaleTag;
    pub(super) const TIEPOINT: Tag = Tag::ModelTiepointTag;
    pub(super) const TRANSFORMATION: Tag = Tag::ModelTransformationTag;
    pub(super) const KEY_DIRECTORY: Tag = Tag::GeoKeyDirectoryTag;

    pub(super) fn no_data() -> Tag {
        Tag::from_u16_exhaustive(42_113)
    }

    pub(super) fn doubles() -> Tag {
        Tag::from_u16_exhaustive(34_736)
    }

    pub(super) fn texts() -> Tag {
        Tag::from_u16_exhaustive(34_737)
    }
}
