//! Values of Arrow's types as cells.

use crate::feature::Cell;
use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef};
use arrow_schema::{DataType, TimeUnit};
use basilocus_table::Moment;

/// The type that a column becomes; `None` for one that is left out.
pub(super) fn kind(t: &DataType) -> Option<DataType> {
    Some(match t {
        DataType::Boolean => DataType::Boolean,
        DataType::Int8
        | DataType::Int16
        | DataType::Int32
        | DataType::Int64
        | DataType::UInt8
        | DataType::UInt16
        | DataType::UInt32 => DataType::Int64,
        DataType::Float16 | DataType::Float32 | DataType::Float64 => DataType::Float64,
        DataType::Utf8
        | DataType::LargeUtf8
        | DataType::Utf8View
        | DataType::UInt64
        | DataType::Date64
        | DataType::Time32(_)
        | DataType::Time64(_)
        | DataType::Decimal32(..)
        | DataType::Decimal64(..)
        | DataType::Decimal128(..) => DataType::Utf8,
        DataType::Date32 => Moment::Date.data_type(),
        // What is finer than a millisecond stays text.
        DataType::Timestamp(TimeUnit::Second | TimeUnit::Millisecond, zone) => {
            Moment::DateTime { utc: zone.is_some() }.data_type()
        }
        DataType::Timestamp(..) => DataType::Utf8,
        DataType::Dictionary(_, inner) => kind(inner)?,
        _ => return None,
    })
}

/// The cell of a row; null for what is left out.
pub(super) fn cell(array: &ArrayRef, row: usize) -> Cell {
    if array.is_null(row) {
        return Cell::Null;
    }
    let a = array.as_ref();
    match a.data_type() {
        DataType::Boolean => Cell::Boolean(a.as_boolean().value(row)),
        DataType::Int8 => Cell::Integer(i64::from(a.as_primitive::<Int8Type>().value(row))),
        DataType::Int16 => Cell::Integer(i64::from(a.as_primitive::<Int16Type>().value(row))),
        DataType::Int32 => Cell::Integer(i64::from(a.as_primitive::<Int32Type>().value(row))),
        DataType::Int64 => Cell::Integer(a.as_primitive::<Int64Type>().value(row)),
        DataType::UInt8 => Cell::Integer(i64::from(a.as_primitive::<UInt8Type>().value(row))),
        DataType::UInt16 => Cell::Integer(i64::from(a.as_primitive::<UInt16Type>().value(row))),
        DataType::UInt32 => Cell::Integer(i64::from(a.as_primitive::<UInt32Type>().value(row))),
        DataType::UInt64 => Cell::Text(a.as_primitive::<UInt64Type>().value(row).to_string()),
        DataType::Float16 => Cell::Real(a.as_primitive::<Float16Type>().value(row).to_f64()),
        DataType::Float32 => {
            // By its own digits: 0.1 stays 0.1.
            let v = a.as_primitive::<Float32Type>().value(row);
            Cell::Real(v.to_string().parse().unwrap_or(f64::from(v)))
        }
        DataType::Float64 => Cell::Real(a.as_primitive::<Float64Type>().value(row)),
        DataType::Utf8 => Cell::Text(a.as_string::<i32>().value(row).to_string()),
        DataType::LargeUtf8 => Cell::Text(a.as_string::<i64>().value(row).to_string()),
        DataType::Utf8View => Cell::Text(a.as_string_view().value(row).to_string()),
        DataType::Dictionary(..) => dictionary(array, row),
        DataType::Decimal32(..) => Cell::Text(a.as_primitive::<Decimal32Type>().value_as_string(row)),
        DataType::Decimal64(..) => Cell::Text(a.as_primitive::<Decimal64Type>().value_as_string(row)),
        DataType::Decimal128(..) => Cell::Text(a.as_primitive::<Decimal128Type>().value_as_string(row)),
        _ => moment(array, row).map_or(Cell::Null, Cell::Text),
    }
}

fn dictionary(array: &ArrayRef, row: usize) -> Cell {
    let any = array.as_any_dictionary();
    let key = any.normalized_keys().get(row).copied();
    key.filter(|k| *k < any.values().len()).map_or(Cell::Null, |k| cell(any.values(), k))
}

/// A date or time as ISO 8601 has it.
fn moment(array: &ArrayRef, row: usize) -> Option<String> {
    let a = array.as_ref();
    let zone = |text: String, zone: bool| if zone { text + "Z" } else { text };
    let stamp = |v: Option<String>, has_zone: bool| v.map(|t| zone(t.replace(' ', "T"), has_zone));
    match a.data_type() {
        DataType::Date32 => a.as_primitive::<Date32Type>().value_as_date(row).map(|d| d.to_string()),
        DataType::Date64 => a.as_primitive::<Date64Type>().value_as_date(row).map(|d| d.to_string()),
        DataType::Timestamp(unit, has) => {
            let v = match unit {
                TimeUnit::Second => a.as_primitive::<TimestampSecondType>().value_as_datetime(row),
                TimeUnit::Millisecond => a.as_primitive::<TimestampMillisecondType>().value_as_datetime(row),
                TimeUnit::Microsecond => a.as_primitive::<TimestampMicrosecondType>().value_as_datetime(row),
                TimeUnit::Nanosecond => a.as_primitive::<TimestampNanosecondType>().value_as_datetime(row),
            };
            stamp(v.map(|t| t.to_string()), has.is_some())
        }
        DataType::Time32(TimeUnit::Second) => {
            a.as_primitive::<Time32SecondType>().value_as_time(row).map(|t| t.to_string())
        }
        DataType::Time32(_) => a.as_primitive::<Time32MillisecondType>().value_as_time(row).map(|t| t.to_string()),
        DataType::Time64(TimeUnit::Microsecond) => {
            a.as_primitive::<Time64MicrosecondType>().value_as_time(row).map(|t| t.to_string())
        }
        DataType::Time64(_) => a.as_primitive::<Time64NanosecondType>().value_as_time(row).map(|t| t.to_string()),
        _ => None,
    }
}
