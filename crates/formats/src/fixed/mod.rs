//! Text in fixed columns: by widths in characters, or by a ruler, a line that draws each column.

mod reader;
mod ruler;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption};
pub use reader::FixedReader;
pub(crate) use ruler::find_ruler;

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Fixed,
    name: "text in fixed columns",
    endings: &[],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Fixed],
    recognises: |head| !head.is_xml() && head.lines().is_some_and(|text| find_ruler(&text).is_some()),
    open: |path, options| Ok(Box::new(FixedReader::open(path, options)?)),
    layers: None,
    create: None,
};
