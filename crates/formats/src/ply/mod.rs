//! PLY: points, such as those of a scan, with whatever was measured at each.
//!
//! A header of text says the elements of the file and their properties; then come their values, as text or as bytes in either
//! order. The element `vertex` holds the points. The file says no system and no unit.

mod header;
mod reader;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};

/// How it is read.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Ply,
    name: "PLY",
    endings: &["ply"],
    companions: &[],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: true,
    shows: &[],
    options: &[],
    recognises: |head| header::is_ply(&head.bytes),
    open: |path, _| Ok(Box::new(reader::PlyReader::open(path)?)),
    layers: None,
    create: None,
};
