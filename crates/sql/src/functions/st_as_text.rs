//! Geometries as well-known text.

use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use basilocus::table::geometry::wkt;
use datafusion::arrow::array::StringArray;
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

pub(super) static ST_AS_TEXT: Definition = Definition {
    name: "ST_AsText",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |_| Ok(Field::new("st_astext", DataType::Utf8, true)),
    apply: |call| {
        let column = call.geometries(0)?;
        let mut failures = Vec::new();
        let values: StringArray = (0..call.rows)
            .map(|row| match column.get(row) {
                Ok(geometry) => geometry.as_ref().map(wkt::write),
                Err(reason) => {
                    failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                    None
                }
            })
            .collect();
        Ok(Made { values: Arc::new(values), failures })
    },
};
