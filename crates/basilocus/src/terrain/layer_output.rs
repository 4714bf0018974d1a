//! A layer or table that a command writes.

use crate::coordinates::system;
use crate::engine::Cancel;
use crate::steps::Positions;
use crate::{Error, Layer, RunOptions};
use arrow_array::{ArrayRef, BinaryArray, RecordBatch};
use arrow_schema::{Field, Schema};
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_table::geometry::{Geometry, geometry_field, wkb};
use std::path::Path;
use std::sync::Arc;

/// Rows that become a layer, a block at a time.
pub(super) struct Rows {
    schema: Arc<Schema>,
    batches: Vec<RecordBatch>,
    local: bool,
}

impl Rows {
    /// Rows with shapes in a system, and these columns beside.
    ///
    /// # Errors
    /// Where the system cannot be written as text.
    pub(super) fn with_shapes(crs: Option<&Crs>, columns: Vec<Field>) -> Result<Self, Error> {
        let local = crs.is_none_or(|crs| matches!(crs.kind, Kind::Engineering { .. }));
        let text = crs.filter(|_| !local).map(|crs| system::text_of(crs.horizontal())).transpose()?;
        let mut fields = columns;
        fields.push(geometry_field(text.as_deref()));
        Ok(Rows { schema: Arc::new(Schema::new(fields)), batches: Vec::new(), local })
    }

    /// Rows without shapes.
    pub(super) fn plain(columns: Vec<Field>) -> Self {
        Rows { schema: Arc::new(Schema::new(columns)), batches: Vec::new(), local: false }
    }

    /// Adds rows: the columns in their order, and what shape each row has.
    ///
    /// # Errors
    /// [`Error::Defect`] for columns that do not go together.
    pub(super) fn push(&mut self, mut columns: Vec<ArrayRef>, shapes: Option<&[Geometry]>) -> Result<(), Error> {
        if let Some(shapes) = shapes {
            columns.push(Arc::new(shapes.iter().map(|g| Some(wkb::write(g))).collect::<BinaryArray>()));
        }
        let batch = RecordBatch::try_new(self.schema.clone(), columns)
            .map_err(|e| Error::Defect(format!("the rows do not make a table: {e}")))?;
        self.batches.push(batch);
        Ok(())
    }

    /// Writes them. Gives what to tell.
    ///
    /// # Errors
    /// As [`Layer::run_with`].
    pub(super) fn write(
        mut self,
        name: &str,
        output: &Path,
        overwrite: bool,
        cancel: &Cancel,
    ) -> Result<Vec<String>, Error> {
        if self.batches.is_empty() {
            self.batches.push(RecordBatch::new_empty(self.schema.clone()));
        }
        let has_shapes = self.schema.fields().iter().any(|f| crate::engine::is_geometry(f));
        let mut layer = Layer::from_records(name, self.batches)?;
        if has_shapes {
            layer = layer.positions(Positions { from: self.local.then(|| "local".into()), ..Default::default() });
        }
        let options = RunOptions { overwrite, cancel: cancel.clone(), ..Default::default() };
        let report = layer.write(output)?.run_with(&options)?;
        Ok(report.notices)
    }
}

/// The name of a layer: that of its file.
pub(super) fn name_of(output: &Path) -> String {
    output.file_stem().map_or_else(|| "layer".into(), |s| s.to_string_lossy().into_owned())
}
