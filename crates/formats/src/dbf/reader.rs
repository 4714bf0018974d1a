//! A table on its own.

use super::rows::Table;
use crate::feature::{FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_schema::SchemaRef;
use std::path::Path;

/// A DBF table.
pub struct DbfReader {
    table: Table,
    about: About,
    schema: SchemaRef,
}

impl DbfReader {
    /// Opens a table.
    ///
    /// # Errors
    /// Where it cannot be read, or its header does not fit.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let table = Table::open(path, options.encoding.as_deref())?;
        let about = About {
            notes: table.notes.clone(),
            bytes: table.rows() * table.row_bytes(),
            typed: true,
            ..About::of(path, Format::Dbf)?
        };
        let schema = layer_schema(&table.columns(), Shape::None, None);
        Ok(DbfReader { table, about, schema })
    }
}

/// Why a row that is marked as deleted is not used.
pub(crate) const DELETED: (&str, &str) =
    ("marked as deleted", "the row is marked as deleted in the file; programs that edit it no longer show it");

impl FeatureSource for DbfReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, Shape::None)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let mut cursor = self.table.cursor()?;
        while let Some(row) = cursor.next()? {
            let usable = if row.deleted { Err((DELETED.0, DELETED.1.to_string())) } else { Ok(None) };
            if !give(row.cells, usable, self.table.row_bytes()) {
                break;
            }
        }
        Ok(())
    }
}
