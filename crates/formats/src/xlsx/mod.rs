//! Office Open XML workbooks, and OpenDocument ones, which are read. Behind the feature `workbooks`.

#[cfg(feature = "workbooks")]
mod header;
#[cfg(feature = "workbooks")]
mod hidden;
#[cfg(feature = "workbooks")]
mod hidden_ods;
#[cfg(feature = "workbooks")]
mod reader;
#[cfg(feature = "workbooks")]
mod tables;
#[cfg(feature = "workbooks")]
mod workbook;
#[cfg(feature = "workbooks")]
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace, InputOption, Layers, Show};
#[cfg(feature = "workbooks")]
use crate::{FormatError, InputOptions, PendingOutput, Reader, Writer};
#[cfg(feature = "workbooks")]
pub use reader::{XlsxReader, sheets};
#[cfg(feature = "workbooks")]
use std::path::Path;
#[cfg(feature = "workbooks")]
pub use tables::write_tables;
#[cfg(feature = "workbooks")]
pub use writer::XlsxWriter;

/// Rows that a sheet holds.
pub const MOST_ROWS: u32 = 1_048_576;
/// Characters that a cell holds.
pub const MOST_CHARACTERS: usize = 32_767;

/// A sheet of texts for people to fill in.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Table {
    /// Name of the sheet.
    pub name: String,
    /// Headers.
    pub header: Vec<String>,
    /// Widths of the columns in characters.
    pub widths: Vec<u16>,
    /// Rows of cells; a cell that is a number is written as one where `numbers` says so.
    pub rows: Vec<Vec<String>>,
    /// Columns that are numbers.
    pub numbers: Vec<usize>,
    /// Columns that are to be filled in.
    pub answers: Vec<usize>,
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Xlsx,
    name: "XLSX workbook",
    endings: &["xlsx"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[Show::Category],
    options: &[InputOption::Sheet],
    recognises: |head| head.bytes.starts_with(b"PK\x03\x04"),
    open,
    layers: SHEETS,
    create: Some(create),
};

/// How OpenDocument workbooks are read.
pub(crate) static OPEN_DOCUMENT: Driver = Driver {
    format: Format::Ods,
    name: "OpenDocument workbook",
    endings: &["ods"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Sheet],
    recognises: |head| {
        // The first member of such a file says what it is, unpacked.
        let first = b"mimetypeapplication/vnd.oasis.opendocument.spreadsheet";
        head.bytes.get(30..).is_some_and(|h| h.starts_with(first))
    },
    open,
    layers: SHEETS,
    create: None,
};

#[cfg(feature = "workbooks")]
const SHEETS: Option<Layers> = Some(sheets);
#[cfg(not(feature = "workbooks"))]
const SHEETS: Option<Layers> = None;

#[cfg(feature = "workbooks")]
fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, FormatError> {
    Ok(Box::new(XlsxReader::open(path, options)?))
}

#[cfg(feature = "workbooks")]
fn create(pending: PendingOutput) -> Result<Box<dyn Writer>, FormatError> {
    Ok(Box::new(XlsxWriter::create(pending)))
}

#[cfg(not(feature = "workbooks"))]
crate::driver::left_out!("workbooks", "workbooks");

/// Writes sheets to a workbook: not in this build.
///
/// # Errors
/// Always: [`crate::FormatError::LeftOut`].
#[cfg(not(feature = "workbooks"))]
pub fn write_tables(pending: &crate::PendingOutput, _: &[Table], _: &str) -> Result<(), crate::FormatError> {
    left_out(pending.target())
}
