//! Office Open XML workbooks.

mod reader;
mod tables;
mod workbook;
mod writer;

pub use reader::{XlsxReader, sheets};
pub use tables::{Table, write_tables};
pub use writer::XlsxWriter;

/// Rows that a sheet holds.
pub const MOST_ROWS: u32 = 1_048_576;
/// Characters that a cell holds.
pub const MOST_CHARACTERS: usize = 32_767;
