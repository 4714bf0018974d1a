//! Rows as columns.

use crate::Reason;
use crate::geometry::{geometry_index, wkb, wkt};
use arrow_array::builder::StringBuilder;
use arrow_array::{
    Array, ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, RecordBatch, StringArray, StructArray,
};
use arrow_schema::{DataType, Field, Fields, Schema, SchemaRef};
use std::collections::HashMap;
use std::sync::Arc;

/// Name of the column that holds point geometry: a struct of `x`, `y` (and `z`), encoded as GeoArrow points.
pub const POINT_COLUMN: &str = "geometry";

/// Rows that travel together: columns of types that [`Batch::admits`], each with as many values as there are rows.
#[derive(Debug, Clone)]
pub struct Batch {
    records: RecordBatch,
    source_rows: Vec<u64>,
}

/// Why columns make no batch.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum BatchError {
    /// Their lengths or types are not those of the schema.
    #[error("the columns do not go together: {0}")]
    Columns(#[from] arrow_schema::ArrowError),
    /// Some rows have no number of a source row, or the other way round: rows would be lost.
    #[error("the columns have {rows} rows, and {numbers} rows are counted")]
    Rows {
        /// Rows of the columns.
        rows: usize,
        /// Rows that are counted.
        numbers: usize,
    },
    /// A column is of a type that is not taken.
    #[error(
        "column \"{column}\" is of the type {kind}; texts, whole numbers of 64 bits, numbers of 64 bits, truth values, points and well-known binary are taken"
    )]
    Kind {
        /// The column.
        column: String,
        /// Its type.
        kind: DataType,
    },
}

/// A row that is not in the output, with why.
#[derive(Debug, Clone, PartialEq)]
pub struct SetAsideRow {
    /// The row of the source.
    pub source_row: u64,
    /// The class of the reason, for counting.
    pub class: Reason,
    /// The whole reason: column, value, what was expected, what to do.
    pub reason: String,
    /// The row as it was read, in the order of the source's columns.
    pub values: Vec<String>,
}

impl Batch {
    /// Columns of a schema, and for each row the row of the source as a person counts it: the first line of a file is 1.
    ///
    /// # Errors
    /// [`BatchError`] where they do not make a table, or hold types that are not taken.
    ///
    /// ```
    /// use arrow_array::{ArrayRef, StringArray};
    /// use arrow_schema::{DataType, Field, Schema};
    /// use basilocus_table::Batch;
    /// use std::sync::Arc;
    ///
    /// let schema = Arc::new(Schema::new(vec![Field::new("gate", DataType::Utf8, true)]));
    /// let gates: ArrayRef = Arc::new(StringArray::from(vec!["North", "South"]));
    /// assert_eq!(Batch::new(schema.clone(), vec![gates.clone()], vec![2, 3]).unwrap().len(), 2);
    /// // A row without a number would be lost.
    /// assert!(Batch::new(schema, vec![gates], vec![2]).is_err());
    /// ```
    pub fn new(schema: SchemaRef, columns: Vec<ArrayRef>, source_rows: Vec<u64>) -> Result<Self, BatchError> {
        Batch::of(record_batch(schema, columns, source_rows.len())?, source_rows)
    }

    /// The same of columns that are together already.
    ///
    /// # Errors
    /// As [`Batch::new`].
    pub fn of(records: RecordBatch, source_rows: Vec<u64>) -> Result<Self, BatchError> {
        if let Some(f) = records.schema_ref().fields().iter().find(|f| !Batch::admits(f.data_type())) {
            return Err(BatchError::Kind { column: f.name().clone(), kind: f.data_type().clone() });
        }
        if records.num_rows() != source_rows.len() {
            return Err(BatchError::Rows { rows: records.num_rows(), numbers: source_rows.len() });
        }
        Ok(Batch { records, source_rows })
    }

    /// An empty batch of a schema.
    pub fn empty(schema: SchemaRef) -> Self {
        Batch { records: RecordBatch::new_empty(schema), source_rows: Vec::new() }
    }

    /// The columns.
    pub fn records(&self) -> &RecordBatch {
        &self.records
    }

    /// For each row, the row of the source.
    pub fn source_rows(&self) -> &[u64] {
        &self.source_rows
    }

