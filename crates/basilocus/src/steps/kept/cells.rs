//! Cells to JSON and back: texts, numbers and truth values as such, geometry as well-known text.

use super::KeptRow;
use crate::Error;
use crate::engine::{Column, Columns};
use arrow_array::{Array, ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Schema};
use basilocus_table::batch::{Points, cell_text, point_array, point_crs};
use basilocus_table::geometry::{Geometry, Position, geometry_field, wkb, wkt};
use serde_json::Value;
use std::sync::Arc;

/// A cell as JSON.
pub(super) fn value(array: &ArrayRef, row: usize) -> Value {
    if array.is_null(row) {
        return Value::Null;
    }
    let any = array.as_any();
    if let Some(numbers) = any.downcast_ref::<Float64Array>() {
        // What is no number has no form in JSON; its text keeps it.
        return serde_json::Number::from_f64(numbers.value(row))
            .map_or_else(|| numbers.value(row).to_string().into(), Value::Number);
    }
    if let Some(numbers) = any.downcast_ref::<Int64Array>() {
        return numbers.value(row).into();
    }
    if let Some(truths) = any.downcast_ref::<BooleanArray>() {
        return truths.value(row).into();
    }
    if let Some(bytes) = any.downcast_ref::<BinaryArray>() {
        return wkb::read(bytes.value(row)).map_or(Value::Null, |g| wkt::write(&g).into());
    }
    if let Some(points) = Points::of_array(array) {
        let Some((x, y, z)) = points.get(row) else { return Value::Null };
        let position = z.map_or(Position::xy(x, y), |z| Position::xyz(x, y, z));
        return wkt::write(&Geometry::Point(position)).into();
    }
    cell_text(array, row).into()
}

fn text(value: &Value) -> Option<String> {
    match value {
        Value::Null => None,
        Value::String(text) => Some(text.clone()),
        other => Some(other.to_string()),
    }
}

fn column<'a>(rows: &'a [KeptRow], name: &'a str) -> impl Iterator<Item = &'a Value> {
    rows.iter().map(move |r| r.cells.get(name).unwrap_or(&Value::Null))
}

/// The table of rows: the columns of this turn, then those that only earlier turns had. Gives what to tell.
///
/// # Errors
/// Where the geometry that was kept cannot be read.
pub(super) fn table(columns: &Columns, rows: &[KeptRow]) -> Result<(Columns, Vec<ArrayRef>, Vec<String>), Error> {
    let mut out = columns.clone();
    let (mut arrays, mut notices) = (Vec::new(), Vec::new());
    let crs = point_crs(&Schema::clone(&columns.schema()));
    for (at, own) in columns.iter().enumerate() {
        let name = own.name();
        let cells = || column(rows, name);
        let kind = own.field.data_type().clone();
        let array: Option<ArrayRef> = match &kind {
            DataType::Int64 => typed(cells(), |v| v.as_i64()).map(|a: Int64Array| Arc::new(a) as _),
            DataType::Float64 => typed(cells(), |v| v.as_f64()).map(|a: Float64Array| Arc::new(a) as _),
            DataType::Boolean => typed(cells(), |v| v.as_bool()).map(|a: BooleanArray| Arc::new(a) as _),
            DataType::Struct(fields) => {
                let geometries = geometries(cells(), name)?;
                match points(&geometries, fields.len() > 2) {
                    Some(points) => {
                        // A height that an earlier turn had is one of the table.
                        let kind = points.data_type().clone();
                        out.replace_field(at, own.field.clone().with_data_type(kind));
                        Some(points)
                    }
                    None => {
                        out.replace_field(at, geometry_field(crs.as_deref()));
                        Some(binary(&geometries))
                    }
                }
            }
            DataType::Binary => Some(binary(&geometries(cells(), name)?)),
            _ => Some(Arc::new(cells().map(text).collect::<StringArray>())),
        };
        match array {
            Some(array) => arrays.push(array),
            None => {
                notices.push(format!("the column \"{name}\" held other values in earlier turns; it is text now"));
                out.replace_field(at, own.field.clone().with_data_type(DataType::Utf8));
                arrays.push(Arc::new(cells().map(text).collect::<StringArray>()) as ArrayRef);
            }
        }
    }
    let mut older: Vec<&str> = Vec::new();
    for name in rows.iter().flat_map(|r| r.cells.keys()) {
        if columns.position(name).is_none() && !older.contains(&name.as_str()) {
            older.push(name);
        }
    }
    for name in older {
        let mut column_of = Column::added(name, DataType::Utf8);
        (column_of.added, column_of.is_open) = (false, true);
        out.push(column_of);
        arrays.push(Arc::new(column(rows, name).map(text).collect::<StringArray>()));
        notices.push(format!("the column \"{name}\" is of earlier turns; this one does not have it"));
    }
    Ok((out, arrays, notices))
}

/// An array of values that are all of a type or nothing.
fn typed<'a, T, A: FromIterator<Option<T>>>(
    cells: impl Iterator<Item = &'a Value>,
    of: impl Fn(&Value) -> Option<T>,
) -> Option<A> {
    let one = |v: &Value| match v {
        Value::Null => Ok(None),
        v => of(v).map(Some).ok_or(()),
    };
    cells.map(one).collect::<Result<A, ()>>().ok()
}

fn geometries<'a>(cells: impl Iterator<Item = &'a Value>, name: &str) -> Result<Vec<Option<Geometry>>, Error> {
    let read = |v: &Value| match v {
        Value::Null => Ok(None),
        v => wkt::read(v.as_str().unwrap_or_default())
            .map(Some)
            .map_err(|e| Error::Data(format!("the geometry of a kept row cannot be read from \"{name}\": {e}"))),
    };
    cells.map(read).collect()
}

fn binary(geometries: &[Option<Geometry>]) -> ArrayRef {
    Arc::new(geometries.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>())
}

/// An array of points, where all geometries are points.
fn points(geometries: &[Option<Geometry>], with_z: bool) -> Option<ArrayRef> {
    let n = geometries.len();
    let (mut x, mut y, mut z) = (Vec::with_capacity(n), Vec::with_capacity(n), Vec::with_capacity(n));
    for geometry in geometries {
        let at = match geometry {
            None => [f64::NAN; 3],
            Some(Geometry::Point(p)) => [p.x, p.y, p.z],
            Some(_) => return None,
        };
        x.push(at[0]);
        y.push(at[1]);
        z.push(at[2]);
    }
    let with_z = with_z || z.iter().zip(&x).any(|(z, x)| !z.is_nan() && !x.is_nan());
    Some(point_array(x, y, with_z.then_some(z)))
}
