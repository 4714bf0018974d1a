//! Rows of the engine as rows of the library: one geometry, texts, numbers of 64 bits, truth values; structs column by column.

use crate::functions::geometry_column::GeometryColumn;
use crate::systems;
use basilocus::table::geometry::wkt;
use basilocus::table::moment::field_of;
use basilocus::table::{POINT_COLUMN, geometry_field};
use datafusion::arrow::array::{Array, ArrayRef, AsArray, BooleanArray, RecordBatch, RecordBatchOptions, StringArray};
use datafusion::arrow::buffer::NullBuffer;
use datafusion::arrow::compute::{CastOptions, cast, cast_with_options, nullif};
use datafusion::arrow::datatypes::{DataType, Field, Schema, SchemaRef};
use datafusion::arrow::error::ArrowError;
use datafusion::arrow::util::display::{ArrayFormatter, FormatOptions};
use std::sync::Arc;

/// How the columns of a query become columns of the library.
#[derive(Debug, Clone)]
pub(crate) struct Columns {
    schema: SchemaRef,
    list: Vec<Column>,
}

/// A column of the result: where it comes from, and what is done to it.
#[derive(Debug, Clone)]
struct Column {
    /// The place of the query's column, and of fields within it.
    path: Vec<usize>,
    how: How,
}

#[derive(Debug, Clone, PartialEq)]
enum How {
    /// The geometry of the layer.
    Geometry,
    /// A further geometry, as well-known text.
    GeometryText,
    Cast(DataType),
    /// Dates as the library has them: texts with a mark.
    Date,
    /// What has no other form.
    Text,
}

impl Columns {
    /// For the columns of a query. The first geometry is that of the layer; fields of a struct are named after the column and
    /// the field where two have the same name.
    pub(crate) fn of(query: &Schema) -> Self {
        let mut found: Vec<(String, Option<String>, Field, Column)> = Vec::new();
        for (at, field) in query.fields().iter().enumerate() {
            add(field, vec![at], None, &mut found);
        }
        let mut names: Vec<String> = found.iter().map(|f| f.0.clone()).collect();
        for at in 0..found.len() {
            let is_taken = found.iter().enumerate().any(|(other, f)| other != at && f.0 == found[at].0);
            if let (true, Some(column)) = (is_taken, &found[at].1) {
                names[at] = format!("{column}_{}", found[at].0);
            }
        }
        let fields = found.iter().zip(names).map(|((_, _, field, column), name)| match column.how {
            How::Geometry => field.clone(),
            _ => field.clone().with_name(name),
        });
        let schema = Arc::new(Schema::new(fields.collect::<Vec<_>>()));
        Columns { schema, list: found.into_iter().map(|f| f.3).collect() }
    }

    /// The columns of the result.
    pub(crate) fn schema(&self) -> &SchemaRef {
        &self.schema
    }

    /// Rows in that form.
    ///
    /// # Errors
    /// For a number that is too large for 64 bits, and bytes that are no geometry.
    pub(crate) fn apply(&self, batch: &RecordBatch) -> Result<RecordBatch, ArrowError> {
        let columns = self.list.iter().map(|column| {
            let mut array = batch.column(column.path[0]).clone();
            for at in &column.path[1..] {
                let whole = array.as_struct();
                let inner = whole.column(*at).clone();
                // A struct that is null has no fields, whatever lies there.
                array = match whole.nulls() {
                    Some(nulls) => mask(&inner, nulls)?,
                    None => inner,
                };
            }
            column.how.apply(&array)
        });
        let columns = columns.collect::<Result<Vec<ArrayRef>, ArrowError>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(batch.num_rows()));
        RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)
    }
}

/// An array with nulls where there are some.
fn mask(array: &ArrayRef, nulls: &NullBuffer) -> Result<ArrayRef, ArrowError> {
    let gone: BooleanArray = nulls.iter().map(|valid| Some(!valid)).collect();
    nullif(array, &gone)
}

fn add(field: &Field, path: Vec<usize>, within: Option<&str>, out: &mut Vec<(String, Option<String>, Field, Column)>) {
    let name = field.name().clone();
    let system = systems::of_field(field);
    let is_geometry =
        field.metadata().get("ARROW:extension:name").is_some_and(|n| n == "geoarrow.wkb" || n == "geoarrow.point");
    let has_geometry = out.iter().any(|(.., c)| c.how == How::Geometry);
    let mut push = |field: Field, how: How| {
        out.push((
            name.clone(),
            within.map(str::to_string),
            field.with_nullable(true),
            Column { path: path.clone(), how },
        ));
    };
    let plain = |kind: DataType| Field::new(&name, kind, true);
    if is_geometry {
        return if has_geometry {
            push(plain(DataType::Utf8), How::GeometryText);
        } else {
            push(geometry_field(system.as_deref()).with_name(POINT_COLUMN), How::Geometry);
        };
    }
    let mut add_cast = |to: DataType| push(plain(to.clone()), How::Cast(to));
    match field.data_type() {
        DataType::Struct(fields) => {
            for (at, inner) in fields.iter().enumerate() {
                let path = path.iter().copied().chain([at]).collect();
                add(inner, path, Some(field.name()), out);
            }
        }
        DataType::Boolean => add_cast(DataType::Boolean),
        kind if kind.is_integer() => add_cast(DataType::Int64),
        kind if kind.is_floating() => add_cast(DataType::Float64),
        kind if kind.is_numeric() => add_cast(DataType::Float64),
        DataType::Date32 | DataType::Date64 => push(field_of(plain(DataType::Utf8), &DataType::Date32), How::Date),
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View => add_cast(DataType::Utf8),
        DataType::Dictionary(_, of) if matches!(**of, DataType::Utf8 | DataType::LargeUtf8) => add_cast(DataType::Utf8),
        _ => push(plain(DataType::Utf8), How::Text),
    }
}

impl How {
    fn apply(&self, array: &ArrayRef) -> Result<ArrayRef, ArrowError> {
        match self {
            How::Cast(to) => exact(array, to),
            How::Date => cast(&cast(array, &DataType::Date32)?, &DataType::Utf8),
            How::Geometry => geometries(array)?.binary(array.len()).map_err(ArrowError::InvalidArgumentError),
            How::GeometryText => {
                let geometries = geometries(array)?;
                let texts = (0..array.len()).map(|row| geometries.get(row).map(|g| g.as_ref().map(wkt::write)));
                let texts = texts.collect::<Result<StringArray, String>>().map_err(ArrowError::InvalidArgumentError)?;
                Ok(Arc::new(texts))
            }
            How::Text => {
                let shown = ArrayFormatter::try_new(array, &FormatOptions::default())?;
                let texts = (0..array.len()).map(|row| array.is_valid(row).then(|| shown.value(row).to_string()));
                Ok(Arc::new(texts.collect::<StringArray>()))
            }
        }
    }
}

/// A cast in which no value is lost.
fn exact(array: &ArrayRef, to: &DataType) -> Result<ArrayRef, ArrowError> {
    cast_with_options(array, to, &CastOptions { safe: false, ..Default::default() })
}

fn geometries(array: &ArrayRef) -> Result<GeometryColumn, ArrowError> {
    GeometryColumn::of(array).map_err(ArrowError::InvalidArgumentError)
}
