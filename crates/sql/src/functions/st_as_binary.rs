//! Geometries as well-known binary.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use datafusion::arrow::datatypes::{DataType, Field};

pub(super) static ST_AS_BINARY: Definition = Definition {
    name: "ST_AsBinary",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |_| Ok(Field::new("st_asbinary", DataType::Binary, true)),
    apply: |call| {
        let column = call.geometries(0)?;
        let (mut out, mut failures) = (GeometryBuilder::for_rows(call.rows), Vec::new());
        for row in 0..call.rows {
            let geometry = column.get(row).unwrap_or_else(|reason| {
                failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                None
            });
            out.push(geometry.as_ref());
        }
        Ok(Made { values: out.finish(), failures })
    },
};