    /// The columns, and for each row the row of the source.
    pub fn into_parts(self) -> (RecordBatch, Vec<u64>) {
        (self.records, self.source_rows)
    }

    /// Whether a column may be of a type: texts, whole numbers and numbers of 64 bits, truth values, points, and
    /// well-known binary. What has other types is brought to one of these before.
    pub fn admits(kind: &DataType) -> bool {
        matches!(
            kind,
            DataType::Utf8
                | DataType::Int64
                | DataType::Float64
                | DataType::Boolean
                | DataType::Binary
                | DataType::Struct(_)
        )
    }

    /// Number of rows.
    pub fn len(&self) -> usize {
        self.source_rows.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.source_rows.is_empty()
    }

    /// The value of a cell as text; empty for null.
    pub fn text(&self, column: usize, row: usize) -> String {
        cell_text(self.records.column(column), row)
    }

    /// A row as texts.
    pub fn row_texts(&self, row: usize) -> Vec<String> {
        (0..self.records.num_columns()).map(|c| self.text(c, row)).collect()
    }

    /// Rows for which `keep` holds, in order.
    ///
    /// # Panics
    /// If `keep` is not as long as the batch.
    pub fn filter(&self, keep: &[bool]) -> Batch {
        assert_eq!(keep.len(), self.len());
        if keep.iter().all(|k| *k) {
            return self.clone();
        }
        let rows: Vec<usize> = keep.iter().enumerate().filter(|(_, k)| **k).map(|(i, _)| i).collect();
        let columns: Vec<ArrayRef> = self.records.columns().iter().map(|c| take(c, &rows)).collect();
        let source_rows = rows.iter().map(|r| self.source_rows[*r]).collect();
        let records = RecordBatch::try_new_with_options(self.records.schema(), columns, &options(rows.len()))
            .unwrap_or_else(|_| RecordBatch::new_empty(self.records.schema()));
        Batch { records, source_rows }
    }
}

fn options(rows: usize) -> arrow_array::RecordBatchOptions {
    arrow_array::RecordBatchOptions::new().with_row_count(Some(rows))
}

/// A record batch that may have no columns.
///
/// # Errors
/// Where lengths or types do not fit the schema.
pub fn record_batch(
    schema: SchemaRef,
    columns: Vec<ArrayRef>,
    rows: usize,
) -> Result<RecordBatch, arrow_schema::ArrowError> {
    RecordBatch::try_new_with_options(schema, columns, &options(rows))
}

/// The value of a cell as text: numbers in their shortest form, null as nothing, points as `x y`,
/// other geometry as well-known text.
pub fn cell_text(array: &ArrayRef, row: usize) -> String {
    if array.is_null(row) {
        return String::new();
    }
    let any = array.as_any();
    if let Some(a) = any.downcast_ref::<StringArray>() {
        a.value(row).to_string()
    } else if let Some(a) = any.downcast_ref::<Float64Array>() {
        let v = a.value(row);
        if v.is_nan() { String::new() } else { v.to_string() }
    } else if let Some(a) = any.downcast_ref::<Int64Array>() {
        a.value(row).to_string()
    } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
        a.value(row).to_string()
    } else if let Some(a) = any.downcast_ref::<StructArray>() {
        a.columns().iter().map(|c| cell_text(c, row)).collect::<Vec<_>>().join(" ").trim().to_string()
    } else if let Some(a) = any.downcast_ref::<BinaryArray>() {
        wkb::read(a.value(row)).map(|g| wkt::write(&g)).unwrap_or_default()
    } else {
        String::new()
    }
}

