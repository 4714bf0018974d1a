//! GML simple features, OGC 10-100r3 (levels 0 and 1 of compliance), in the forms of GML 2, 3.1 and 3.2; written as 3.2
//! with its schema beside it.

pub(crate) mod geometry;
mod reader;
mod schema;
mod system;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption};
use crate::xml::Element;
pub use reader::GmlReader;
pub(crate) use reader::layers;
pub use writer::GmlWriter;

/// Whether a name space is that of GML, of any version.
pub(crate) fn is_gml(space: &str) -> bool {
    space.starts_with("http://www.opengis.net/gml")
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Gml,
    name: "GML",
    endings: &["gml"],
    companions: &["xsd"],
    geometry: GeometryPlace::Holds,
    always_wgs84: false,
    null_geometry: true,
    shows: &[],
    options: &[InputOption::Layer],
    recognises: |head| head.root().is_some_and(is_collection),
    open: |path, options| Ok(Box::new(GmlReader::open(path, options)?)),
    layers: Some(layers),
    create: Some(|pending| Ok(Box::new(GmlWriter::create(pending)?))),
};

/// Whether the outermost element is one of GML, or of the feature services that send it.
fn is_collection(root: &Element) -> bool {
    matches!(root.name.as_str(), "FeatureCollection" | "SpatialDataset")
        || ["http://www.opengis.net/gml", "http://www.opengis.net/wfs"].iter().any(|s| root.space.starts_with(s))
}

/// What the name spaces of our own elements begin with.
const OWN_SPACE: &str = "urn:x-basilocus:";
