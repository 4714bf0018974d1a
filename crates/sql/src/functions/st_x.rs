//! Coordinates of points.

use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use crate::Error;
use basilocus::table::Reason;
use basilocus::table::geometry::Geometry;
use datafusion::arrow::array::Float64Array;
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

macro_rules! coordinate {
    ($($(#[$doc:meta])* $id:ident = $name:literal, $get:expr;)+) => {$(
        $(#[$doc])*
        pub(super) static $id: Definition = Definition {
            name: $name,
            other_names: &[],
            parameters: &[Parameter { name: "point", kind: Kind::Geometry }],
            required: 1,
            failures: Failures::Null,
            result: |_| Ok(Field::new($name, DataType::Float64, true)),
            apply: |call| coordinates(call, $get),
        };
    )+};
}

coordinate! {
    /// Easting or longitude.
    ST_X = "ST_X", |call, row| Ok(call.point(row)?.map(|p| p[0]));
    /// Northing or latitude.
    ST_Y = "ST_Y", |call, row| Ok(call.point(row)?.map(|p| p[1]));
    /// Height; null where there is none.
    ST_Z = "ST_Z", |call, row| match call.get(row)? {
        Some(Geometry::Point(p)) => Ok(Some(p.z).filter(|z| !z.is_nan())),
        Some(other) => Err(format!("a {} is no point", other.type_name())),
        None => Ok(None),
    };
}

const NOT_A_POINT: Reason = Reason::new("not a point");

type Get = fn(&super::geometry_column::GeometryColumn, usize) -> Result<Option<f64>, String>;

fn coordinates(call: &Call, get: Get) -> Result<Made, Error> {
    let column = call.geometries(0)?;
    let mut failures = Vec::new();
    let values: Float64Array = (0..call.rows)
        .map(|row| {
            get(&column, row).unwrap_or_else(|reason| {
                failures.push(Failure::new(row, NOT_A_POINT, reason));
                None
            })
        })
        .collect();
    Ok(Made { values: Arc::new(values), failures })
}