/// The values of rows, in their order; a row may be there several times.
pub fn take(array: &ArrayRef, rows: &[usize]) -> ArrayRef {
    let any = array.as_any();
    if let Some(a) = any.downcast_ref::<StringArray>() {
        Arc::new(rows.iter().map(|r| a.is_valid(*r).then(|| a.value(*r))).collect::<StringArray>())
    } else if let Some(a) = any.downcast_ref::<Float64Array>() {
        Arc::new(rows.iter().map(|r| a.is_valid(*r).then(|| a.value(*r))).collect::<Float64Array>())
    } else if let Some(a) = any.downcast_ref::<Int64Array>() {
        Arc::new(rows.iter().map(|r| a.is_valid(*r).then(|| a.value(*r))).collect::<Int64Array>())
    } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
        Arc::new(rows.iter().map(|r| a.is_valid(*r).then(|| a.value(*r))).collect::<BooleanArray>())
    } else if let Some(a) = any.downcast_ref::<StructArray>() {
        let columns = a.columns().iter().map(|c| take(c, rows)).collect();
        let nulls: arrow_buffer::NullBuffer = rows.iter().map(|r| a.is_valid(*r)).collect();
        Arc::new(StructArray::new(a.fields().clone(), columns, Some(nulls)))
    } else if let Some(a) = any.downcast_ref::<BinaryArray>() {
        Arc::new(rows.iter().map(|r| a.is_valid(*r).then(|| a.value(*r))).collect::<BinaryArray>())
    } else {
        array.slice(0, 0)
    }
}

/// The bytes of all texts of a column, one behind the other.
pub fn text_bytes(array: &StringArray) -> &[u8] {
    let offsets = array.value_offsets();
    let at = |offset: Option<&i32>| offset.map_or(0, |o| *o as usize);
    &array.value_data()[at(offsets.first())..at(offsets.last())]
}

/// The column as texts; an empty string for null, the number's shortest form for numbers.
pub fn text_column(array: &ArrayRef) -> Arc<StringArray> {
    if let Some(a) = array.as_any().downcast_ref::<StringArray>() {
        return Arc::new(a.clone());
    }
    let mut builder = StringBuilder::with_capacity(array.len(), array.len() * 8);
    for row in 0..array.len() {
        builder.append_value(cell_text(array, row));
    }
    Arc::new(builder.finish())
}

/// The field of a point column; the CRS (`EPSG:2269`) goes into its metadata as GeoArrow has it.
pub fn point_field(crs: Option<&str>, with_z: bool) -> Field {
    let mut metadata = HashMap::from([("ARROW:extension:name".to_string(), "geoarrow.point".to_string())]);
    if let Some(crs) = crs {
        metadata.insert("ARROW:extension:metadata".to_string(), crs_metadata(crs));
    }
    Field::new(POINT_COLUMN, DataType::Struct(point_fields(with_z)), true).with_metadata(metadata)
}

/// A system as the metadata of GeoArrow has it.
pub(crate) fn crs_metadata(crs: &str) -> String {
    // A definition is well-known text, everything else a code.
    let kind = if crs.contains('[') { "wkt2:2019" } else { "authority_code" };
    let escaped = crs.replace('\\', "\\\\").replace('"', "\\\"");
    format!("{{\"crs\":\"{escaped}\",\"crs_type\":\"{kind}\"}}")
}

/// The coordinates of a column of points.
pub fn point_fields(with_z: bool) -> Fields {
    let names: &[&str] = if with_z { &["x", "y", "z"] } else { &["x", "y"] };
    names.iter().map(|n| Field::new(*n, DataType::Float64, true)).collect()
}

/// A column of points from coordinates; a NaN in x makes a null point.
pub fn point_array(x: Vec<f64>, y: Vec<f64>, z: Option<Vec<f64>>) -> ArrayRef {
    let nulls: arrow_buffer::NullBuffer = x.iter().map(|v| !v.is_nan()).collect();
    let fields = point_fields(z.is_some());
    let mut columns: Vec<ArrayRef> = vec![Arc::new(Float64Array::from(x)), Arc::new(Float64Array::from(y))];
    if let Some(z) = z {
        columns.push(Arc::new(Float64Array::from(z)));
    }
    Arc::new(StructArray::new(fields, columns, Some(nulls)))
}

/// A view of a point column.
pub struct Points<'a> {
    array: &'a StructArray,
}

impl<'a> Points<'a> {
    /// The point column of a batch, if it has one.
    pub fn of(batch: &'a RecordBatch) -> Option<Self> {
        let index = point_index(&batch.schema())?;
        Self::of_array(batch.column(index))
    }

    /// A column of points; `None` for an array of another type.
    pub fn of_array(array: &'a ArrayRef) -> Option<Self> {
        array.as_any().downcast_ref::<StructArray>().map(|array| Points { array })
    }

