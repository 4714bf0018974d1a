//! Gives columns of text the types that all their values have.

use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, RecordBatch, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_formats::ColumnStyle;
use basilocus_table::batch::record_batch;
use basilocus_table::{Batch, ColumnProfile, Role, ValueKind};
use std::sync::Arc;

/// The types of the first columns of a batch; further columns stay as they are.
#[derive(Debug, Clone)]
pub(crate) struct Typing {
    types: Vec<DataType>,
    pub(crate) styles: Vec<ColumnStyle>,
}

impl Typing {
    /// Types from profiles. Postcodes, house numbers and identifiers with a code among them stay text.
    pub(crate) fn new(profiles: &[ColumnProfile], roles: &[Option<Role>]) -> Self {
        let (mut types, mut styles) = (Vec::new(), Vec::new());
        for (profile, role) in profiles.iter().zip(roles) {
            let t = match (profile.kind(), role) {
                (_, Some(Role::Postcode)) => DataType::Utf8,
                (ValueKind::Boolean, _) => DataType::Boolean,
                (ValueKind::Integer, _) => DataType::Int64,
                (ValueKind::Real, _) => DataType::Float64,
                _ => DataType::Utf8,
            };
            styles.push(ColumnStyle {
                digits: (t == DataType::Float64).then_some(profile.decimals),
                longest: Some(profile.longest),
            });
            types.push(t);
        }
        Typing { types, styles }
    }

    /// The schema with these types.
    pub(crate) fn schema(&self, schema: &SchemaRef) -> SchemaRef {
        let fields: Vec<Field> = schema
            .fields()
            .iter()
            .enumerate()
            .map(|(i, f)| match (self.types.get(i), f.data_type()) {
                (Some(t), DataType::Utf8) => f.as_ref().clone().with_data_type(t.clone()),
                _ => f.as_ref().clone(),
            })
            .collect();
        Arc::new(Schema::new(fields))
    }

    /// The batch with these types.
    pub(crate) fn apply(&self, batch: &Batch) -> Batch {
        let schema = self.schema(&batch.records.schema());
        let columns: Vec<ArrayRef> = batch
            .records
            .columns()
            .iter()
            .enumerate()
            .map(|(i, c)| self.types.get(i).and_then(|t| cast(c, t)).unwrap_or_else(|| c.clone()))
            .collect();
        let records =
            record_batch(schema.clone(), columns, batch.len()).unwrap_or_else(|_| RecordBatch::new_empty(schema));
        Batch { records, source_rows: batch.source_rows.clone() }
    }
}

fn cast(column: &ArrayRef, t: &DataType) -> Option<ArrayRef> {
    let texts = column.as_any().downcast_ref::<StringArray>()?;
    let trimmed = texts.iter().map(|v| v.map(str::trim).filter(|v| !v.is_empty()));
    Some(match t {
        DataType::Int64 => Arc::new(trimmed.map(|v| v.and_then(|v| v.parse().ok())).collect::<Int64Array>()),
        DataType::Float64 => Arc::new(trimmed.map(|v| v.and_then(|v| v.parse().ok())).collect::<Float64Array>()),
        DataType::Boolean => {
            Arc::new(trimmed.map(|v| v.map(|v| v.eq_ignore_ascii_case("true"))).collect::<BooleanArray>())
        }
        _ => return None,
    })
}
