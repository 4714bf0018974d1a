//! KML, OGC 07-147r2 (version 2.2): placemarks with their folders, data and geometry; longitude, latitude, altitude in
//! WGS 84.

mod geometry;
mod link;
mod looks;
mod placemark;
mod reader;
mod style;
mod survey;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, Show};
pub use link::network_link;
pub use reader::KmlReader;
pub use writer::KmlWriter;

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Kml,
    name: "KML",
    endings: &["kml", "kmz"],
    companions: &[],
    geometry: GeometryPlace::Needs,
    always_wgs84: true,
    null_geometry: true,
    shows: &Show::ALL,
    options: &[],
    recognises: |head| head.root().is_some_and(|r| r.name == "kml"),
    open: |path, options| Ok(Box::new(KmlReader::open(path, options)?)),
    layers: None,
    create: Some(|pending| Ok(Box::new(KmlWriter::create(pending)?))),
};
