//! Results of several columns, the last of which says why the others are null.

use super::scalar::{Failure, Made};
use datafusion::arrow::array::{ArrayRef, StringArray, StructArray};
use datafusion::arrow::datatypes::{DataType, Field, Fields};
use std::sync::Arc;

/// The field that says why.
const REASON: &str = "reason";

/// The type of a result: its own fields, and the reason.
pub(super) fn data_type(fields: &[(&str, DataType)]) -> DataType {
    with_texts(fields, &[])
}

/// The type of a result with further fields of texts: its own fields, those, and the reason.
pub(super) fn with_texts(fields: &[(&str, DataType)], texts: &[String]) -> DataType {
    let own = fields.iter().map(|(name, of)| Field::new(*name, of.clone(), true));
    let further = texts.iter().map(String::as_str).chain([REASON]);
    DataType::Struct(own.chain(further.map(|name| Field::new(name, DataType::Utf8, true))).collect())
}

/// The columns of a result with the reasons of rows that failed.
pub(super) fn made(result: &Field, mut columns: Vec<ArrayRef>, failures: Vec<Failure>, rows: usize) -> Made {
    let mut reasons: Vec<Option<&str>> = vec![None; rows];
    failures.iter().for_each(|f| reasons[f.row] = Some(&f.reason));
    columns.push(Arc::new(StringArray::from(reasons)));
    let DataType::Struct(fields) = result.data_type() else { unreachable!("the result was planned as a struct") };
    let named: Fields =
        fields.iter().zip(&columns).map(|(f, c)| f.as_ref().clone().with_data_type(c.data_type().clone())).collect();
    Made { values: Arc::new(StructArray::new(named, columns, None)), failures }
}