    /// The numbers of an axis: 0 for x, 1 for y, 2 for z.
    pub fn axis(&self, axis: usize) -> Option<&'a Float64Array> {
        self.array.columns().get(axis)?.as_any().downcast_ref::<Float64Array>()
    }

    /// Coordinates of a row, easting/longitude first; `None` for a null point.
    pub fn get(&self, row: usize) -> Option<(f64, f64, Option<f64>)> {
        let value = |i: usize| {
            self.array.columns().get(i).and_then(|c| c.as_any().downcast_ref::<Float64Array>()).map(|a| a.value(row))
        };
        if self.array.is_null(row) { None } else { Some((value(0)?, value(1)?, value(2).filter(|z| !z.is_nan()))) }
    }

    /// Whether the points carry z.
    pub fn has_z(&self) -> bool {
        self.array.num_columns() > 2
    }
}

/// The index of the point column of a schema.
pub fn point_index(schema: &Schema) -> Option<usize> {
    schema.fields().iter().position(|f| f.metadata().get("ARROW:extension:name").is_some_and(|n| n == "geoarrow.point"))
}

/// The index of the column of geometry of a schema, points or any.
pub fn spatial_index(schema: &Schema) -> Option<usize> {
    point_index(schema).or_else(|| geometry_index(schema))
}

/// The CRS of a schema's column of geometry, as `EPSG:code` or well-known text.
pub fn point_crs(schema: &Schema) -> Option<String> {
    let field = schema.field(spatial_index(schema)?);
    let metadata = field.metadata().get("ARROW:extension:metadata")?;
    let rest = metadata.split_once("\"crs\":\"")?.1;
    let mut out = String::new();
    let mut characters = rest.chars();
    loop {
        match characters.next()? {
            '"' => return Some(out),
            '\\' => out.push(characters.next()?),
            c => out.push(c),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sample() -> Batch {
        let schema = Arc::new(Schema::new(vec![
            Field::new("name", DataType::Utf8, true),
            Field::new("n", DataType::Int64, true),
            point_field(Some("EPSG:2269"), true),
        ]));
        let columns: Vec<ArrayRef> = vec![
            Arc::new(StringArray::from(vec![Some("a"), None, Some("c")])),
            Arc::new(Int64Array::from(vec![Some(1), Some(2), None])),
            point_array(vec![1.5, f64::NAN, 3.0], vec![4.0, 5.0, 6.0], Some(vec![0.0, 0.0, f64::NAN])),
        ];
        Batch::new(schema, columns, vec![2, 3, 4]).unwrap()
    }

    #[test]
    fn filter_keeps_rows_and_their_origin() {
        let batch = sample().filter(&[false, true, true]);
        assert_eq!(batch.source_rows, [3, 4]);
        assert_eq!(batch.row_texts(0), ["", "2", ""]);
        assert_eq!(batch.row_texts(1), ["c", "", "3 6"]);
    }

    #[test]
    fn what_makes_no_batch_is_refused() {
        let (records, mut rows) = sample().into_parts();
        rows.pop();
        let e = Batch::of(records.clone(), rows).unwrap_err();
        assert_eq!(e.to_string(), "the columns have 3 rows, and 2 rows are counted");
        let e = Batch::new(records.schema(), records.columns()[1..].to_vec(), vec![1, 2, 3]).unwrap_err();
        assert!(e.to_string().starts_with("the columns do not go together"), "{e}");
        let schema = Arc::new(Schema::new(vec![Field::new("day", DataType::Date32, true)]));
        let e = Batch::of(RecordBatch::new_empty(schema), Vec::new()).unwrap_err();
        assert!(e.to_string().starts_with("column \"day\" is of the type Date32; texts, "), "{e}");
    }

    #[test]
    fn points_and_their_system() {
        let batch = sample();
        let points = Points::of(&batch.records).unwrap();
        assert_eq!(points.get(0), Some((1.5, 4.0, Some(0.0))));
        assert_eq!(points.get(1), None);
        assert_eq!(points.get(2), Some((3.0, 6.0, None)));
        assert_eq!(point_crs(&batch.records.schema()).as_deref(), Some("EPSG:2269"));
    }
}
