//! XML that repeats an element: Atom and RSS feeds, and any other. One element is a row, what is inside it the columns;
//! GeoRSS positions (simple and GML, latitude first) are its geometry.

mod position;
mod reader;
mod tree;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption};
pub use reader::FeedReader;
pub(crate) use tree::layers;

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Feed,
    name: "XML",
    endings: &["xml"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Layer],
    recognises: |head| head.root().is_some(),
    open: |path, options| Ok(Box::new(FeedReader::open(path, options)?)),
    layers: Some(layers),
    create: None,
};
