//! GTX: heights of one vertical datum above another one, such as a geoid above an ellipsoid, on a grid in degrees.
//!
//! A header of four doubles (southern and western limit, steps in latitude and longitude) and two integers (rows, columns), then
//! rows of single-precision metres from the south, each from the west; big-endian. -88.8888 marks places without a height. The
//! file says no system: its degrees are those of the systems that it leads from and to.

mod reader;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
use crate::raster::points::RasterPoints;
use crate::raster::{RasterDriver, RasterFormat};

/// How it is read as a layer of points.
pub(crate) static POINTS: Driver = Driver {
    format: Format::Gtx,
    name: "GTX grid",
    endings: &["gtx"],
    companions: &[],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[],
    recognises: |head| reader::Header::of(&head.bytes).is_some(),
    open: |path, _| Ok(Box::new(RasterPoints::open(path, Format::Gtx)?)),
    layers: None,
    create: None,
};

/// How it is read.
pub(crate) static DRIVER: RasterDriver = RasterDriver {
    format: RasterFormat::Gtx,
    name: "GTX grid",
    endings: &["gtx"],
    companions: &[],
    holds_heights: true,
    recognises: |head| reader::Header::of(head).is_some(),
    open: Some(|path| Ok(Box::new(reader::GtxReader::open(path)?))),
    create: None,
};
