//! DBF tables, as dBase III and IV and their successors write them: on their own, and as the attributes of shapefiles.
//!
//! | module | what is in it |
//! |---|---|
//! | `header` | the columns as the file declares them |
//! | `arrays` | rows to columns, many at once |
//! | `encoding` | which encoding the text is in |
//! | `memo` | texts of any length, in a file beside the table |
//! | `rows` | rows to cells, with types decided from all values |
//! | `reader` | a table on its own |
//! | `writer` | writes tables, with widths from the data |
//!
//! Our own code and no package, because every row has to be accounted for, those that are marked as deleted too, and
//! because numbers that are identifiers (leading zeros, more digits than a float holds) must stay what they are.

mod arrays;
mod encoding;
mod header;
mod memo;
mod reader;
mod rows;
mod writer;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
pub(crate) use header::is_dbf;
pub(crate) use reader::DELETED;
pub use reader::DbfReader;
pub(crate) use rows::Table;
pub(crate) use rows::beside;
pub use writer::DbfWriter;
pub(crate) use writer::{Columns, TableSpool};

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Dbf,
    name: "DBF table",
    endings: &["dbf"],
    companions: &["cpg", "dbt", "fpt"],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[],
    recognises: |head| is_dbf(&head.bytes),
    open: |path, options| Ok(Box::new(DbfReader::open(path, options)?)),
    layers: None,
    create: Some(|pending| Ok(Box::new(DbfWriter::create(pending)?))),
};
