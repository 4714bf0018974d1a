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

pub use reader::DxfReader;
pub(crate) use reader::layers;
pub use writer::DxfWriter;

/// How a binary drawing begins.
pub(crate) const BINARY: &[u8] = b"AutoCAD Binary DXF\r\n\x1A\0";

/// Whether a drawing begins: a group code, then the word for a section, a line each; comments may stand in front.
pub(crate) fn is_dxf(head: &[u8]) -> bool {
    if head.starts_with(BINARY) {
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
