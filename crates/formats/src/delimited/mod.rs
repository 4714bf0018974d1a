//! Delimited text: comma-, tab-, semicolon-, bar- and space-separated.

mod decode;
mod dialect;
mod fields;
mod reader;
mod split;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption};
pub use dialect::Dialect;
pub(crate) use dialect::find_encoding;
pub use reader::DelimitedReader;
pub(crate) use reader::unique_names;
pub use writer::{DelimitedWriter, line};

/// The name of a delimiter in words.
pub fn delimiter_name(delimiter: u8) -> String {
    match delimiter {
        b',' => "comma".into(),
        b';' => "semicolon".into(),
        b'\t' => "tab".into(),
        b'|' => "bar".into(),
        b' ' => "space".into(),
        other => format!("\"{}\"", char::from(other)),
    }
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Delimited,
    name: "delimited text",
    endings: &["csv", "tsv", "tab", "txt"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Delimiter, InputOption::ShortRows],
    recognises: |head| head.is_text() && !head.is_xml(),
    open: |path, options| Ok(Box::new(DelimitedReader::open(path, options)?)),
    layers: None,
    create: Some(|pending| Ok(Box::new(DelimitedWriter::create(pending)?))),
};
