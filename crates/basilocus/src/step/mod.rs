//! The steps that rows go through, one file each.

pub(crate) mod conform;
pub(crate) mod geocode;
pub(crate) mod measure;
pub(crate) mod nearest;
pub(crate) mod position;
pub(crate) mod repair;
pub(crate) mod select;
pub(crate) mod show;
pub(crate) mod target;
pub(crate) mod typing;

use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::{Field, Schema};
use basilocus_table::Batch;
use basilocus_table::batch::record_batch;
use std::sync::Arc;

/// A batch with columns added at the end.
pub(crate) fn with_columns(batch: &Batch, added: Vec<(Field, ArrayRef)>) -> Batch {
    let schema = batch.records.schema();
    let mut fields: Vec<Field> = schema.fields().iter().map(|f| f.as_ref().clone()).collect();
    let mut columns = batch.records.columns().to_vec();
    for (field, column) in added {
        fields.push(field);
        columns.push(column);
    }
    let schema = Arc::new(Schema::new(fields));
    let records = record_batch(schema.clone(), columns, batch.len()).unwrap_or_else(|_| RecordBatch::new_empty(schema));
    Batch { records, source_rows: batch.source_rows.clone() }
}

/// A name that no other column has; a number is added where it is taken.
pub(crate) fn free_name(wanted: &str, taken: &[String]) -> String {
    let mut name = wanted.to_string();
    let mut n = 2;
    while taken.iter().any(|t| t.eq_ignore_ascii_case(&name)) {
        name = format!("{wanted}_{n}");
        n += 1;
    }
    name
}
