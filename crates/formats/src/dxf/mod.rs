//! DXF drawings: entities as rows. The files are pairs of a group code and a value, a line each, as the reference of the
//! format describes them; the binary form has the same pairs. Written in the form of release 12, which all programs read.
//!
//! A drawing carries no reference system: the caller says it.

mod drawing;
mod entity;
mod pairs;
mod reader;
mod text;
mod transform;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption, Show};
pub use reader::DxfReader;
pub(crate) use reader::layers;
pub use writer::DxfWriter;

/// How a binary drawing begins, behind the name of a program of eight letters.
const BINARY: &[u8] = b"Binary DXF\r\n\x1A\0";
/// Bytes in front of that.
const BEFORE: usize = 8;

/// The length of the head of a binary drawing; none where it is not binary.
fn binary_head(head: &[u8]) -> Option<usize> {
    head.get(BEFORE..)?.starts_with(BINARY).then_some(BEFORE + BINARY.len())
}

/// Whether a drawing begins: a group code, then the word for a section, a line each; comments may stand in front.
pub(crate) fn is_dxf(head: &[u8]) -> bool {
    if binary_head(head).is_some() {
        return true;
    }
    let text = String::from_utf8_lossy(&head[..head.len().min(4096)]);
    let mut lines = text.lines().map(str::trim);
    while let (Some(code), Some(value)) = (lines.next(), lines.next()) {
        match code {
            "999" => {}
            "0" => return value == "SECTION",
            _ => return false,
        }
    }
    false
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Dxf,
    name: "DXF drawing",
    endings: &["dxf"],
    companions: &[],
    geometry: GeometryPlace::Needs,
    always_wgs84: false,
    null_geometry: false,
    shows: &[Show::Category],
    options: &[InputOption::Layer],
    recognises: |head| is_dxf(&head.bytes),
    open: |path, options| Ok(Box::new(DxfReader::open(path, options)?)),
    layers: Some(layers),
    create: Some(|pending| Ok(Box::new(DxfWriter::create(pending)?))),
};
