//! GPX 1.0 and 1.1: way points, routes and tracks; longitude, latitude and elevation in WGS 84.

mod reader;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption};
pub use reader::GpxReader;
pub(crate) use reader::layers;
pub use writer::GpxWriter;

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Gpx,
    name: "GPX",
    endings: &["gpx"],
    companions: &[],
    geometry: GeometryPlace::Needs,
    always_wgs84: true,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Layer],
    recognises: |head| head.root().is_some_and(|r| r.name == "gpx"),
    open: |path, options| Ok(Box::new(GpxReader::open(path, options)?)),
    layers: Some(layers),
    create: Some(|pending| Ok(Box::new(GpxWriter::create(pending)?))),
};
